#include "core/cell/applied.h"

#include "core/cell/settled.h"
#include "core/cell/validate.h"

#include <fmt/format.h>

#include <algorithm>

namespace topikos {

Result<Cell> applied(const Cell& cell, const Edit& edit)
{
    Result<Cell> next = edit(cell);
    if (next) next = settled(*next);
    if (!next) return next;
    if (const Status bad = validate(*next))
        return Error{"edit.invalid", bad->message, bad->where, "The edit is refused; the cell is as it was."};
    return next;
}

namespace {

/// Each table of a cell with its part of a patch, one after the other until one says false.
template <class CellType, class PatchType, class Visit> bool eachTable(CellType& cell, PatchType& patch, Visit visit)
{
    return visit(cell.arms, patch.arms) && visit(cell.frames, patch.frames) && visit(cell.tools, patch.tools)
           && visit(cell.partKinds, patch.partKinds) && visit(cell.parts, patch.parts)
           && visit(cell.patterns, patch.patterns) && visit(cell.targets, patch.targets)
           && visit(cell.signals, patch.signals) && visit(cell.timeTables, patch.timeTables)
           && visit(cell.routines, patch.routines);
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

template <class T> void replace(Table<T>& table, const CellPatch::Of<T>& part)
{
    for (const auto& [before, after] : part.objects) {
        if (!after) table.erase(before->id);
        else if (T* own = table.edit(after->id)) *own = *after;
        else table.push_back(*after);
    }
}

template <class T> void putInOrder(Table<T>& table, const std::vector<typename Table<T>::IdType>& order)
{
    size_t next = 0;
    for (const auto id : order)
        if (const auto at = table.placeOf(id)) table.move(*at, next++);
}

}  // namespace

CellPatch patchBetween(const Cell& before, const Cell& after)
{
    CellPatch out;
    out.nextId = after.nextId;
    Cell tried = before;
    eachTable(tried, out, [&]<class T>(Table<T>& table, CellPatch::Of<T>& part) {
        const Table<T>* wanted = nullptr;
        CellPatch none;
        eachTable(after, none, [&]<class U>(const Table<U>& own, CellPatch::Of<U>&) {
            if constexpr (std::is_same_v<T, U>) wanted = &own;
            return !wanted;
        });
        if (table.isShared(*wanted)) return true;
        for (size_t i = 0; i < wanted->size(); ++i) {
            const auto at = table.placeOf((*wanted)[i].id);
            if (!at || (table.shared(*at) != wanted->shared(i) && !(table[*at] == (*wanted)[i])))
                part.objects.push_back({at ? table.shared(*at) : nullptr, wanted->shared(i)});
        }
        for (size_t i = 0; i < table.size(); ++i)
            if (!wanted->placeOf(table[i].id)) part.objects.push_back({table.shared(i), nullptr});
        replace(table, part);
        const bool same = std::equal(table.begin(), table.end(), wanted->begin(), wanted->end(),
                                     [](const T& a, const T& b) { return a.id == b.id; });
        if (same) return true;
        part.order.emplace();
        for (const T& object : *wanted)
            part.order->push_back(object.id);
        return true;
    });
    Cell rest = restOf(after);
    if (!(rest == restOf(before))) out.rest = std::make_shared<const Cell>(std::move(rest));
    return out;
}

Result<Cell> patched(const Cell& cell, const CellPatch& patch)
{
    Cell next = patch.rest ? *patch.rest : restOf(cell);
    next.nextId = std::max(cell.nextId, patch.nextId);
    std::string other;
    const bool fits = eachTable(cell, patch, [&]<class T>(const Table<T>& now, const CellPatch::Of<T>& part) {
        for (const auto& [before, after] : part.objects) {
            const T* own = now.find(before ? before->id : after->id);
            const bool same = before ? own && (own == before.get() || *own == *before) : own == nullptr;
            if (!same) other = before ? before->name : after->name;
            if (!same) return false;
        }
        return true;
    });
    if (!fits)
        return Error{"edit.changed-since", fmt::format("\"{}\" has changed since this was worked out", other), "",
                     "Look for it anew."};
    eachTable(next, patch, [&]<class T>(Table<T>& table, const CellPatch::Of<T>& part) {
        CellPatch none;
        eachTable(cell, none, [&]<class U>(const Table<U>& own, CellPatch::Of<U>&) {
            if constexpr (std::is_same_v<T, U>) table = own;
            return true;
        });
        replace(table, part);
        if (part.order) putInOrder(table, *part.order);
        return true;
    });
    return next;
}

}  // namespace topikos
