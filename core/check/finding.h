#pragma once
#include "core/collide/side.h"
#include "core/simulate/trace.h"

#include <optional>
#include <string>
#include <tuple>
#include <variant>
#include <vector>

namespace topikos {

struct Vocabulary;

enum class Rule {
    Reach,
    JointRange,
    Singularity,
    Configuration,
    JointSpeed,
    JointAcceleration,
    Corner,
    Contact,
    Clearance,
    Grip,
    Signal,
    Axis,
    Belt,
    Stop,
    AdviceUnusedTarget,
    AdviceDoubledTarget,
    AdviceNoApproach,
    AdviceJointIntoGrip,
    AdviceNotOpened,
    AdviceGripAgain,
    AdviceNothingHeld,
    AdviceSideways,
    AdviceEndlessWait,
    AdviceTwoWriters,
    AdviceOtherTool,
    AdviceUncalled,
    AdviceOpenEnd,
    AdviceNotJudged
};
inline constexpr int kRules = int(Rule::AdviceNotJudged) + 1;
enum class Severity { Advice, Caution, Blocked };
enum class Unit { Metre, Radian, Second, MetrePerSecond, RadianPerSecond, MetrePerSecond2, RadianPerSecond2, None };

const char* ruleName(Rule rule);  ///< "reach", "joint-range", …: as the command line writes it
inline bool isAdvice(Rule rule) { return rule >= Rule::AdviceUnusedTarget; }
const char* severityName(Severity s);  ///< "advice", "caution", "blocked"
const char* unitName(Unit unit);       ///< "m", "rad/s^2", … ; "" for none

// What a rule has to say, as numbers. Sentences are made from them by findingText().

/// The goal is out of reach; with other ways, only in the configuration asked for.
struct ReachFact {
    NoSolution reason = NoSolution::None;
    double shortfall = 0;            ///< see Solutions [m; Orientation: rad]
    Vec3 excessTurn = Vec3::Zero();  ///< in base [rad]
    int otherWays = 0;               ///< configurations in which the goal can be reached all the same
    AxisValues axes{};               ///< where device axes stand then
};
/// A joint past its range (blocked), or nearer to its end than the margin (caution).
struct RangeFact {
    int joint = 0;
    double amount = 0;  ///< past the range, or left to its end [rad or m]
    double limit = 0;   ///< the margin asked for [rad or m]
    int otherWays = 0;
};
struct SingularFact {
    SingularityKind kind = SingularityKind::Wrist;
    double distance = 0, limit = 0;        ///< [rad, m or none]
    JointVector posture;                   ///< kind Direction: where it is met [rad or m]
    NoSolution beyond = NoSolution::None;  ///< why the line would leave the arm's reach further on
    double shortfall = 0;                  ///< by how much at its end [m]
    /// The line ends here since this joint would have to jump by so much [rad or m]; -1: it comes too near.
    RangeExcess jump;
};
/// A line arrives in another configuration than asked for, or (with a joint) in another posture than taught.
struct ConfigurationFact {
    RangeExcess off;  ///< [rad or m]
};
/// A line that a joint slows: by its speed or its acceleration, by the rule.
struct JointLimitFact {
    int joint = 0;
    double lowest = 0, limit = 0;  ///< speed there over the one asked for, and below what it is told
    double seconds = 0;            ///< that the move takes longer [s]
};
struct CornerFact {
    Corner corner;
};
/// Two bodies that touch, or come near.
struct ContactFact {
    ContactSide a, b;
    double time = 0;                 ///< [s]
    double distance = 0, limit = 0;  ///< [m]
    double depth = 0;                ///< contact: how deep they get into each other at most, as far as it is known [m]
    double from = 0, until = 0;      ///< stretch in which they touch or are so near [s]
    StepId last{};                   ///< in which it ends, when that is another step of the arm,
    RoutineId lastRoutine{};         ///< of this routine,
    size_t lastIndex = 0;            ///< with this number in it, from 0
    Vec3 onA = Vec3::Zero(), onB = Vec3::Zero();  ///< the nearest points, in the world [m]
};
/// Nothing gripped (no clamp, no part), a clamp holds the part, or the gripper still has one.
struct GripFact {
    double grasp = 0;  ///< largest distance at which a part is gripped [m]
    FrameId clamp;
    PartId carried;
    int cycle = 0;  ///< in which it first happens, from 0
};
/// A wait that never ends; without a signal: the run gets stuck at a time.
struct SignalFact {
    SignalId signal;
    double value = 0;  ///< waited for
    Stuck stuck{};     ///< without a signal
    /// Arms that wait for each other: each for a signal that only the next one sets, behind its own wait.
    struct Wait {
        ArmId arm;
        size_t index = 0;  ///< of the step in its routine, from 0
        SignalId signal;
    };
    std::vector<Wait> ring{};
};
/// Another arm is moving an axis that the step moves.
struct AxisFact {
    FrameId axis;
    ArmId other;
};
/// A part runs off the end of a belt.
struct BeltFact {
    FrameId belt;
    PartId part;
    double time = 0;  ///< [s]
};
/// A stop that the run comes to.
struct StopFact {
    std::string message;
};
/// The places of an arc lie on a line.
struct ArcFact {};
/// A move to a place that nothing fills in, or, with a target, to a distance from a posture.
struct PlaceFact {};
/// A wait whose time was up.
struct TimeFact {
    SignalId signal;
    double limit = 0;  ///< [s]
};
/// A time table that a joint cannot follow.
struct TableFact {
    enum class What { JumpsAtStart, JumpsAtRepeat, TooFast, TooHard };
    What what = What::JumpsAtStart;
    int joint = 0;
    double amount = 0, limit = 0;  ///< [rad or m, by s, by s^2]
    double fits = 1;               ///< TooFast, TooHard: speed at which it fits, as a fraction of that of the table
};
/// What an advice is about, as far as it has that.
struct AdviceFact {
    TargetId other{};  ///< the neighbour that is skipped
    SignalId signal{};
    RoutineId routine{};  ///< beside the one of the step
    FrameId frame{};      ///< that is read from
    ToolId tool{};        ///< that the target was taught with
    int joint = -1;
    double amount = 0, limit = 0;  ///< [rad or m, by the joint; else rad]
};
using Fact = std::variant<ReachFact, RangeFact, SingularFact, ConfigurationFact, JointLimitFact, CornerFact,
                          ContactFact, GripFact, SignalFact, AxisFact, BeltFact, StopFact, ArcFact, PlaceFact, TimeFact,
                          TableFact, AdviceFact>;

/// What the freedom of a target has to offer against what is found about it as taught.
struct FreeAnswer {
    std::string words{};  ///< the smallest departure that helps, "turned by +30°"; empty: none of those tried does
    size_t tried = 0;     ///< poses
};

/// What a finding is about.
struct FindingSubject {
    ArmId arm;          ///< that does the step; none for findings about a target itself or a device
    RoutineId routine;  ///< that the step is in
    StepId step;
    size_t stepIndex = 0;  ///< number in the routine, from 0
    size_t outcome = 0;    ///< of the arm's trace
    WithinPtr within{};    ///< calls and passes around it, the first of those it holds for
    int passes = 1;        ///< how many it holds for
    bool branch = false;   ///< the run did not come here
    TargetId target;
};
/// Where in its move it happens.
struct FindingPlace {
    double fraction = 1;   ///< of the move
    bool onLine = false;   ///< along a line, with these left:
    double remaining = 0;  ///< [m]
    double turnLeft = 0;   ///< [rad]
};
/// Something about the cell that a check reports.
struct Finding : FindingSubject, FindingPlace {
    Rule rule = Rule::Reach;
    Severity severity = Severity::Caution;
    Fact fact;
    std::optional<FreeAnswer> free{};  ///< of targets that may be reached otherwise than taught
    std::vector<Finding> followUps{};  ///< what is wrong for the same reason
    std::string accepted{};            ///< caution or advice that somebody lets stand: why

    template <class F> const F* as() const { return std::get_if<F>(&fact); }
};

/// The number that decided, and what it was held against.
struct Measure {
    double measured = 0, limit = 0;
    Unit unit = Unit::None;
    bool limited = true;  ///< there is a limit
};
Measure measureOf(const Cell& cell, const Finding& finding);
/// "Measured 3.2 mm, limit 5.0 mm." in the units that people see; empty where there is nothing to measure.
std::string measureText(const Cell& cell, const Finding& finding);

struct FindingText {
    std::string headline;  ///< "Step 7 stops 62 mm short"
    std::string detail;    ///< "Joint 5 is 3.1° past its range (-124.0 to 124.0°)."
    std::string line() const { return headline + ". " + detail; }
};
FindingText findingText(const Cell& cell, const Finding& finding);

/// The arm that a finding is about; of findings about none the first one.
const ArmStation& armOf(const Cell& cell, const Finding& finding);

/// The object that a finding is accepted about, and how it reads now: see Accepted.
std::pair<std::uint32_t, std::string> subjectOf(const Vocabulary& words, const Finding& finding);
/// Lets a caution or advice stand, or raises it again with an empty reason.
Result<Cell> acceptFinding(const Cell& cell, const Finding& finding, const std::string& reason);

/// A finding as one that can be found again after an edit: what is wrong with what.
using FindingKey = std::tuple<Rule, RoutineId, StepId, TargetId, std::string>;
FindingKey keyOf(const Finding& finding);

/// All findings with their follow-ups, each behind what it follows from.
std::vector<const Finding*> withFollowUps(const std::vector<Finding>& findings);

}  // namespace topikos
