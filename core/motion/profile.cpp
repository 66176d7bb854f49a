#include "core/motion/profile.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

void append(Profile& p, double duration, double speed, double acceleration)
{
    if (duration <= 0) return;
    const double length = duration * (speed + 0.5 * acceleration * duration);
    if (!p.stretches.empty()) {
        Profile::Stretch& last = p.stretches.back();
        const double scale = std::max(std::abs(acceleration), std::abs(last.acceleration));
        if (std::abs(last.acceleration - acceleration) <= 1e-12 * scale
            && std::abs(last.speed + last.acceleration * last.duration - speed) < 1e-9 * (1 + speed)) {
            last.duration += duration;
            p.duration += duration;
            p.distance += length;
            return;
        }
    }
    p.stretches.push_back({p.duration, duration, p.distance, speed, acceleration});
    p.duration += duration;
    p.distance += length;
}

}  // namespace

Profile::Sample Profile::at(double time) const
{
    if (stretches.empty() || time <= 0) return {0, 0, 0};
    if (time >= duration) return {distance, 0, 0};
    auto next = std::upper_bound(stretches.begin(), stretches.end(), time,
                                 [](double t, const Stretch& s) { return t < s.time; });
    const Stretch& s = *(next - 1);
    const double t = time - s.time;
    return {s.position + t * (s.speed + 0.5 * s.acceleration * t), s.speed + s.acceleration * t, s.acceleration};
}

double Profile::peakSpeed() const
{
    double peak = 0;
    for (const Stretch& s : stretches)
        peak = std::max({peak, s.speed, s.speed + s.acceleration * s.duration});
    return peak;
}

Profile trapezoid(double distance, double speed, double acceleration)
{
    if (distance <= 0) return {};
    return underCeilings({{distance, speed}}, acceleration);
}

Profile underCeilings(const std::vector<SpeedCeiling>& pieces, double a)
{
    const size_t n = pieces.size();
    std::vector<double> v(n + 1, 0);  // speed at the ends of the pieces
    double begin = 0;
    for (size_t i = 0; i < n; ++i) {
        const double length = pieces[i].end - begin;
        const double next = i + 1 < n ? std::min(pieces[i].speed, pieces[i + 1].speed) : 0;
        v[i + 1] = std::min(next, std::sqrt(v[i] * v[i] + 2 * a * length));
        begin = pieces[i].end;
    }
    for (size_t i = n; i-- > 0;) {
        const double length = pieces[i].end - (i ? pieces[i - 1].end : 0);
        v[i] = std::min(v[i], std::sqrt(v[i + 1] * v[i + 1] + 2 * a * length));
    }
    Profile profile;
    begin = 0;
    for (size_t i = 0; i < n; ++i) {
        const double length = pieces[i].end - begin;
        const double peak =
            std::min(pieces[i].speed, std::sqrt(a * length + 0.5 * (v[i] * v[i] + v[i + 1] * v[i + 1])));
        const double up = std::max(0.0, (peak - v[i]) / a), down = std::max(0.0, (peak - v[i + 1]) / a);
        const double rest = length - 0.5 * up * (v[i] + peak) - 0.5 * down * (peak + v[i + 1]);
        append(profile, up, v[i], a);
        if (rest > 1e-15 * (1 + length)) append(profile, rest / peak, peak, 0);
        append(profile, down, peak, -a);
        begin = pieces[i].end;
    }
    profile.distance = n ? pieces.back().end : 0;
    return profile;
}

}  // namespace topikos
