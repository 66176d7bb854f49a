#include "core/mend/changes.h"

#include "core/mend/run_changes.h"

#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_targets.h"
#include "core/cell/devices.h"
#include "core/cell/pattern.h"
#include "core/check/best_ways.h"
#include "core/check/rules/rules.h"
#include "core/program/step_text.h"
#include "core/robot/catalogue.h"
#include "core/simulate/boxes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

const std::vector<double> kLengths{0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.4, 0.8};  // [m]

constexpr double kOnFloor = 0.005;  // bodies that reach this low stand on the floor [m]
constexpr double kLast = 20;        // that the rank of what is not meant at all is higher by

/// Whether a pose target is free of what blocks it.
bool works(const Cell& cell, const Target& target, const AxisValues& axes, PlanCache* plans)
{
    const TargetVerdict verdict = checkTarget(cell, target, axes, plans);
    return std::none_of(verdict.findings.begin(), verdict.findings.end(),
                        [](const Finding& f) { return f.severity == Severity::Blocked; });
}

/// Directions to move a goal along, in the world: towards the arm and away, along the world's axes.
std::vector<Vec3> waysFrom(const Cell& cell, const Target& target, const AxisValues& axes)
{
    const Pose base = worldFromBase(cell, armOf(cell, target), axes);
    const Pose tcp = worldFromFrame(cell, target.frame, axes) * target.pose;
    std::vector<Vec3> out;
    for (const double height : {0.0, 0.5}) {
        Vec3 to = base.translation + Vec3(0, 0, height * armOf(cell, target).model->reach()) - tcp.translation;
        if (to.norm() > 1e-6) out.insert(out.end(), {to.normalized(), -to.normalized()});
    }
    for (int i = 2; i >= 0; --i)
        out.insert(out.end(), {Vec3(Vec3::Unit(i)), Vec3(-Vec3::Unit(i))});
    out.push_back(tcp.rotation * -Vec3::UnitZ());
    // Each once.
    std::vector<Vec3> each;
    for (const Vec3& way : out)
        if (std::none_of(each.begin(), each.end(), [&](const Vec3& other) { return way.dot(other) > 0.9999; }))
            each.push_back(way);
    return each;
}

Target shifted(const Cell& cell, Target target, const AxisValues& axes, const Vec3& world)
{
    target.pose.translation += worldFromFrame(cell, target.frame, axes).rotation.conjugate() * world;
    return target;
}

std::string wordsOf(const Vec3& way)
{
    static const char* const names[] = {"x", "y", "z"};
    for (int i = 0; i < 3; ++i)
        if (std::abs(way[i]) > 0.999) return fmt::format("along {}{} of the world", way[i] < 0 ? "-" : "", names[i]);
    return fmt::format("along ({:.2f}, {:.2f}, {:.2f}) of the world", way[0], way[1], way[2]);
}

/// The changes about one finding, put together.
struct Maker {
    const Cell& cell;
    const CheckResult& checked;
    const Finding& finding;
    PlanCache* plans;
    std::stop_token stop;
    std::vector<Change> out{};

    const Routine* routine = findRoutine(cell, finding.routine);
    const Step* step = routine ? findStep(routine->steps, finding.step) : nullptr;
    const Target* target = findTarget(cell, finding.target);
    size_t stepIndex = finding.stepIndex;
    const StepOutcome* outcome = outcomeOf(checked, finding);
    const AxisValues axes = axesFor(checked, finding);
    std::string stepWords() const { return fmt::format("step {}", stepIndex + 1); }

    /// What happens while the arm stands comes from the move that brought it there.
    void goToTheMove()
    {
        const ArmTrace* trail = findArmTrace(checked.trace, finding.arm);
        if (!step || step->isMove() || !trail || finding.outcome >= trail->outcomes.size()
            || trail->outcomes[finding.outcome].step != finding.step)
            return;
        for (size_t i = finding.outcome; i-- > 0;) {
            const StepOutcome& before = trail->outcomes[i];
            const Routine* own = findRoutine(cell, before.routine);
            const Step* move = own ? findStep(own->steps, before.step) : nullptr;
            if (!move || !move->isMove()) continue;
            routine = own;
            step = move;
            stepIndex = before.index;
            outcome = &before;
            target = findTarget(cell, before.target);
            return;
        }
    }

    void add(Change change) { out.push_back(std::move(change)); }
    void addPlain(const char* change, double rank, std::function<Result<Cell>()> make, std::string text,
                  TargetId own = {})
    {
        add({change, rank, 0, {0}, 0, [make](double) { return make(); }, [text](double) { return text; }, own});
    }
    /// Replaces the step.
    Result<Cell> with(const Step& changed) const { return changeStep(cell, routine->id, changed); }

    void otherWays()
    {
        if (!target || target->kind != Target::Kind::Pose) return;
        const Arm& arm = *armOf(cell, *target).model;
        const Solutions ways = waysTo(cell, *target, 0, nullptr, axes);
        const Solution* chosen = chosenWay(arm, *target, ways.items);
        int n = 0;
        for (const Solution& way : ways.items) {
            if (&way == chosen || ++n > 8) continue;
            const TargetId id = target->id;
            addPlain(
                "configuration", 2 + 0.01 * n, [this, id, way] { return setTargetWay(cell, id, way); },
                fmt::format("Reach {} another way: {}", target->name,
                            arm.hasBranches() ? configurationText(way.configuration) : "other joint values"),
                id);
        }
        // The line that comes to the target in another configuration shows which one it can have.
        if (finding.as<ConfigurationFact>() || finding.as<SingularFact>() || finding.as<RangeFact>()) bestOfRoutine();
    }
    void bestOfRoutine()
    {
        if (!routine) return;
        const Routine* own = routine;
        addPlain(
            "configurations", 6,
            [this, own]() -> Result<Cell> {
                const BestWays best = bestWays(
                    cell, *own, [this](double) { return !stop.stop_requested(); }, plans);
                if (best.cancelled || best.ways.empty())
                    return Error{"mend.none", "the ways are the best ones", "", ""};
                return setTargetWays(cell, best.ways);
            },
            fmt::format("Choose the best ways along the whole of {}", own->name));
    }
    void jointMove()
    {
        const LineMove* line = step ? step->as<LineMove>() : nullptr;
        if (!line || !std::holds_alternative<AtPlace>(line->goal)) return;
        Step changed = *step;
        changed.action = JointMove{line->goal, 0.5, {.blend = line->pace.blend}};
        addPlain(
            "joint-move", 3, [this, changed] { return with(changed); },
            fmt::format("Make {} a joint move at 50 %", stepWords()));
    }
    void lineMove()
    {
        const JointMove* joint = step ? step->as<JointMove>() : nullptr;
        if (!joint || !std::holds_alternative<AtPlace>(joint->goal)) return;
        Step changed = *step;
        changed.action = LineMove{joint->goal, 0.25, {.blend = joint->pace.blend}};
        addPlain(
            "line", 3.1, [this, changed] { return with(changed); },
            fmt::format("Make {} a line at 250 mm/s", stepWords()));
    }
    void turned()
    {
        if (!target || target->kind != Target::Kind::Pose || target->pattern) return;
        const Target own = *target;
        const Freedom& free = own.freedom;
        using Kind = Freedom::Kind;
        // How far it may be turned or tilted without anybody minding; such changes come first.
        const double turnFree = free.kind == Kind::Turn || free.kind == Kind::Cone ? std::numbers::pi
                                : free.kind == Kind::Within                        ? free.angle
                                                                                   : 0,
                     tiltFree = free.kind == Kind::Cone ? free.angle : 0;
        const auto turnedTo = [this, own](int axis, double sign) {
            return [this, own, axis, sign](double angle) {
                Pose pose = own.pose;
                pose.rotation = (pose.rotation * Quat(Eigen::AngleAxisd(sign * angle, Vec3::Unit(axis)))).normalized();
                return setTargetPose(cell, own.id, pose);
            };
        };
        const auto about = [&](int axis, const std::vector<double>& degreesOf, double rank, const char* change,
                               const std::string& words, double allowed) {
            constexpr double kFirst = 2.5;  // that a free change comes before the same one that is not
            if (allowed > 0)
                for (const double sign : {1.0, -1.0}) {
                    std::vector<double> amounts;
                    for (const double d : degreesOf)
                        if (d * kDegree < allowed + 1e-9) amounts.push_back(d * kDegree);
                    if (amounts.empty() || amounts.back() < allowed - 1e-9) amounts.push_back(allowed);
                    add({"free-turn", rank - kFirst + (sign < 0 ? 0.01 : 0), 0.1, amounts, kDegree,
                         turnedTo(axis, sign),
                         [own, sign, words](double angle) {
                             return fmt::format("Turn {} by {:.0f}° {}, which is free", own.name, degrees(sign * angle),
                                                words);
                         },
                         own.id});
                }
            // A tilt that is not free comes last, and says so.
            const bool against = axis != 2 && allowed <= 0;
            const std::string whatever = against ? ", although its orientation is fixed" : "";
            for (const double sign : {1.0, -1.0})
                add({change, rank + (against ? kLast : 0) + (sign < 0 ? 0.01 : 0), 1 / std::numbers::pi,
                     [&] {
                         std::vector<double> amounts;
                         for (const double d : degreesOf)
                             amounts.push_back(d * kDegree);
                         return amounts;
                     }(),
                     kDegree, turnedTo(axis, sign),
                     [own, sign, words, whatever](double angle) {
                         return fmt::format("Turn {} by {:.0f}° {}{}", own.name, degrees(sign * angle), words,
                                            whatever);
                     },
                     own.id});
        };
        about(2, {10, 20, 30, 45, 60, 90, 120, 150, 180}, 3.5, "turn", "about the tool axis", turnFree);
        about(0, {5, 10, 15, 20, 30}, 4.5, "tilt", "about tool X", tiltFree);
        about(1, {5, 10, 15, 20, 30}, 4.6, "tilt", "about tool Y", tiltFree);
        if (free.kind != Kind::Slide) return;
        for (const double sign : {1.0, -1.0}) {
            std::vector<double> amounts;
            for (int i = 1; i <= 10; ++i)
                amounts.push_back(free.length * i / 10);
            add({"free-slide", 1 + (sign < 0 ? 0.01 : 0), 1, amounts, 0,
                 [this, own, sign](double by) {
                     return setTargetPose(cell, own.id,
                                          own.pose * translated(sign * by * Vec3::Unit(own.freedom.axis)));
                 },
                 [own, sign](double by) {
                     return fmt::format("Move {} by {} along its {}, which is free", own.name, mm(sign * by),
                                        "XYZ"[own.freedom.axis]);
                 },
                 own.id});
        }
    }
    void shiftedTarget(const std::vector<Vec3>& ways, double rank)
    {
        if (!target || target->kind != Target::Kind::Pose || target->pattern) return;
        const Target own = *target;
        double n = 0;
        for (const Vec3& way : ways) {
            add({"target-shift", rank + 0.001 * n++, 10, kLengths, kMillimetre,
                 [this, own, way](double by) {
                     return setTargetPose(cell, own.id, shifted(cell, own, axes, by * way).pose);
                 },
                 [own, way](double by) { return fmt::format("Move {} by {} {}", own.name, mm(by), wordsOf(way)); },
                 own.id});
        }
    }
    /// Puts changes with those that are there.
    void addAll(std::vector<Change> more)
    {
        for (Change& change : more)
            add(std::move(change));
    }
    /// The lowest point of what stands on a frame, in the world; nothing when there is no body.
    static std::optional<double> lowestOf(const Cell& in, FrameId id)
    {
        std::optional<double> out;
        for (const Frame& frame : in.frames) {
            if (frame.solids.empty() || (frame.id != id && !isBelow(in, frame.id, id))) continue;
            if (const auto box = boxAround(frame.solids)) {
                const Pose at = worldFromFrame(in, frame.id) * box->pose;
                const double low = at.translation.z() + extentAlong(at, *box, Vec3::UnitZ()).low;
                out = std::min(out.value_or(low), low);
            }
        }
        return out;
    }
    /// What an arm stands on, with all that carries that.
    FrameId foundation(FrameId mount) const
    {
        const Frame* frame = findFrame(cell, mount);
        while (frame && frame->parent)
            frame = findFrame(cell, frame->parent);
        return frame ? frame->id : FrameId();
    }
    /// A frame whose bodies reach the floor, which is at the height 0 of the world, moves in its plane.
    bool standsOnFloor(FrameId id) const
    {
        const std::optional<double> low = lowestOf(cell, id);
        return low && *low < kOnFloor;
    }
    /// Refuses what would be sunk into the floor.
    static Result<Cell> aboveFloor(const Cell& before, Result<Cell> after, FrameId id)
    {
        if (!after) return after;
        const std::optional<double> was = lowestOf(before, id), is = lowestOf(*after, id);
        if (is && *is < -1e-6 && (!was || *is < *was - 1e-6))
            return Error{"mend.floor", "it would stand in the floor", "", ""};
        return after;
    }
    /// Where a frame was measured it stays measured; the drawing moves along.
    static Result<Cell> moved(const Cell& in, const Frame& frame, const std::function<void(Pose&)>& by)
    {
        Pose pose = frame.pose;
        by(pose);
        Result<Cell> next = setFramePose(in, frame.id, pose);
        if (!next || !frame.measured) return next;
        Pose measured = *frame.measured;
        by(measured);
        return setFrameMeasured(*next, frame.id, measured);
    }
    /// A frame of the cell that may be moved: not an axis of a device.
    void shiftedFrame(FrameId id, const std::vector<Vec3>& ways, double rank, const char* change)
    {
        const Frame* frame = findFrame(cell, id);
        if (!frame || frame->axis) return;
        const Frame own = *frame;
        const Quat turn = worldFromFrame(cell, own.parent, axes).rotation;
        const bool onFloor = standsOnFloor(id);
        std::vector<double> lengths = kLengths;
        lengths.insert(lengths.end(), {1.2, 1.8, 2.7, 4});
        double n = 0;
        std::vector<Vec3> done;
        for (Vec3 way : ways) {
            if (onFloor) {
                way.z() = 0;
                if (way.norm() < 0.1) continue;
                way.normalize();
            }
            if (std::any_of(done.begin(), done.end(), [&](const Vec3& other) { return way.dot(other) > 0.9999; }))
                continue;
            done.push_back(way);
            const Vec3 inParent = turn.conjugate() * way;
            add({change, rank + 0.001 * n++, 10, lengths, kMillimetre,
                 [this, own, inParent](double by) -> Result<Cell> {
                     return aboveFloor(cell, moved(cell, own, [&](Pose& pose) { pose.translation += by * inParent; }),
                                       own.id);
                 },
                 [own, way](double by) { return fmt::format("Move {} by {} {}", own.name, mm(by), wordsOf(way)); }});
        }
        if (!onFloor) return;
        for (const double sign : {1.0, -1.0})
            add({std::string(change) == "base-shift" ? "base-turn" : "fixture-turn",
                 rank + 0.3 + (sign < 0 ? 0.01 : 0),
                 1,
                 {5 * kDegree, 10 * kDegree, 20 * kDegree, 45 * kDegree, 90 * kDegree},
                 kDegree,
                 [this, own, turn, sign](double angle) -> Result<Cell> {
                     const Vec3 axis = turn.conjugate() * Vec3::UnitZ();
                     const Quat by(Eigen::AngleAxisd(sign * angle, axis));
                     return moved(cell, own, [&](Pose& pose) { pose.rotation = (by * pose.rotation).normalized(); });
                 },
                 [own, sign](double angle) {
                     return fmt::format("Turn {} by {:.0f}° about the vertical", own.name, degrees(sign * angle));
                 }});
    }
    void higher()
    {
        const AtPlace* end = step ? endOf(*step) : nullptr;
        if (!end) return;
        if (end->stage != Stage::Over) return longerApproach(end->stage);
        if (end->over <= 0) return;
        const Step own = *step;
        for (const double sign : {1.0, -1.0}) {
            std::vector<double> amounts;
            for (const double by : kLengths)
                if (sign > 0 || by < end->over) amounts.push_back(by);
            if (amounts.empty()) continue;
            add({"approach", sign > 0 ? 2.5 : 2.6, 5, amounts, kMillimetre,
                 [this, own, sign](double by) {
                     Step changed = own;
                     endOf(changed)->over += sign * by;
                     return with(changed);
                 },
                 [this, own, sign](double by) {
                     return fmt::format("Go over the place by {} in {}, not by {}", mm(endOf(own)->over + sign * by),
                                        stepWords(), mm(endOf(own)->over));
                 }});
        }
    }
    /// The target's own way to it, or away from it, made longer or shorter.
    void longerApproach(Stage stage)
    {
        const Target* goal = outcome ? findTarget(cell, outcome->target) : nullptr;
        if (!goal || goal->kind != Target::Kind::Pose || goal->pattern) return;
        const bool near = stage == Stage::NearApproach || stage == Stage::NearRetract;
        const bool retract = stage == Stage::Retract || stage == Stage::NearRetract;
        const Approach way = retract ? goal->retract : goal->approach;
        const TargetId id = goal->id;
        const auto changed = [=](double by) {
            Approach next = way;
            (near ? next.near : next.far) += by;
            return next;
        };
        for (const double sign : {1.0, -1.0}) {
            std::vector<double> amounts;
            for (const double by : kLengths)
                if (!checkApproach(changed(sign * by))) amounts.push_back(by);
            if (amounts.empty()) continue;
            add({"approach", sign > 0 ? 2.5 : 2.6, 5, amounts, kMillimetre,
                 [this, id, retract, changed, sign](double by) {
                     return setApproach(cell, {id}, retract, changed(sign * by));
                 },
                 [changed, near, stage, name = goal->name, sign](double by) {
                     const Approach next = changed(sign * by);
                     return fmt::format("Make the {} of {} {} long", stageWords(stage), name,
                                        mm(near ? next.near : next.far));
                 }});
        }
    }
    /// One more place before the step, above the middle of its way or above its end.
    void liftOver()
    {
        if (!step || !step->isMove() || !outcome || outcome->arrival.size() == 0) return;
        const std::optional<StepPlace> place = placeOf(routine->steps, step->id);
        const ArmStation& arm = armOf(cell, finding);
        JointVector from = outcome->move ? outcome->move->at(*arm.model, 0) : homePosture(cell, arm);
        const Pose begin = worldFromTcp(cell, arm, from, outcome->axes),
                   end = worldFromTcp(cell, arm, outcome->arrival, outcome->axes);
        const ArmId id = arm.id;
        const std::vector<double> heights{0.05, 0.1, 0.2, 0.3, 0.4, 0.6};
        const auto above = [&](const std::vector<std::pair<double, Quat>>& points, const std::string& what,
                               double rank) {
            add({"lift-over", rank, 2, heights, 10 * kMillimetre,
                 [=, this](double height) -> Result<Cell> {
                     Cell next = cell;
                     std::vector<Step> steps;
                     for (const auto& [along, turn] : points) {
                         Pose via = end;
                         via.translation = (1 - along) * begin.translation + along * end.translation;
                         via.translation.z() = std::max(begin.translation.z(), end.translation.z()) + height;
                         via.rotation = turn;
                         Target free;
                         free.arm = id;
                         const ArmStation& own = *findArm(next, id);
                         const Pose base = inverse(worldFromBase(next, own, outcome->axes)) * via;
                         const Solutions ways =
                             inverseKinematics(*own.model, base * inverse(flangeFromTcp(next, own)), &outcome->arrival);
                         const Solution* way = nearestTo(ways.items, outcome->arrival);
                         if (!way) return Error{"mend.none", "out of reach", "", ""};
                         TargetId created;
                         Result<Cell> taken = takePoseTarget(next, id, {}, way->joints, freeTargetName(next, "Over"),
                                                             &created, outcome->axes);
                         if (!taken) return taken;
                         next = std::move(taken).value();
                         steps.push_back(jointTo(created));
                     }
                     return insertSteps(next, routine->id, *place, std::move(steps));
                 },
                 [=, this](double height) {
                     return fmt::format("Lift over, {} above, before {}: {}", mm(height), stepWords(), what);
                 }});
        };
        above({{0.5, end.rotation}}, "one more place half way", 5);
        above({{1.0, end.rotation}}, "one more place above its end", 5.1);
        above({{0.0, begin.rotation}, {1.0, end.rotation}}, "straight up, across and down", 5.2);
    }
    void slower()
    {
        const JointLimitFact* fact = finding.as<JointLimitFact>();
        const LineMove* line = step ? step->as<LineMove>() : nullptr;
        const ArcMove* arc = step ? step->as<ArcMove>() : nullptr;
        const Follow* follow = step ? step->as<Follow>() : nullptr;
        if (fact && (line || arc || follow)) {
            const Step own = *step;
            const double now = line ? line->speed : arc ? arc->speed : follow->speed;
            add({"speed",
                 1,
                 0.1,
                 {1, 0.9, 0.75, 0.6, 0.4, 0.25},
                 0,
                 [=, this](double share) {
                     Step changed = own;
                     (line  ? changed.as<LineMove>()->speed
                      : arc ? changed.as<ArcMove>()->speed
                            : changed.as<Follow>()->speed) =
                         std::max(0.001, std::floor(1000 * now * fact->lowest * share) / 1000);
                     return with(changed);
                 },
                 [=, this](double share) {
                     return fmt::format("Go at {:.0f} mm/s in {}, not at {:.0f}",
                                        std::max(1.0, std::floor(1000 * now * fact->lowest * share)), stepWords(),
                                        1000 * now);
                 }});
        }
        const TableFact* table = finding.as<TableFact>();
        const PlayTable* play = step ? step->as<PlayTable>() : nullptr;
        if (table && play && table->fits > 0 && table->fits < 1) {
            Step changed = *step;
            changed.as<PlayTable>()->speed = std::max(0.001, std::floor(1000 * play->speed * table->fits) / 1000);
            addPlain(
                "speed", 1, [this, changed] { return with(changed); },
                fmt::format("Play at {:.1f} % in {}", 100 * changed.as<PlayTable>()->speed, stepWords()));
        }
    }
    void blend()
    {
        const CornerFact* fact = finding.as<CornerFact>();
        if (!fact || !step || !paceOf(*step)) return;
        Step changed = *step;
        paceOf(changed)->blend = std::floor(fact->corner.kept * 1000) / 1000;
        addPlain(
            "blend", 1, [this, changed] { return with(changed); },
            fmt::format("Ask for a blend of {} in {}", mm(paceOf(changed)->blend), stepWords()));
    }
    void otherPoint()
    {
        const Tool* tool = target && target->kind == Target::Kind::Pose ? findTool(cell, target->tool) : nullptr;
        if (!tool || target->pattern) return;
        std::vector<std::pair<TcpId, std::string>> points{{TcpId(), "the first point"}};
        for (const ToolPoint& point : tool->points)
            points.push_back({point.id, point.name});
        for (const auto& [id, name] : points) {
            if (id == target->tcp) continue;
            const Target own = *target;
            addPlain(
                "tool-point", 8,
                [this, own, id = id]() -> Result<Cell> {
                    Cell next = cell;
                    next.targets.edit(own.id)->tcp = id;
                    return next;
                },
                fmt::format("Reach {} with {} of {}", own.name, name, tool->name), own.id);
        }
    }
    void otherAxes()
    {
        if (!target || target->kind != Target::Kind::Pose || target->pattern) return;
        const FrameId mount = armOf(cell, *target).mount;
        for (const FrameId id : axesBetween(cell, mount, target->frame)) {
            const Frame& frame = *findFrame(cell, id);
            const double now = axisValue(frame, overlaid(axes, target->axes));
            const bool slides = frame.axis->kind == JointKind::Prismatic;
            std::vector<double> by;
            constexpr int places = 12;
            for (int i = 0; i <= places; ++i) {
                const double unit = slides ? kMillimetre : kDegree;
                const double value =
                    unit
                    * std::round((frame.axis->lowest + (frame.axis->highest - frame.axis->lowest) * i / places) / unit);
                if (std::abs(value - now) > unit) by.push_back(value - now);
            }
            std::sort(by.begin(), by.end(), [](double a, double b) { return std::abs(a) < std::abs(b); });
            const Target own = *target;
            add({"axis", 4, slides ? 1.0 : 0.3, by, 0,
                 [this, own, id, now](double amount) {
                     return setTargetAxes(cell, own.id, overlaid(own.axes, {{id, now + amount}}));
                 },
                 [own, &frame, slides, now](double amount) {
                     return fmt::format("Reach {} with {} at {}", own.name, frame.name,
                                        slides ? mm(now + amount) : deg(now + amount));
                 }});
        }
    }
    void otherOrder()
    {
        if (!step) return;
        for (const Pattern& pattern : cell.patterns) {
            if (pattern.content != Pattern::Content::Targets) continue;
            bool around = target && target->pattern == pattern.id;
            for (const StepRow& row : rowsOf(routine->steps))
                if (const ForEach* each = row.step->as<ForEach>())
                    around = around
                             || ((each->pattern == pattern.id || each->with == pattern.id)
                                 && findStep(row.step->body, step->id));
            if (!around) continue;
            using Order = Pattern::Order;
            for (const auto& [order, words] :
                 {std::pair(Order::Rows, "row by row"), std::pair(Order::Serpentine, "to and fro"),
                  std::pair(Order::Nearest, "to the nearest next")}) {
                if (order == pattern.order) continue;
                const Pattern own = pattern;
                addPlain(
                    "order", 5.5,
                    [this, own, order = order] {
                        Pattern changed = own;
                        changed.order = order;
                        return changePattern(cell, changed);
                    },
                    fmt::format("Go through {} {}", own.name, words));
            }
        }
        for (const StepRow& row : rowsOf(routine->steps))
            if (const ForEach* each = row.step->as<ForEach>(); each && findStep(row.step->body, step->id)) {
                Step changed = *row.step;
                changed.as<ForEach>()->backwards = !each->backwards;
                addPlain(
                    "order", 5.6, [this, changed] { return with(changed); },
                    fmt::format("Go through {} {}", findPattern(cell, each->pattern)->name,
                                each->backwards ? "forwards" : "backwards"));
            }
    }
    /// A posture past a range: by a full turn of the joint, or back to the range.
    void intoRange()
    {
        const RangeFact* fact = finding.as<RangeFact>();
        if (!fact || !target || target->kind != Target::Kind::Posture) return;
        const Joint& joint = armOf(cell, *target).model->joints()[size_t(fact->joint)];
        const Target own = *target;
        const int j = fact->joint;
        const auto to = [&](double value, double rank, const char* change, std::string text) {
            addPlain(
                change, rank,
                [this, own, j, value]() -> Result<Cell> {
                    Cell next = cell;
                    next.targets.edit(own.id)->posture[j] = value;
                    return next;
                },
                std::move(text), own.id);
        };
        if (joint.kind == JointKind::Revolute)
            for (const double turn : {-2 * std::numbers::pi, 2 * std::numbers::pi})
                if (const double value = own.posture[j] + turn; value >= joint.lower && value <= joint.upper)
                    to(value, 2, "full-turn",
                       fmt::format("Turn joint {} of {} by a full turn, to {}", j + 1, own.name, deg(value)));
        const double margin = std::min(cell.thresholds.margin(joint.kind), 0.25 * (joint.upper - joint.lower));
        const double inside = std::clamp(own.posture[j], joint.lower + margin, joint.upper - margin);
        if (inside != own.posture[j])
            to(inside, 3, "posture",
               fmt::format("Bring joint {} of {} to {}", j + 1, own.name, jointAmount(joint, inside)));
    }
    /// A grip of nothing: the target before it goes to the part that lies nearest.
    void toThePart()
    {
        const StepOutcome* grip = finding.as<GripFact>() ? outcomeOf(checked, finding) : nullptr;
        const ArmTrace* trail = findArmTrace(checked.trace, finding.arm);
        if (!grip || grip->problem != StepOutcome::Problem::NothingGripped || !trail
            || finding.outcome >= trail->outcomes.size())
            return;
        TargetId id;
        for (size_t i = finding.outcome; i-- > 0 && !id;)
            id = trail->outcomes[i].target;
        const Target* before = findTarget(cell, id);
        if (!before || before->kind != Target::Kind::Pose || before->pattern) return;
        const CellState state = stateAt(cell, checked.trace, grip->start);
        const ArmStation& arm = armOf(cell, finding);
        const Pose tcp = worldFromTcp(cell, arm, state.of(arm.id).posture, state.axes);
        std::optional<Vec3> way;
        std::string name;
        for (const PlacedPart& part : state.parts) {
            const Vec3 to = part.worldFromPart.translation - tcp.translation;
            if (part.carried || (way && to.norm() >= way->norm())) continue;
            way = to;
            const Part* own = findPart(cell, part.part);
            name = own ? own->name : "the part";
        }
        if (!way) return;
        const Target own = *before;
        const AxisValues at = state.axes;
        const Vec3 to = *way;
        addPlain(
            "target-shift", 2.5,
            [this, own, at, to] { return setTargetPose(cell, own.id, shifted(cell, own, at, to).pose); },
            fmt::format("Move {} by {} to {}", own.name, mm(to.norm()), name), own.id);
    }
    std::vector<Vec3> apart(const ContactFact& fact) const
    {
        std::vector<Vec3> ways{Vec3::UnitZ()};
        const Vec3 between = fact.onB - fact.onA;
        if (between.norm() > 1e-9) ways.insert(ways.end(), {between.normalized(), -between.normalized()});
        for (const Vec3& way : {Vec3(Vec3::UnitX()), Vec3(-Vec3::UnitX()), Vec3(Vec3::UnitY()), Vec3(-Vec3::UnitY()),
                                Vec3(-Vec3::UnitZ())})
            ways.push_back(way);
        return ways;
    }
    void ofContact(const ContactFact& fact)
    {
        higher();
        otherWays();
        jointMove();
        lineMove();
        liftOver();
        if (target) addAll(neighbourChangesFor(cell, finding, target->id));
        otherOrder();
        turned();
        const std::vector<Vec3> ways = apart(fact);
        shiftedTarget(ways, 6);
        for (const ContactSide* side : {&fact.a, &fact.b}) {
            if (side->member && side->member->kind == ContactMember::Kind::Frame)
                shiftedFrame({side->member->id}, ways, 8, "fixture-shift");
            const Part* part = findPart(cell, side->part);
            if (part && !part->pattern)
                for (const Vec3& way : ways) {
                    const Part own = *part;
                    const Vec3 inFrame = worldFromFrame(cell, own.frame).rotation.conjugate() * way;
                    add({"part-shift", 8.2, 10, kLengths, kMillimetre,
                         [this, own, inFrame](double by) {
                             Pose pose = own.pose;
                             pose.translation += by * inFrame;
                             return setPartPose(cell, own.id, pose);
                         },
                         [own, way](double by) {
                             return fmt::format("Move {} by {} {}", own.name, mm(by), wordsOf(way));
                         }});
                }
        }
        if (outcome) shiftedFrame(foundation(armOf(cell, finding).mount), ways, 9.5, "base-shift");
    }
    void make()
    {
        addAll(runChangesFor(cell, checked, finding));
        if (!finding.as<GripFact>()) goToTheMove();
        if (const ContactFact* contact = finding.as<ContactFact>()) return ofContact(*contact);
        toThePart();
        slower();
        blend();
        intoRange();
        otherWays();
        jointMove();
        higher();
        otherAxes();
        turned();
        otherPoint();
        if (finding.as<SingularFact>() || finding.as<JointLimitFact>()) liftOver();
        const bool place = finding.as<ReachFact>() || finding.as<RangeFact>() || finding.as<SingularFact>()
                           || finding.as<JointLimitFact>() || finding.as<ConfigurationFact>();
        if (!place || !target || target->kind != Target::Kind::Pose) return;
        const std::vector<Vec3> ways = waysFrom(cell, *target, axes);
        shiftedTarget(ways, 6);
        if (target->frame) shiftedFrame(target->frame, ways, 8, "fixture-shift");
        std::vector<Vec3> back;
        for (const Vec3& way : ways)
            back.push_back(-way);
        shiftedFrame(foundation(armOf(cell, *target).mount), back, 9.5, "base-shift");
        if (finding.as<ReachFact>()) otherArm(armOf(cell, *target));
    }
    /// Arms of the catalogue that reach farther and carry no less, the shortest of them first.
    void otherArm(const ArmStation& station)
    {
        const Arm& now = *station.model;
        for (const std::string& known : catalogueIds()) {
            const ArmPtr arm = catalogueArm(known);
            const ArmDescription& own = arm->description();
            if (arm->jointCount() != now.jointCount() || arm->reach() <= now.reach()
                || own.payload < now.description().payload)
                continue;
            addPlain(
                "arm", 12 + arm->reach() - now.reach(),
                [this, id = station.id, arm] { return setArmModel(cell, id, arm); },
                fmt::format("Take the arm {}, with a reach of {}", own.name, mm(arm->reach())));
        }
    }
};

}  // namespace

AxisValues axesFor(const CheckResult& checked, const Finding& finding)
{
    if (const StepOutcome* outcome = outcomeOf(checked, finding)) return outcome->axes;
    for (const TargetVerdict& verdict : checked.targets)
        if (verdict.target == finding.target) return verdict.axes;
    return {};
}

std::vector<Change> changesFor(const Cell& cell, const CheckResult& checked, const Finding& finding, PlanCache* plans,
                               const std::stop_token& stop)
{
    // What a change does outlives the maker: it is kept with them.
    const auto maker = std::make_shared<Maker>(Maker{cell, checked, finding, plans, stop});
    maker->make();
    std::vector<Change> out = std::move(maker->out);
    for (Change& change : out) {
        change.make = [maker, make = std::move(change.make)](double amount) { return make(amount); };
        change.text = [maker, text = std::move(change.text)](double amount) { return text(amount); };
    }
    return out;
}

std::string nearestText(const Cell& cell, const NearestPlace& place)
{
    constexpr double told = 5e-5;  // [m]
    const Target* target = findTarget(cell, place.target);
    std::string out;
    for (int i = 0; i < 3; ++i)
        if (std::abs(place.by[i]) >= told)
            out += fmt::format("{}{} {:+.1f} mm", out.empty() ? "" : ", ", "xyz"[i], millimetres(place.by[i]));
    if (!out.empty())
        out += " of " + (target && target->frame ? frameName(cell, target->frame) : std::string("the world"));
    if (degrees(place.turn) >= 0.05) out += (out.empty() ? "turned by " : ", turned by ") + deg(place.turn);
    return out;
}

std::optional<NearestPlace> nearestPlace(const Cell& cell, const Target& target, const AxisValues& axes,
                                         PlanCache* plans)
{
    if (target.kind != Target::Kind::Pose) return std::nullopt;
    const Arm& arm = *armOf(cell, target).model;
    std::optional<NearestPlace> best;
    const auto offer = [&](const Target& own, double shift, double turn) {
        // A turn of a radian counts as much as a way of the length of the hand.
        constexpr double hand = 0.2;  // [m]
        if (best && shift + hand * turn >= best->shift + hand * best->turn) return;
        const Solutions ways = waysTo(cell, own, 0, nullptr, axes);
        const Solution* way = chosenWay(arm, own, ways.items);
        if (!way && !ways.items.empty()) way = &ways.items.front();
        if (way)
            best = NearestPlace{
                target.id, own.pose, shift, turn, way->joints, axes, own.pose.translation - target.pose.translation};
    };
    const auto reached = [&](Target own) {
        const Solutions ways = waysTo(cell, own, 0, nullptr, axes);
        return !ways.items.empty() || works(cell, own, axes, plans);
    };
    // Along each way the first place that is reached, then half and half again.
    for (const Vec3& way : waysFrom(cell, target, axes)) {
        constexpr double first = 0.001, most = 2;  // [m]
        double without = 0, with = first;
        while (with < most && !reached(shifted(cell, target, axes, with * way)))
            without = std::exchange(with, 1.5 * with);
        if (with >= most) continue;
        for (int n = 0; n < 14; ++n) {
            const double between = 0.5 * (without + with);
            (reached(shifted(cell, target, axes, between * way)) ? with : without) = between;
        }
        offer(shifted(cell, target, axes, with * way), with, 0);
    }
    for (int axis = 0; axis < 3; ++axis)
        for (const double sign : {1.0, -1.0})
            for (int d = 1; d <= (axis == 2 ? 180 : 60); d += d < 10 ? 1 : 5) {
                Target own = target;
                own.pose.rotation =
                    (own.pose.rotation * Quat(Eigen::AngleAxisd(sign * d * kDegree, Vec3::Unit(axis)))).normalized();
                if (!reached(own)) continue;
                offer(own, 0, d * kDegree);
                break;
            }
    return best;
}

}  // namespace topikos
