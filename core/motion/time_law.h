#pragma once
#include "core/motion/move.h"

#include <memory>
#include <optional>

namespace topikos {

/// Everything that limits how fast a path may be followed at one place of it, as limits of s' and s'', the first and
/// second derivative of its fraction by the time. With a = s'' and x = s'^2 all of them are linear:
/// x <= cap, and |rate a + bend x| <= limit for each row.
struct PlaceBounds {
    struct Row {
        double rate, bend, limit;
        HeldBy by;
    };
    double cap = INFINITY;  ///< of s'^2 [1/s^2]
    HeldBy capBy{};
    std::vector<Row> rows;

    /// |rate s'| <= limit.
    void speed(double rate, double limit, HeldBy by);
    /// |rate s'' + bend s'^2| <= limit.
    void acceleration(double rate, double bend, double limit, HeldBy by);
    /// The same of vectors: the length of (rate s'' + bend s'^2) at most the limit. By a polygon inside the circle of
    /// all that is allowed: exact without a part across the way, and at constant speed.
    void acceleration(const Vec3& rate, const Vec3& bend, double limit, HeldBy by);
};
/// What limits a move at a fraction of it, with the limits that it was planned with. `joints`: those of its joints
/// count, too.
PlaceBounds boundsAt(const Arm& arm, const Move& move, double fraction, bool joints = true);
/// The same, in the place of what `out` held.
void boundsAt(const Arm& arm, const Move& move, double fraction, bool joints, PlaceBounds& out);

/// A move, or a stretch of one, that is timed together with others.
struct TimedPiece {
    const Move* move;
    double from = 0, to = 1;  ///< fractions of the move
    /// Speed of the fraction at the beginning over that of the piece before at its end: what makes the joints go on
    /// at the same speed.
    double stretch = 1;
};

/// Largest ratio of a speed or an acceleration to its limit that a time law asks for anywhere, less 1. Held by
/// TimeLawTest.
inline constexpr double kAboveLimit = 1e-3;

/// The law below one that was made smooth by averaging, of s: fractions of the first piece, which go on evenly over all
/// others.
struct LawBelow {
    Profile law;
    double window = 0;  ///< that it is averaged over [s]
    double lead = 0;    ///< time in it at which the first piece begins [s]
};

struct TimeLaw {
    std::vector<Profile> pieces;    ///< of the fraction of each
    double duration = 0;            ///< [s]
    std::optional<LawBelow> below;  ///< where a jerk is limited
    bool keeps = true;              ///< all limits; it may not when it goes on from another smooth law
};

/// The fastest way in time to follow pieces of moves one behind the other, from a speed of the first fraction
/// [1/s] to rest; of a smooth law from what was below the one that it goes on from.
///
/// No joint, tool or device axis comes above its speed or acceleration by more than kAboveLimit anywhere; where arms
/// come near a singularity, the law slows as much as that takes. Where a jerk is limited, the law is made smooth by
/// averaging over time, and slower as far as that is not enough.
/// Method: in s and s'^2 all limits are linear. From the end the highest s'^2 from which the rest can still be kept,
/// then from the start as quick as that allows (Pham and Pham, "A new approach to time-optimal path parameterization
/// based on reachability analysis", IEEE Transactions on Robotics 34(3), 2018), over cells that are checked at their
/// ends and middles together; where only constant limits count a cell is passed in three stretches, exactly.
TimeLaw fastestLaw(const Arm& arm, const std::vector<TimedPiece>& pieces, double startSpeed = 0,
                   const LawBelow* before = nullptr);

/// What a smooth law goes on from at a fraction of one of its pieces, when the pieces before `same` will be there then,
/// too. Nothing when the law below is farther than these at that time.
std::optional<LawBelow> belowAt(const TimeLaw& law, const std::vector<TimedPiece>& pieces, size_t piece,
                                double fraction, size_t same);

/// The law of one move from rest to rest, up to a fraction of it.
Profile fastestAlone(const Arm& arm, const Move& move, double end);

/// How far a law asks more than its limits allow: the largest ratio, looked at `looks` places of every stretch.
double largestRatio(const Arm& arm, const Move& move, const Profile& law, int looks = 4);

}  // namespace topikos
