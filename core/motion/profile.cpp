#include "core/motion/profile.h"

#include <algorithm>
#include <cmath>

namespace topikos {

void Profile::append(double seconds, double speed, double acceleration, double jerk, HeldBy by)
{
    if (seconds <= 0) return;
    if (!stretches.empty() && jerk == 0) {
        Stretch& last = stretches.back();
        const double scale = std::max(std::abs(acceleration), std::abs(last.acceleration));
        if (last.jerk == 0 && last.by == by && std::abs(last.acceleration - acceleration) <= 1e-12 * scale
            && std::abs(last.speedAt(last.duration) - speed) < 1e-9 * (1 + speed)) {
            distance += seconds * (speed + 0.5 * acceleration * seconds);
            last.duration += seconds;
            duration += seconds;
            return;
        }
    }
    stretches.push_back({duration, seconds, distance, speed, acceleration, jerk, by});
    distance = stretches.back().positionAt(seconds);
    duration += seconds;
}

Profile::Sample Profile::at(double time) const
{
    if (stretches.empty()) return {distance, 0, 0};
    if (time >= duration) {
        const Stretch& last = stretches.back();
        return {distance, last.speedAt(last.duration), 0};
    }
    if (time <= 0) return {stretches.front().position, stretches.front().speed, 0};
    auto next = std::upper_bound(stretches.begin(), stretches.end(), time,
                                 [](double t, const Stretch& s) { return t < s.time; });
    const Stretch& s = *(next - 1);
    const double t = time - s.time;
    return {s.positionAt(t), s.speedAt(t), s.acceleration + t * s.jerk};
}

double Profile::peakSpeed() const
{
    double peak = 0;
    for (const Stretch& s : stretches) {
        peak = std::max({peak, s.speed, s.speedAt(s.duration)});
        const double top = s.jerk != 0 ? -s.acceleration / s.jerk : -1;
        if (top > 0 && top < s.duration) peak = std::max(peak, s.speedAt(top));
    }
    return peak;
}

double Profile::peakAcceleration() const
{
    double peak = 0;
    for (const Stretch& s : stretches)
        peak = std::max({peak, std::abs(s.acceleration), std::abs(s.acceleration + s.jerk * s.duration)});
    return peak;
}

Profile trapezoid(double distance, double speed, double acceleration)
{
    if (distance <= 0) return {};
    return underCeilings({{distance, speed}}, acceleration);
}

Profile sCurve(double distance, double speed, double acceleration, double jerk)
{
    if (!std::isfinite(jerk)) return trapezoid(distance, speed, acceleration);
    Profile out;
    if (distance <= 0) return out;
    // Time in which the acceleration rises, and in which it stays.
    double rise, stay = 0;
    if (speed * jerk < acceleration * acceleration) {
        rise = std::sqrt(speed / jerk);
    } else {
        rise = acceleration / jerk;
        stay = speed / acceleration - rise;
    }
    // Way of speeding up and slowing down again without a stretch of constant speed.
    if (speed * (2 * rise + stay) > distance) {
        rise = std::cbrt(distance / (2 * jerk));
        stay = 0;
        if (rise * jerk > acceleration) {
            rise = acceleration / jerk;
            // distance = acceleration (rise + stay) (2 rise + stay)
            stay = 0.5 * (-3 * rise + std::sqrt(rise * rise + 4 * distance / acceleration));
            stay = std::max(0.0, stay);
        }
    }
    const double top = jerk * rise, low = 0.5 * jerk * rise * rise, high = low + top * stay, peak = high + low;
    const double cruise = (distance - peak * (2 * rise + stay)) / peak;
    out.append(rise, 0, 0, jerk);
    out.append(stay, low, top);
    out.append(rise, high, top, -jerk);
    if (cruise > 1e-15 * (1 + distance / peak)) out.append(cruise, peak, 0);
    out.append(rise, peak, 0, -jerk);
    out.append(stay, high, -top);
    out.append(rise, low, -top, jerk);
    out.distance = distance;
    return out;
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
        profile.append(up, v[i], a);
        if (rest > 1e-15 * (1 + length)) profile.append(rest / peak, peak, 0);
        profile.append(down, peak, -a);
        begin = pieces[i].end;
    }
    profile.distance = n ? pieces.back().end : 0;
    return profile;
}

Profile smoothed(const Profile& profile, double seconds)
{
    if (profile.stretches.empty() || !(seconds > 0)) return profile;
    // The averaged speed is (s(t) - s(t - seconds)) / seconds; between the times at which either begins a stretch it is
    // a polynomial of the second degree.
    std::vector<double> times;
    for (const Profile::Stretch& s : profile.stretches)
        for (const double t : {s.time, s.time + seconds})
            times.push_back(t);
    for (const double t : {profile.duration, profile.duration + seconds})
        times.push_back(t);
    std::sort(times.begin(), times.end());
    const double begin = profile.stretches.front().position;
    const auto before = [&](double t) {
        if (t <= 0) return Profile::Sample{begin, 0, 0};
        if (t >= profile.duration) return Profile::Sample{profile.distance, 0, 0};
        return profile.at(t);
    };
    const auto heldAt = [&](double t) {
        auto next = std::upper_bound(profile.stretches.begin(), profile.stretches.end(), t,
                                     [](double time, const Profile::Stretch& s) { return time < s.time; });
        return next == profile.stretches.begin() ? HeldBy{} : (next - 1)->by;
    };
    Profile out;
    out.distance = begin;
    for (size_t i = 0; i + 1 < times.size(); ++i) {
        const double length = times[i + 1] - times[i];
        if (length < 1e-12) continue;
        // Just inside, so that the acceleration is the one behind a change.
        const double inside = 1e-6 * length;
        const Profile::Sample a = before(times[i] + inside), b = before(times[i] + inside - seconds);
        const Profile::Sample c = before(times[i + 1] - inside), d = before(times[i + 1] - inside - seconds);
        const double startSpeed = (before(times[i]).position - before(times[i] - seconds).position) / seconds;
        const double first = (a.speed - b.speed) / seconds, last = (c.speed - d.speed) / seconds;
        const double jerk = (last - first) / (length - 2 * inside);
        out.append(length, startSpeed, first - jerk * inside, jerk, heldAt(times[i]));
    }
    out.distance = profile.distance;
    return out;
}

}  // namespace topikos
