#pragma once
#include "core/check/contact_scene.h"

#include <stop_token>

namespace topikos {

/// Nearer than this counts as contact [m].
inline constexpr double kTouch = 1e-5;
/// Looks are so close together that nothing gets further between two of them than the clearance at hand; below this
/// clearance, than this. [m]
inline constexpr double kFinestLook = 2e-4;

/// Two bodies near each other in a run: by number in the scene.
struct Encounter {
    size_t a = 0, b = 0;
    ArmId arm;             ///< whose step it is counted to; none when only devices move
    size_t outcome = 0;    ///< of that arm's trace
    double time = 0;       ///< contact: when it begins; else when they are nearest [s]
    Nearest nearest;       ///< then
    bool contact = false;  ///< else they only come near
    double until = 0;      ///< end of the step that it is counted to [s]
};

/// The smallest clearance of two bodies over a run.
struct SmallestClearance {
    size_t a = 0, b = 0;
    double time = 0;  ///< [s]
    Nearest nearest;
};

/// Pairs that are looked at: those that move against each other, but neighbours on an arm, what touches in every
/// posture of the arm, and what the table of pairs leaves out.
std::vector<std::pair<size_t, size_t>> checkedPairs(const ContactScene& scene);

/// What comes nearer than `caution`, and what touches: one for each pair and step, the first contact or the smallest
/// clearance. What is meant to touch is left out: see docs/manual/findings.md.
///
/// Method: conservative advancement. From a clearance and how fast the two can get nearer follows a time in which
/// nothing can happen.
std::vector<Encounter> encounters(const ContactScene& scene, double caution, const std::stop_token& stop = {});

/// The smallest clearance of every checked pair over the whole run, to 0.1 mm, nearest first.
std::vector<SmallestClearance> smallestClearances(const ContactScene& scene, const std::stop_token& stop = {});

}  // namespace topikos
