#pragma once
#include "core/check/check.h"

/// One file per rule. What a rule finds, the number that decided, and the words for it stand together.
namespace topikos {

/// A step of a run that is judged.
struct JudgedStep {
    const Cell& cell;
    const Routine& routine;
    const ArmStation& station;
    const StepOutcome& outcome;

    const Arm& arm() const { return *station.model; }
    /// A finding about the step, not about a place on its line.
    Finding finding(Rule rule, Severity severity, Fact fact) const;
    /// A finding about a place on the move.
    Finding findingAt(Rule rule, Severity severity, Fact fact, double fraction) const;
    /// A finding about why the line stops.
    Finding stopFinding(Rule rule, Fact fact) const;
};
using Findings = std::vector<Finding>;

// What each rule says of a step.
void judgeReach(const JudgedStep& step, Findings& out);
void judgeRange(const JudgedStep& step, Findings& out);
void judgeSingularity(const JudgedStep& step, Findings& out);
void judgeConfiguration(const JudgedStep& step, Findings& out);
void judgeJointLimits(const JudgedStep& step, Findings& out);
void judgeCorner(const JudgedStep& step, Findings& out);
void judgeGrip(const JudgedStep& step, Findings& out);
void judgeSignal(const JudgedStep& step, Findings& out);
void judgeAxis(const JudgedStep& step, Findings& out);
void judgeTable(const JudgedStep& step, Findings& out);

// What they say of a run.
/// Contact and clearance of everything that moves.
void judgeContact(const Cell& cell, const Trace& trace, const CheckOptions& options,
                  const std::function<void(double done)>& progress, Findings& out);
void judgeBelts(const Cell& cell, const Trace& trace, Findings& out);

// Advice: of the program as it is written, and of how it runs.
void adviseOnProgram(const Cell& cell, Findings& out);
void adviseOnRun(const Cell& cell, const ArmTrace& arm, Findings& out);
/// The run of the arms does not end where it began.
void adviseOnEnd(const Cell& cell, const Trace& trace, Findings& out);

// And of a goal on its own. Nothing when there is nothing to say.
/// Why a goal cannot be reached, from what inverse kinematics found.
Finding unreachable(const Solutions& found);
/// Nearest range end of a posture.
std::optional<Finding> rangeCaution(const Cell& cell, const Arm& arm, const Closest& margin);
void singularCautions(const Cell& cell, const Arm& arm, const JointVector& posture, Findings& out);

/// Words around a finding.
struct Wording {
    const Cell& cell;
    const Finding& finding;
    const ArmStation& arm;  ///< that it is about
    std::string subject;    ///< "Step 7", "Arm B: step 7", "Target Rack 3"
    std::string target;     ///< name, may be empty
    std::string place;      ///< " at 41 % of the line", or nothing

    bool blocked() const { return finding.severity == Severity::Blocked; }
    const Joint& joint(int i) const { return arm.model->joints()[size_t(i)]; }
};
FindingText textOf(const ReachFact& fact, const Wording& words);
FindingText textOf(const RangeFact& fact, const Wording& words);
FindingText textOf(const SingularFact& fact, const Wording& words);
FindingText textOf(const ConfigurationFact& fact, const Wording& words);
FindingText textOf(const JointLimitFact& fact, const Wording& words);
FindingText textOf(const CornerFact& fact, const Wording& words);
FindingText textOf(const ContactFact& fact, const Wording& words);
FindingText textOf(const GripFact& fact, const Wording& words);
FindingText textOf(const SignalFact& fact, const Wording& words);
FindingText textOf(const AxisFact& fact, const Wording& words);
FindingText textOf(const BeltFact& fact, const Wording& words);
FindingText textOf(const StopFact& fact, const Wording& words);
FindingText textOf(const ArcFact& fact, const Wording& words);
FindingText textOf(const PlaceFact& fact, const Wording& words);
FindingText textOf(const TimeFact& fact, const Wording& words);
FindingText textOf(const TableFact& fact, const Wording& words);
FindingText textOf(const AdviceFact& fact, const Wording& words);

/// "Step 7 stops 62 mm short" or "Step 7 cannot reach Rack 3".
std::string blockedHeadline(const Wording& words, int otherWays);
std::string otherWaysText(int otherWays);

// Amounts for people.
std::string mm(double metres);
std::string deg(double radians);
/// "3.1°" or "12 mm", by the kind of the joint.
std::string jointAmount(const Joint& joint, double value);
Unit unitOf(const Joint& joint);

}  // namespace topikos
