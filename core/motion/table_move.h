#pragma once
#include "core/motion/move.h"
#include "core/robot/time_rows.h"
#include "core/spatial/units.h"

namespace topikos {

using RowsPtr = std::shared_ptr<const TimeRows>;

/// A motion by a time table.
struct TableInput {
    RowsPtr rows;
    BetweenRows between = BetweenRows::Linear;
    std::uint32_t passes = 1;
};

/// How far a joint may be from where a table begins, or a pass from where the next one does; the row then gives way.
inline constexpr double kSameRow = 0.05 * kDegree;  ///< [rad]
inline constexpr double kSameRowSlide = 5e-5;       ///< sliding joints [m]

/// A joint that would have to jump.
struct TableJump {
    enum class Where {
        Nowhere,
        AtStart,  ///< to the first row from where the arm stands
        AtRepeat  ///< from the last row to the first one of the next pass
    };
    Where where = Where::Nowhere;
    int joint = -1;
    double by = 0;  ///< [rad or m]
};
/// The joint that would have to jump furthest for its kind.
TableJump jumpOf(const Arm& arm, const JointVector& from, const TableInput& table);

/// The motion from a posture that does not jump (see jumpOf()): joints without a column stay where they are.
/// limits.jointFraction is the speed, as a fraction of that of the table. The move stops in front of what is out of a
/// joint's range. Overloads are measured: between linear rows the acceleration is the change of speed from one piece to
/// the next over the time between their middles; where rows are held the arm is taken to go to each row in the time up
/// to the next one.
Move planTableMove(const Arm& arm, const JointVector& from, const TableInput& table, const MotionLimits& limits);

}  // namespace topikos
