#pragma once
#include "core/cell/cell.h"

#include <unordered_map>

namespace topikos {

/// What is around a step: its routine, and the patterns of the "for each" blocks it is in, the innermost last.
struct StepScope {
    const Routine& routine;
    std::vector<PatternId> loops{};
};
using Writers = std::unordered_map<std::uint32_t, std::vector<FrameId>>;

/// What is wrong with the values of a step, or nothing; what it holds is not looked at. `writers` is what
/// signalWriters() gives, for many calls.
Status checkStep(const Cell& cell, const StepScope& scope, const Step& step, const Writers* writers = nullptr);
/// What is wrong with steps and all they hold; errors name the step by its number, the first one being `first`.
Status checkSteps(const Cell& cell, StepScope scope, const Steps& steps, const Writers* writers = nullptr,
                  int depth = 0, size_t first = 0);
/// What is wrong with a routine: its steps, the names of its places, and whether it comes to call itself.
Status checkRoutine(const Cell& cell, const Routine& routine, const Writers* writers = nullptr);
/// "A calls B calls A", or nothing when no routine comes to call itself.
Status checkCalls(const Cell& cell);
/// The patterns of the blocks around a place, the innermost last.
std::vector<PatternId> loopsAround(const Steps& steps, StepId block);

/// What is wrong with a value for a signal, or nothing.
Status checkSignalValue(const Signal& signal, double value);
/// What is wrong with a value for the axis of a frame that has one, or nothing.
Status checkAxisValue(const Frame& frame, double value);
/// What is wrong with a process of a tool, or nothing: a name of its own, and a digital signal that no device writes.
Status checkProcess(const Cell& cell, const Tool& tool, const Process& process, const Writers* writers = nullptr);
/// What is wrong with a text of a step, or nothing: one line of UTF-8, at most limits::kStepText bytes.
Status checkStepText(const std::string& text);

}  // namespace topikos
