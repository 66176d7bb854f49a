#pragma once
#include "core/collide/checked_pairs.h"
#include "core/collide/scene.h"

#include <functional>
#include <stop_token>

namespace topikos {

/// Looks are so close together that nothing gets further between two of them than the clearance at hand; below this
/// clearance, than this. [m]
inline constexpr double kFinestLook = 2e-4;

/// While bodies are in each other, looks are so far apart that nothing gets further between two of them. [m]
inline constexpr double kContactLook = 5e-3;

/// Two bodies near each other in a step of a run: by number in the scene.
struct Encounter {
    size_t a = 0, b = 0;
    ArmId arm;                   ///< whose step it is counted to; none when only devices move
    size_t outcome = 0;          ///< of that arm's trace
    size_t lastOutcome = 0;      ///< contact: in which it ends
    double time = 0;             ///< contact: when it begins; else when they are nearest [s]
    Nearest nearest;             ///< then
    bool contact = false;        ///< else they only come near
    double from = 0, until = 0;  ///< stretch in which they touch, or are so near [s]
    double depth = 0;            ///< contact: the most that was seen, see ContactBody::depth [m]
    double caution = 0;          ///< clearance asked for [m]
};

/// The smallest clearance of two bodies over a run.
struct SmallestClearance {
    size_t a = 0, b = 0;
    double time = 0;  ///< [s]
    Nearest nearest;
};

struct SweepOptions {
    ContactCache* cache = nullptr;  ///< remembers what was found in windows before
    int workers = 1;                ///< threads; the result is the same whatever their number
    std::stop_token stop{};
    std::function<void(double done)> progress{};  ///< told now and then, by the calling thread
};

/// What comes nearer than `caution` (or than the pair's own), and what touches: one for each pair and step, the first
/// contact or the smallest clearance. A contact that goes on is one, with the step in which it ends. What is meant to
/// touch is left out: see docs/manual/findings.md.
///
/// Method: of each two bodies that come near each other, the time that a stretch of each lasts (near.h), in
/// which nothing of what moves them begins or ends. In it, conservative advancement: from a clearance and how fast the
/// two can get nearer follows a time in which nothing can happen. It depends on nothing but the two, so it is worked
/// out once, by any thread.
std::vector<Encounter> encounters(const ContactScene& scene, double caution, const SweepOptions& options = {});

/// The smallest clearance of every checked pair over the whole run, to 0.1 mm, nearest first.
std::vector<SmallestClearance> smallestClearances(const ContactScene& scene, const std::stop_token& stop = {});

}  // namespace topikos
