#include "app/targets/target_commands.h"

#include "app/session/text.h"
#include "core/cell/edit_targets.h"
#include "core/cell/step_tree.h"
#include "core/cell/typed_move.h"
#include "core/check/free_ways.h"
#include "core/collide/by_hand.h"

#include <QCursor>
#include <QMenu>

#include <algorithm>

namespace topikos {

namespace {

constexpr double kAtHome = 1e-6;  // [rad or m]

/// The selected targets, said when there are none.
std::vector<TargetId> selectedTargets(Session& session)
{
    const std::vector<TargetId> ids = session.allSelected<TargetId>();
    if (ids.empty()) session.say("Select the targets first.", true);
    return ids;
}

QString countText(size_t n) { return n == 1 ? QString("1 target") : QString("%1 targets").arg(n); }

}  // namespace

bool takeWithin(Session& session, TargetId id, const FreeWay& chosen)
{
    return session.edit("Choose within the freedom of " + text(findTarget(session.cell(), id)->name),
                        [&](const Cell& cell) -> Result<Cell> {
                            Result<Cell> moved = setTargetPose(cell, id, chosen.frameFromTcp);
                            return moved ? setTargetWay(*moved, id, chosen.way) : moved;
                        });
}

void bestWithin(Session& session, TargetId id)
{
    const Target* target = findTarget(session.cell(), id);
    if (!target) return;
    const std::vector<FreeWay> ways = freeWays(session.cell(), *target, session.shownAxes());
    const QString name = text(target->name);
    if (ways.empty()) {
        session.say(QString("%1 is reached nowhere within its freedom.").arg(name), true);
        return;
    }
    const FreeWay best = ways.front();
    if (!takeWithin(session, id, best)) return;
    session.say(QString("%1 %2: margin %3 %, the best of %4 that can be reached.")
                    .arg(name, best.words.empty() ? QString("as taught") : text(best.words))
                    .arg(100 * best.margin, 0, 'f', 0)
                    .arg(ways.size()));
}

PlacesVerdict placesVerdict(const Session& session, PatternId id)
{
    PlacesVerdict out;
    const Cell& cell = session.cell();
    std::vector<TargetId> members;
    for (const Target& target : cell.targets)
        if (target.pattern == id) members.push_back(target.id);
    out.places = members.size();
    const CheckedCell* checked = session.checked();
    if (!checked) {
        out.words = "being checked";
        return out;
    }
    const std::map<TargetId, const Finding*>& worst = session.worst();
    const Finding* first = nullptr;
    for (const TargetId target : members) {
        const auto found = worst.find(target);
        if (found == worst.end()) continue;
        const bool blocked = found->second->severity == Severity::Blocked;
        ++(blocked ? out.blocked : out.cautions);
        if (!first || (blocked && first->severity != Severity::Blocked)) first = found->second;
    }
    const bool judged =
        std::all_of(members.begin(), members.end(), [&](TargetId own) { return session.isJudged(own); });
    if (!first && !judged) {
        out.words = "being checked";
        return out;
    }
    if (!first) {
        out.words = out.places == 1 ? QString("its place is reached") : QString("all %1 are reached").arg(out.places);
        return out;
    }
    if (out.blocked > 0) out.words = QString("%1 of %2 fail").arg(out.blocked).arg(out.places);
    if (out.cautions > 0)
        out.words += QString("%1%2 %3")
                         .arg(out.blocked > 0 ? ", " : "")
                         .arg(out.cautions)
                         .arg(out.cautions == 1 ? "caution" : "cautions");
    out.words += ": " + text(findingText(*checked->cell, *first).headline);
    return out;
}

void mirrorSelected(Session& session, int axis)
{
    const std::vector<TargetId> ids = selectedTargets(session);
    if (ids.empty()) return;
    session.edit(QString("Mirror %1 across %2").arg(countText(ids.size())).arg("XYZ"[axis]),
                 [&](const Cell& cell) { return mirrorTargets(cell, ids, axis, Vec3::Zero()); });
}

void copySelectedTo(Session& session, QWidget* parent)
{
    const std::vector<TargetId> ids = selectedTargets(session);
    if (ids.empty()) return;
    auto* menu = new QMenu(parent);
    menu->setObjectName("copyToMenu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto offer = [&](FrameId frame, const QString& name) {
        menu->addAction(name, parent, [&session, ids, frame, name] {
            std::vector<TargetId> created;
            if (!session.edit(QString("Copy %1 to %2").arg(countText(ids.size()), name), [&](const Cell& cell) {
                    created.clear();
                    return copyTargetsTo(cell, ids, frame, &created);
                }))
                return;
            std::vector<Selection> made(created.begin(), created.end());
            session.selectMany(made);
        });
    };
    offer({}, "World");
    for (const Frame& frame : session.cell().frames)
        offer(frame.id, text(frame.name));
    menu->popup(QCursor::pos());
}

bool shiftSelected(Session& session, const QString& line)
{
    const std::vector<TargetId> ids = selectedTargets(session);
    if (ids.empty()) return false;
    const Result<TypedMove> read =
        readTypedMove(line.toStdString(), session.arm(), lengthUnit().size, angleUnit().size);
    if (!read || read->joints()) {
        session.say(read ? QString("Targets go along or about axes: \"x 12.5 rz 3\".") : text(read.error().line()),
                    true);
        return false;
    }
    return session.edit(QString("Shift %1").arg(countText(ids.size())), [&](const Cell& cell) {
        Result<Cell> next = cell;
        for (const TypedMove::Part& part : read->parts) {
            if (!next) break;
            TargetShift shift;
            if (part.what == TypedMove::What::Along) shift.along[part.index] = part.value;
            else shift.axis = part.index, shift.turn = part.value;
            next = shiftTargets(*next, ids, shift);
        }
        return next;
    });
}

QString awayFrom(const Session& session, const Target& target)
{
    constexpr double same = 1e-6;  // [m or rad]
    if (target.kind == Target::Kind::Posture) {
        const JointVector by = session.shownPosture() - target.posture;
        Eigen::Index most = 0;
        if (by.cwiseAbs().maxCoeff(&most) < same) return {};
        return QString("joint %1 by %2, the others by less")
            .arg(most + 1)
            .arg(jointText(session.arm().joints()[size_t(most)], by[most]));
    }
    const Pose now = inverse(session.shownPlace(target.frame)) * session.shownTcp();
    const PoseDeviation away = deviation(target.pose, now);
    if (away.metres < same && away.radians < same) return {};
    const Vec3 by = now.translation - target.pose.translation;
    const QString turned = turnFigure(away.radians, 1) + (angleUnit().size == 1 ? " rad" : "°");
    return QString("%1 %2, %3 (X %4  Y %5  Z %6)")
        .arg(placeFigure(away.metres), lengthUnit().symbol, turned, placeFigure(by[0]), placeFigure(by[1]),
             placeFigure(by[2]));
}

QStringList armsAwayFromHome(const Session& session)
{
    QStringList out;
    const Cell& cell = session.cell();
    const CellState state = session.shownState();
    for (const ArmStation& arm : cell.arms) {
        const JointVector home = homePosture(cell, arm), &now = state.of(arm.id).posture;
        if (now.size() != home.size() || (now - home).cwiseAbs().maxCoeff() > kAtHome) out << text(arm.name);
    }
    return out;
}

bool bringHome(Session& session)
{
    session.leaveRun();
    const JointVector home = homePosture(session.cell(), session.station());
    const QString name = text(session.station().name);
    if ((session.posture() - home).cwiseAbs().maxCoeff() <= kAtHome) {
        session.say(QString("%1 is at home.").arg(name));
        return true;
    }
    const HandStop way = moveByHand(session.cell(), session.station().id, session.posture(), home, session.axes(),
                                    session.axes(), session.touched());
    if (way.touches()) {
        session.say(QString("%1 stays: on the way home %2 would touch %3 after %4 % of it. Move it clear first.")
                        .arg(name, text(way.own.name), text(way.other.name))
                        .arg(100 * way.fraction, 0, 'f', 0),
                    true);
        return false;
    }
    if (!session.driveTo(home)) return false;
    session.say(QString("%1 is at home; nothing was in the way.").arg(name));
    return true;
}

}  // namespace topikos
