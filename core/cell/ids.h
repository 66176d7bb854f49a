#pragma once
#include <algorithm>  // before <compare>, which the meta-object compiler cannot read by itself
#include <compare>
#include <cstdint>

namespace topikos {

/// Identity of an object in a cell: stable under renaming, never used twice, 0 for none. One type per kind of object.
template <class Kind> struct Id {
    std::uint32_t value = 0;
    explicit operator bool() const { return value != 0; }
    auto operator<=>(const Id&) const = default;
};
using FrameId = Id<struct FrameKind>;
using ToolId = Id<struct ToolKind>;
using TcpId = Id<struct TcpTag>;
using ProcessId = Id<struct ProcessTag>;
using PartId = Id<struct PartTag>;
using PartKindId = Id<struct PartKindTag>;
using PatternId = Id<struct PatternTag>;
using TargetId = Id<struct TargetTag>;
using ArmId = Id<struct ArmTag>;
using SignalId = Id<struct SignalTag>;
using TimeTableId = Id<struct TimeTableTag>;
using RoutineId = Id<struct RoutineKind>;
using ParameterId = Id<struct ParameterTag>;
using StepId = Id<struct StepTag>;

}  // namespace topikos
