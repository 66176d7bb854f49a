#include "core/exchange/trace_csv.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

namespace {

/// Names may hold commas and quotation marks (RFC 4180).
std::string quoted(const std::string& name)
{
    if (name.find_first_of(",\"") == std::string::npos) return name;
    std::string out = "\"";
    for (const char c : name)
        out += c == '"' ? "\"\"" : std::string(1, c);
    return out + "\"";
}

}  // namespace

std::string traceCsv(const Cell& cell, const Trace& trace, double step)
{
    std::string out = "time_s";
    // With several arms each column says whose it is.
    const auto column = [&](const ArmStation& arm, const std::string& name) {
        out += fmt::format(",{}", cell.arms.size() > 1 ? quoted(arm.name + " " + name) : name);
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
            ",{}", quoted(fmt::format("{}_{}", frame->name, frame->axis->kind == JointKind::Revolute ? "rad" : "m")));
    for (const Signal& signal : cell.signals)
        out += fmt::format(",{}", quoted(signal.name));
    out += "\n";
    const auto rows = static_cast<long>(std::ceil(trace.duration / step - 1e-9));
    for (long i = 0; i <= rows; ++i) {
        const double time = std::min(double(i) * step, trace.duration);
        const CellState state = stateAt(cell, trace, time);
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
    return out;
}

}  // namespace topikos
