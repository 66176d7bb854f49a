#include "core/mend/change_maker.h"

#include "core/cell/devices.h"
#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_targets.h"
#include "core/plan/best_ways.h"
#include "core/check/rules/rules.h"
#include "core/program/step_text.h"
#include "core/simulate/state.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kLast = 20;  // that the rank of what is not meant at all is higher by

}  // namespace

void ChangeMaker::otherWays()
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

void ChangeMaker::bestOfRoutine()
{
    if (!routine) return;
    const Routine* own = routine;
    addPlain(
        "configurations", 6,
        [this, own]() -> Result<Cell> {
            const BestWays best = bestWays(
                cell, *own, [this](double) { return !stop.stop_requested(); }, plans);
            if (best.cancelled || best.ways.empty()) return Error{"mend.none", "the ways are the best ones", "", ""};
            return setTargetWays(cell, best.ways);
        },
        fmt::format("Choose the best ways along the whole of {}", own->name));
}

void ChangeMaker::turned()
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
                add({"free-turn", rank - kFirst + (sign < 0 ? 0.01 : 0), 0.1, amounts, kDegree, turnedTo(axis, sign),
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
                     return fmt::format("Turn {} by {:.0f}° {}{}", own.name, degrees(sign * angle), words, whatever);
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
                 return setTargetPose(cell, own.id, own.pose * translated(sign * by * Vec3::Unit(own.freedom.axis)));
             },
             [own, sign](double by) {
                 return fmt::format("Move {} by {} along its {}, which is free", own.name, mm(sign * by),
                                    "XYZ"[own.freedom.axis]);
             },
             own.id});
    }
}

void ChangeMaker::shiftedTarget(const std::vector<Vec3>& ways, double rank)
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

void ChangeMaker::longerApproach(Stage stage)
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

void ChangeMaker::otherPoint()
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

void ChangeMaker::otherAxes()
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

void ChangeMaker::intoRange()
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

void ChangeMaker::toThePart()
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

}  // namespace topikos
