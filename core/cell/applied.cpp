#include "core/cell/applied.h"

#include "core/cell/settled.h"
#include "core/cell/validate.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace topikos {

Result<Cell> applied(const Cell& cell, const Edit& edit)
{
    Result<Cell> next = edit(cell);
    if (next) next = settled(*next);
    if (!next) return next;
    if (const Status bad = validate(*next, cell))
        return Error{"edit.invalid", bad->message, bad->where, "The edit is refused; the cell is as it was."};
    return next;
}

namespace {

/// Each table of a cell, with its part of a patch.
template <class Visit> void eachTable(Visit visit)
{
    visit(&Cell::arms, &CellPatch::arms);
    visit(&Cell::frames, &CellPatch::frames);
    visit(&Cell::tools, &CellPatch::tools);
    visit(&Cell::partKinds, &CellPatch::partKinds);
    visit(&Cell::parts, &CellPatch::parts);
    visit(&Cell::patterns, &CellPatch::patterns);
    visit(&Cell::targets, &CellPatch::targets);
    visit(&Cell::signals, &CellPatch::signals);
    visit(&Cell::timeTables, &CellPatch::timeTables);
    visit(&Cell::routines, &CellPatch::routines);
}

/// All but the objects.
Cell restOf(const Cell& cell)
{
    Cell out;
    out.name = cell.name;
    out.thresholds = cell.thresholds;
    out.lineLimits = cell.lineLimits;
    out.angles = cell.angles;
    out.contact = cell.contact;
    out.accepted = cell.accepted;
    out.asBuilt = cell.asBuilt;
    return out;
}

/// A table with what a part of a patch replaces.
template <class T> Table<T> replaced(Table<T> table, const CellPatch::Of<T>& part)
{
    std::set<typename Table<T>::IdType> gone;
    for (const auto& [before, after] : part.objects) {
        if (!after) gone.insert(before->id);
        else if (T* own = table.edit(after->id)) *own = *after;
        else table.push_back(*after);
    }
    if (!gone.empty()) table.eraseIf([&](const T& object) { return gone.contains(object.id); });
    if (part.order) table.arrange(*part.order);
    return table;
}

template <class T> CellPatch::Of<T> between(const Table<T>& before, const Table<T>& after)
{
    CellPatch::Of<T> out;
    if (before.isShared(after)) return out;
    for (size_t i = 0; i < after.size(); ++i) {
        const auto at = before.placeOf(after[i].id);
        if (!at || (before.shared(*at) != after.shared(i) && !(before[*at] == after[i])))
            out.objects.push_back({at ? before.shared(*at) : nullptr, after.shared(i)});
    }
    for (size_t i = 0; i < before.size(); ++i)
        if (!after.placeOf(before[i].id)) out.objects.push_back({before.shared(i), nullptr});
    const Table<T> made = replaced(before, out);
    const auto sameId = [](const T& a, const T& b) { return a.id == b.id; };
    if (std::equal(made.begin(), made.end(), after.begin(), after.end(), sameId)) return out;
    out.order.emplace();
    for (const T& object : after)
        out.order->push_back(object.id);
    return out;
}

/// The name of the first object that is no longer as it was; empty when all are.
template <class T> std::string changedSince(const Table<T>& now, const CellPatch::Of<T>& part)
{
    for (const auto& [before, after] : part.objects) {
        const T* own = now.find(before ? before->id : after->id);
        const bool same = before ? own && (own == before.get() || *own == *before) : own == nullptr;
        if (!same) return before ? before->name : after->name;
    }
    return "";
}

}  // namespace

CellPatch patchBetween(const Cell& before, const Cell& after)
{
    CellPatch out;
    out.nextId = after.nextId;
    eachTable([&](auto table, auto part) { out.*part = between(before.*table, after.*table); });
    Cell rest = restOf(after);
    if (!(rest == restOf(before))) out.rest = std::make_shared<const Cell>(std::move(rest));
    return out;
}

Result<Cell> patched(const Cell& cell, const CellPatch& patch)
{
    std::string other;
    eachTable([&](auto table, auto part) {
        if (other.empty()) other = changedSince(cell.*table, patch.*part);
    });
    if (!other.empty())
        return Error{"edit.changed-since", fmt::format("\"{}\" has changed since this was worked out", other), "",
                     "Look for it anew."};
    Cell next = patch.rest ? *patch.rest : restOf(cell);
    next.nextId = std::max(cell.nextId, patch.nextId);
    eachTable([&](auto table, auto part) { next.*table = replaced(cell.*table, patch.*part); });
    return next;
}

}  // namespace topikos
