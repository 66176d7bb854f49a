#pragma once
#include "core/cell/step.h"

namespace topikos {

/// A named value that devices and routines write and read. Who does follows from them.
struct Signal {
    enum class Kind { Digital, Analogue, Number };
    SignalId id;
    std::string name;
    Kind kind = Kind::Digital;
    double start = 0;  ///< at the start of a run; digital: 0 or 1, number: whole
    bool operator==(const Signal&) const = default;
};

/// A name of a routine's own for a place that each call fills in.
struct Parameter {
    ParameterId id;
    std::string name;
    bool operator==(const Parameter&) const = default;
};

struct Routine {
    RoutineId id;
    std::string name;
    Steps steps;
    ArmId arm{};  ///< that runs it; none: every arm can call it
    std::vector<Parameter> parameters{};
    bool operator==(const Routine&) const = default;
};

/// A motion of an arm from elsewhere, by rows of times and joint values.
struct TimeTable {
    TimeTableId id;
    std::string name;
    ArmId arm{};
    std::shared_ptr<const TimeRows> rows{};  ///< always there
    bool operator==(const TimeTable& other) const;
};

}  // namespace topikos
