#include "core/report/breakdown_csv.h"

#include "core/cell/step_tree.h"
#include "core/program/step_text.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

namespace topikos {

std::string stepWords(const Cell& cell, const StepShare& share)
{
    const Routine* routine = findRoutine(cell, share.routine);
    const Step* step = routine ? findStep(routine->steps, share.step) : nullptr;
    if (!step) return "";
    const Vocabulary words(cell);
    const StepScope scope{*routine};
    return stepText(words, *step, &scope);
}

std::string breakdownCsv(const Cell& cell, const Breakdown& breakdown)
{
    std::string out =
        "arm,routine,step,words,passes,seconds,seconds_per_cycle,share,saved_by_corners_s,lost_to_joints_s,"
        "lost_near_singularities_s,lost_to_low_speed_s,held_by,waits_for,before_s_per_cycle\n";
    const double cycles = std::max(1, breakdown.cycles);
    for (const StepShare& s : breakdown.steps) {
        const Signal* signal = s.waitsFor ? findSignal(cell, s.waitsFor) : nullptr;
        out += fmt::format("{},{},{},{},{},{:.9g},{:.9g},{:.6f},{:.9g},{:.9g},{:.9g},{:.9g},{},{},{}\n",
                           csvText(findArm(cell, s.arm)->name), csvText(findRoutine(cell, s.routine)->name),
                           s.index + 1, csvText(stepWords(cell, s)), s.passes, s.time, s.time / cycles,
                           breakdown.seconds() > 0 ? s.time / breakdown.seconds() : 0, s.saved, s.joints, s.singular,
                           s.low, heldByText(s.by), signal ? csvText(signal->name) : "",
                           s.before ? fmt::format("{:.9g}", *s.before) : "");
    }
    return out;
}

Status saveBreakdownCsv(const std::string& path, const Cell& cell, const Breakdown& breakdown)
{
    return saveFile(path, [&](const FileSink& sink) { sink(breakdownCsv(cell, breakdown)); });
}

}  // namespace topikos
