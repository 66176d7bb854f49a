#include "core/cell/settled.h"

#include "core/cell/edit_support.h"
#include "core/cell/pattern.h"

#include <fmt/format.h>

#include <map>
#include <set>
#include <unordered_set>
#include <vector>

namespace topikos {

namespace {

Error refused(const char* code, std::string message, const char* remedy)
{
    return {code, std::move(message), "", remedy};
}

/// The group of a family on another part.
Result<Cell> onPart(const Cell& cell, Pattern group, const Part& part)
{
    group.name =
        freeNameIn(cell.patterns, fmt::format("{} on {}", shortened(group.name, 24), shortened(part.name, 24)));
    group.drawing.part = part.id;
    group.frame = part.frame;
    group.first = part.pose;
    group.leftOut.clear();
    return addPattern(cell, group);
}

/// Groups that are drawn on parts.
Result<Cell> settledGroups(Cell cell)
{
    std::vector<PatternId> drawn;
    for (const Pattern& p : cell.patterns)
        if (p.layout == Pattern::Layout::Drawn && p.drawing.part) drawn.push_back(p.id);
    if (drawn.empty()) return cell;
    // Of a family whose first group is still on its part, that one says what kind it is of.
    std::map<std::uint32_t, PartKindId> kinds;
    for (const PatternId id : drawn) {
        const Drawing& d = findPattern(cell, id)->drawing;
        if (const Part* part = findPart(cell, d.part); part && d.family) kinds.try_emplace(d.family, part->kind);
    }
    for (const PatternId id : drawn) {
        const Pattern pattern = *findPattern(cell, id);
        const Part* part = findPart(cell, pattern.drawing.part);
        const bool other = part && pattern.drawing.family && part->kind != kinds.at(pattern.drawing.family);
        if (!part || other) {
            Result<Cell> next = deletePattern(cell, id);
            if (!next) return next;
            cell = std::move(next).value();
        } else if (pattern.frame != part->frame || !(pattern.first == part->pose)) {
            Pattern moved = pattern;
            moved.frame = part->frame;
            moved.first = part->pose;
            Result<Cell> next = changePattern(cell, moved);
            if (!next) return next;
            cell = std::move(next).value();
        }
    }
    for (const auto& [family, kind] : kinds) {
        std::set<PartId> has;
        const Pattern* first = nullptr;
        for (const Pattern& p : cell.patterns)
            if (p.drawing.family == family && p.drawing.part) {
                has.insert(p.drawing.part);
                if (!first) first = &p;
            }
        if (!first) continue;
        const Pattern group = *first;
        std::vector<PartId> lacking;
        for (const Part& part : cell.parts)
            if (part.kind == kind && !has.contains(part.id)) lacking.push_back(part.id);
        for (const PartId part : lacking) {
            Result<Cell> next = onPart(cell, group, *findPart(cell, part));
            if (!next) return next;
            cell = std::move(next).value();
        }
    }
    return cell;
}

/// Patterns of targets that follow one of parts.
Result<Cell> settledPicks(Cell cell)
{
    std::vector<PatternId> all;
    for (const Pattern& p : cell.patterns)
        if (p.follows) all.push_back(p.id);
    for (const PatternId id : all) {
        const Pattern own = *findPattern(cell, id);
        const Pattern* parts = findPattern(cell, own.follows);
        if (!parts) {
            cell.patterns.edit(id)->follows = {};
            continue;
        }
        const Pattern wanted = following(own, *parts);
        if (wanted == own) continue;
        Result<Cell> next = changePattern(cell, wanted);
        if (!next) return next;
        cell = std::move(next).value();
    }
    return cell;
}

/// What a tied target goes with, as a place in a frame; nothing when it is gone.
struct Anchor {
    FrameId frame;
    Pose pose;
};
std::optional<Anchor> anchorOf(const Cell& cell, const Tie& tie)
{
    if (const Part* part = tie.part ? findPart(cell, tie.part) : nullptr) return Anchor{part->frame, part->pose};
    const Target* target = tie.target ? findTarget(cell, tie.target) : nullptr;
    if (!target || target->kind != Target::Kind::Pose) return std::nullopt;
    return Anchor{target->frame, target->pose};
}

void settleTie(Cell& cell, TargetId first, std::unordered_set<std::uint32_t>& done)
{
    // Down to what is tied to no target, and back up from there.
    std::vector<TargetId> way;
    for (TargetId id = first; id && done.insert(id.value).second;) {
        const Target* target = findTarget(cell, id);
        if (!target || !target->tie) break;
        way.push_back(id);
        id = target->tie->target;
    }
    for (; !way.empty(); way.pop_back()) {
        const TargetId id = way.back();
        const Target* target = findTarget(cell, id);
        const std::optional<Anchor> anchor = anchorOf(cell, *target->tie);
        if (!anchor) {
            cell.targets.edit(id)->tie.reset();
            continue;
        }
        const Pose pose = anchor->pose * target->tie->pose;
        // What differs by rounding alone stays as it is.
        const PoseDeviation away = deviation(pose, target->pose);
        if (anchor->frame == target->frame && away.metres < 1e-12 && away.radians < 1e-12) continue;
        Target* moved = cell.targets.edit(id);
        moved->frame = anchor->frame;
        moved->pose = pose;
    }
}

}  // namespace

Result<Cell> settled(const Cell& cell)
{
    Result<Cell> next = settledGroups(cell);
    if (next) next = settledPicks(std::move(next).value());
    if (!next) return next;
    Cell out = std::move(next).value();
    std::vector<TargetId> tied;
    for (const Target& target : out.targets)
        if (target.tie) tied.push_back(target.id);
    std::unordered_set<std::uint32_t> done;
    for (const TargetId id : tied)
        settleTie(out, id, done);
    return out;
}

void keepTie(const Cell& cell, Target& target)
{
    if (!target.tie) return;
    if (const auto anchor = anchorOf(cell, *target.tie)) target.tie->pose = inverse(anchor->pose) * target.pose;
}

Result<Cell> tieTarget(const Cell& cell, TargetId id, PartId part, TargetId to)
{
    const Target* target = findTarget(cell, id);
    if (!target) return missing("target");
    if (Status bad = checkNoMember(cell, *target)) return *bad;
    if (target->kind == Target::Kind::Posture)
        return refused("edit.tie", fmt::format("\"{}\" is a posture", target->name), "Tie a pose target.");
    Cell next = cell;
    Target* own = next.targets.edit(id);
    own->tie.reset();
    if (!part && !to) return next;
    const Tie tie{part, to, {}};
    const std::optional<Anchor> anchor = anchorOf(cell, tie);
    if (!anchor)
        return refused("edit.tie", "what it is to be tied to is not a part or pose target of the cell",
                       "Choose another one.");
    for (TargetId at = to; at;) {
        const Target* link = findTarget(cell, at);
        if (at == id)
            return refused("edit.tie-loop", fmt::format("\"{}\" would come to be tied to itself", target->name),
                           "Choose another target.");
        at = link && link->tie ? link->tie->target : TargetId();
    }
    own->tie = tie;
    const Pose anchorFromTcp = inverse(worldFromFrame(cell, anchor->frame) * anchor->pose)
                               * worldFromFrame(cell, target->frame, target->axes) * target->pose;
    own->frame = anchor->frame;
    own->pose = anchor->pose * anchorFromTcp;
    own->tie->pose = anchorFromTcp;
    return next;
}

}  // namespace topikos
