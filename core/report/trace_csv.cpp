#include "core/report/trace_csv.h"

#include "core/simulate/state.h"
#include "core/spatial/limits.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

namespace {

double rowsOf(const Trace& trace, double step) { return std::ceil(trace.duration / step - 1e-9); }

}  // namespace

Status checkTable(const Trace& trace, double step)
{
    if (Status bad = checkLimit(limits::kTableStep, step, "table.step")) return bad;
    const double rows = rowsOf(trace, step);
    if (limits::kTableRows.holds(rows)) return std::nullopt;
    return Error{
        "table.rows",
        fmt::format("a table of {:.0f} s with a row every {:.4g} s would have {:.0f} rows; {:.0f} is the limit",
                    trace.duration, step, rows, limits::kTableRows.most),
        "",
        fmt::format("Take a row every {:.3g} s, or end the run earlier.",
                    std::ceil(trace.duration / limits::kTableRows.most * 1000) / 1000)};
}

Status writeTraceCsv(const Cell& cell, const Trace& trace, const FileSink& sink, double step)
{
    if (Status bad = checkTable(trace, step)) return bad;
    constexpr size_t piece = 1 << 16;
    std::string out = "time_s";
    // With several arms each column says whose it is.
    const auto column = [&](const ArmStation& arm, const std::string& name) {
        out += fmt::format(",{}", cell.arms.size() > 1 ? csvText(arm.name + " " + name) : name);
    };
    for (const ArmStation& arm : cell.arms) {
        for (const Joint& joint : arm.model->joints())
            column(arm, fmt::format("{}_{}", joint.name, joint.kind == JointKind::Revolute ? "rad" : "m"));
        for (const char* name : {"gripper_m", "tcp_x_m", "tcp_y_m", "tcp_z_m"})
            column(arm, name);
    }
    std::vector<const Frame*> axes;
    for (const Frame& frame : cell.frames)
        if (frame.axis) axes.push_back(&frame);
    for (const Frame* frame : axes)
        out += fmt::format(
            ",{}", csvText(fmt::format("{}_{}", frame->name, frame->axis->kind == JointKind::Revolute ? "rad" : "m")));
    for (const Signal& signal : cell.signals)
        out += fmt::format(",{}", csvText(signal.name));
    out += "\n";
    const auto rows = static_cast<long>(rowsOf(trace, step));
    const RunState run(cell, trace);
    for (long i = 0; i <= rows; ++i) {
        if (out.size() > piece) {
            if (!sink(out)) return std::nullopt;  // who wrote knows why
            out.clear();
        }
        const double time = std::min(double(i) * step, trace.duration);
        const CellState state = stateAt(run, time);
        out += fmt::format("{:.6f}", time);
        for (const ArmStation& arm : cell.arms) {
            const ArmState& own = state.of(arm.id);
            const Vec3 tcp = worldFromTcp(cell, arm, own.posture, state.axes).translation;
            for (const double q : own.posture)
                out += fmt::format(",{:.9f}", q);
            out += fmt::format(",{:.6f},{:.9f},{:.9f},{:.9f}", own.gripperOpening, tcp[0], tcp[1], tcp[2]);
        }
        for (const Frame* frame : axes)
            out += fmt::format(",{:.9f}", axisValue(*frame, state.axes));
        for (const Signal& signal : cell.signals)
            out += fmt::format(",{}", signalAt(cell, trace, signal.id, time));
        out += "\n";
    }
    sink(out);
    return std::nullopt;
}

Result<std::string> traceCsv(const Cell& cell, const Trace& trace, double step)
{
    std::string out;
    const Status bad = writeTraceCsv(
        cell, trace,
        [&out](std::string_view piece) {
            out += piece;
            return true;
        },
        step);
    if (bad) return *bad;
    return out;
}

Status saveTraceCsv(const std::string& path, const Cell& cell, const Trace& trace, double step)
{
    if (Status bad = checkTable(trace, step)) return bad;
    return saveFile(path, [&](const FileSink& sink) { (void)writeTraceCsv(cell, trace, sink, step); });
}

}  // namespace topikos
