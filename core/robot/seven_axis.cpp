#include "core/robot/seven_axis.h"

#include "core/robot/zero_axes.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <algorithm>
#include <numbers>

namespace topikos {

std::optional<SevenAxis> recogniseSevenAxis(const Arm& arm)
{
    if (!allRevolute(arm, 7)) return std::nullopt;
    const ZeroAxes zero(arm);
    const auto& h = zero.h;
    const auto& o = zero.o;
    const auto shoulder = ThreeAxes::make(h[0], h[1], h[2]), wrist = ThreeAxes::make(h[4], h[5], h[6]);
    if (!shoulder || !wrist) return std::nullopt;
    const auto [shoulderPoint, shoulderMiss] = meetingPoint({o[0], o[1], o[2]}, {h[0], h[1], h[2]});
    const auto [wristPoint, wristMiss] = meetingPoint({o[4], o[5], o[6]}, {h[4], h[5], h[6]});
    if (shoulderMiss > kMeet || wristMiss > kMeet) return std::nullopt;
    SevenAxis s{*shoulder,           *wrist, h[3], o[3], shoulderPoint, wristPoint, zero.inFlange(wristPoint),
                zero.flange.rotation};
    // The elbow has to change the distance of shoulder and wrist.
    if ((s.shoulderPoint - s.o4).cross(s.h4).norm() < 1e-6 || (s.wristPoint - s.o4).cross(s.h4).norm() < 1e-6)
        return std::nullopt;
    return s;
}

namespace {

constexpr int kSwivels = 16;
constexpr double kAmple = 0.3;  // [rad] margin with which a swivel of the coarse search is left as it is

/// Distance from the nearer range end, of the turn that is deepest inside [rad].
double depth(const Joint& joint, double q)
{
    double best = std::min(q - joint.lower, joint.upper - q);
    for (const double turn : {-kTurn, kTurn})
        best = std::max(best, std::min(q + turn - joint.lower, joint.upper - q - turn));
    return best;
}

/// A group of three joints at one swivel, by its side.
struct Group {
    std::array<double, 3> q;
    double range = -INFINITY;   ///< smallest distance from a range end [rad]
    double margin = -INFINITY;  ///< the same with the distance from lining up
};
using Sides = std::array<Group, 2>;

/// Everything about a pose with one bend of the elbow.
class Bend {
public:
    Bend(const Arm& arm, const SevenAxis& family, const Mat3& total, const Vec3& wristPoint, const Turn& elbow,
         const JointVector* near) :
        m_arm(arm),
        m_family(family), m_total(total), q4(elbow.q), m_r4(rotationOf(family.h4, elbow.sine, elbow.cosine)),
        m_near(near)
    {
        const Vec3 x = family.o4 - family.shoulderPoint + m_r4 * (family.wristPoint - family.o4),
                   d = wristPoint - family.shoulderPoint;
        m_axis = d.norm() > 1e-9 ? Vec3(d.normalized()) : Vec3::UnitZ();
        m_start = d.norm() > 1e-9 ? turnOnto(x, d).toRotationMatrix() : Mat3::Identity();
        depth4 = depth(arm.joints()[3], q4);
    }

    void at(double swivel, Sides& shoulder, Sides& wrist) const
    {
        const Mat3 r123 = rotationOf(m_axis, std::sin(swivel), std::cos(swivel)) * m_start;
        fill(m_family.shoulder, r123, 0, shoulder);
        fill(m_family.wrist, (r123 * m_r4).transpose() * m_total, 4, wrist);
    }

    /// Swivel of a posture.
    double swivelOf(const JointVector& q) const
    {
        const Mat3 r = rotationAbout(m_family.shoulder.a, q[0]) * rotationAbout(m_family.shoulder.b, q[1])
                       * rotationAbout(m_family.shoulder.c, q[2]);
        return nearestTurn(m_axis, r * m_start.transpose());
    }

    /// Swivels at which a joint of the shoulder or wrist reaches a range end, or its axes line up.
    std::vector<double> crossings() const
    {
        std::vector<double> out;
        const auto add = [&](const Mat3& left, const Mat3& right, const Vec3& v, const Vec3& w, double wanted) {
            // v . left Rot(axis, swivel) right w = wanted
            const Vec3 from = right * w, to = left.transpose() * v;
            const double along = to.dot(m_axis) * m_axis.dot(from);
            const TwoTurns turns =
                turnsOnto(to.dot(from) - along, to.dot(m_axis.cross(from)), wanted - along, 1e-12, 0);
            for (int i = 0; i < turns.count && !turns.free; ++i)
                out.push_back(turns.turns[i].q);
        };
        const Mat3 one = Mat3::Identity();
        const auto group = [&](const ThreeAxes& axes, int first, bool transposed, const Mat3& before,
                               const Mat3& after) {
            // R = before Rot(axis, swivel) after for the shoulder; its transpose for the wrist.
            const auto condition = [&](const Mat3& left, const Mat3& right, const Vec3& v, const Vec3& w,
                                       double wanted) {
                if (transposed)
                    add((right.transpose() * before).eval(), (after * left.transpose()).eval(), w, v, wanted);
                else add((left * before).eval(), (after * right).eval(), v, w, wanted);
            };
            for (const double side : {0.0, 1.0}) {
                const auto end = [&](int k) {
                    const Joint& j = m_arm.joints()[size_t(first + k)];
                    return side > 0 ? j.upper : j.lower;
                };
                condition(rotationAbout(axes.a, -end(0)), one, axes.b, axes.c, axes.b.dot(axes.c));
                condition(one, one, axes.a, axes.c,
                          axes.cosine * std::cos(end(1)) + axes.sine * std::sin(end(1)) + axes.constant);
                condition(one, rotationAbout(axes.c, -end(2)), axes.a, axes.b, axes.a.dot(axes.b));
                condition(one, one, axes.a, axes.c, axes.constant + (side > 0 ? axes.amplitude : -axes.amplitude));
            }
        };
        group(m_family.shoulder, 0, false, one, m_start);
        // R567 = (Rot start r4)' total, so R567' = total' Rot start r4.
        group(m_family.wrist, 4, true, m_total.transpose(), (m_start * m_r4).eval());
        for (double& s : out)
            s = wrapped(s);
        std::sort(out.begin(), out.end());
        return out;
    }

private:
    void fill(const ThreeAxes& axes, const Mat3& rotation, size_t first, Sides& out) const
    {
        out[0].range = out[1].range = out[0].margin = out[1].margin = -INFINITY;
        const ThreeAxes::Both both = axes.solve(rotation, m_near ? (*m_near)[Eigen::Index(first)] : 0);
        for (int k = 0; k < both.count; ++k) {
            const ThreeAxes::Turns& t = both.turns[k];
            Group& g = out[t.turned ? 1 : 0];
            g.q = {t.q1, t.q2, t.q3};
            g.range = std::min({depth(m_arm.joints()[first], t.q1), depth(m_arm.joints()[first + 1], t.q2),
                                depth(m_arm.joints()[first + 2], t.q3)});
            const double opening = std::abs(wrapped(t.q2 - 0.5 * axes.mirror));
            g.margin = std::min(g.range, std::min(opening, std::numbers::pi - opening));
        }
    }

    const Arm& m_arm;
    const SevenAxis& m_family;
    const Mat3& m_total;

public:
    const double q4;
    double depth4 = 0;

private:
    Mat3 m_r4;
    Vec3 m_axis;
    Mat3 m_start;
    const JointVector* m_near;
};

/// The best swivel so far of one configuration.
struct Best {
    double score = -INFINITY, range = -INFINITY, swivel = 0;
    std::array<double, 7> q{};
};

class Choice {
public:
    Choice(const Bend& bend, const JointVector* near) :
        m_bend(bend), m_near(near ? std::optional(bend.swivelOf(*near)) : std::nullopt)
    {
    }

    void tryAt(double swivel)
    {
        Sides shoulder, wrist;
        m_bend.at(swivel, shoulder, wrist);
        for (size_t s = 0; s < 2; ++s)
            for (size_t w = 0; w < 2; ++w) {
                const double range = std::min({m_bend.depth4, shoulder[s].range, wrist[w].range});
                if (!std::isfinite(range)) continue;
                // In range first; then the nearest to the swivel asked for, or the largest margin.
                const bool inside = range >= -kRangeTolerance;
                const double score = !inside  ? range - 100
                                     : m_near ? -std::abs(wrapped(swivel - *m_near))
                                              : std::min(shoulder[s].margin, wrist[w].margin);
                Best& best = all[2 * s + w];
                if (score <= best.score) continue;
                best = {score,
                        range,
                        swivel,
                        {shoulder[s].q[0], shoulder[s].q[1], shoulder[s].q[2], m_bend.q4, wrist[w].q[0], wrist[w].q[1],
                         wrist[w].q[2]}};
            }
    }

    bool anyInside() const
    {
        return std::any_of(all.begin(), all.end(), [](const Best& b) { return b.range >= -kRangeTolerance; });
    }

    void coarse()
    {
        if (m_near) tryAt(*m_near);
        if (m_near && std::all_of(all.begin(), all.end(), [](const Best& b) { return b.range >= -kRangeTolerance; }))
            return;
        for (int i = 0; i < kSwivels; ++i)
            tryAt((m_near ? *m_near : 0) + i * kTurn / kSwivels);
    }

    void refine()
    {
        for (double step = kTurn / kSwivels / 2; step > 0.01; step /= 2) {
            std::array<double, 8> places;
            size_t count = 0;
            for (const Best& b : all) {
                if (b.range < -kRangeTolerance || b.score > kAmple || (m_near && b.score > -1e-9))
                    continue;  // out, or good enough
                places[count++] = b.swivel;
            }
            for (size_t i = 0; i < count; ++i) {
                if (std::find(places.begin(), places.begin() + long(i), places[i]) != places.begin() + long(i))
                    continue;
                tryAt(places[i] - step);
                tryAt(places[i] + step);
            }
        }
    }

    void everyWindow()
    {
        const std::vector<double> ends = m_bend.crossings();
        for (size_t i = 0; i < ends.size(); ++i) {
            tryAt(ends[i]);
            const double next = i + 1 < ends.size() ? ends[i + 1] : ends[0] + kTurn;
            tryAt(0.5 * (ends[i] + next));
        }
    }

    std::array<Best, 4> all;  ///< by shoulder side, then wrist side

private:
    const Bend& m_bend;
    std::optional<double> m_near;
};

}  // namespace

SevenSolutions solveSevenAxis(const Arm& arm, const SevenAxis& f, const Pose& baseFromFlange, const JointVector* near)
{
    SevenSolutions out;
    const Mat3 rotation = baseFromFlange.matrix(), total = rotation * f.zeroRotation.transpose();
    const Vec3 wristPoint = baseFromFlange.translation + rotation * f.flangeFromWrist;
    // Joint 4 sets the distance of shoulder and wrist: |a + R4 b|^2 = |a|^2 + |b|^2 + 2 a . R4 b.
    const Vec3 a = f.o4 - f.shoulderPoint, b = f.wristPoint - f.o4;
    const double along = f.h4.dot(a) * f.h4.dot(b), squares = a.squaredNorm() + b.squaredNorm();
    const double cosine = a.dot(b) - along, sine = a.dot(f.h4.cross(b)), amplitude = length(cosine, sine);
    const double distance = (wristPoint - f.shoulderPoint).norm();
    const double longest = std::sqrt(std::max(0.0, squares + 2 * (along + amplitude))),
                 shortest = std::sqrt(std::max(0.0, squares + 2 * (along - amplitude)));
    if (distance > longest + kReachSlack || distance < shortest - kReachSlack) {
        out.reason = distance > longest ? NoSolution::TooFar : NoSolution::TooClose;
        out.shortfall = distance > longest ? distance - longest : shortest - distance;
        return out;
    }
    const double wanted = std::clamp((distance * distance - squares) / 2 - along, -amplitude, amplitude);
    const TwoTurns elbows = turnsOnto(cosine, sine, wanted, 0, near ? (*near)[3] : 0);
    std::vector<Bend> bends;
    for (int i = 0; i < elbows.count; ++i)
        bends.emplace_back(arm, f, total, wristPoint, elbows.turns[i], near);
    std::vector<Choice> choices;
    for (const Bend& bend : bends)
        choices.emplace_back(bend, near);
    bool any = false;
    for (Choice& c : choices) {
        c.coarse();
        c.refine();
        any = any || c.anyInside();
    }
    if (!any)
        for (Choice& c : choices)
            c.everyWindow();
    for (size_t i = 0; i < choices.size(); ++i) {
        const bool down =
            sine * std::cos(bends[i].q4) - cosine * std::sin(bends[i].q4) < 0;  // which side of the stretched elbow
        for (size_t k = 0; k < 4; ++k) {
            const Best& best = choices[i].all[k];
            if (!std::isfinite(best.range)) continue;
            Solution s;
            s.joints = Eigen::Map<const Eigen::Matrix<double, 7, 1>>(best.q.data());
            s.configuration = {k >= 2, down, k % 2 == 1};
            (best.range >= -kRangeTolerance ? out.items : out.outOfRange).push_back(s);
        }
    }
    if (out.items.empty()) out.reason = NoSolution::JointRange;
    return out;
}

}  // namespace topikos
