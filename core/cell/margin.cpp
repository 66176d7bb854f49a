#include "core/cell/margin.h"

#include "core/robot/singularity.h"

#include <algorithm>

namespace topikos {

double marginOf(const Cell& cell, const Arm& arm, const JointVector& posture)
{
    double out = 1;
    for (int j = 0; j < arm.jointCount(); ++j) {
        const Joint& joint = arm.joints()[size_t(j)];
        const double half = 0.5 * (joint.upper - joint.lower);
        if (half > 0) out = std::min(out, std::min(posture[j] - joint.lower, joint.upper - posture[j]) / half);
    }
    const SingularityMargins margins = singularityMargins(arm, posture);
    for (const SingularityKind kind : kSingularityKinds) {
        const double full = 5 * cell.thresholds.cautions().of(kind);
        if (hasKind(arm, kind) && full > 0) out = std::min(out, margins.distance(kind) / full);
    }
    return std::max(0.0, out);
}

}  // namespace topikos
