#include "core/check/contact_sweep.h"

#include "core/check/contact_digest.h"
#include "core/check/contact_meant.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <map>
#include <queue>
#include <thread>

namespace topikos {

namespace {

constexpr double kLongestLook = 0.3;    // most that is allowed between two looks, since levers grow with it [m]
constexpr double kShortestLook = 1e-5;  // [s]

/// When the next look at a pair is due: what both can move until then is no more than `allowed`.
double nextLook(const ContactScene& scene, const CheckedPair& pair, const Window& window, double time, double allowed)
{
    const double most = std::min(allowed, kLongestLook);
    const Motion x = scene.motion(pair.a, time), y = scene.motion(pair.b, time);
    const double rate = x.rate + y.rate + most * (x.rateBy + y.rateBy),
                 ramp = x.ramp + y.ramp + most * (x.rampBy + y.rampBy);
    double wait = INFINITY;
    if (ramp > 0) wait = 2 * most / (rate + std::sqrt(rate * rate + 4 * ramp * most));
    else if (rate > 0) wait = most / rate;
    const double until = std::min(x.until, y.until);  // what changes its pace then is looked at
    if (time + wait >= until) return std::max(until, time + kShortestLook);
    // On a grid that many pairs share, so that where things are is worked out for all of them at once; from where the
    // window begins, so that the same is found whenever in a run that is.
    const double grid = std::exp2(std::floor(std::log2(wait)) - 1);
    const double shared = window.from + std::floor((time - window.from + wait) / grid) * grid;
    return std::max(shared > time ? shared : time + wait, time + kShortestLook);
}

/// Goes through a window and looks at some pairs when that is due: `look(which of those, time, place of a, place of b)`
/// says when the next time is; infinite: never.
template <class Look>
void sweep(const ContactScene& scene, const std::vector<CheckedPair>& pairs, const std::vector<size_t>& looked,
           const Window& window, const std::stop_token& stop, Look look)
{
    struct Watch {
        double due;
        size_t at;  ///< in `looked`
        bool operator>(const Watch& o) const { return std::tie(due, at) > std::tie(o.due, o.at); }
    };
    std::priority_queue<Watch, std::vector<Watch>, std::greater<>> watches;
    for (size_t at = 0; at < looked.size(); ++at)
        watches.push({window.from, at});
    for (size_t looks = 1; !watches.empty(); ++looks) {
        if (looks % 64 == 0 && stop.stop_requested()) return;
        const auto [time, at] = watches.top();
        watches.pop();
        const CheckedPair& own = pairs[looked[at]];
        const std::optional<Pose> atA = scene.place(own.a, time), atB = scene.place(own.b, time);
        if (!atA || !atB) continue;
        double due = look(at, time, *atA, *atB);
        if (due > window.to && time < window.to && std::isfinite(due)) due = window.to;
        if (due <= window.to) watches.push({due, at});
    }
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

/// Pairs that may come nearer than `interest(pair)` in a window, by the boxes that their bodies do not leave.
template <class Interest>
std::vector<size_t> pairsToLookAt(const ContactScene& scene, const SceneDigest& digest, ContactCache& cache,
                                  const std::vector<CheckedPair>& pairs, const Window& window, const Interest& interest)
{
    const size_t n = scene.bodies().size();
    std::vector<bool> stirs(n);  // moves, or appears
    for (size_t i = 0; i < n; ++i)
        stirs[i] = scene.movesIn(i, window) || scene.appearsIn(i, window);
    if (std::find(stirs.begin(), stirs.end(), true) == stirs.end()) return {};
    std::vector<Eigen::AlignedBox3d> boxes(n);
    std::vector<size_t> asked;
    for (size_t i = 0; i < n; ++i) {
        const auto known = scene.moves(i) ? cache.findBox(digest.ofBody(i)) : std::nullopt;
        if (known) boxes[i] = *known;
        else asked.push_back(i);
    }
    const std::vector<Eigen::AlignedBox3d> found = scene.boxesIn(window, asked);
    const auto keeps = std::make_shared<const Keeps>(digest.keeps());
    for (size_t i = 0; i < asked.size(); ++i) {
        boxes[asked[i]] = found[i];
        if (scene.moves(asked[i])) cache.keepBox(digest.ofBody(asked[i]), found[i], keeps);
    }
    // A box may be that of the same motion at another time, which differs by rounding.
    constexpr double rounding = 1e-6;  // [m]
    std::vector<size_t> out;
    for (size_t p = 0; p < pairs.size(); ++p) {
        const auto& [a, b, caution] = pairs[p];
        if (!stirs[a] && !stirs[b]) continue;
        if (boxes[a].isEmpty() || boxes[b].isEmpty()) continue;
        const double most = interest(p) + rounding;
        if (boxes[a].squaredExteriorDistance(boxes[b]) <= most * most) out.push_back(p);
    }
    return out;
}

/// What becomes of some pairs in a window, at times since it begins: one for each of `looked`.
std::vector<std::optional<Meeting>> meetingsOf(const ContactScene& scene, const std::vector<CheckedPair>& pairs,
                                               const std::vector<size_t>& looked, const Window& window,
                                               const std::stop_token& stop)
{
    const std::vector<SceneBody>& bodies = scene.bodies();
    std::vector<std::optional<Meeting>> out(looked.size());
    sweep(scene, pairs, looked, window, stop, [&](size_t at, double time, const Pose& atA, const Pose& atB) {
        const CheckedPair& pair = pairs[looked[at]];
        const auto& [a, b, caution] = pair;
        const Nearest now = clearance(bodies[a], atA, bodies[b], atB, caution);
        const bool contact = now.distance <= kTouch;
        if (now.distance >= caution && !contact)
            return nextLook(scene, pair, window, time, std::max(now.distance - caution, kFinestLook));
        std::optional<Meeting>& own = out[at];
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
        if (own->contact) return nextLook(scene, pair, window, time, kContactLook);
        return nextLook(scene, pair, window, time,
                        std::clamp(now.distance, kFinestLook, std::max(2 * kFinestLook, 0.02 * now.distance)));
    });
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

namespace {

/// What a thread works with; scenes remember what they worked out last.
struct Desk {
    explicit Desk(const ContactScene& of) : scene(of), meant(scene), digest(scene) {}
    const ContactScene scene;
    Meant meant;
    SceneDigest digest;
};

/// Does `one(desk, i)` for each of `count` things, each thread the next one, the first thread this one.
template <class One>
void onDesks(const std::vector<std::unique_ptr<Desk>>& desks, size_t count, const SweepOptions& options, double from,
             double to, const One& one)
{
    std::atomic<size_t> next{0};
    const auto takeOne = [&](Desk& desk) {
        const size_t at = next.fetch_add(1);
        if (at >= count || options.stop.stop_requested()) return false;
        one(desk, at);
        return true;
    };
    constexpr size_t worthAHelper = 4;
    std::vector<std::exception_ptr> broken(desks.size());
    {
        std::vector<std::jthread> helpers;
        for (size_t n = 1; n < desks.size() && count >= worthAHelper; ++n)
            helpers.emplace_back([&, n] {
                try {
                    while (takeOne(*desks[n])) {
                    }
                } catch (...) {
                    broken[n] = std::current_exception();
                }
            });
        auto told = std::chrono::steady_clock::now();
        while (takeOne(*desks.front())) {
            constexpr auto often = std::chrono::milliseconds(400);
            if (!options.progress || std::chrono::steady_clock::now() - told < often) continue;
            options.progress(from + (to - from) * std::min(1.0, double(next) / double(count)));
            told = std::chrono::steady_clock::now();
        }
    }
    for (const std::exception_ptr& why : broken)
        if (why) std::rethrow_exception(why);
}

/// A pair that may meet in a window.
struct NearPair {
    size_t pair;
    Digest key;
    ContactCache::Met met{};
    const NearPair* same = nullptr;  ///< an earlier one with the same key
    bool open = false;               ///< has to be worked out
};

/// A window, and what is to be known of it.
struct WindowWork {
    Window window;
    Digest key;
    ContactCache::Meetings found{};
    ContactCache::KeepsPtr keeps{};
    std::vector<NearPair> near{};
};

void findNear(Desk& desk, const std::vector<CheckedPair>& pairs, ContactCache& cache, WindowWork& work)
{
    desk.meant.enter(work.window);
    desk.digest.enter(work.window);
    work.keeps = std::make_shared<const Keeps>(desk.digest.keeps());
    const std::vector<size_t> looked = pairsToLookAt(desk.scene, desk.digest, cache, pairs, work.window,
                                                     [&](size_t p) { return std::max(pairs[p].caution, kTouch); });
    for (const size_t p : looked) {
        const auto& [a, b, caution] = pairs[p];
        if (desk.meant.touch(a, b)) continue;
        Digest key = desk.digest.ofBody(a);
        key.add(desk.digest.ofBody(b));
        key.add(caution);
        work.near.push_back({p, key});
    }
}

void workOut(Desk& desk, const std::vector<CheckedPair>& pairs, const std::stop_token& stop, WindowWork& work)
{
    std::vector<size_t> looked;
    for (const NearPair& near : work.near)
        if (near.open) looked.push_back(near.pair);
    const std::vector<std::optional<Meeting>> found = meetingsOf(desk.scene, pairs, looked, work.window, stop);
    auto one = found.begin();
    for (NearPair& near : work.near) {
        if (!near.open) continue;
        if (*one) near.met = std::make_shared<const Meeting>(**one);
        ++one;
    }
}

}  // namespace

std::vector<Encounter> encounters(const ContactScene& scene, double caution, const SweepOptions& options)
{
    ContactCache own;
    ContactCache& cache = options.cache ? *options.cache : own;
    const std::vector<CheckedPair> pairs = checkedPairs(scene, caution, &cache);
    Digest looked;
    std::map<std::pair<size_t, size_t>, double> cautions;
    for (const CheckedPair& pair : pairs) {
        looked.add(std::uint64_t(pair.a) << 32 | pair.b);
        looked.add(pair.caution);
        if (pair.caution != caution) cautions[{pair.a, pair.b}] = pair.caution;
    }
    std::vector<std::unique_ptr<Desk>> desks;
    for (int i = 0; i < std::max(1, options.workers); ++i)
        desks.push_back(std::make_unique<Desk>(scene));
    // Which windows are known from before, and which have to be worked out.
    std::vector<WindowWork> works;
    std::vector<WindowWork*> left;
    for (const Window& window : windowsOf(scene.trace()))
        works.push_back({window, looked});
    for (WindowWork& work : works) {
        if (options.stop.stop_requested()) return {};
        Desk& desk = *desks.front();
        desk.meant.enter(work.window);
        desk.digest.enter(work.window);
        work.key.add(desk.digest.ofAll());
        desk.meant.describe(work.key);
        work.found = cache.find(work.key);
        if (!work.found) left.push_back(&work);
    }
    constexpr double findsNear = 0.2;  // of the time
    onDesks(desks, left.size(), options, 0, findsNear,
            [&](Desk& desk, size_t i) { findNear(desk, pairs, cache, *left[i]); });
    // Of pairs that do the same the first one is worked out, whoever comes to it first.
    std::unordered_map<Digest, const NearPair*, Digest::Hash> first;
    std::vector<WindowWork*> open;
    for (WindowWork* work : left) {
        for (NearPair& near : work->near) {
            if (const auto known = first.find(near.key); known != first.end()) {
                near.same = known->second;
                continue;
            }
            first.emplace(near.key, &near);
            if (const auto met = cache.findMet(near.key)) near.met = *met;
            else near.open = true;
            if (near.open && (open.empty() || open.back() != work)) open.push_back(work);
        }
    }
    onDesks(desks, open.size(), options, findsNear, 1,
            [&](Desk& desk, size_t i) { workOut(desk, pairs, options.stop, *open[i]); });
    if (options.stop.stop_requested()) return {};
    for (WindowWork* work : left) {
        std::vector<Meeting> meetings;
        for (const NearPair& near : work->near) {
            if (near.open) cache.keepMet(near.key, near.met, work->keeps);
            const ContactCache::Met& met = near.same ? near.same->met : near.met;
            if (!met) continue;
            meetings.push_back(*met);
            meetings.back().a = std::uint32_t(pairs[near.pair].a);
            meetings.back().b = std::uint32_t(pairs[near.pair].b);
        }
        work->found = std::make_shared<const std::vector<Meeting>>(std::move(meetings));
        cache.keep(work->key, work->found, work->keeps);
    }
    Encounters all(scene);
    for (const WindowWork& work : works)
        for (const Meeting& m : *work.found) {
            const auto special = cautions.find({m.a, m.b});
            all.add(work.window, m, special == cautions.end() ? caution : special->second);
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
    SceneDigest digest(scene);
    ContactCache cache;
    for (const Window& window : windowsOf(scene.trace())) {
        if (stop.stop_requested()) break;
        digest.enter(window);
        const std::vector<size_t> looked =
            pairsToLookAt(scene, digest, cache, pairs, window, [&](size_t p) { return out[p].nearest.distance; });
        sweep(scene, pairs, looked, window, stop, [&](size_t at, double time, const Pose& atA, const Pose& atB) {
            const CheckedPair& pair = pairs[looked[at]];
            SmallestClearance& own = out[looked[at]];
            const Nearest now = clearance(bodies[own.a], atA, bodies[own.b], atB, own.nearest.distance);
            // The gap of the balls is no distance; below the best one it is worked out.
            if (now.distance < own.nearest.distance) {
                own.nearest = bodies[own.a].shape->nearest(atA, *bodies[own.b].shape, atB);
                own.time = time;
            }
            if (own.nearest.touching()) return double(INFINITY);
            const double allowed =
                std::max(now.distance - own.nearest.distance, 0.0) + std::max(kFinestLook, 0.02 * own.nearest.distance);
            return nextLook(scene, pair, window, time, allowed);
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
