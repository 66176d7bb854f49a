#pragma once
#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/simulate/state.h"
#include "tests/core/support.h"

/// Cells with devices that several test classes start from.
namespace topikos::test {

using Do = std::function<Result<Cell>(const Cell&, FrameId, FrameId)>;

/// The demo cell with a device; `id` is its frame.
inline Cell with(const Cell& cell, Device::Kind kind, const std::string& name, const Pose& pose, FrameId& id,
                 FrameId parent = {})
{
    return addDevice(cell, kind, name, parent, pose, &id).value();
}

inline Cell withoutParts(Cell cell)
{
    while (!cell.parts.empty())
        cell = deletePart(cell, cell.parts.back().id).value();
    return cell;
}

/// The arm on a rail along Y of the world.
inline Cell onRail(FrameId& rail, FrameId& carriage)
{
    Cell cell = example("tile-glazing-line");
    cell = with(cell, Device::Kind::Rail, "Rail",
                Pose{Vec3(0, -0.5, 0.1), Quat(Eigen::AngleAxisd(90 * kDegree, Vec3::UnitZ()))}, rail);
    carriage = axesOf(cell, rail).front();
    return setArmMount(cell, cell.arms.front().id, carriage).value();
}

inline Pose partAt(const Cell& cell, const Trace& trace, PartId part, double time)
{
    for (const PlacedPart& p : stateAt(cell, trace, time).parts)
        if (p.part == part) return p.worldFromPart;
    return translated({NAN, NAN, NAN});
}

inline double timeOf(double distance, double speed, double acceleration)
{
    if (distance >= speed * speed / acceleration) return distance / speed + speed / acceleration;
    return 2 * std::sqrt(distance / acceleration);
}

inline SignalId signalNamed(const Cell& cell, const std::string& name)
{
    for (const Signal& s : cell.signals)
        if (s.name == name) return s.id;
    return {};
}

/// When a signal first takes a value, NaN for never.
inline double firstTime(const Trace& trace, SignalId id, double value)
{
    for (const SignalEvent& e : trace.signalEvents)
        if (e.signal == id && e.value == value) return e.time;
    return NAN;
}

/// A belt along X of the world with a running time of 60 s beside it, and parts of 150 mm on it at these places.
inline Cell beltCell(std::initializer_list<double> places, FrameId& belt)
{
    Cell cell = withoutParts(example("tile-glazing-line"));
    cell = with(cell, Device::Kind::Belt, "Belt", translated({-3, 2, 0.5}), belt);
    int n = 0;
    for (const double x : places) {
        PartId id;
        cell = addPart(cell, "Slab " + std::to_string(++n), belt, translated({x, 0, 0.05}), &id).value();
        PartKind kind = *findPartKind(cell, findPart(cell, id)->kind);
        kind.solids = {Solid{Solid::Kind::Box, {}, {0.15, 0.1, 0.1}}};
        cell = changePartKind(cell, kind).value();
    }
    return withSteps(cell, {"wait 60 s"});
}

}  // namespace topikos::test
