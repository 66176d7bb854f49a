#pragma once
#include "core/check/finding.h"

namespace topikos {

/// What can be said of one target on its own.
struct TargetVerdict {
    TargetId target;
    Solutions ways;                 ///< empty for postures
    std::vector<Finding> findings;  ///< worst first
};

/// Rules: reach, joint range with margin, singularity by kind, configuration, grip, signal, belt. Findings in the order
/// of the steps, then of the targets, then of what happens in the run.
struct CheckResult {
    Trace trace;
    std::vector<Finding> findings;
    std::vector<TargetVerdict> targets;  ///< in the order of the cell's targets

    int count(Severity severity) const;
};

/// Checks every target, and every step of the routines that the arms run, all of them together. The same call serves
/// window, command line and tests.
CheckResult check(const Cell& cell);
/// The same with one routine alone.
CheckResult check(const Cell& cell, const Routine& routine);

/// Verdict on one target.
TargetVerdict checkTarget(const Cell& cell, const Target& target);

/// Findings about one step of a trace.
std::vector<Finding> stepFindings(const Cell& cell, const Routine& routine, const StepOutcome& outcome);

}  // namespace topikos
