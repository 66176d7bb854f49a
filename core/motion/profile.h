#pragma once
#include <vector>

namespace topikos {

/// Position along a path over time, made of stretches of constant acceleration. Starts and ends at rest. Exact at any
/// time.
struct Profile {
    struct Stretch {
        double time, duration;                 ///< [s]
        double position, speed, acceleration;  ///< at its beginning; [unit], [unit/s], [unit/s^2]
    };
    std::vector<Stretch> stretches;
    double duration = 0;  ///< [s]
    double distance = 0;  ///< [unit]

    struct Sample {
        double position, speed, acceleration;
    };
    /// State at `time` [s]; before 0 and after `duration` the arm stands at the ends.
    Sample at(double time) const;

    double peakSpeed() const;
    /// Durations of the first and the last stretch, in which the speed rises from and falls to zero [s].
    double rampUp() const { return stretches.empty() ? 0 : stretches.front().duration; }
    double rampDown() const { return stretches.empty() ? 0 : stretches.back().duration; }
};

/// Highest speed allowed on a piece of the path that ends at `end`.
struct SpeedCeiling {
    double end;    ///< path position where this piece ends [unit]
    double speed;  ///< [unit/s], above 0
};

/// Quickest motion from rest to rest over `distance` >= 0 with speed and acceleration at most `speed`, `acceleration`
/// (both above 0).
Profile trapezoid(double distance, double speed, double acceleration);

/// The same with a ceiling for each piece of the path; the last piece ends at the distance.
/// Method: forward and backward pass over the ends of the pieces, then the quickest accelerate-cruise-brake inside each
/// piece.
Profile underCeilings(const std::vector<SpeedCeiling>& pieces, double acceleration);

}  // namespace topikos
