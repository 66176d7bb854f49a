#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <string>

namespace topikos {

const std::vector<const Limit*>& allLimits()
{
    using namespace limits;
    static const std::vector<const Limit*> all{&kOffset,
                                               &kSize,
                                               &kDeviceLength,
                                               &kPitch,
                                               &kChainOffset,
                                               &kArmReach,
                                               &kMass,
                                               &kInertia,
                                               &kTurnsOfAPattern,
                                               &kTypedAngle,
                                               &kDensity,
                                               &kStagger,
                                               &kJointTravel,
                                               &kJointSpeed,
                                               &kJointAcceleration,
                                               &kJointEffort,
                                               &kJointJerk,
                                               &kTimeRows,
                                               &kTableTime,
                                               &kJaw,
                                               &kPivot,
                                               &kGripTime,
                                               &kBeltSpeed,
                                               &kBeltAcceleration,
                                               &kBeltPitch,
                                               &kSourceInterval,
                                               &kSourceMost,
                                               &kSignalValue,
                                               &kStepJointSpeed,
                                               &kStepLineSpeed,
                                               &kBlend,
                                               &kStandoff,
                                               &kWait,
                                               &kStepAcceleration,
                                               &kStepTurnSpeed,
                                               &kShift,
                                               &kShiftTurn,
                                               &kJointTurn,
                                               &kJointSlide,
                                               &kJointShift,
                                               &kJointNumber,
                                               &kPulse,
                                               &kWaitLimit,
                                               &kRepeat,
                                               &kLead,
                                               &kProcessDepth,
                                               &kStepText,
                                               &kStepDepth,
                                               &kCallDepth,
                                               &kParameters,
                                               &kProgramText,
                                               &kLineAcceleration,
                                               &kTurnSpeed,
                                               &kTurnAcceleration,
                                               &kJointMargin,
                                               &kSlideMargin,
                                               &kClearance,
                                               &kPadding,
                                               &kMayTouch,
                                               &kWristAngle,
                                               &kSingularLength,
                                               &kSingularValue,
                                               &kRunLength,
                                               &kRunEvents,
                                               &kRunMemory,
                                               &kTableStep,
                                               &kTableRows,
                                               &kNameLength,
                                               &kListLength,
                                               &kArms,
                                               &kTreeDepth,
                                               &kPlaces,
                                               &kPointNumber,
                                               &kLean,
                                               &kSurfaceOffset,
                                               &kSmoothing,
                                               &kSpacing,
                                               &kChord,
                                               &kFreeAngle,
                                               &kFreeTurnStep,
                                               &kFreeLength,
                                               &kTargetNote,
                                               &kGrips,
                                               &kLeftOut,
                                               &kCorners,
                                               &kIdentifier,
                                               &kSolids};
    return all;
}

Status checkLimit(const Limit& limit, double value, const char* code, const char* what)
{
    if (limit.holds(value)) return std::nullopt;
    const std::string unit = *limit.unit ? std::string(" ") + limit.unit : "";
    return Error{code,
                 fmt::format("{} cannot be {:.6g}{}; its limits are {:.6g} and {:.6g}{}", what ? what : limit.what,
                             value / limit.inUnit, unit, limit.least / limit.inUnit, limit.most / limit.inUnit, unit),
                 "", "Give a value in that range."};
}

}  // namespace topikos
