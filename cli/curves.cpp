#include "cli/commands.h"
#include "cli/support.h"
#include "core/files/cell_file.h"
#include "core/report/curves_file.h"

#include <fmt/format.h>

#include <iostream>

namespace topikos::cli {

namespace {

std::string allWords()
{
    std::string out;
    for (const Curve::Kind kind : curveKinds())
        out += std::string(out.empty() ? "" : ", ") + curveWord(kind);
    return out;
}

}  // namespace

int curvesOfCell(const std::string& file, const std::string& out, const std::vector<std::string>& what, int cycles,
                 double every)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    std::vector<Curve> curves;
    const std::vector<Curve> all = curvesOf(*cell);
    for (const std::string& word : what) {
        const auto kind = curveKind(word);
        if (!kind)
            return refused({"curves.kind", fmt::format("there is no curve called \"{}\"", word), "",
                            "Curves are " + allWords() + "."});
        const size_t before = curves.size();
        for (const Curve& curve : all)
            if (curve.kind == *kind) curves.push_back(curve);
        if (curves.size() == before && *kind == Curve::Kind::JointTorque)
            return refused({"curves.torque", "the torques are not known, since no arm of the cell has masses", file,
                            "Give the links their masses in the arm's file, or leave joint-torque out."});
        if (curves.size() == before)
            return refused(
                {"curves.none", fmt::format("the cell has nothing for the curve \"{}\"", word), file, "Leave it out."});
    }
    RunOptions options;
    options.cycles = options.rounds = std::max(1, cycles);
    const Trace trace = simulate(*cell, options);
    if (trace.duration <= 0)
        return refused({"curves.run", "the run takes no time, so there is nothing to draw", file,
                        "See what topikos-cli check says of the cell."});
    const bool picture = out.ends_with(".svg") || out.ends_with(".png");
    if (!picture && !out.ends_with(".csv"))
        return refused({"curves.ending", fmt::format("\"{}\" is no kind of file for curves", out), "",
                        "Name a file that ends in .csv, .svg or .png."});
    const Status bad = picture ? saveCurvesPicture(out, *cell, trace, curves, 0, trace.duration)
                               : saveCurvesCsv(out, *cell, trace, curves, every);
    if (bad) return refused(*bad);
    std::cout << fmt::format("{} curve{} over {:.3f} s written to {}\n", curves.size(), curves.size() == 1 ? "" : "s",
                             trace.duration, out);
    return 0;
}

}  // namespace topikos::cli
