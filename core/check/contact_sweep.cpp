#include "core/check/contact_sweep.h"

#include "core/check/contact_meant.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <map>
#include <queue>
#include <random>
#include <set>
#include <thread>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;

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

/// Goes through a window and looks at each pair when that is due: `look(pair, time, place of a, place of b)` says when
/// the next time is; infinite: never.
template <class Look>
void sweep(const ContactScene& scene, const std::vector<CheckedPair>& pairs, const std::vector<size_t>& looked,
           const Window& window, const std::stop_token& stop, Look look)
{
    struct Watch {
        double due;
        size_t pair;
        bool operator>(const Watch& o) const { return std::tie(due, pair) > std::tie(o.due, o.pair); }
    };
    std::priority_queue<Watch, std::vector<Watch>, std::greater<>> watches;
    for (const size_t pair : looked)
        watches.push({window.from, pair});
    for (size_t looks = 1; !watches.empty(); ++looks) {
        if (looks % 64 == 0 && stop.stop_requested()) return;
        const auto [time, pair] = watches.top();
        watches.pop();
        const CheckedPair& own = pairs[pair];
        const std::optional<Pose> atA = scene.place(own.a, time), atB = scene.place(own.b, time);
        if (!atA || !atB) continue;
        double due = look(pair, time, *atA, *atB);
        if (due > window.to && time < window.to && std::isfinite(due)) due = window.to;
        if (due <= window.to) watches.push({due, pair});
    }
}

}  // namespace

namespace {

/// Pairs by what they are, whatever the table says of their clearance.
std::vector<std::uint32_t> pairsOf(const ContactScene& scene)
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
    std::vector<std::uint32_t> out;
    const auto add = [&](size_t i, size_t k) { out.insert(out.end(), {std::uint32_t(i), std::uint32_t(k)}); };
    for (size_t i = 0; i < bodies.size(); ++i)
        for (size_t k = i + 1; k < bodies.size(); ++k) {
            const SceneBody &a = bodies[i], &b = bodies[k];
            if (!scene.moves(i) && !scene.moves(k)) continue;
            const auto own = a.member(), other = b.member();
            if (own && other) {
                if (own == other) continue;
                if (const auto known = table.find({*own, *other}); known != table.end()) {
                    if (known->second) add(i, k);
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
            if (!still && !base) add(i, k);
        }
    return out;
}

}  // namespace

std::vector<CheckedPair> checkedPairs(const ContactScene& scene, double caution, ContactCache* cache)
{
    const Cell& cell = scene.cell();
    const std::vector<SceneBody>& bodies = scene.bodies();
    Digest key;
    if (cache) {
        scene.describe(key);
        for (const ContactPair& p : cell.contact.pairs) {
            for (const ContactMember& m : {p.a, p.b}) {
                key.add(std::uint64_t(m.arm.value) << 32 | m.id);
                key.add(std::uint64_t(m.kind));
            }
            key.add(std::uint64_t(p.checked));
        }
        std::set<PartId> carried;
        for (const PartEvent& event : scene.trace().partEvents)
            if (event.kind == PartEvent::Kind::Carried) carried.insert(event.part);
        for (const PartId part : carried)
            key.add(std::uint64_t(part.value));
    }
    ContactCache::Pairs known = cache ? cache->findPairs(key) : nullptr;
    if (!known) known = std::make_shared<const std::vector<std::uint32_t>>(pairsOf(scene));
    if (cache) cache->keepPairs(key, known);
    std::map<std::pair<ContactMember, ContactMember>, double> own;
    for (const ContactPair& p : cell.contact.pairs)
        if (p.caution) own[{p.a, p.b}] = own[{p.b, p.a}] = *p.caution;
    std::vector<CheckedPair> out;
    for (size_t i = 0; i < known->size(); i += 2) {
        CheckedPair& pair = out.emplace_back(CheckedPair{(*known)[i], (*known)[i + 1], caution});
        if (own.empty()) continue;
        const auto a = bodies[pair.a].member(), b = bodies[pair.b].member();
        if (!a || !b) continue;
        if (const auto found = own.find({*a, *b}); found != own.end()) pair.caution = found->second;
    }
    return out;
}

namespace {

constexpr double kFarEnough = 0.1;  // above what is of interest a distance need not be known [m]

/// Clearance of a pair, exact where it is of interest; else a bound from below.
Nearest clearance(const SceneBody& a, const Pose& atA, const SceneBody& b, const Pose& atB, double interest)
{
    const Ball &x = a.shape->ball(), &y = b.shape->ball();
    const double gap = (atA * x.centre - atB * y.centre).norm() - x.radius - y.radius;
    if (gap > interest + 0.25 * (x.radius + y.radius)) return {gap, Vec3::Zero(), Vec3::Zero()};
    return a.shape->nearest(atA, *b.shape, atB, interest + kFarEnough);
}

/// Pairs that may come nearer than `interest(pair)` in a window, by the boxes that their bodies do not leave.
template <class Interest>
std::vector<size_t> pairsToLookAt(const ContactScene& scene, const std::vector<CheckedPair>& pairs,
                                  const Window& window, const Interest& interest)
{
    const size_t n = scene.bodies().size();
    std::vector<bool> moving(n), appears(n);
    bool any = false;
    for (size_t i = 0; i < n; ++i) {
        moving[i] = scene.movesIn(i, window);
        appears[i] = scene.appearsIn(i, window);
        any = any || moving[i] || appears[i];
    }
    if (!any) return {};
    const std::vector<Eigen::AlignedBox3d> boxes = scene.boxesIn(window, moving);
    std::vector<size_t> out;
    for (size_t p = 0; p < pairs.size(); ++p) {
        const auto& [a, b, caution] = pairs[p];
        if (!moving[a] && !moving[b] && !appears[a] && !appears[b]) continue;
        if (boxes[a].isEmpty() || boxes[b].isEmpty()) continue;
        const double most = interest(p);
        if (boxes[a].squaredExteriorDistance(boxes[b]) <= most * most) out.push_back(p);
    }
    return out;
}

/// What happens in a window, at times since it begins.
std::vector<Meeting> meetingsIn(const ContactScene& scene, const std::vector<CheckedPair>& pairs, const Meant& meant,
                                const Window& window, const std::stop_token& stop)
{
    const std::vector<SceneBody>& bodies = scene.bodies();
    std::vector<size_t> looked =
        pairsToLookAt(scene, pairs, window, [&](size_t p) { return std::max(pairs[p].caution, kTouch); });
    std::erase_if(looked, [&](size_t p) { return meant.touch(pairs[p].a, pairs[p].b); });
    std::vector<std::optional<Meeting>> open(pairs.size());
    sweep(scene, pairs, looked, window, stop, [&](size_t p, double time, const Pose& atA, const Pose& atB) {
        const auto& [a, b, caution] = pairs[p];
        const Nearest now = clearance(bodies[a], atA, bodies[b], atB, caution);
        const bool contact = now.distance <= kTouch;
        if (now.distance >= caution && !contact)
            return nextLook(scene, a, b, time, std::max(now.distance - caution, kFinestLook));
        std::optional<Meeting>& own = open[p];
        const double since = time - window.from;
        if (!own) own = Meeting{std::uint32_t(a), std::uint32_t(b), since, since, since, now, contact, 0};
        own->until = since;
        if (!own->contact && (contact || now.distance < own->nearest.distance)) {
            own->time = since;
            own->nearest = now;
            own->contact = contact;
        }
        if (contact) own->depth = std::max(own->depth, bodies[a].shape->depth(atA, *bodies[b].shape, atB));
        // Of a contact only how long and how deep it is remains to be found.
        if (own->contact) return nextLook(scene, a, b, time, kContactLook);
        return nextLook(scene, a, b, time,
                        std::clamp(now.distance, kFinestLook, std::max(2 * kFinestLook, 0.02 * now.distance)));
    });
    std::vector<Meeting> out;
    for (const std::optional<Meeting>& own : open)
        if (own) out.push_back(*own);
    return out;
}

/// The step that what happens at a time is counted to: of an arm that moves one of the two.
void countToStep(const ContactScene& scene, double time, Encounter& e)
{
    for (const size_t body : {e.a, e.b}) {
        const ArmId arm = scene.moverOf(body, time);
        const ArmTrace* trace = arm ? findArmTrace(scene.trace(), arm) : nullptr;
        const ArmTrace::Span* span = trace ? spanAt(*trace, time) : nullptr;
        if (!span) continue;
        const bool moving = trace->outcomes[span->outcome].timing != nullptr;
        if (e.arm && !moving) continue;
        e.arm = arm;
        e.outcome = span->outcome;
        if (moving) break;
    }
}

/// Puts meetings of windows together to one encounter for each pair and step.
class Encounters {
public:
    explicit Encounters(const ContactScene& scene) : m_scene(scene) {}

    void add(const Window& window, const Meeting& m, double caution)
    {
        Encounter e;
        e.a = m.a;
        e.b = m.b;
        countToStep(m_scene, window.middle(), e);
        e.time = window.from + m.time;
        e.from = window.from + m.from;
        e.until = window.from + m.until;
        e.nearest = m.nearest;
        e.contact = m.contact;
        e.depth = m.depth;
        e.caution = caution;
        // What happens again in the same step is said once.
        const auto [known, isNew] = m_known.try_emplace({m.a, m.b, e.arm, e.outcome}, m_all.size());
        if (isNew) {
            m_all.push_back(e);
            return;
        }
        Encounter& own = m_all[known->second];
        const bool better = !own.contact && (e.contact || e.nearest.distance < own.nearest.distance);
        own.until = e.until;
        own.depth = std::max(own.depth, e.depth);
        if (!better) return;
        own.time = e.time;
        own.nearest = e.nearest;
        own.contact = e.contact;
    }
    std::vector<Encounter> all() const
    {
        std::vector<Encounter> out = m_all;
        std::sort(out.begin(), out.end(), [](const Encounter& x, const Encounter& y) {
            return std::tie(x.time, x.a, x.b) < std::tie(y.time, y.a, y.b);
        });
        return out;
    }

private:
    const ContactScene& m_scene;
    std::vector<Encounter> m_all;
    std::map<std::tuple<std::uint32_t, std::uint32_t, ArmId, size_t>, size_t> m_known;
};

}  // namespace

std::vector<Encounter> encounters(const ContactScene& scene, double caution, const SweepOptions& options)
{
    ContactCache own;
    ContactCache& cache = options.cache ? *options.cache : own;
    const std::vector<CheckedPair> pairs = checkedPairs(scene, caution, &cache);
    const std::vector<Window> windows = windowsOf(scene.trace());
    Digest whole;
    scene.describe(whole);
    std::map<std::pair<size_t, size_t>, double> cautions;
    for (const CheckedPair& pair : pairs) {
        whole.add(std::uint64_t(pair.a) << 32 | pair.b);
        whole.add(pair.caution);
        if (pair.caution != caution) cautions[{pair.a, pair.b}] = pair.caution;
    }
    // Which windows are known from before, and which have to be worked out.
    struct Work {
        Digest key;
        std::vector<std::shared_ptr<const void>> keeps;
        ContactCache::Meetings found;
    };
    std::vector<Work> works(windows.size());
    std::vector<size_t> left;
    Meant meant(scene);
    for (size_t i = 0; i < windows.size(); ++i) {
        if (i % 64 == 0 && options.stop.stop_requested()) return {};
        Work& work = works[i];
        work.key = whole;
        meant.enter(windows[i]);
        meant.describe(work.key);
        scene.describe(work.key, work.keeps, windows[i]);
        work.found = cache.find(work.key);
        if (!work.found) left.push_back(i);
    }
    // Each thread takes the next one; results have their own places, so their order has no say.
    std::atomic<size_t> next{0}, done{0};
    const auto takeOne = [&](const ContactScene& on, Meant& by) {
        const size_t at = next.fetch_add(1);
        if (at >= left.size()) return false;
        Work& work = works[left[at]];
        by.enter(windows[left[at]]);
        work.found =
            std::make_shared<const std::vector<Meeting>>(meetingsIn(on, pairs, by, windows[left[at]], options.stop));
        done.fetch_add(1);
        return !options.stop.stop_requested();
    };
    constexpr size_t worthAHelper = 4;  // windows
    const size_t helping = left.size() >= worthAHelper ? size_t(std::max(1, options.workers) - 1) : 0;
    const std::vector<ContactScene> copies(helping, scene);
    std::vector<std::exception_ptr> broken(helping);
    {
        std::vector<std::jthread> helpers;
        for (size_t n = 0; n < helping; ++n)
            helpers.emplace_back([&, n] {
                try {
                    Meant by(copies[n]);
                    while (takeOne(copies[n], by)) {
                    }
                } catch (...) {
                    broken[n] = std::current_exception();
                }
            });
        auto told = std::chrono::steady_clock::now();
        while (takeOne(scene, meant)) {
            constexpr auto often = std::chrono::milliseconds(400);
            if (!options.progress || std::chrono::steady_clock::now() - told < often) continue;
            options.progress(double(done) / double(left.size()));
            told = std::chrono::steady_clock::now();
        }
    }
    for (const std::exception_ptr& why : broken)
        if (why) std::rethrow_exception(why);
    if (options.stop.stop_requested()) return {};
    for (const size_t i : left)
        cache.keep(works[i].key, works[i].found, std::move(works[i].keeps));
    Encounters all(scene);
    for (size_t i = 0; i < windows.size(); ++i)
        for (const Meeting& m : *works[i].found) {
            const auto special = cautions.find({m.a, m.b});
            all.add(windows[i], m, special == cautions.end() ? caution : special->second);
        }
    return all.all();
}

std::vector<SmallestClearance> smallestClearances(const ContactScene& scene, const std::stop_token& stop)
{
    const std::vector<CheckedPair> pairs = checkedPairs(scene);
    const std::vector<SceneBody>& bodies = scene.bodies();
    std::vector<SmallestClearance> out;
    for (const CheckedPair& pair : pairs)
        out.push_back({pair.a, pair.b});
    for (const Window& window : windowsOf(scene.trace())) {
        if (stop.stop_requested()) break;
        const std::vector<size_t> looked =
            pairsToLookAt(scene, pairs, window, [&](size_t p) { return out[p].nearest.distance; });
        sweep(scene, pairs, looked, window, stop, [&](size_t pair, double time, const Pose& atA, const Pose& atB) {
            SmallestClearance& own = out[pair];
            const Nearest now = clearance(bodies[own.a], atA, bodies[own.b], atB, own.nearest.distance);
            // The gap of the balls is no distance; below the best one it is worked out.
            if (now.distance < own.nearest.distance) {
                own.nearest = bodies[own.a].shape->nearest(atA, *bodies[own.b].shape, atB);
                own.time = time;
            }
            if (own.nearest.touching()) return double(INFINITY);
            const double allowed =
                std::max(now.distance - own.nearest.distance, 0.0) + std::max(kFinestLook, 0.02 * own.nearest.distance);
            return nextLook(scene, own.a, own.b, time, allowed);
        });
    }
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
