#include "core/report/reach_csv.h"

#include <fmt/format.h>

namespace topikos {

std::string reachCsv(const ReachMap& map)
{
    std::string out = "x [m],y [m],z [m],qw,qx,qy,qz,ways,margin,singularity,distance,reason,shortfall,joint,excess\n";
    for (const ReachSpot& s : map.spots) {
        const Vec3& at = s.frameFromTcp.translation;
        const Quat& q = s.frameFromTcp.rotation;
        out += fmt::format("{:.9g},{:.9g},{:.9g},{:.9g},{:.9g},{:.9g},{:.9g},{},", at[0], at[1], at[2], q.w(), q.x(),
                           q.y(), q.z(), s.ways);
        if (s.reached()) out += fmt::format("{:.6g},{},{:.6g},,,,\n", s.margin, singularityName(s.kind), s.distance);
        else
            out += fmt::format(",,,{},{:.6g},{},{}\n", noSolutionName(s.reason), s.shortfall,
                               s.range.joint >= 0 ? std::to_string(s.range.joint + 1) : "",
                               s.range.joint >= 0 ? fmt::format("{:.6g}", s.range.excess) : "");
    }
    return out;
}

Status saveReachCsv(const std::string& path, const ReachMap& map) { return saveFile(path, reachCsv(map)); }

}  // namespace topikos
