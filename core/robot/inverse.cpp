#include "core/robot/inverse.h"

#include "core/robot/branches.h"
#include "core/robot/numeric.h"
#include "core/robot/seven_axis.h"
#include "core/robot/singularity.h"
#include "core/robot/six_general.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace topikos {

namespace {

constexpr double kNearlyInside = 1e-4;  // [rad or m] past a range end

/// Excess of a value past a range, 0 inside.
double excessOf(const Joint& joint, double value) { return std::max({0.0, joint.lower - value, value - joint.upper}); }

/// The value, full turns away from `value`, that lies in the range (preferred: least excess) and among those nearest to
/// `wanted`.
double bestTurn(const Joint& joint, double value, double wanted)
{
    double best = value, bestExcess = INFINITY, bestDistance = INFINITY;
    const double first = value + kTurn * std::ceil((joint.lower - kRangeTolerance - value) / kTurn);
    for (double candidate = first - kTurn; candidate <= std::max(first, joint.upper + kRangeTolerance) + kTurn;
         candidate += kTurn) {
        const double excess = excessOf(joint, candidate) <= kRangeTolerance ? 0 : excessOf(joint, candidate);
        const double distance = std::abs(candidate - wanted);
        if (excess < bestExcess - 1e-12 || (excess <= bestExcess + 1e-12 && distance < bestDistance)) {
            best = candidate;
            bestExcess = excess;
            bestDistance = distance;
        }
    }
    return bestExcess == 0 ? std::clamp(best, joint.lower, joint.upper) : best;
}

/// Brings a value that is out of range, or more than half a turn from `near`, onto the turn asked for. A range below a
/// full turn around zero leaves nothing to choose.
void chooseTurn(const Joint& joint, double& value, const double* near)
{
    if (!near && joint.upper - joint.lower < kTurn) {
        // At most one turn is inside, and the one nearest to the middle is the least outside.
        const double middle = 0.5 * (joint.lower + joint.upper);
        while (value - middle > std::numbers::pi)
            value -= kTurn;
        while (middle - value > std::numbers::pi)
            value += kTurn;
        if (excessOf(joint, value) <= kRangeTolerance) value = std::clamp(value, joint.lower, joint.upper);
        return;
    }
    value = bestTurn(joint, value, near ? *near : 0.0);
}

}  // namespace

std::string configurationText(const Configuration& c)
{
    return std::string("shoulder ") + (c.shoulderBack ? "back" : "front") + ", elbow " + (c.elbowDown ? "down" : "up")
           + ", wrist " + (c.wristTurned ? "turned" : "plain");
}

RangeExcess rangeExcess(const Arm& arm, const JointVector& posture)
{
    RangeExcess worst;
    for (int i = 0; i < arm.jointCount(); ++i) {
        const double excess = excessOf(arm.joints()[size_t(i)], posture[i]);
        if (excess > kRangeTolerance && excess > worst.excess) worst = {i, excess};
    }
    return worst;
}

namespace {

/// Puts a posture, by its turns nearest to `near` or zero, where it belongs.
void sortIn(const Arm& arm, Solutions& found, const JointVector* near, const Configuration& configuration,
            const double* raw)
{
    const std::vector<Joint>& joints = arm.joints();
    const size_t n = joints.size();
    std::array<double, kMaxJoints> q;
    bool inside = true;
    for (size_t i = 0; i < n; ++i) {
        const Joint& joint = joints[i];
        double value = raw[i];
        const bool fits = value >= joint.lower && value <= joint.upper
                          && (!near || std::abs(value - near->data()[i]) <= std::numbers::pi);
        if (!fits) {
            if (joint.kind == JointKind::Revolute) chooseTurn(joint, value, near ? near->data() + i : nullptr);
            else if (excessOf(joint, value) <= kRangeTolerance) value = std::clamp(value, joint.lower, joint.upper);
            inside = inside && value >= joint.lower && value <= joint.upper;
        }
        q[i] = value;
    }
    std::vector<Solution>& list = inside ? found.items : found.outOfRange;
    if (list.empty()) list.reserve(8);
    Solution& solution = list.emplace_back();
    solution.configuration = configuration;
    solution.joints.resize(Eigen::Index(n));
    std::copy_n(q.data(), n, solution.joints.data());
}

void sayWhichRange(const Arm& arm, Solutions& found)
{
    if (!found.items.empty() || found.outOfRange.empty()) return;
    found.reason = NoSolution::JointRange;
    found.range.excess = INFINITY;
    for (const Solution& s : found.outOfRange) {
        const RangeExcess e = rangeExcess(arm, s.joints);
        if (e.excess < found.range.excess) found.range = e;
    }
}

Pose withoutTurn(const Pose& pose, const Vec3& turn)
{
    const double angle = turn.norm();
    return angle > 0 ? Pose{pose.translation, Quat(Eigen::AngleAxisd(-angle, turn / angle)) * pose.rotation} : pose;
}

/// At a range end and next to a singularity at once, rounding may put a posture outside that a slightly different one
/// holds inside.
void mendAtTheEnds(const Arm& arm, const Pose& baseFromFlange, Solutions& found)
{
    for (const Solution& s : found.outOfRange) {
        if (rangeExcess(arm, s.joints).excess >= kNearlyInside) continue;
        const Descent end = descend(arm, baseFromFlange, s.joints, true, arm.reach());
        if (!end.arrived()) continue;
        found.items.push_back({end.joints, s.configuration});
        found.reason = NoSolution::None;
        found.range = {};
    }
}

Solutions closedForm(const Arm& arm, const Pose& baseFromFlange, const JointVector* near)
{
    Solutions found;
    BranchSolutions raw = solveBranches(arm, baseFromFlange.matrix(), baseFromFlange.translation,
                                        near ? *near : JointVector(JointVector::Zero(arm.jointCount())));
    if (raw.count == 0) {
        found.reason = raw.reason;
        found.shortfall = raw.shortfall;
        if (raw.reason == NoSolution::Orientation && raw.excessTurn.squaredNorm() > 0) {
            found.excessTurn = raw.excessTurn;
            found.nearest = withoutTurn(baseFromFlange, raw.excessTurn);
        }
        return found;
    }
    std::array<int, 8> order;
    for (int i = 0; i < raw.count; ++i) {
        int place = i;
        for (; place > 0
               && raw.items[size_t(order[size_t(place) - 1])].configuration.index()
                      > raw.items[size_t(i)].configuration.index();
             --place)
            order[size_t(place)] = order[size_t(place) - 1];
        order[size_t(place)] = i;
    }
    for (int i = 0; i < raw.count; ++i) {
        BranchSolutions::Item& item = raw.items[size_t(order[size_t(i)])];
        if (const auto* wrist = item.alignedWrist ? arm.as<SphericalWrist>() : nullptr)
            shareAlignedWrist(wrist->wrist, arm.joints()[3], arm.joints()[5], item.q[3], item.q[4], item.q[5]);
        sortIn(arm, found, near, item.configuration, item.q.data());
    }
    sayWhichRange(arm, found);
    if (found.items.empty() && found.range.excess < kNearlyInside) mendAtTheEnds(arm, baseFromFlange, found);
    return found;
}

Solutions sevenAxis(const Arm& arm, const SevenAxis& family, const Pose& baseFromFlange, const JointVector* near)
{
    Solutions found;
    SevenSolutions raw = solveSevenAxis(arm, family, baseFromFlange, near);
    found.reason = raw.reason;
    found.shortfall = raw.shortfall;
    for (auto* list : {&raw.items, &raw.outOfRange}) {
        std::sort(list->begin(), list->end(), [](const Solution& a, const Solution& b) {
            return a.configuration.index() < b.configuration.index();
        });
        for (const Solution& s : *list)
            sortIn(arm, found, near, s.configuration, s.joints.data());
    }
    sayWhichRange(arm, found);
    if (!found.items.empty()) found.reason = NoSolution::None;
    return found;
}

/// Nothing holds the pose: how near the arm can come.
void nearestPose(const Arm& arm, const Pose& baseFromFlange, const Descent& end, Solutions& found)
{
    const Pose reached = forward(arm, end.joints);
    found.reason = NoSolution::NotFound;
    found.shortfall = end.metres;
    const AxisAngle turn = axisAngleOf(baseFromFlange.rotation * reached.rotation.conjugate());
    found.excessTurn = turn.angle * turn.axis;
    found.nearest = reached;
}

Solutions generalSix(const Arm& arm, const GeneralSix& family, const Pose& baseFromFlange, const JointVector* near)
{
    Solutions found;
    for (const JointVector& q : solveGeneralSix(arm, family, baseFromFlange))
        sortIn(arm, found, near, {}, q.data());
    if (!found.items.empty()) return found;
    sayWhichRange(arm, found);
    if (found.outOfRange.empty())
        nearestPose(arm, baseFromFlange,
                    search(arm, baseFromFlange, near ? *near : clampedToRange(arm, JointVector::Zero(6)), 4), found);
    return found;
}

Solutions numeric(const Arm& arm, const Pose& baseFromFlange, const JointVector* near)
{
    Solutions found;
    const Descent end =
        search(arm, baseFromFlange, near ? *near : clampedToRange(arm, JointVector::Zero(arm.jointCount())));
    if (end.arrived()) sortIn(arm, found, near, {}, end.joints.data());
    else nearestPose(arm, baseFromFlange, end, found);
    return found;
}

/// Solves the chain without its locked joints and puts their values back.
Solutions withLocks(const Arm& arm, const Pose& baseFromFlange, const JointVector* near)
{
    const std::vector<int>& free = arm.freeJoints();
    JointVector nearFree(Eigen::Index(free.size()));
    for (size_t i = 0; near && i < free.size(); ++i)
        nearFree[Eigen::Index(i)] = (*near)[free[i]];
    Solutions found = inverseKinematics(*arm.unlocked(), baseFromFlange, near ? &nearFree : nullptr);
    for (auto* list : {&found.items, &found.outOfRange})
        for (Solution& s : *list) {
            JointVector whole(arm.jointCount());
            for (int i = 0; i < arm.jointCount(); ++i)
                whole[i] = arm.joints()[size_t(i)].lower;
            for (size_t i = 0; i < free.size(); ++i)
                whole[free[i]] = s.joints[Eigen::Index(i)];
            s.joints = whole;
        }
    if (found.range.joint >= 0) found.range.joint = free[size_t(found.range.joint)];
    return found;
}

}  // namespace

Solutions inverseKinematics(const Arm& arm, const Pose& baseFromFlange, const JointVector* near)
{
    if (arm.unlocked()) return withLocks(arm, baseFromFlange, near);
    if (const auto* family = arm.as<SevenAxis>()) return sevenAxis(arm, *family, baseFromFlange, near);
    if (const auto* family = arm.as<GeneralSix>()) return generalSix(arm, *family, baseFromFlange, near);
    if (arm.as<NumericChain>()) return numeric(arm, baseFromFlange, near);
    return closedForm(arm, baseFromFlange, near);
}

std::vector<Solution> allTurns(const Arm& arm, const std::vector<Solution>& items, const JointVector& posture,
                               size_t most)
{
    std::vector<Solution> all;
    for (const Solution& item : items) {
        std::vector<Solution> own{item};
        for (int i = 0; i < arm.jointCount(); ++i) {
            const Joint& joint = arm.joints()[size_t(i)];
            if (joint.kind == JointKind::Prismatic) continue;
            const std::vector<Solution> before = std::move(own);
            own.clear();
            const double value = item.joints[i],
                         first = value + kTurn * std::ceil((joint.lower - kRangeTolerance - value) / kTurn);
            for (double q = first; q <= joint.upper + kRangeTolerance; q += kTurn)
                for (Solution s : before) {
                    s.joints[i] = std::clamp(q, joint.lower, joint.upper);
                    if (own.size() < most) own.push_back(std::move(s));
                }
        }
        all.insert(all.end(), own.begin(), own.end());
    }
    const auto distance = [&](const Solution& s) { return (s.joints - posture).cwiseAbs().maxCoeff(); };
    std::stable_sort(all.begin(), all.end(),
                     [&](const Solution& a, const Solution& b) { return distance(a) < distance(b); });
    if (all.size() > most) all.resize(most);
    return all;
}

Configuration configurationOf(const Arm& arm, const JointVector& posture)
{
    if (!arm.hasConfigurations()) return {};
    if (!arm.hasBranches()) {
        // The branch is that of the solution which is the posture.
        Solutions found = inverseKinematics(arm, forward(arm, posture), &posture);
        found.items.insert(found.items.end(), found.outOfRange.begin(), found.outOfRange.end());
        const Solution* own = nearestTo(found.items, posture);
        return own ? own->configuration : Configuration{};
    }
    const SingularityMargins m = singularityMargins(arm, posture);
    const bool back = m.shoulder < 0;
    return {back, (m.elbow < 0) != back, m.wrist < 0};
}

const Solution* withConfiguration(const std::vector<Solution>& items, const Configuration& configuration)
{
    for (const Solution& s : items)
        if (s.configuration == configuration) return &s;
    return nullptr;
}

const Solution* like(const Arm& arm, const std::vector<Solution>& items, const JointVector& posture)
{
    return arm.hasConfigurations() ? withConfiguration(items, configurationOf(arm, posture))
                                   : nearestTo(items, posture);
}

const Solution* chosenWay(const Arm& arm, const Configuration& configuration, const JointVector& taught,
                          const std::vector<Solution>& items)
{
    if (arm.hasConfigurations()) {
        if (const Solution* own = withConfiguration(items, configuration)) return own;
        // Where the wrist lines up both of its sides are one and the same posture.
        Configuration other = configuration;
        other.wristTurned = !other.wristTurned;
        const Solution* both = hasKind(arm, SingularityKind::Wrist) ? withConfiguration(items, other) : nullptr;
        return both && singularityMargins(arm, both->joints).distance(SingularityKind::Wrist) < 1e-8 ? both : nullptr;
    }
    if (taught.size() != arm.jointCount()) return items.empty() ? nullptr : &items.front();
    return nearestTo(items, taught);
}

const Solution* nearestTo(const std::vector<Solution>& items, const JointVector& posture)
{
    const Solution* best = nullptr;
    double bestDistance = INFINITY;
    for (const Solution& s : items) {
        const double distance = (s.joints - posture).cwiseAbs().maxCoeff();
        if (distance < bestDistance) {
            best = &s;
            bestDistance = distance;
        }
    }
    return best;
}

}  // namespace topikos
