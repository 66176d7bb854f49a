#include "core/robot/inverse.h"

#include "core/robot/branches.h"
#include "core/robot/singularity.h"
#include "core/spatial/rotation.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace topikos {

namespace {

constexpr double kTurn = 2 * std::numbers::pi;

/// Excess of a value past a range, 0 inside.
double excessOf(const Joint& joint, double value) { return std::max({0.0, joint.lower - value, value - joint.upper}); }

/// The value, full turns away from `value`, that lies in the range (preferred: least excess) and among those nearest to `wanted`.
double bestTurn(const Joint& joint, double value, double wanted)
{
    double best = value, bestExcess = INFINITY, bestDistance = INFINITY;
    const double first = value + kTurn * std::ceil((joint.lower - kRangeTolerance - value) / kTurn);
    for (double candidate = first - kTurn; candidate <= std::max(first, joint.upper + kRangeTolerance) + kTurn; candidate += kTurn) {
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

/// Brings joint `i` of `q` onto the turn asked for. A range below a full turn around zero leaves nothing to choose.
void chooseTurn(const Joint& joint, double& value, const double* near)
{
    const bool inside = value >= joint.lower && value <= joint.upper;
    if (!near && inside) return;
    if (near && inside && std::abs(value - *near) <= std::numbers::pi) return;
    value = bestTurn(joint, value, near ? *near : 0.0);
}

/// With the wrist axes lined up, joint 4 may take any value as long as q6 = sum - sign * q4 fits: the value nearest to the present one.
void shareAlignedWrist(const Arm& arm, const SphericalWrist& wrist, std::array<double, 6>& q)
{
    const Joint& j4 = arm.joints()[3];
    const Joint& j6 = arm.joints()[5];
    const Vec3 y4 = rotationAbout(wrist.h5, q[4]) * wrist.h6;
    const double sign = wrist.h4.dot(y4) > 0 ? 1 : -1;
    const double sum = q[5] + sign * q[3];
    double best = q[3], bestDistance = INFINITY;
    for (int turn = -3; turn <= 3; ++turn) {
        // q6 = sum + turn - sign q4 in its range, q4 in its own
        const double s = sum + turn * kTurn;
        const double low = std::max(j4.lower, sign > 0 ? s - j6.upper : j6.lower - s);
        const double high = std::min(j4.upper, sign > 0 ? s - j6.lower : j6.upper - s);
        if (low > high) continue;
        const double q4 = std::clamp(q[3], low, high);
        if (std::abs(q4 - q[3]) < bestDistance) {
            best = q4;
            bestDistance = std::abs(q4 - q[3]);
        }
    }
    q[5] = wrapped(sum - sign * best);
    q[3] = best;
}

}  // namespace

std::string configurationText(const Configuration& c)
{
    return std::string("shoulder ") + (c.shoulderBack ? "back" : "front") + ", elbow " + (c.elbowDown ? "down" : "up") + ", wrist "
           + (c.wristTurned ? "turned" : "plain");
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

Solutions inverseKinematics(const Arm& arm, const Pose& baseFromFlange, const JointVector* near)
{
    Solutions found;
    if (arm.family() == IkFamily::Unsupported) {
        found.reason = NoSolution::Family;
        return found;
    }
    BranchSolutions raw = solveBranches(arm, baseFromFlange.matrix(), baseFromFlange.translation, near ? *near : JointVector(JointVector::Zero(arm.jointCount())));
    if (raw.count == 0) {
        found.reason = raw.reason;
        found.shortfall = raw.shortfall;
        return found;
    }
    std::array<int, 8> order;
    for (int i = 0; i < raw.count; ++i) {
        int place = i;
        for (; place > 0 && raw.items[size_t(order[size_t(place) - 1])].configuration.index() > raw.items[size_t(i)].configuration.index(); --place)
            order[size_t(place)] = order[size_t(place) - 1];
        order[size_t(place)] = i;
    }
    found.items.reserve(size_t(raw.count));
    for (int i = 0; i < raw.count; ++i) {
        BranchSolutions::Item& item = raw.items[size_t(order[size_t(i)])];
        if (item.alignedWrist && arm.sphericalWrist()) shareAlignedWrist(arm, *arm.sphericalWrist(), item.q);
        bool inside = true;
        for (size_t j = 0; j < size_t(arm.jointCount()); ++j) {
            const Joint& joint = arm.joints()[j];
            if (joint.kind == JointKind::Revolute) chooseTurn(joint, item.q[j], near ? &(*near)[Eigen::Index(j)] : nullptr);
            else if (excessOf(joint, item.q[j]) <= kRangeTolerance) item.q[j] = std::clamp(item.q[j], joint.lower, joint.upper);
            inside = inside && item.q[j] >= joint.lower && item.q[j] <= joint.upper;
        }
        Solution& solution = (inside ? found.items : found.outOfRange).emplace_back();
        solution.configuration = item.configuration;
        solution.joints = Eigen::Map<const Eigen::VectorXd>(item.q.data(), arm.jointCount());
    }
    if (found.items.empty()) {
        found.reason = NoSolution::JointRange;
        found.range.excess = INFINITY;
        for (const Solution& s : found.outOfRange) {
            const RangeExcess e = rangeExcess(arm, s.joints);
            if (e.excess < found.range.excess) found.range = e;
        }
    }
    return found;
}

Configuration configurationOf(const Arm& arm, const JointVector& posture)
{
    if (!arm.hasBranches() && arm.family() != IkFamily::Unsupported) {
        // Few axes: the branch is that of the solution which is the posture.
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
