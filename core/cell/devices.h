#pragma once
#include "core/cell/edit.h"

#include <unordered_map>

namespace topikos {

/// "rail", "turntable" …: the word for a kind of device.
const char* deviceWord(Device::Kind kind);
/// The same as a title: "Rail".
std::string deviceTitle(Device::Kind kind);

/// What the signals of a kind of device are for; nullptr where it has none. Inputs are read by the device, outputs and
/// numbers written.
struct Wires {
    const char* input = nullptr;
    const char* output = nullptr;
    const char* number = nullptr;
};
Wires wiresOf(Device::Kind kind);

/// Devices whose axes steps and hands can move: all with axes but clamps, which follow their signal.
std::vector<FrameId> movableDevices(const Cell& cell);

/// Where a new device stands at first: on a belt a source at its start, a sink at its end, and what looks across it
/// near that end; in other frames at their origin; in the world before the arm.
Pose usualPlace(const Cell& cell, Device::Kind kind, FrameId parent);

/// A device with its axes and a plain body, standing in a frame of its own. Made with usual values; sensors get a
/// signal to write and the width of the belt they stand on, a source in a cell without parts a kind of its own.
Result<Cell> addDevice(const Cell& cell, Device::Kind kind, const std::string& name, FrameId parent,
                       const Pose& parentFromDevice, FrameId* created = nullptr);
/// Other values for the device of a frame; its kind stays. Belts keep a body of their size as long as nobody gave them
/// another one.
Result<Cell> changeDevice(const Cell& cell, FrameId id, const Device& device);
/// A source makes parts of a kind of its own, a box at first, of which the cell need not have any part.
Result<Cell> makeNewKind(const Cell& cell, FrameId source);
/// Other values for an axis. Refused while a target or step goes where it could not.
Result<Cell> changeAxis(const Cell& cell, FrameId id, const FrameAxis& axis);
/// The device axes that come along to a target, and to all of its pattern.
Result<Cell> setTargetAxes(const Cell& cell, TargetId id, const AxisValues& axes);

Result<Cell> addSignal(const Cell& cell, const std::string& name, Signal::Kind kind, SignalId* created = nullptr);
/// Replaces the signal with the same id. Refused when steps give it values it could not have.
Result<Cell> changeSignal(const Cell& cell, const Signal& signal);
/// Refused while a device or step uses it.
Result<Cell> deleteSignal(const Cell& cell, SignalId id);

/// Where a signal is used.
struct SignalUse {
    bool writes = false;
    FrameId device;  ///< a device, or else a step:
    RoutineId routine;
    StepId step;
    std::string words;  ///< "Infeed belt: runs while", "Set one tile, step 4"
};
std::vector<SignalUse> usesOf(const Cell& cell, SignalId id);

/// The device that writes a signal, none for signals that steps may set.
FrameId writerOf(const Cell& cell, SignalId id);

/// Who writes each signal: devices in the order of the cell.
using SignalWriters = std::unordered_map<std::uint32_t, std::vector<FrameId>>;
SignalWriters signalWriters(const Cell& cell);
/// Whether devices of a kind have axes.
bool hasAxes(Device::Kind kind);

/// What is wrong with a device's or an axis' values, or nothing. With `writers`, which many calls may share, steps that
/// write its signals are left to checkStep().
Status checkDevice(const Cell& cell, const Frame& frame, const SignalWriters* writers = nullptr);
Status checkAxis(const FrameAxis& axis);

}  // namespace topikos
