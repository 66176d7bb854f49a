#pragma once
#include "core/cell/cell.h"

#include <unordered_map>

namespace topikos {

/// What is around a step: its routine, and the patterns of the "for each" blocks it is in, the innermost last.
struct StepScope {
    const Routine& routine;
    std::vector<PatternId> loops{};

    /// Into the body of a step: a "for each" adds its patterns.
    void enter(const Step& step);
};
using Writers = std::unordered_map<std::uint32_t, std::vector<FrameId>>;

/// What is wrong with the values of a step, or nothing; what it holds is not looked at. `writers` is what
/// signalWriters() gives, for many calls.
Status checkStep(const Cell& cell, const StepScope& scope, const Step& step, const Writers* writers = nullptr);
/// What is wrong with steps and all they hold; errors name the step by its number, the first one being `first`.
Status checkSteps(const Cell& cell, StepScope scope, const Steps& steps, const Writers* writers = nullptr,
                  int depth = 0, size_t first = 0);
/// What is wrong with a routine: its steps and the names of its places; whether it comes to call itself is left to
/// checkCalls().
Status checkRoutine(const Cell& cell, const Routine& routine, const Writers* writers = nullptr);
/// That a routine comes to call itself ("A calls B calls A"), or that calls are nested too deep; nothing else.
Status checkCalls(const Cell& cell);
/// What a joint of the arms that can run a routine is; nothing when one of them has no such joint, or when they differ.
std::optional<JointKind> jointKindOf(const Cell& cell, const Routine& routine, int joint);
/// The patterns of the blocks around a place, the innermost last.
std::vector<PatternId> loopsAround(const Steps& steps, StepId block);

/// What is wrong with a value for a signal, or nothing.
Status checkSignalValue(const Signal& signal, double value);
/// What is wrong with a value for the axis of a frame that has one, or nothing.
Status checkAxisValue(const Frame& frame, double value);
/// What is wrong with a process of a tool, or nothing: a name of its own, and a digital signal that no device writes.
Status checkProcess(const Cell& cell, const Tool& tool, const Process& process, const Writers* writers = nullptr);
/// Name of what a step may touch: of a frame, or "any Tile" for the parts of a kind.
std::string touchableName(const Cell& cell, const Touchable& touchable);
/// What is wrong with a text of a step, or nothing: one line of UTF-8, at most limits::kStepText bytes.
Status checkStepText(const std::string& text);
/// What is wrong with an advice that stands, or nothing: a reason like a text of a step, and what it is about.
Status checkAccepted(const Accepted& accepted);

}  // namespace topikos
