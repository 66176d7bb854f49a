#include "core/cell/diff.h"

#include <algorithm>

namespace topikos {

namespace {

template <class T>
void compare(const Table<T>& before, const Table<T>& after, std::vector<typename Table<T>::IdType>& changed,
             bool& order)
{
    if (before.isShared(after)) return;
    for (size_t i = 0; i < after.size(); ++i) {
        const auto place = before.placeOf(after[i].id);
        if (!place || before.shared(*place) != after.shared(i)) changed.push_back(after[i].id);
        order = order || (place && *place != i);
    }
    for (const T& object : before)
        if (!after.placeOf(object.id)) changed.push_back(object.id);
}

size_t bytesOf(const std::vector<Solid>& solids)
{
    size_t bytes = solids.capacity() * sizeof(Solid);
    for (const Solid& s : solids)
        bytes += s.outline.capacity() * sizeof(Eigen::Vector2d);
    return bytes;
}

size_t bytesOf(const Triangles& triangles) { return triangles.points.size() * 12 + triangles.faces.size() * 12; }

/// Surfaces that the former shapes do not have, too.
size_t surfaceBytes(const std::vector<Solid>& solids, const std::vector<Solid>* former)
{
    const auto known = [&](const auto& surface) {
        return former && std::any_of(former->begin(), former->end(), [&](const Solid& own) {
                   return own.surface.drawn == surface || own.surface.light == surface;
               });
    };
    size_t bytes = 0;
    for (const Solid& s : solids)
        for (const auto* surface : {&s.surface.drawn, &s.surface.light})
            if (*surface && (surface == &s.surface.drawn || s.surface.light != s.surface.drawn) && !known(*surface))
                bytes += bytesOf(**surface);
    return bytes;
}

size_t bytesOf(const Arm& arm)
{
    size_t bytes = sizeof(Arm) + size_t(arm.jointCount()) * sizeof(Joint);
    for (const LinkMesh& mesh : arm.description().meshes)
        bytes += bytesOf(*mesh.triangles);
    return bytes;
}

template <class T> size_t tableBytes(const Table<T>& table, const Table<T>& other);

/// What an object holds beside itself, and does not share with its former value.
template <class T> size_t insideBytes(const T& object, const T* former)
{
    size_t bytes = object.name.capacity();
    const auto shapes = [&](const std::vector<Solid> T::*list) {
        bytes += bytesOf(object.*list);
        bytes += surfaceBytes(object.*list, former ? &(former->*list) : nullptr);
    };
    if constexpr (requires { object.solids; }) shapes(&T::solids);
    if constexpr (requires { object.body; }) {
        shapes(&T::body);
        shapes(&T::jaw);
        bytes += object.points.capacity() * sizeof(ToolPoint);
    }
    if constexpr (requires { object.model; })
        if (!former || former->model != object.model) bytes += bytesOf(*object.model);
    if constexpr (requires { object.axes; }) bytes += object.axes.capacity() * sizeof(AxisValue);
    if constexpr (requires { object.freedom; }) bytes += object.group.capacity() + object.note.capacity();
    if constexpr (requires { object.grips; }) bytes += object.grips.capacity() * sizeof(GripPoint);
    if constexpr (requires { object.drawing; }) bytes += object.drawing.points.capacity() * sizeof(SurfacePoint);
    if constexpr (requires { object.leftOut; }) bytes += object.leftOut.capacity() * sizeof(std::uint32_t);
    if constexpr (requires { object.rows->times; })
        if (!former || former->rows != object.rows)
            bytes += (object.rows->times.capacity() + object.rows->values.capacity()) * sizeof(double);
    if constexpr (requires { object.steps; }) bytes += tableBytes(object.steps, former ? former->steps : Steps());
    return bytes;
}
template <> size_t insideBytes(const Step& step, const Step* former)
{
    size_t bytes = step.note.capacity() + step.mayTouch.capacity() * sizeof(Touchable);
    if (const MoveAxes* move = step.as<MoveAxes>()) bytes += move->values.capacity() * sizeof(double);
    if (const Call* call = step.as<Call>()) bytes += call->places.capacity() * sizeof(Place);
    if (const Halt* halt = step.as<Halt>()) bytes += halt->message.capacity();
    for (const auto list : {&Step::body, &Step::otherwise})
        bytes += tableBytes(step.*list, former ? former->*list : Steps());
    return bytes;
}

template <class T> size_t tableBytes(const Table<T>& table, const Table<T>& other)
{
    if (table.isShared(other)) return 0;
    constexpr size_t perEntry = sizeof(std::shared_ptr<const T>) + 2 * sizeof(std::uint32_t), perObject = 32;
    size_t bytes = table.size() * perEntry;
    for (size_t i = 0; i < table.size(); ++i) {
        const auto place = other.placeOf(table[i].id);
        if (place && other.shared(*place) == table.shared(i)) continue;
        bytes += sizeof(T) + perObject + insideBytes(table[i], place ? &other[*place] : nullptr);
    }
    return bytes;
}

}  // namespace

bool CellDiff::onlyRoutines() const
{
    return arms.empty() && frames.empty() && tools.empty() && partKinds.empty() && parts.empty() && patterns.empty()
           && targets.empty() && signals.empty() && timeTables.empty() && !rest;
}

CellDiff differences(const Cell& before, const Cell& after)
{
    CellDiff diff;
    compare(before.arms, after.arms, diff.arms, diff.order);
    compare(before.frames, after.frames, diff.frames, diff.order);
    compare(before.tools, after.tools, diff.tools, diff.order);
    compare(before.partKinds, after.partKinds, diff.partKinds, diff.order);
    compare(before.parts, after.parts, diff.parts, diff.order);
    compare(before.patterns, after.patterns, diff.patterns, diff.order);
    compare(before.targets, after.targets, diff.targets, diff.order);
    compare(before.signals, after.signals, diff.signals, diff.order);
    compare(before.timeTables, after.timeTables, diff.timeTables, diff.order);
    compare(before.routines, after.routines, diff.routines, diff.order);
    diff.rest = before.name != after.name || before.thresholds != after.thresholds
                || before.lineLimits != after.lineLimits || before.angles != after.angles
                || before.contact != after.contact || before.accepted != after.accepted
                || before.asBuilt != after.asBuilt;
    return diff;
}

size_t bytesBeside(const Cell& cell, const Cell& other)
{
    size_t bytes = sizeof(Cell) + cell.name.capacity() + tableBytes(cell.arms, other.arms)
                   + tableBytes(cell.frames, other.frames) + tableBytes(cell.tools, other.tools)
                   + tableBytes(cell.partKinds, other.partKinds) + tableBytes(cell.parts, other.parts)
                   + tableBytes(cell.patterns, other.patterns) + tableBytes(cell.targets, other.targets)
                   + tableBytes(cell.signals, other.signals) + tableBytes(cell.timeTables, other.timeTables)
                   + tableBytes(cell.routines, other.routines);
    for (const Accepted& own : cell.accepted)
        bytes += sizeof own + own.rule.capacity() + own.reads.capacity() + own.reason.capacity();
    return bytes + cell.contact.pairs.capacity() * sizeof(ContactPair);
}

}  // namespace topikos
