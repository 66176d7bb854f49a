#include "core/program/kept_ids.h"

#include "core/cell/edit_support.h"
#include "core/cell/step_tree.h"
#include "core/program/step_text.h"

#include <algorithm>
#include <set>

namespace topikos {

namespace {

/// Steps in the order in which they are read, to be compared.
struct Flat {
    Step* step;
    int depth;
};

void flatten(Steps& steps, int depth, std::vector<Flat>& out)
{
    for (size_t i = 0; i < steps.size(); ++i) {
        Step& own = steps.at(i);
        out.push_back({&own, depth});
        flatten(own.body, depth + 1, out);
        flatten(own.otherwise, depth + 1, out);
    }
}

/// Whether two steps read the same, what they hold left out of account. Numbers may have more digits than a text shows.
bool readSame(const Vocabulary& words, const StepScope& scope, const Step& a, const Step& b)
{
    if (a.off != b.off || a.note != b.note || a.kind() != b.kind()) return false;
    return a.action == b.action || stepText(words, a, &scope) == stepText(words, b, &scope);
}

}  // namespace

std::vector<RoutineId> identifiedRoutines(const Cell& cell, const std::vector<std::string>& names)
{
    std::vector<RoutineId> out(names.size());
    std::set<RoutineId> taken;
    for (size_t i = 0; i < names.size(); ++i)
        if (const Routine* same = findNamed(cell.routines, names[i]); same && taken.insert(same->id).second)
            out[i] = same->id;
    // One that got another name stands behind the same one as before.
    size_t behind = 0;
    for (RoutineId& id : out) {
        if (id) {
            behind = *cell.routines.placeOf(id) + 1;
        } else if (behind < cell.routines.size() && taken.insert(cell.routines[behind].id).second) {
            id = cell.routines[behind++].id;
        }
    }
    return out;
}

void keepIds(const Vocabulary& words, const Routine& routine, const Steps& before, Steps& after, std::uint32_t& nextId)
{
    const StepScope scope{routine};
    const std::vector<StepRow> old = rowsOf(before);
    std::vector<Flat> now;
    flatten(after, 0, now);
    const auto same = [&](size_t i, size_t k) {
        return old[i].depth == now[k].depth && readSame(words, scope, *old[i].step, *now[k].step);
    };
    const auto keep = [&](size_t i, size_t k) {
        now[k].step->id = old[i].step->id;
        now[k].step->action = old[i].step->action;
    };
    size_t first = 0, oldEnd = old.size(), nowEnd = now.size();
    for (; first < oldEnd && first < nowEnd && same(first, first); ++first)
        keep(first, first);
    for (; oldEnd > first && nowEnd > first && same(oldEnd - 1, nowEnd - 1); --oldEnd, --nowEnd)
        keep(oldEnd - 1, nowEnd - 1);
    const size_t n = oldEnd - first, m = nowEnd - first;
    std::vector<bool> used(n, false);
    constexpr size_t kMostPairs = 4'000'000;
    if (n * m > 0 && n * m <= kMostPairs) {
        // The longest common subsequence of what changed, by their texts.
        std::vector<std::string> was(n), is(m);
        const auto line = [&](const Step& step, int depth) {
            return std::to_string(depth) + stepText(words, step, &scope) + "#" + step.note;
        };
        for (size_t i = 0; i < n; ++i)
            was[i] = line(*old[first + i].step, old[first + i].depth);
        for (size_t k = 0; k < m; ++k)
            is[k] = line(*now[first + k].step, now[first + k].depth);
        std::vector<std::uint16_t> length((n + 1) * (m + 1), 0);
        const auto at = [&](size_t i, size_t k) -> std::uint16_t& { return length[i * (m + 1) + k]; };
        for (size_t i = n; i-- > 0;)
            for (size_t k = m; k-- > 0;)
                at(i, k) = was[i] == is[k] ? std::uint16_t(at(i + 1, k + 1) + 1) : std::max(at(i + 1, k), at(i, k + 1));
        for (size_t i = 0, k = 0; i < n && k < m;) {
            if (was[i] == is[k]) {
                keep(first + i, first + k);
                used[i] = true;
                ++i, ++k;
            } else if (at(i + 1, k) >= at(i, k + 1)) {
                ++i;
            } else {
                ++k;
            }
        }
    }
    // What is left: a step that changed is of the same kind, in order.
    size_t from = 0;
    for (size_t k = 0; k < m; ++k) {
        if (now[first + k].step->id) continue;
        for (size_t i = from; i < n; ++i) {
            if (used[i] || old[first + i].step->kind() != now[first + k].step->kind()) continue;
            now[first + k].step->id = old[first + i].step->id;
            used[i] = true;
            from = i + 1;
            break;
        }
    }
    for (const Flat& f : now)
        if (!f.step->id) f.step->id = {nextId++};
    // The tables are told of the ids only now.
    const auto rebuild = [](auto&& self, Steps& steps) -> void {
        for (size_t i = 0; i < steps.size(); ++i) {
            Step& own = steps.at(i);
            self(self, own.body);
            self(self, own.otherwise);
        }
        steps = Steps(std::vector<Step>(steps.begin(), steps.end()));
    };
    rebuild(rebuild, after);
}

std::vector<Parameter> keptPlaces(const std::vector<Parameter>& before, const std::vector<std::string>& names,
                                  std::uint32_t& nextId)
{
    std::vector<Parameter> out;
    std::vector<bool> used(before.size(), false);
    for (const std::string& name : names) {
        out.push_back({{}, name});
        for (size_t i = 0; i < before.size(); ++i)
            if (!used[i] && lowered(before[i].name) == lowered(name)) out.back().id = before[i].id, used[i] = true;
    }
    for (size_t i = 0; i < out.size(); ++i) {
        if (out[i].id) continue;
        if (i < before.size() && !used[i]) out[i].id = before[i].id, used[i] = true;
        else out[i].id = {nextId++};
    }
    return out;
}

}  // namespace topikos
