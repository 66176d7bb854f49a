#pragma once
#include <cstdint>
#include <vector>

namespace topikos {

/// What keeps a motion from being quicker in a stretch of it.
struct HeldBy {
    enum class Kind : std::uint8_t {
        Nothing,
        JointSpeed,
        JointAcceleration,
        JointJerk,
        ToolSpeed,
        ToolAcceleration,
        TurnSpeed,
        TurnAcceleration,
        AxisSpeed,  ///< of a device axis that comes along
        AxisAcceleration
    };
    // No values of their own: many of them are made and few looked at.
    Kind kind;
    std::int8_t index;  ///< the joint, or the axis among those that come along
    bool operator==(const HeldBy&) const = default;
    bool byJoint() const
    {
        return kind == Kind::JointSpeed || kind == Kind::JointAcceleration || kind == Kind::JointJerk;
    }
};

/// A time law: position along a path over time, made of stretches of constant jerk. Exact at any time, as are its
/// derivatives.
struct Profile {
    struct Stretch {
        double time, duration;                 ///< [s]
        double position, speed, acceleration;  ///< at its beginning; [unit], [unit/s], [unit/s^2]
        double jerk = 0;                       ///< [unit/s^3]
        HeldBy by{};                           ///< what keeps it from being quicker

        double positionAt(double t) const { return position + t * (speed + t * (acceleration / 2 + t * jerk / 6)); }
        double speedAt(double t) const { return speed + t * (acceleration + t * jerk / 2); }
    };
    std::vector<Stretch> stretches;
    double duration = 0;  ///< [s]
    double distance = 0;  ///< position at its end [unit]

    struct Sample {
        double position, speed, acceleration;
    };
    /// State at `time` [s]; before 0 it is that of the beginning, after `duration` that of the end.
    Sample at(double time) const;

    double peakSpeed() const;
    double peakAcceleration() const;

    /// Behind all others; stretches that go on alike become one.
    void append(double seconds, double speed, double acceleration, double jerk = 0, HeldBy by = {});
};

/// Highest speed allowed on a piece of the path that ends at `end`.
struct SpeedCeiling {
    double end;    ///< path position where this piece ends [unit]
    double speed;  ///< [unit/s], above 0
};

/// Quickest motion from rest to rest over `distance` >= 0 with speed and acceleration at most `speed`, `acceleration`
/// (both above 0).
Profile trapezoid(double distance, double speed, double acceleration);

/// The same with the jerk at most `jerk` (above 0; infinite: a trapezoid): seven phases, those of no length left out.
/// Method: the peak acceleration, or the peak speed, follows from which limits are reached (Biagiotti and Melchiorri,
/// "Trajectory Planning for Automatic Machines and Robots", 2008, section 3.4).
Profile sCurve(double distance, double speed, double acceleration, double jerk);

/// A trapezoid with a ceiling for each piece of the path; the last piece ends at the distance.
/// Method: forward and backward pass over the ends of the pieces, then the quickest accelerate-cruise-brake inside each
/// piece.
Profile underCeilings(const std::vector<SpeedCeiling>& pieces, double acceleration);

/// The same motion with its speed averaged over the last `seconds`: it takes so much longer, and its acceleration
/// changes by no more than the largest change of it in a window over `seconds`. For motions from rest to rest.
Profile smoothed(const Profile& profile, double seconds);

}  // namespace topikos
