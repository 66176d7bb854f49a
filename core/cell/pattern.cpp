#include "core/cell/pattern.h"

#include "core/cell/drawing.h"
#include "core/cell/edit_support.h"
#include "core/cell/edit_targets.h"
#include "core/cell/step_tree.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>
#include <unordered_map>

namespace topikos {

namespace {

constexpr double kFullTurn = 2 * std::numbers::pi;

Pose poseAt(const Pattern& p, std::uint32_t place)
{
    if (p.layout == Pattern::Layout::Ring) {
        const std::uint32_t i = place % p.columns, layer = place / p.columns;
        const bool closed = std::abs(std::abs(p.sweep) - kFullTurn) < 1e-9;
        const double angle = p.columns > 1 ? p.sweep * i / (closed ? p.columns : p.columns - 1) : 0;
        const Pose turn{Vec3::Zero(), Quat(Eigen::AngleAxisd(angle, Vec3::UnitZ()))};
        return p.first * turn * translated({p.pitch[0], 0, p.pitch[2] * layer});
    }
    const std::uint32_t column = place % p.columns, row = place / p.columns % p.rows,
                        layer = place / (p.columns * p.rows);
    const double shift = row % 2 ? p.stagger : 0;
    return p.first * translated({p.pitch[0] * (column + shift), p.pitch[1] * row, p.pitch[2] * layer});
}

/// Makes the members of a kind fit the places. `make` fills a new one.
template <class Object, class Make>
void fitMembers(Cell& cell, Table<Object>& objects, const Pattern& pattern, const std::vector<PatternPlace>& places,
                Make make)
{
    std::unordered_map<std::uint32_t, Object> members;  // by place
    std::set<std::string> taken;
    for (const Object& o : objects) {
        if (o.pattern == pattern.id) members.insert({o.place, o});
        else taken.insert(lowered(o.name));
    }
    if (members.empty() && places.empty()) return;
    objects.eraseIf([&](const Object& o) { return o.pattern == pattern.id; });
    const std::string stem = shortened(pattern.name, kLongestStem);
    for (size_t i = 0; i < places.size(); ++i) {
        const auto old = members.find(places[i].place);
        Object o = old != members.end() ? old->second : Object{};
        if (!o.id) {
            o.id = {cell.nextId++};
            o.pattern = pattern.id;
            o.place = places[i].place;
        }
        make(o);
        o.frame = pattern.frame;
        o.pose = places[i].pose;
        o.name = fmt::format("{} {}", stem, i + 1);
        for (int k = 2; !taken.insert(lowered(o.name)).second; ++k)
            o.name = fmt::format("{} {}-{}", stem, i + 1, k);
        objects.push_back(std::move(o));
    }
}

Status usedBy(const Cell& cell, const Pattern& pattern, const std::vector<PatternPlace>& kept)
{
    for (const Target& target : cell.targets) {
        if (target.pattern != pattern.id) continue;
        if (std::any_of(kept.begin(), kept.end(), [&](const PatternPlace& p) { return p.place == target.place; }))
            continue;
        if (Status used = checkUnused(cell, target)) return used;
    }
    return std::nullopt;
}

Result<Cell> fitted(Cell cell, const Pattern& pattern)
{
    const std::vector<PatternPlace> places = placesOf(pattern);
    const bool parts = pattern.content == Pattern::Content::Parts;
    if (Status used = usedBy(cell, pattern, parts ? std::vector<PatternPlace>{} : places)) return *used;
    fitMembers(cell, cell.parts, pattern, parts ? places : std::vector<PatternPlace>{},
               [&](Part& part) { part.kind = pattern.kind; });
    fitMembers(cell, cell.targets, pattern, parts ? std::vector<PatternPlace>{} : places, [&](Target& target) {
        if (!target.tool) target.configuration = pattern.configuration;
        target.arm = pattern.arm;
        target.tool = pattern.tool;
        target.axes = pattern.axes;
        target.approach = pattern.approach;
        target.retract = pattern.retract;
        if (pattern.layout == Pattern::Layout::Drawn)
            target.freedom.kind =
                pattern.drawing.turns == Drawing::Turn::Free ? Freedom::Kind::Turn : Freedom::Kind::Fixed;
    });
    dropUnusedKinds(cell);
    return cell;
}

/// Puts each place behind the one that is nearest to it of those left, the first one first; of equally near ones that
/// with the lowest number. By a grid with about one place in each of its boxes, so that time grows with the places.
void toTheNearest(std::vector<PatternPlace>& places)
{
    constexpr double same = 1e-12;  // [m^2]
    if (places.size() < 3) return;
    Eigen::AlignedBox3d around;
    for (const PatternPlace& place : places)
        around.extend(place.pose.translation);
    double content = 1;
    int sides = 0;
    for (const double length : around.sizes())
        if (length > 1e-9) content *= length, ++sides;
    const double size = sides > 0 ? std::pow(content / double(places.size()), 1.0 / sides) : 1;
    using Key = std::array<int, 3>;
    const auto keyOf = [&](const Vec3& at) {
        Key key;
        for (int i = 0; i < 3; ++i)
            key[size_t(i)] = int((at[i] - around.min()[i]) / size);
        return key;
    };
    const Key last = keyOf(around.max());
    const int far = *std::max_element(last.begin(), last.end());
    std::map<Key, std::vector<size_t>> boxes;
    for (size_t i = 1; i < places.size(); ++i)
        boxes[keyOf(places[i].pose.translation)].push_back(i);
    std::vector<PatternPlace> out{places.front()};
    while (out.size() < places.size()) {
        const Vec3 from = out.back().pose.translation;
        const Key middle = keyOf(from);
        std::vector<size_t>* in = nullptr;
        size_t at = 0;
        double least = INFINITY;
        const auto look = [&](std::vector<size_t>& box) {
            for (size_t k = 0; k < box.size(); ++k) {
                const double away = (places[box[k]].pose.translation - from).squaredNorm();
                const bool nearer =
                    away < least - same
                    || (in && std::abs(away - least) <= same && places[box[k]].place < places[(*in)[at]].place);
                if (!nearer) continue;
                least = std::min(least, away);
                in = &box;
                at = k;
            }
        };
        constexpr int shells = 6;  // then all that are left
        for (int r = 0; r <= std::min(shells, far) && !(in && least + same < std::pow((r - 1) * size, 2)); ++r) {
            const auto range = [&](int i) {
                return std::pair(std::max(0, middle[size_t(i)] - r), std::min(last[size_t(i)], middle[size_t(i)] + r));
            };
            for (int x = range(0).first; x <= range(0).second; ++x)
                for (int y = range(1).first; y <= range(1).second; ++y)
                    for (int z = range(2).first; z <= range(2).second; ++z) {
                        const int away =
                            std::max({std::abs(x - middle[0]), std::abs(y - middle[1]), std::abs(z - middle[2])});
                        if (away != r) continue;
                        if (const auto own = boxes.find({x, y, z}); own != boxes.end()) look(own->second);
                    }
        }
        if (!in || least > std::pow((shells - 1) * size, 2))
            for (auto& [key, box] : boxes)
                look(box);
        out.push_back(places[(*in)[at]]);
        (*in)[at] = in->back();
        in->pop_back();
        if (in->empty()) boxes.erase(keyOf(out.back().pose.translation));
    }
    places = std::move(out);
}

}  // namespace

std::uint32_t placeCount(const Pattern& p)
{
    if (p.layout == Pattern::Layout::Drawn) return freeNumber(p.drawing);
    return p.columns * (p.layout == Pattern::Layout::Grid ? p.rows : 1) * p.layers;
}

std::vector<PatternPlace> placesOf(const Pattern& p)
{
    std::vector<PatternPlace> out;
    const std::set<std::uint32_t> leftOut(p.leftOut.begin(), p.leftOut.end());
    if (p.layout == Pattern::Layout::Drawn) {
        for (size_t i = 0; i < p.drawing.points.size(); ++i)
            if (const std::uint32_t number = p.drawing.points[i].number; !leftOut.contains(number))
                out.push_back({number, p.first * bodyFromTcp(p.drawing, i)});
        return out;
    }
    for (std::uint32_t i = 0; i < placeCount(p); ++i) {
        std::uint32_t place = i;
        if (p.order == Pattern::Order::Serpentine && p.layout == Pattern::Layout::Grid) {
            const std::uint32_t row = i / p.columns, column = i % p.columns;
            if (row % 2) place = row * p.columns + (p.columns - 1 - column);
        }
        if (!leftOut.contains(place)) out.push_back({place, poseAt(p, place) * p.inPlace});
    }
    if (p.order == Pattern::Order::Nearest) toTheNearest(out);
    return out;
}

Pattern following(Pattern targets, const Pattern& parts)
{
    targets.follows = parts.id;
    targets.frame = parts.frame;
    targets.first = parts.first;
    targets.layout = parts.layout;
    targets.columns = parts.columns;
    targets.rows = parts.rows;
    targets.layers = parts.layers;
    targets.pitch = parts.pitch;
    targets.stagger = parts.stagger;
    targets.sweep = parts.sweep;
    targets.leftOut = parts.leftOut;
    return targets;
}

std::vector<Pose> membersOf(const Cell& cell, const Pattern& pattern)
{
    std::vector<Pose> out;
    const auto collect = [&](const auto& objects) {
        for (const auto& o : objects)
            if (o.pattern == pattern.id) out.push_back(o.pose);
    };
    if (pattern.content == Pattern::Content::Parts) collect(cell.parts);
    else collect(cell.targets);
    return out;
}

Status checkPattern(const Cell& cell, const Pattern& p)
{
    const auto fail = [](const char* code, std::string message, const char* remedy) {
        return Error{code, std::move(message), "", remedy};
    };
    if (p.layout == Pattern::Layout::Drawn && p.drawing.part && !findPart(cell, p.drawing.part))
        return fail("edit.missing", "the part that the group is drawn on is not in the cell",
                    "Draw it on another one.");
    if (p.frame && !findFrame(cell, p.frame))
        return fail("edit.missing", "the pattern's frame is not in the cell", "Choose another one.");
    for (const double count :
         {double(p.columns), double(p.rows), double(p.layers), double(p.columns) * double(p.rows) * double(p.layers)})
        if (Status bad = checkLimit(limits::kPlaces, count, "edit.pattern-count")) return bad;
    for (const double distance : p.pitch)
        if (Status bad = checkLimit(limits::kPitch, distance, "edit.pattern-pitch")) return bad;
    if (Status bad = checkLimit(limits::kStagger, p.stagger, "edit.pattern-stagger")) return bad;
    if (Status bad = checkLimit(limits::kTurnsOfAPattern, p.sweep, "edit.pattern-sweep")) return bad;
    if (Status bad = checkLimit(limits::kLeftOut, double(p.leftOut.size()), "edit.pattern-empty")) return bad;
    if (Status bad = checkPose(p.first)) return bad;
    if (Status bad = checkPose(p.inPlace)) return bad;
    if (p.follows) {
        const Pattern* parts = findPattern(cell, p.follows);
        if (!parts || parts->content != Pattern::Content::Parts || p.content != Pattern::Content::Targets
            || p.layout == Pattern::Layout::Drawn)
            return fail("edit.pattern-follows", "only targets in rows or rings follow a pattern, and only one of parts",
                        "Let it have places of its own.");
    }
    if (p.layout == Pattern::Layout::Drawn) {
        if (p.content == Pattern::Content::Parts)
            return fail("edit.drawing-parts", "a drawn group is of targets", "Draw targets.");
        if (Status bad = checkDrawing(p.drawing)) return bad;
    }
    for (const Approach& way : {p.approach, p.retract})
        if (Status bad = checkApproach(way)) return bad;
    if (p.content == Pattern::Content::Parts ? !findPartKind(cell, p.kind)
                                             : !findTool(cell, p.tool) || !findArm(cell, p.arm))
        return fail("edit.missing", "what the pattern repeats is not in the cell", "Choose another one.");
    if (placesOf(p).empty())
        return fail("edit.pattern-empty", "every place of the pattern is left out", "Leave at least one.");
    return std::nullopt;
}

Pattern patternOf(const Target& target)
{
    Pattern out;
    out.content = Pattern::Content::Targets;
    out.frame = target.frame;
    out.first = target.pose;
    out.arm = target.arm;
    out.tool = target.tool;
    out.axes = target.axes;
    out.configuration = target.configuration;
    out.approach = target.approach;
    out.retract = target.retract;
    return out;
}

Result<Cell> addPattern(const Cell& cell, Pattern pattern, PatternId* created, PartId firstPart, TargetId firstTarget)
{
    if (Status bad = checkNewName(cell.patterns, pattern.name)) return *bad;
    if (Status bad = checkPattern(cell, pattern)) return *bad;
    Cell next = cell;
    pattern.id = {next.nextId++};
    if (created) *created = pattern.id;
    next.patterns.push_back(pattern);
    const auto adopt = [&](auto& list, auto id) {
        const auto* known = list.find(id);
        if (!id || !known || known->pattern) return;
        auto* member = list.edit(id);
        member->pattern = pattern.id;
        member->place = 0;
    };
    if (pattern.content == Pattern::Content::Parts) adopt(next.parts, firstPart);
    else adopt(next.targets, firstTarget);
    return fitted(std::move(next), pattern);
}

Result<Cell> changePattern(const Cell& cell, const Pattern& pattern)
{
    if (Status bad = checkNewName(cell.patterns, pattern.name, pattern.id)) return *bad;
    if (Status bad = checkPattern(cell, pattern)) return *bad;
    if (const Pattern* parts = findPattern(cell, pattern.follows); parts && !(following(pattern, *parts) == pattern))
        return Error{"edit.pattern-follows",
                     fmt::format("\"{}\" has its places where \"{}\" has its parts", pattern.name, parts->name), "",
                     "Change that pattern, or give this one places of its own first."};
    Cell next = cell;
    Pattern* own = next.patterns.edit(pattern.id);
    if (!own) return missing("pattern");
    const bool sameDrawing = own->drawing == pattern.drawing;  // it may stand elsewhere now
    *own = pattern;
    Result<Cell> out = fitted(std::move(next), pattern);
    if (sameDrawing || !pattern.drawing.family || pattern.layout != Pattern::Layout::Drawn) return out;
    // The others of the family show the same.
    for (const Pattern& other : cell.patterns) {
        if (!out) return out;
        if (other.id == pattern.id || other.drawing.family != pattern.drawing.family) continue;
        Pattern same = *findPattern(*out, other.id);
        same.drawing = pattern.drawing;
        same.drawing.part = other.drawing.part;
        Cell changed = *out;
        *changed.patterns.edit(other.id) = same;
        out = fitted(std::move(changed), same);
    }
    return out;
}

Result<Cell> deletePattern(const Cell& cell, PatternId id, bool keepMembers)
{
    const Pattern* pattern = findPattern(cell, id);
    if (!pattern) return missing("pattern");
    if (!keepMembers)
        if (Status used = usedBy(cell, *pattern, {})) return *used;
    for (const StepUse& use : stepsThatUse(cell, id))
        return Error{"edit.pattern-used", fmt::format("\"{}\" is used by {}", pattern->name, wordsOf(cell, use)), "",
                     "Delete that step first."};
    Cell next = cell;
    next.patterns.erase(id);
    const auto settle = [&](auto& objects) {
        const auto isMember = [id](const auto& o) { return o.pattern == id; };
        if (!keepMembers) objects.eraseIf(isMember);
        objects.change(isMember, [](auto& o) { o.pattern = {}; });
    };
    settle(next.parts);
    settle(next.targets);
    dropUnusedKinds(next);
    return next;
}

}  // namespace topikos
