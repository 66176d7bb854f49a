#include "tests/core/drawn_cell.h"

#include "core/cell/edit_layout.h"
#include "core/cell/pattern.h"
#include "core/surface/draw.h"

namespace topikos::test {

Drawn drawnOnBench(bool onPart)
{
    Drawn out;
    Cell cell = programCell(2, 1);
    const ArmStation& arm = cell.arms.front();
    // In front of where the arm's tool stands at its first target, which is reached.
    out.bench = {cell.nextId++};
    const Target* known = nullptr;
    for (const Target& target : cell.targets)
        if (target.kind == Target::Kind::Pose && !target.pattern) known = &target;
    const Vec3 at = (worldFromFrame(cell, known->frame) * known->pose).translation;
    Frame bench{out.bench, "Bench", {}, translated(at), {}};
    Solid plate;
    plate.size = {0.2, 0.1, 0.01};
    PartId part;
    if (!onPart) bench.solids.push_back(plate);
    cell.frames.push_back(bench);
    if (onPart) {
        Result<Cell> with = addPart(cell, "Plate 1", out.bench, translated({0, 0, 0.02}), &part);
        cell = std::move(with).value();
        PartKind kind = *findPartKind(cell, findPart(cell, part)->kind);
        kind.solids = {plate};
        cell = *changePartKind(cell, kind);
    }
    const BodySurface surface({plate});
    DrawRule rule;
    rule.spacing = 0.02;
    Pattern group;
    group.name = "Rim";
    group.content = Pattern::Content::Targets;
    group.layout = Pattern::Layout::Drawn;
    group.frame = out.bench;
    group.arm = arm.id;
    group.tool = arm.tool;
    group.configuration = known->configuration;
    group.drawing.part = part;
    if (onPart) group.first = translated({0, 0, 0.02});
    group.drawing.points = *pointsAlong(
        surface, lineThrough(surface, {surface.nearest({-0.08, 0, 0.005}), surface.nearest({0.08, 0, 0.005})}, false),
        rule);
    out.cell = *addPattern(cell, group, &out.seam);
    return out;
}

std::vector<const Target*> placesOf(const Cell& cell, PatternId id)
{
    std::vector<const Target*> out;
    for (const Target& target : cell.targets)
        if (target.pattern == id) out.push_back(&target);
    return out;
}

Pose worldOf(const Cell& cell, const Target& target) { return worldFromFrame(cell, target.frame) * target.pose; }

}  // namespace topikos::test
