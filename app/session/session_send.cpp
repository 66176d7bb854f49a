#include "app/session/session.h"

#include "app/session/text.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_support.h"
#include "core/cell/edit_targets.h"
#include "core/cell/settled.h"
#include "core/plan/free_turns.h"
#include "core/reach/send.h"

#include <algorithm>

/// The arm sent to things, and strokes that grip and set down there.
namespace topikos {

struct Session::SendChoice {
    SendWay way;
    PickedPlace place;
    Freedom freedom{};              ///< of the grip point
    std::vector<SendWay> others{};  ///< turns that are reached with less margin, the best one first
};

void Session::setPicked(std::optional<PickedPlace> place)
{
    m_picked = std::move(place);
    // It goes with the frame that it is on.
    if (m_picked)
        if (const auto* frame = std::get_if<FrameId>(&m_picked->of)) m_pickedIn = inverse(shownPlace(*frame));
    Q_EMIT jogChanged();
}

std::optional<PickedPlace> Session::sendPlace() const
{
    const Cell& now = shownCell();
    if (const FrameId id = selected<FrameId>(); m_picked && m_picked->of == m_selection && findFrame(now, id)) {
        const Pose moved = shownPlace(id) * m_pickedIn;
        PickedPlace there = *m_picked;
        there.place = moved * there.place;
        there.up = moved.rotation * there.up;
        there.reference = moved.rotation * there.reference;
        return there;
    }
    const auto at = [&](const Pose& world, const QString& words) {
        return PickedPlace{world.translation, world.rotation * Vec3::UnitZ(), world.rotation, m_selection, words};
    };
    if (const PartId id = selected<PartId>())
        for (const PlacedPart& part : shownState().parts)
            if (part.part == id) return at(part.worldFromPart, text(findPart(now, id)->name));
    if (const FrameId id = selected<FrameId>(); id && findFrame(now, id))
        return at(shownPlace(id), "origin of " + text(frameName(now, id)));
    if (const Target* target = findTarget(now, selected<TargetId>()); target && target->kind == Target::Kind::Pose) {
        const Pose world = shownPlace(target->frame) * target->pose;
        // The tool's own z points into what it goes to.
        return PickedPlace{world.translation, world.rotation * -Vec3::UnitZ(), world.rotation, m_selection,
                           text(target->name)};
    }
    return std::nullopt;
}

std::optional<Session::SendChoice> Session::chooseSend(const PickedPlace& place, SendAxis axis,
                                                       const std::vector<double>& offs, int turns)
{
    SendQuery query;
    query.arm = m_arm;
    query.place = place.place;
    query.reference = place.reference;
    query.turns = turns;
    query.offs = offs;
    query.axes = shownAxes();
    switch (axis) {
    case SendAxis::Normal: query.into = -place.up; break;
    case SendAxis::Frame: query.into = shownPlace(m_readingFrame).rotation * -Vec3::UnitZ(); break;
    case SendAxis::World: query.into = -Vec3::UnitZ(); break;
    case SendAxis::Tool:
        // As it stands, without a turn.
        query.reference = shownTcp().rotation;
        query.into = query.reference * Vec3::UnitZ();
        query.turns = 1;
    }
    SendWays found = sendWays(cell(), query);
    if (found.ways.empty()) {
        say(QString("%1 cannot be reached with the tool %2. %3")
                .arg(place.words,
                     axis == SendAxis::Tool     ? "as it stands"
                     : axis == SendAxis::Normal ? "into it"
                                                : "down",
                     solutionsText(arm(), found.lacking)),
            true);
        return std::nullopt;
    }
    SendChoice choice{std::move(found.ways.front()), place};
    choice.others.assign(std::make_move_iterator(found.ways.begin() + 1), std::make_move_iterator(found.ways.end()));
    return choice;
}

bool Session::sendThere(SendAxis axis, double off)
{
    const std::optional<PickedPlace> place = sendPlace();
    if (!place) {
        say("Click a face, a hole, a part or a frame first: the arm is sent there.", true);
        return false;
    }
    constexpr int turns = 24;
    const Part* part = axis == SendAxis::Normal ? findPart(cell(), selected<PartId>()) : nullptr;
    const bool byGrip = part && !findPartKind(cell(), part->kind)->grips.empty();
    const std::optional<SendChoice> choice = byGrip ? chooseGrip(*part, {off}) : chooseSend(*place, axis, {off}, turns);
    if (!choice) return false;
    m_movedAt.invalidate();
    if (!driveTo(choice->way.postures.front())) return false;
    m_sentTurns = {{choice->way.turn, choice->way.margin, m_posture}};
    m_sentTurn = 0;
    for (const SendWay& other : choice->others)
        m_sentTurns.push_back({other.turn, other.margin, other.postures.front()});
    Q_EMIT jogChanged();
    say(QString("At %1%2, turned by %3: margin %4 %.")
            .arg(byGrip ? QString("%1 of %2").arg(choice->place.words, place->words) : place->words,
                 off > 0 ? QString(", %1 %2 before it").arg(placeFigure(off, 1), lengthUnit().symbol) : QString(),
                 degreeText(wrapped(choice->way.turn)))
            .arg(100 * choice->way.margin, 0, 'f', 0));
    return true;
}

size_t Session::sendTurns() const
{
    const bool there = m_sentTurn < m_sentTurns.size() && sameValues(m_posture, m_sentTurns[m_sentTurn].posture);
    return there ? m_sentTurns.size() : 0;
}

bool Session::sendNextTurn()
{
    if (sendTurns() < 2) {
        say("Send the arm to something first; then its other turns are gone through.", true);
        return false;
    }
    const size_t next = (m_sentTurn + 1) % m_sentTurns.size();
    m_movedAt.invalidate();
    if (!driveTo(m_sentTurns[next].posture)) return false;
    m_sentTurn = next;
    m_sentTurns[next].posture = m_posture;
    Q_EMIT jogChanged();
    say(QString("Turned by %1, %2 of %3 turns: margin %4 %.")
            .arg(degreeText(wrapped(m_sentTurns[next].turn)))
            .arg(next + 1)
            .arg(m_sentTurns.size())
            .arg(100 * m_sentTurns[next].margin, 0, 'f', 0));
    return true;
}

/// The grip point of a part's kind that is reached with the most margin, as a place to be sent to; at the part's origin
/// where its kind has none. Its target goes with the part.
std::optional<Session::SendChoice> Session::chooseGrip(const Part& part, const std::vector<double>& offs)
{
    const Pose world = shownPlace(part.frame) * part.pose;
    const PartKind& kind = *findPartKind(cell(), part.kind);
    if (kind.grips.empty()) {
        // The jaws along the part or across it.
        constexpr int turns = 4;
        const PickedPlace place{world.translation, world.rotation * Vec3::UnitZ(), world.rotation, part.id,
                                text(part.name)};
        return chooseSend(place, SendAxis::Normal, offs, turns);
    }
    GripOfAll best = gripOfAll(cell(), m_arm, {part.id}, offs, shownAxes());
    if (best.lacking > 0) {
        say(QString("No grip point of %1 can be reached. %2").arg(text(part.name), solutionsText(arm(), best.why)),
            true);
        return std::nullopt;
    }
    const Pose tcp = world * best.partFromTcp;
    return SendChoice{{0, tcp, std::move(best.postures), best.margin},
                      {tcp.translation, -(tcp.rotation * Vec3::UnitZ()), tcp.rotation, part.id, text(best.words)},
                      best.freedom};
}

bool Session::addStroke(const SendChoice& choice, FrameId frame, const QString& label, bool grips, double over)
{
    const Routine& routine = this->routine();
    if (routine.arm != m_arm) {
        say("This routine is not the arm's own; its places are filled in by calls.", true);
        return false;
    }
    const std::string name = freeTargetName(cell(), label.toStdString());
    std::vector<StepId> made;
    const bool done = edit((grips ? "Grip at " : "Set down at ") + label, [&](const Cell& cell) -> Result<Cell> {
        made.clear();
        TargetId target;
        const Result<Cell> taken =
            takePoseTarget(cell, m_arm, frame, choice.way.postures.front(), name, &target, shownAxes());
        if (!taken) return taken;
        Result<Cell> free = setFreedom(*taken, {target}, choice.freedom);
        const auto* part = std::get_if<PartId>(&choice.place.of);
        if (free && grips && part) free = tieTarget(*free, target, *part, {});
        for (const bool retract : {false, true})
            if (free) free = setApproach(*free, {target}, retract, {.far = over});
        if (!free) return free;
        const Target& taught = *findTarget(*free, target);
        return insertSteps(*free, routine.id, findRoutine(*free, routine.id)->steps.size(),
                           grips ? gripStroke(taught) : releaseStroke(taught), &made);
    });
    if (done && !made.empty()) select(made.back());
    return done;
}

bool Session::addGripEach(const Pattern& parts, double over)
{
    const Routine& routine = this->routine();
    if (routine.arm != m_arm) {
        say("This routine is not the arm's own; its places are filled in by calls.", true);
        return false;
    }
    std::vector<PartId> members;
    std::vector<std::uint32_t> places;
    for (const Part& part : cell().parts)
        if (part.pattern == parts.id) members.push_back(part.id), places.push_back(part.place);
    if (members.empty()) return false;
    const GripOfAll grip = gripOfAll(cell(), m_arm, members, {0, over}, shownAxes());
    const auto first =
        std::find_if(grip.postures.begin(), grip.postures.end(), [](const JointVector& q) { return q.size() > 0; });
    if (first == grip.postures.end()) {
        say(QString("No part of %1 can be gripped. %2").arg(text(parts.name), solutionsText(arm(), grip.why)), true);
        return false;
    }
    Pattern picks;
    picks.content = Pattern::Content::Targets;
    picks.name = freeNameIn(cell().patterns, shortened(parts.name, kLongestStem) + " picks");
    picks.arm = m_arm;
    picks.tool = station().tool;
    picks.configuration = configurationOf(arm(), *first);
    picks.order = parts.order;
    picks.approach.far = picks.retract.far = over;
    // Targets of patterns are for the first point of the tool.
    const Tool& tool = toolInForce(cell(), station());
    picks.inPlace = grip.partFromTcp * inverse(flangeFromTcp(cell(), station())) * flangeFromTcp(tool, {});
    for (const FrameId axis : axesBetween(cell(), station().mount, parts.frame))
        picks.axes.push_back({axis, axisValue(*findFrame(cell(), axis), shownAxes())});
    std::vector<StepId> made;
    const bool done = edit("Grip each of " + text(parts.name), [&](const Cell& cell) -> Result<Cell> {
        PatternId id;
        made.clear();
        Result<Cell> next = addPattern(cell, following(picks, parts), &id);
        if (!next) return next;
        // Each of them in the way that was found for it.
        const Cell added = *next;
        for (const Target& target : added.targets) {
            if (target.pattern != id || !next) continue;
            const auto at = std::find(places.begin(), places.end(), target.place);
            const JointVector& q = grip.postures[size_t(at - places.begin())];
            if (q.size() > 0) next = setTargetWay(*next, target.id, Solution{q, configurationOf(arm(), q)});
            if (next) next = setFreedom(*next, {target.id}, grip.freedom);
        }
        if (!next) return next;
        return insertSteps(*next, routine.id, findRoutine(*next, routine.id)->steps.size(),
                           {gripEach(*findPattern(*next, id))}, &made);
    });
    if (!done) return false;
    select(made.front());
    say(grip.lacking > 0 ? QString("%1 of %2 parts cannot be gripped so. %3")
                               .arg(grip.lacking)
                               .arg(members.size())
                               .arg(solutionsText(arm(), grip.why))
                         : QString("Targets for all %1 parts, and steps for each: margin %2 %.")
                               .arg(members.size())
                               .arg(100 * grip.margin, 0, 'f', 0),
        grip.lacking > 0);
    return true;
}

bool Session::addGripThere(double over)
{
    const Pattern* parts = findPattern(cell(), selected<PatternId>());
    if (parts && parts->content == Pattern::Content::Parts) return addGripEach(*parts, over);
    const PartId id = selected<PartId>();
    const Part* part = findPart(cell(), id);
    if (!part) {
        say("Select the part, or the pattern of parts, that is to be gripped first.", true);
        return false;
    }
    const std::optional<SendChoice> choice = chooseGrip(*part, {0, over});
    return choice && addStroke(*choice, part->frame, text(part->name) + " pick", true, over);
}

bool Session::addReleaseThere(SendAxis axis, double over)
{
    std::optional<PickedPlace> place = sendPlace();
    const Target* target = findTarget(cell(), selected<TargetId>());
    if (!place || std::holds_alternative<PartId>(place->of)) {
        say("Click the face, or select the frame or target, where the part is to be set down.", true);
        return false;
    }
    // What lies on the face is the part that the steps before grip: its origin is so much higher.
    FrameId frame = m_readingFrame;
    if (const auto* of = std::get_if<FrameId>(&place->of)) frame = *of;
    if (target) frame = target->frame;
    if (!target) {
        const Part* carried = nullptr;
        const Target* last = nullptr;
        eachStep(routine().steps, [&](const Step& step, size_t) {
            if (const Target* at = findTarget(cell(), targetOf(step))) last = at;
            if (!step.as<Grip>() || !last || last->kind != Target::Kind::Pose) return;
            const Vec3 tcp = (shownPlace(last->frame) * last->pose).translation;
            const double grasp = toolInForce(cell(), station()).gripper.grasp;
            for (const Part& part : cell().parts)
                if ((tcp - (shownPlace(part.frame) * part.pose).translation).norm() <= grasp) carried = &part;
        });
        if (carried) place->place += heightOver(*findPartKind(cell(), carried->kind)) * place->up;
    }
    constexpr int turns = 4;
    const std::optional<SendChoice> choice = chooseSend(*place, axis, {0, over}, turns);
    if (!choice) return false;
    const QString label = text(frameName(cell(), frame)) + " place";
    return addStroke(*choice, frame, label, false, over);
}

}  // namespace topikos
