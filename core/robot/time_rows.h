#pragma once
#include <cstddef>
#include <vector>

namespace topikos {

/// Values of some joints of an arm at rising times, row by row.
struct TimeRows {
    std::vector<int> joints;     ///< of each column, from 0, each once
    std::vector<double> times;   ///< the first one 0, each later than the one before [s]
    std::vector<double> values;  ///< row by row, as many as there are columns [rad or m]

    size_t size() const { return times.size(); }
    double at(size_t row, size_t column) const { return values[row * joints.size() + column]; }
    double duration() const { return times.empty() ? 0 : times.back(); }
    bool operator==(const TimeRows&) const = default;
};

/// What joints do between two rows.
enum class BetweenRows {
    Linear,
    Smooth,  ///< a cubic spline, at rest in the first and the last row
    Hold     ///< they stay until the next row
};

}  // namespace topikos
