#pragma once
#include "core/check/finding.h"

#include <functional>
#include <map>
#include <set>

namespace topikos {

/// What can be said of one target: where the program uses it, or on its own when nothing does.
struct TargetVerdict {
    TargetId target;
    bool used = false;              ///< by a step that is not switched off
    AxisValues axes;                ///< where device axes stand when it is used, those that do not stand at their start
    Solutions ways;                 ///< empty for postures
    std::vector<Finding> findings;  ///< worst first
};

/// Findings in the order of the steps of what runs, then of the routines that do not run, then of the targets, then of
/// what happens in the run, then advice on the program. A step that is done several times is one finding as long as it
/// goes to the same target. An unreachable target is one finding, with what follows from it below.
struct CheckResult {
    Trace trace;               ///< of the routines that run
    std::vector<Trace> alone;  ///< of the others, each by itself
    std::vector<Finding> findings;
    std::vector<Finding> accepted;       ///< cautions and advice that somebody lets stand
    std::vector<TargetVerdict> targets;  ///< in the order of the cell's targets
    bool contact = false;                ///< contact was looked at
    double contactDone = 0;              ///< how much of that is done, 0 to 1
    bool complete = false;               ///< nothing was left out, because it came early or was stopped

    int count(Severity severity) const;
    /// The findings about a step, follow-ups included.
    std::vector<const Finding*> ofStep(StepId step) const;
};

/// Passes of endless repeats that a check goes through: the second one begins where the first one ends.
inline constexpr int kCheckedRounds = 2;
/// Routines that the arms run, and those that they call; `arm`: of one arm only.
std::set<RoutineId> reachedRoutines(const Cell& cell, ArmId arm = {});

class ContactCache;

struct CheckOptions {
    PlanCache* plans = nullptr;       ///< remembers moves between checks, so that an edit costs what it touches
    ContactCache* touched = nullptr;  ///< the same for contact
    bool contact = true;              ///< look at contact and clearance, too
    int workers = 1;                  ///< threads that look at contact; the result is the same whatever their number
    std::stop_token stop{};
    /// Called with what is known without contact, and of the routines that run before the others are looked at.
    std::function<void(const CheckResult&)> partial{};
};

/// Checks every target and every step: the main routines of the arms all together, every other routine by itself. The
/// same call serves window, command line and tests.
CheckResult check(const Cell& cell, const CheckOptions& options = {});

/// The same of one routine by itself, as if it were all that runs.
CheckResult check(const Cell& cell, const Routine& routine, const CheckOptions& options = {});

/// What became of the step that a finding is about; nullptr for findings about something else.
const StepOutcome* outcomeOf(const CheckResult& result, const Finding& finding);
/// The first sentence about what ends the run of the routines that run; nullptr when nothing does.
const Finding* whatEndsTheRun(const CheckResult& result);

/// The worst that is said of targets, by themselves or by steps that go there; no advice. It points into `result`.
std::map<TargetId, const Finding*> worstOfTargets(const CheckResult& result);

/// What a check has looked at, and what it has not: "1 routine that runs, 2 others each by itself, 12 targets; contact
/// is not checked".
std::string lookedAt(const CheckResult& result);

/// Verdict on one target with device axes where they stand.
TargetVerdict checkTarget(const Cell& cell, const Target& target, const AxisValues& axes = {},
                          PlanCache* plans = nullptr);

/// Why a run was given up; nothing when it was not.
std::optional<Finding> stuckFinding(const Cell& cell, const Trace& trace);

/// What is found in cycles of a run after the first: grips of nothing that went well before. Each step once.
std::vector<Finding> laterCycleFindings(const Cell& cell, const Trace& trace);

/// Findings about one step of an arm's trace.
std::vector<Finding> stepFindings(const Cell& cell, ArmId arm, const StepOutcome& outcome);

}  // namespace topikos
