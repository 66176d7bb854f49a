#pragma once
#include "core/simulate/trace.h"

#include <string>
#include <vector>

namespace topikos {

enum class Rule { Reach, JointRange, Singularity, Configuration, Grip, Signal, Belt };
enum class Severity { Caution, Blocked };
enum class Unit { Metre, Radian, None };

const char* ruleName(Rule rule);  ///< "reach", "joint-range", "singularity", "configuration", "grip", "signal", "belt"
const char* severityName(Severity s);  ///< "caution", "blocked"

/// Something about the cell that a check reports, as numbers. Sentences are made from it by findingText().
struct Finding {
    Rule rule = Rule::Reach;
    Severity severity = Severity::Caution;
    RoutineId routine;  ///< none for findings about a target itself
    StepId step;
    size_t stepIndex = 0;  ///< from 0
    TargetId target;
    double fraction = 1;  ///< of the move, where it happens
    double measured = 0, limit = 0;
    Unit unit = Unit::None;
    int joint = -1;                                 ///< JointRange
    SingularityKind kind = SingularityKind::Wrist;  ///< Singularity
    JointVector posture;                            ///< Singularity of kind Direction: where it is met [rad or m]
    NoSolution reach = NoSolution::None;            ///< Reach
    Vec3 excessTurn = Vec3::Zero();  ///< Reach by Orientation or NotFound: turn in base that the arm cannot give [rad]
    bool onLine = false;             ///< happens along a line, with these left:
    double remaining = 0;            ///< [m]
    double turnLeft = 0;             ///< [rad]
    FrameId device;                  ///< Grip: the clamp that holds the part; Belt
    SignalId signal;                 ///< Signal
    PartId part;                     ///< Belt
    int otherWays = 0;               ///< configurations in which the target can be reached all the same
};

struct FindingText {
    std::string headline;  ///< "Step 7 stops 62 mm short"
    std::string detail;    ///< "Joint 5 is 3.1° past its range (-124.0 to 124.0°)."
};
FindingText findingText(const Cell& cell, const Finding& finding);

}  // namespace topikos
