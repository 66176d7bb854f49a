#include "core/check/contact_sweep.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <queue>
#include <random>
#include <set>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

constexpr double kResting = 1e-3;       // what is nearer when a part begins to lie or to be carried is its support [m]
constexpr double kLongestLook = 0.3;    // most that is allowed between two looks, since levers grow with it [m]
constexpr double kShortestLook = 1e-5;  // [s]

/// Bodies of one arm that hold together.
bool neighbours(const Cell& cell, const SceneBody& a, const SceneBody& b)
{
    if (!a.ofArm() || !b.ofArm() || a.arm != b.arm) return false;
    const auto last = std::uint32_t(findArm(cell, a.arm)->model->jointCount());
    const auto place = [last](const SceneBody& body) { return body.kind == Kind::Link ? body.number : last + 1; };
    return std::max(place(a), place(b)) - std::min(place(a), place(b)) <= 1;
}

/// Pairs of bodies that stand on the same place that touch in every posture that is tried: they are built that way.
std::set<std::pair<size_t, size_t>> alwaysTouching(const ContactScene& scene)
{
    constexpr int postures = 24;
    const Cell& cell = scene.cell();
    const std::vector<SceneBody>& bodies = scene.bodies();
    std::set<std::pair<size_t, size_t>> out;
    for (const ArmStation& arm : cell.arms) {
        std::vector<size_t> own, around;
        for (size_t i = 0; i < bodies.size(); ++i) {
            if (bodies[i].ofArm() && bodies[i].arm == arm.id) own.push_back(i);
            if (bodies[i].kind == Kind::Frame && axesBetween(cell, bodies[i].frame, arm.mount).empty())
                around.push_back(i);
        }
        std::vector<std::pair<size_t, size_t>> left;
        for (size_t i = 0; i < own.size(); ++i) {
            for (size_t k = i + 1; k < own.size(); ++k)
                if (!neighbours(cell, bodies[own[i]], bodies[own[k]])) left.push_back({own[i], own[k]});
            for (const size_t frame : around)
                if (!(bodies[own[i]].kind == Kind::Link && bodies[own[i]].number == 0)) left.push_back({own[i], frame});
        }
        std::mt19937_64 random(1);
        const Pose base = worldFromBase(cell, arm);
        const Tool& tool = toolInForce(cell, arm);
        for (int n = 0; n < postures && !left.empty(); ++n) {
            JointVector q(arm.model->jointCount());
            for (int j = 0; j < arm.model->jointCount(); ++j) {
                const Joint& joint = arm.model->joints()[size_t(j)];
                q[j] = joint.lower + (joint.upper - joint.lower) * double(random() >> 11) * 0x1p-53;
            }
            ChainFrames chain;
            chainFrames(*arm.model, q, chain);
            const auto place = [&](size_t i) {
                const SceneBody& body = bodies[i];
                if (body.kind == Kind::Frame) return worldFromFrame(cell, body.frame);
                if (body.kind == Kind::Link && body.number == 0) return base;
                const AxisFrame& at = body.kind == Kind::Link ? chain.joints[body.number - 1] : chain.flange;
                const Pose pose = base * makePose(at.rotation, at.origin);
                return body.kind == Kind::Jaw
                           ? pose * tool.flangeFromTcp * jawPlaces(tool.gripper, tool.gripper.open)[body.number]
                           : pose;
            };
            std::erase_if(left, [&](const auto& pair) {
                return !bodies[pair.first].shape->touches(place(pair.first), *bodies[pair.second].shape,
                                                          place(pair.second));
            });
        }
        out.insert(left.begin(), left.end());
    }
    return out;
}

/// What is meant to touch, by the events of parts and the moves around them.
class Meant {
public:
    explicit Meant(const ContactScene& scene) : m_scene(scene) {}

    bool touch(size_t a, size_t b, double time) { return holds(a, b, time) || holds(b, a, time); }

private:
    /// Whether a part may touch another body.
    bool holds(size_t part, size_t other, double time)
    {
        const SceneBody& p = m_scene.bodies()[part];
        const SceneBody& o = m_scene.bodies()[other];
        if (p.kind != Kind::Part) return false;
        const PartEvent* now = m_scene.eventOf(part, time);
        const PartEvent* next = m_scene.eventAfter(part, time);
        const bool carried = now && now->kind == PartEvent::Kind::Carried;
        if (o.kind == Kind::Tool || o.kind == Kind::Jaw) {
            if (carried) return now->arm == o.arm;
            if (next && next->kind == PartEvent::Kind::Carried && next->arm == o.arm && time >= arrives(*next))
                return true;
            return now && now->arm == o.arm && now->kind != PartEvent::Kind::Carried && time <= leaves(*now);
        }
        if (o.kind == Kind::Link) return false;
        if (!carried) return rests(part, other, now ? now->time : 0);
        if (time <= leaves(*now) && rests(part, other, now->time)) return true;
        return next && time >= arrives(*next) && rests(part, other, next->time);
    }
    bool rests(size_t part, size_t other, double time)
    {
        const auto [known, isNew] = m_rests.try_emplace({part, other, time}, false);
        if (!isNew) return known->second;
        const std::optional<Pose> a = m_scene.place(part, time), b = m_scene.place(other, time);
        known->second =
            a && b
            && m_scene.bodies()[part].shape->nearest(*a, *m_scene.bodies()[other].shape, *b, kResting).distance
                   <= kResting;
        return known->second;
    }
    /// Beginning of the last move that ends before an event of a grip or release.
    double arrives(const PartEvent& event) const
    {
        const ArmTrace* arm = findArmTrace(m_scene.trace(), event.arm);
        if (!arm) return event.time;
        double begin = event.time;
        const auto late = [](double t, const ArmTrace::Span& span) { return t < span.start; };
        for (auto span = std::upper_bound(arm->spans.begin(), arm->spans.end(), event.time, late);
             span != arm->spans.begin();) {
            --span;
            if (!arm->outcomes[span->outcome].move || span->end > event.time) continue;
            begin = span->start;
            break;
        }
        return begin;
    }
    /// End of the first move that begins behind it.
    double leaves(const PartEvent& event) const
    {
        const ArmTrace* arm = findArmTrace(m_scene.trace(), event.arm);
        if (!arm) return event.time;
        const auto early = [](const ArmTrace::Span& span, double t) { return span.start < t; };
        for (auto span = std::lower_bound(arm->spans.begin(), arm->spans.end(), event.time - 1e-9, early);
             span != arm->spans.end(); ++span)
            if (arm->outcomes[span->outcome].move) return span->end;
        return arm->duration;
    }

    const ContactScene& m_scene;
    std::map<std::tuple<size_t, size_t, double>, bool> m_rests;
};

/// When the next look at a pair is due: what both can move until then is no more than `allowed`.
double nextLook(const ContactScene& scene, size_t a, size_t b, double time, double allowed)
{
    const double most = std::min(allowed, kLongestLook);
    const Motion x = scene.motion(a, time), y = scene.motion(b, time);
    const double rate = x.rate + y.rate + most * (x.rateBy + y.rateBy),
                 ramp = x.ramp + y.ramp + most * (x.rampBy + y.rampBy);
    double wait = INFINITY;
    if (ramp > 0) wait = 2 * most / (rate + std::sqrt(rate * rate + 4 * ramp * most));
    else if (rate > 0) wait = most / rate;
    const double until = std::min(x.until, y.until);  // what changes its pace then is looked at
    if (time + wait >= until) return std::max(until, time + kShortestLook);
    // On a grid that many pairs share, so that where things are is worked out for all of them at once.
    const double grid = std::exp2(std::floor(std::log2(wait)) - 1);
    const double shared = std::floor((time + wait) / grid) * grid;
    return std::max(shared > time ? shared : time + wait, time + kShortestLook);
}

/// Goes through a run and looks at each pair when that is due: `look(pair, time, place of a, place of b)` says when the
/// next time is; infinite: never.
template <class Look>
void sweep(const ContactScene& scene, const std::vector<std::pair<size_t, size_t>>& pairs, double duration,
           const std::stop_token& stop, Look look)
{
    struct Watch {
        double due;
        size_t pair;
        bool operator>(const Watch& o) const { return std::tie(due, pair) > std::tie(o.due, o.pair); }
    };
    std::priority_queue<Watch, std::vector<Watch>, std::greater<>> watches;
    for (size_t i = 0; i < pairs.size(); ++i)
        watches.push({0, i});
    for (size_t looks = 1; !watches.empty() && watches.top().due <= duration; ++looks) {
        if (looks % 64 == 0 && stop.stop_requested()) return;
        const auto [time, pair] = watches.top();
        watches.pop();
        const auto [a, b] = pairs[pair];
        const std::optional<Pose> atA = scene.place(a, time), atB = scene.place(b, time);
        double due = INFINITY;
        if (atA && atB) {
            due = look(pair, time, *atA, *atB);
        } else {
            for (const size_t body : {a, b})
                if (const PartEvent* next = scene.eventAfter(body, time)) due = std::min(due, next->time);
        }
        if (due > duration && time < duration && std::isfinite(due)) due = duration;
        if (due <= duration) watches.push({due, pair});
    }
}

}  // namespace

std::vector<std::pair<size_t, size_t>> checkedPairs(const ContactScene& scene)
{
    const Cell& cell = scene.cell();
    const std::vector<SceneBody>& bodies = scene.bodies();
    std::map<std::pair<ContactMember, ContactMember>, bool> table;
    for (const ContactPair& p : cell.contact.pairs) {
        table[{p.a, p.b}] = p.checked;
        table[{p.b, p.a}] = p.checked;
    }
    const std::set<std::pair<size_t, size_t>> built = alwaysTouching(scene);
    // Frames that touch before anything has moved are built that way.
    const auto touchAtFirst = [&](size_t i, size_t k) {
        return bodies[i].shape->nearest(*scene.place(i, 0), *bodies[k].shape, *scene.place(k, 0), kTouch).distance
               <= kTouch;
    };
    std::set<PartId> everCarried;
    for (const PartEvent& event : scene.trace().partEvents)
        if (event.kind == PartEvent::Kind::Carried) everCarried.insert(event.part);
    const auto carried = [&](const SceneBody& part) { return everCarried.contains(part.part); };
    std::vector<std::pair<size_t, size_t>> out;
    for (size_t i = 0; i < bodies.size(); ++i)
        for (size_t k = i + 1; k < bodies.size(); ++k) {
            const SceneBody &a = bodies[i], &b = bodies[k];
            if (!scene.moves(i) && !scene.moves(k)) continue;
            const auto own = a.member(), other = b.member();
            if (own && other) {
                if (own == other) continue;
                if (const auto known = table.find({*own, *other}); known != table.end()) {
                    if (known->second) out.push_back({i, k});
                    continue;
                }
            }
            // Belts see to what rides on them; parts that arms carry are another thing.
            if (a.kind == Kind::Part && b.kind == Kind::Part && !carried(a) && !carried(b)) continue;
            if (neighbours(cell, a, b) || built.contains({i, k}) || built.contains({k, i})) continue;
            const bool frames = a.kind == Kind::Frame && b.kind == Kind::Frame;
            const bool still = frames && (axesBetween(cell, a.frame, b.frame).empty() || touchAtFirst(i, k));
            // The base of an arm and what carries it, or stands beside it for good.
            const FrameId mount = a.kind == Kind::Link && a.number == 0 ? findArm(cell, a.arm)->mount : FrameId();
            const bool base = mount && b.kind == Kind::Frame
                              && (isBelow(cell, mount, b.frame) || axesBetween(cell, mount, b.frame).empty());
            if (!still && !base) out.push_back({i, k});
        }
    return out;
}

namespace {

/// Until when two bodies cannot come as near as `interest`, whatever they do; `time` when that is not known.
double farUntil(const ContactScene& scene, size_t a, size_t b, double time, double interest)
{
    const Stay x = scene.stay(a, time), y = scene.stay(b, time);
    const double gap = (x.ball.centre - y.ball.centre).norm() - x.ball.radius - y.ball.radius;
    return gap > interest ? std::max(std::min(x.until, y.until), time + kShortestLook) : time;
}

constexpr double kFarEnough = 0.1;  // above what is of interest a distance need not be known [m]

/// Clearance of a pair, exact where it is of interest; else a bound from below.
Nearest clearance(const SceneBody& a, const Pose& atA, const SceneBody& b, const Pose& atB, double interest)
{
    const Ball &x = a.shape->ball(), &y = b.shape->ball();
    const double gap = (atA * x.centre - atB * y.centre).norm() - x.radius - y.radius;
    if (gap > interest + 0.25 * (x.radius + y.radius)) return {gap, Vec3::Zero(), Vec3::Zero()};
    return a.shape->nearest(atA, *b.shape, atB, interest + kFarEnough);
}

}  // namespace

std::vector<Encounter> encounters(const ContactScene& scene, double caution, const std::stop_token& stop)
{
    const std::vector<std::pair<size_t, size_t>> pairs = checkedPairs(scene);
    const std::vector<SceneBody>& bodies = scene.bodies();
    Meant meant(scene);
    std::vector<std::optional<Encounter>> open(pairs.size());
    std::vector<Encounter> out;
    const auto stepAt = [&](size_t pair, double time, Encounter& e) {
        e.a = pairs[pair].first;
        e.b = pairs[pair].second;
        e.until = scene.trace().duration;
        for (const size_t body : {e.a, e.b}) {
            const ArmId arm = scene.moverOf(body, time);
            const ArmTrace* trace = arm ? findArmTrace(scene.trace(), arm) : nullptr;
            const ArmTrace::Span* span = trace ? spanAt(*trace, time) : nullptr;
            if (!span) continue;
            const bool moving = trace->outcomes[span->outcome].timing != nullptr;
            if (e.arm && !moving) continue;
            e.arm = arm;
            e.outcome = span->outcome;
            e.until = span->end;
            if (moving) break;
        }
    };
    sweep(scene, pairs, scene.trace().duration, stop, [&](size_t pair, double time, const Pose& atA, const Pose& atB) {
        const auto [a, b] = pairs[pair];
        std::optional<Encounter>& own = open[pair];
        if (own && time >= own->until) {
            out.push_back(*own);
            own.reset();
        }
        if (const double far = farUntil(scene, a, b, time, caution); far > time) return far;
        const Nearest now = clearance(bodies[a], atA, bodies[b], atB, caution);
        const double allowed = now.distance > caution ? std::max(now.distance - caution, kFinestLook)
                                                      : std::clamp(now.distance, kFinestLook, 2 * kFinestLook);
        if (now.distance >= caution && now.distance > kTouch) return nextLook(scene, a, b, time, allowed);
        // What is meant changes with steps and events of parts only.
        if (meant.touch(a, b, time))
            return std::max(std::min(scene.motion(a, time).until, scene.motion(b, time).until), time + kShortestLook);
        const double next = nextLook(scene, a, b, time, allowed);
        const bool contact = now.distance <= kTouch;
        if (!own) {
            own.emplace();
            stepAt(pair, time, *own);
            own->time = time;
            own->nearest = now;
            own->contact = contact;
        } else if (!own->contact && (contact || now.distance < own->nearest.distance)) {
            own->time = time;
            own->nearest = now;
            own->contact = contact;
        }
        // Of a contact the rest of the step says nothing more.
        return own->contact ? std::max(next, own->until) : next;
    });
    for (const std::optional<Encounter>& own : open)
        if (own) out.push_back(*own);
    std::sort(out.begin(), out.end(), [](const Encounter& x, const Encounter& y) {
        return std::tie(x.time, x.a, x.b) < std::tie(y.time, y.a, y.b);
    });
    return out;
}

std::vector<SmallestClearance> smallestClearances(const ContactScene& scene, const std::stop_token& stop)
{
    const std::vector<std::pair<size_t, size_t>> pairs = checkedPairs(scene);
    const std::vector<SceneBody>& bodies = scene.bodies();
    std::vector<SmallestClearance> out;
    for (const auto& [a, b] : pairs)
        out.push_back({a, b});
    sweep(scene, pairs, scene.trace().duration, stop, [&](size_t pair, double time, const Pose& atA, const Pose& atB) {
        SmallestClearance& own = out[pair];
        const double best = own.nearest.distance;
        if (const double far = farUntil(scene, own.a, own.b, time, best); far > time) return far;
        const Nearest now = clearance(bodies[own.a], atA, bodies[own.b], atB, best);
        // The gap of the balls is no distance; below the best one it is worked out.
        if (now.distance < best) {
            own.nearest = bodies[own.a].shape->nearest(atA, *bodies[own.b].shape, atB);
            own.time = time;
        }
        if (own.nearest.touching()) return double(INFINITY);
        const double allowed =
            std::max(now.distance - own.nearest.distance, 0.0) + std::max(kFinestLook, 0.02 * own.nearest.distance);
        return nextLook(scene, own.a, own.b, time, allowed);
    });
    // Between the looks around the best one it may be a little less: the smallest of a parabola's kind.
    for (SmallestClearance& own : out) {
        if (stop.stop_requested()) break;
        if (!std::isfinite(own.nearest.distance) || own.nearest.touching()) continue;
        double step = 0.02;
        for (int n = 0; n < 24; ++n) {
            bool better = false;
            for (const double t : {own.time - step, own.time + step}) {
                if (t < 0 || t > scene.trace().duration) continue;
                const auto atA = scene.place(own.a, t), atB = scene.place(own.b, t);
                if (!atA || !atB) continue;
                const Nearest now = bodies[own.a].shape->nearest(*atA, *bodies[own.b].shape, *atB);
                if (now.distance >= own.nearest.distance) continue;
                own.nearest = now;
                own.time = t;
                better = true;
                break;
            }
            if (!better) step *= 0.5;
        }
    }
    std::erase_if(out, [](const SmallestClearance& own) { return !std::isfinite(own.nearest.distance); });
    std::sort(out.begin(), out.end(), [](const SmallestClearance& x, const SmallestClearance& y) {
        return std::tie(x.nearest.distance, x.a, x.b) < std::tie(y.nearest.distance, y.a, y.b);
    });
    return out;
}

}  // namespace topikos
