#include "core/exchange/trace_csv.h"

#include <fmt/format.h>

#include <cmath>

namespace topikos {

std::string traceCsv(const Cell& cell, const Trace& trace, double step)
{
    std::string out = "time_s";
    for (const Joint& joint : cell.arm.model->joints()) out += fmt::format(",{}_{}", joint.name, joint.kind == JointKind::Revolute ? "rad" : "m");
    out += ",gripper_m,tcp_x_m,tcp_y_m,tcp_z_m\n";
    const Pose world = worldFromBase(cell);
    const auto rows = static_cast<long>(std::ceil(trace.duration / step - 1e-9));
    for (long i = 0; i <= rows; ++i) {
        const double time = std::min(double(i) * step, trace.duration);
        const CellState state = stateAt(cell, trace, time);
        const Vec3 tcp = (world * baseFromTcp(cell, state.posture)).translation;
        out += fmt::format("{:.6f}", time);
        for (const double q : state.posture) out += fmt::format(",{:.9f}", q);
        out += fmt::format(",{:.6f},{:.9f},{:.9f},{:.9f}\n", state.gripperOpening, tcp[0], tcp[1], tcp[2]);
    }
    return out;
}

}  // namespace topikos
