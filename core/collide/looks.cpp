#include "core/collide/looks.h"

namespace topikos {

namespace {

constexpr double kLongestLook = 0.3;    // most that is allowed between two looks, since levers grow with it [m]
constexpr double kShortestLook = 1e-5;  // [s]
constexpr double kFarEnough = 0.1;      // above what is of interest a distance need not be known [m]

}  // namespace

double nextLook(const ContactScene& scene, const CheckedPair& pair, const Window& window, double time, double allowed)
{
    const double most = std::min(allowed, kLongestLook);
    const Motion between = scene.motionBetween(pair.a, pair.b, time);
    const double rate = between.rate + most * between.rateBy, ramp = between.ramp + most * between.rampBy;
    double wait = INFINITY;
    if (ramp > 0) wait = 2 * most / (rate + std::sqrt(rate * rate + 4 * ramp * most));
    else if (rate > 0) wait = most / rate;
    const double until = between.until;  // what changes its pace then is looked at
    if (time + wait >= until) return std::max(until, time + kShortestLook);
    // On a grid that many pairs share, so that where things are is worked out for all of them at once; from where the
    // window begins, so that the same is found whenever in a run that is.
    const double grid = std::exp2(std::floor(std::log2(wait)) - 1);
    const double shared = window.from + std::floor((time - window.from + wait) / grid) * grid;
    return std::max(shared > time ? shared : time + wait, time + kShortestLook);
}

Nearest clearance(const SceneBody& a, const Pose& atA, const SceneBody& b, const Pose& atB, double interest)
{
    const Ball &x = a.shape->ball(), &y = b.shape->ball();
    const double gap = (atA * x.centre - atB * y.centre).norm() - x.radius - y.radius;
    if (gap > interest + 0.25 * (x.radius + y.radius)) return {gap, Vec3::Zero(), Vec3::Zero()};
    return a.shape->nearest(atA, *b.shape, atB, interest + kFarEnough);
}

}  // namespace topikos
