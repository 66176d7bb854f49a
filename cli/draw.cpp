#include "cli/commands.h"
#include "cli/support.h"
#include "core/cell/applied.h"
#include "core/cell/drawing.h"
#include "core/cell/edit_support.h"
#include "core/files/cell_file.h"
#include "core/plan/free_turns.h"
#include "core/spatial/limits.h"
#include "core/spatial/text.h"
#include "core/spatial/units.h"
#include "core/surface/draw.h"

#include <fmt/format.h>

#include <cmath>
#include <iostream>

namespace topikos::cli {

namespace {

Error wrong(const char* code, std::string message, const char* remedy)
{
    return {code, std::move(message), "", remedy};
}

/// The points that are asked for, on the surface.
Result<Drawing> drawn(const BodySurface& surface, const DrawOptions& options)
{
    if (Status bad = checkLimit(limits::kSpacing, options.every, "cli.every")) return *bad;
    if (options.chord != 0)
        if (Status bad = checkLimit(limits::kChord, options.chord, "cli.chord")) return *bad;
    if (Status bad = checkLimit(limits::kSmoothing, options.smooth, "cli.smooth")) return *bad;
    Drawing out;
    out.seam = !options.spots;
    out.closed = options.closed && out.seam;
    out.lead = options.lead * kDegree;
    out.tilt = options.tilt * kDegree;
    out.turn = options.turn * kDegree;
    out.offset = options.offset;
    out.radius = options.smooth;
    if (options.x != "along") out.turns = options.x == "fixed" ? Drawing::Turn::Fixed : Drawing::Turn::Free;
    std::vector<SurfaceSpot> spots;
    for (size_t i = 0; i + 2 < options.at.size(); i += 3)
        spots.push_back(surface.nearest({options.at[i], options.at[i + 1], options.at[i + 2]}));
    if (options.pointsOnly || (spots.size() == 1 && !options.edge)) {
        out.points = pointsAt(surface, spots, out.radius);
        return out;
    }
    DrawRule rule;
    rule.spacing = options.every;
    rule.radius = options.smooth;
    if (options.chord > 0) rule.kind = DrawRule::Kind::Chord, rule.chord = options.chord;
    std::optional<SurfaceLine> line;
    if (!options.edge) {
        line = lineThrough(surface, spots, out.closed);
    } else {
        line = edgeLine(surface, spots.front(), kEdgeWithin);
        if (!line)
            return wrong("cli.edge",
                         fmt::format("no sharp edge or rim is within {:.0f} mm of the place", millimetres(kEdgeWithin)),
                         "Name one nearer to it.");
        out.closed = line->closed && out.seam;
    }
    Result<std::vector<SurfacePoint>> points = pointsAlong(surface, *line, rule);
    if (!points) return points.error();
    out.points = std::move(*points);
    return out;
}

}  // namespace

int drawOnBody(const std::string& file, const DrawOptions& options)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    if (options.at.empty() || options.at.size() % 3 != 0)
        return refused(wrong("cli.at", "a place has three numbers, in the body and in metres", "Give --at X Y Z."));
    for (const double value : options.at)
        if (!std::isfinite(value) || std::abs(value) > 1000)
            return refused(wrong("cli.at", "a place is farther away than 1000 m", "Give it in metres, in the body."));
    const ArmStation* arm = options.arm.empty() ? &cell->arms.front() : findNamed(cell->arms, options.arm);
    if (!arm)
        return refused(wrong("cli.arm", fmt::format("there is no arm called \"{}\"", shownText(options.arm)),
                             "Name one of the cell's."));
    const Frame* frame = findNamed(cell->frames, options.on);
    const Part* part = frame ? nullptr : findNamed(cell->parts, options.on);
    if (!frame && !part)
        return refused(wrong("cli.on", fmt::format("there is no frame or part called \"{}\"", shownText(options.on)),
                             "Name one of the cell's."));
    const BodySurface surface(frame ? frame->solids : partSolids(*cell, *part));
    if (surface.empty())
        return refused(wrong("cli.on", fmt::format("\"{}\" has no body", shownText(options.on)), "Name one that has."));
    const Result<Drawing> drawing = drawn(surface, options);
    if (!drawing) return refused(drawing.error());
    PatternId created;
    const std::string name =
        options.name.empty() ? freeNameIn(cell->patterns, drawing->seam ? "Seam" : "Spots") : options.name;
    const Result<Cell> next = applied(*cell, [&](const Cell& own) {
        const Result<Cell> drawnOn = addDrawnGroup(own, arm->id, frame ? DrawnOn(frame->id) : DrawnOn(part->id),
                                                   *drawing, name, homePosture(own, *arm), {}, &created);
        return drawnOn && drawing->turns == Drawing::Turn::Free ? withFreeTurns(*drawnOn, created) : drawnOn;
    });
    if (!next) return refused(next.error());
    if (const Status bad = saveCell(options.out.empty() ? file : options.out, *next)) return refused(*bad);
    std::cout << fmt::format("{}: {} {}, {:.1f} mm long\n", name, drawing->points.size(),
                             drawing->points.size() == 1 ? "point" : "points", millimetres(lengthOf(*drawing)));
    return 0;
}

}  // namespace topikos::cli
