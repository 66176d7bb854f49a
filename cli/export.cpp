#include "cli/commands.h"
#include "cli/support.h"
#include "core/files/arm_file.h"
#include "core/files/cell_file.h"
#include "core/report/trace_csv.h"
#include "core/simulate/trace.h"

#include <cstdio>

namespace topikos::cli {

int exportCell(const std::string& file, const std::string& out)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    if (out.ends_with(".csv")) {
        const Trace trace = simulate(*cell);
        if (const Status bad = saveTraceCsv(out, *cell, trace)) return refused(*bad);
        if (trace.blocked()) std::fprintf(stderr, "topikos-cli: The routine is blocked; the table ends there.\n");
        return 0;
    }
    const ArmStation& station = cell->arms.front();
    std::vector<std::pair<std::string, JointVector>> postures;
    for (const Target& target : cell->targets)
        if (target.kind == Target::Kind::Posture && target.arm == station.id)
            postures.push_back({target.name, target.posture});
    std::vector<LinksApart> apart;
    for (const ContactPair& p : cell->contact.pairs)
        if (!p.checked && p.a.kind == ContactMember::Kind::Link && p.b.kind == ContactMember::Kind::Link
            && p.a.arm == station.id && p.b.arm == station.id)
            apart.push_back({int(p.a.id), int(p.b.id),
                             p.reason == ContactPair::Reason::Always  ? "Always"
                             : p.reason == ContactPair::Reason::Never ? "Never"
                                                                      : "User"});
    Result<Exported> arm = out.ends_with(".srdf")
                               ? Result<Exported>(Exported{writeSrdf(*station.model, postures, apart), {}, {}})
                               : exportArm(*station.model, postures, out);
    if (!arm) {
        Error error = arm.error();
        if (error.code == "export.ending") error.remedy = "End it in .csv, .urdf, .srdf or .topikos-arm.";
        return refused(error);
    }
    const Exported& written = *arm;
    if (const Status bad = saveExported(out, written)) return refused(*bad);
    for (const std::string& lost : written.lost)
        std::fprintf(stderr, "topikos-cli: %s\n", lost.c_str());
    return 0;
}

}  // namespace topikos::cli
