#include "core/collide/sweep.h"

#include "core/collide/digest.h"
#include "core/collide/looks.h"
#include "core/collide/meant.h"
#include "core/collide/near.h"

#include <atomic>
#include <chrono>
#include <map>
#include <thread>

namespace topikos {

namespace {

/// What becomes of some pairs in a window, at times since it begins: one for each of `looked`. `backs`: of each of
/// those, see Meant::drawnBack().
std::vector<std::optional<Meeting>> meetingsOf(const ContactScene& scene, const std::vector<CheckedPair>& pairs,
                                               const std::vector<size_t>& looked, const std::vector<Vec3>& backs,
                                               const Window& window, const std::stop_token& stop)
{
    const CellBodies& bodies = scene.bodies();
    constexpr int kEndLooks = 12;  // for the end of a contact
    std::vector<std::optional<Meeting>> out(looked.size());
    std::vector<bool> touched(looked.size(), false);  // at the look before
    sweep(scene, pairs, looked, window, stop, [&](size_t at, double time, const Pose& trueA, const Pose& trueB) {
        const CheckedPair& pair = pairs[looked[at]];
        const auto& [a, b, caution] = pair;
        const auto drawn = [&](size_t body, const Pose& pose) {
            return backs[at].isZero() || !bodies[body].ofArm() ? pose : pose * translated(backs[at]);
        };
        const Pose atA = drawn(a, trueA), atB = drawn(b, trueB);
        const Nearest now = clearance(bodies[a], atA, bodies[b], atB, caution);
        const bool contact = now.distance <= kTouch;
        std::optional<Meeting>& own = out[at];
        const double since = time - window.from;
        if (own && own->contact && !contact && touched[at]) {
            // It has ended between the look before and this one.
            double low = own->parts, high = since;
            for (int n = 0; n < kEndLooks; ++n) {
                const double middle = 0.5 * (low + high);
                const auto midA = scene.place(a, window.from + middle), midB = scene.place(b, window.from + middle);
                const bool touch =
                    midA && midB && bodies[a].shape->touches(drawn(a, *midA), *bodies[b].shape, drawn(b, *midB));
                (touch ? low : high) = middle;
            }
            own->parts = low;
        }
        touched[at] = contact;
        if (now.distance >= caution && !contact)
            return nextLook(scene, pair, window, time, std::max(now.distance - caution, kFinestLook));
        if (!own) own = Meeting{std::uint32_t(a), std::uint32_t(b), since, since, since, now, contact, since, 0};
        own->until = since;
        if (contact) own->parts = since;
        if (!own->contact && (contact || now.distance < own->nearest.distance)) {
            own->time = since;
            own->nearest = now;
            own->contact = contact;
        }
        if (contact) own->depth = std::max(own->depth, bodies[a].shape->depth(trueA, *bodies[b].shape, trueB));
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

/// Puts meetings of windows, told by time, together to one encounter for each pair and step.
class Encounters {
public:
    explicit Encounters(const ContactScene& scene) : m_scene(scene) {}

    /// `onlyOn`: counts only when it goes on from the window before.
    void add(const Window& window, const Meeting& m, double caution, bool onlyOn)
    {
        Encounter e;
        e.a = m.a;
        e.b = m.b;
        countToStep(m_scene, window.middle(), e);
        e.lastOutcome = e.outcome;
        e.time = window.from + m.time;
        e.from = window.from + m.from;
        e.until = window.from + (m.contact ? m.parts : m.until);
        e.nearest = m.nearest;
        e.contact = m.contact;
        e.depth = m.depth;
        e.caution = caution;
        // A contact that was there when the window began goes on.
        if (const auto before = m_touching.find({m.a, m.b}); before != m_touching.end()) {
            constexpr double kAtOnce = 1e-6;  // [s]
            Encounter& own = m_all[before->second];
            const bool goesOn = m.contact && m.time <= kAtOnce && own.until >= window.from - kAtOnce
                                && (own.arm == e.arm || !e.arm || !own.arm);
            if (goesOn) {
                own.until = e.until;
                own.depth = std::max(own.depth, e.depth);
                if (own.arm && own.arm == e.arm) own.lastOutcome = e.outcome;
                return;
            }
        }
        if (onlyOn) return;
        // What happens again in the same step is said once.
        const auto [known, isNew] = m_known.try_emplace({m.a, m.b, e.arm, e.outcome}, m_all.size());
        if (isNew) {
            if (e.contact) m_touching[{m.a, m.b}] = m_all.size();
            m_all.push_back(e);
            return;
        }
        Encounter& own = m_all[known->second];
        if (e.contact) m_touching[{m.a, m.b}] = known->second;
        const bool better = !own.contact && (e.contact || e.nearest.distance < own.nearest.distance);
        if (!own.contact || e.contact) own.until = e.until;
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
    std::map<std::pair<std::uint32_t, std::uint32_t>, size_t> m_touching;  ///< the last contact of a pair
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

/// Near stretches of the same window, and what is to be known of them.
struct WindowWork {
    Window window;
    size_t first = 0, last = 0;  ///< of the near stretches
};
/// A pair that may meet in a window.
struct NearPair {
    Digest key;
    ContactCache::Met met{};
    const NearPair* same = nullptr;  ///< an earlier one with the same key
    bool open = false;               ///< has to be worked out
    bool meant = false;              ///< to touch
    Vec3 back = Vec3::Zero();        ///< see Meant::drawnBack()
    double caution = 0;              ///< [m]
};

/// What bodies do in stretches with the same window, which stand side by side from `first` on, and their boxes.
void findBoxes(Desk& desk, ContactCache& cache, std::vector<BodyStretch>& stretches, size_t first, size_t last)
{
    const Window& window = stretches[first].window;
    desk.digest.enter(window);
    std::vector<size_t> asked, bodies;
    for (size_t i = first; i < last; ++i) {
        const size_t body = stretches[i].body;
        stretches[i].moves = desk.scene.movesIn(body, window);
        stretches[i].appears = desk.scene.appearsIn(body, window);
        const auto known = stretches[i].moves ? cache.findBox(desk.digest.ofBody(body)) : std::nullopt;
        if (known) {
            stretches[i].box = *known;
            continue;
        }
        asked.push_back(i);
        bodies.push_back(body);
    }
    if (asked.empty()) return;
    const std::vector<Eigen::AlignedBox3d> found = desk.scene.boxesIn(window, bodies);
    for (size_t i = 0; i < asked.size(); ++i) {
        stretches[asked[i]].box = found[i];
        if (!stretches[asked[i]].moves) continue;
        const Digest key = desk.digest.ofBody(bodies[i]);
        cache.keepBox(key, found[i]);
    }
}

/// Ends of runs of things with the same window.
template <class List> std::vector<std::pair<size_t, size_t>> byWindow(const List& list)
{
    std::vector<std::pair<size_t, size_t>> out;
    for (size_t first = 0, last; first < list.size(); first = last) {
        for (last = first + 1; last < list.size() && list[last].window.from == list[first].window.from
                               && list[last].window.to == list[first].window.to;)
            ++last;
        out.push_back({first, last});
    }
    return out;
}

}  // namespace

std::vector<Encounter> encounters(const ContactScene& scene, double caution, const SweepOptions& options)
{
    ContactCache own;
    ContactCache& cache = options.cache ? *options.cache : own;
    const CheckedBodies checked(scene.bodies(), axesAt(scene.trace(), 0), caution, &cache);
    std::vector<std::unique_ptr<Desk>> desks;
    for (int i = 0; i < std::max(1, options.workers); ++i)
        desks.push_back(std::make_unique<Desk>(scene));
    const auto stops = [&] { return options.stop.stop_requested(); };
    std::vector<BodyStretch> stretches = stretchesOf(scene);
    const std::vector<std::pair<size_t, size_t>> boxed = byWindow(stretches);
    constexpr double kBoxed = 0.15, kKeyed = 0.3;  // of the time
    onDesks(desks, boxed.size(), options, 0, kBoxed,
            [&](Desk& desk, size_t i) { findBoxes(desk, cache, stretches, boxed[i].first, boxed[i].second); });
    if (stops()) return {};
    const std::vector<NearStretch> near = nearStretches(scene, checked, stretches, stops);
    std::vector<WindowWork> works;
    for (const auto& [first, last] : byWindow(near))
        works.push_back({near[first].window, first, last});
    std::vector<NearPair> pairs(near.size());
    onDesks(desks, works.size(), options, kBoxed, kKeyed, [&](Desk& desk, size_t w) {
        WindowWork& work = works[w];
        desk.digest.enter(work.window);
        for (size_t i = work.first; i < work.last; ++i) {
            const CheckedPair& pair = near[i].pair;
            pairs[i].meant = desk.meant.touch(pair.a, pair.b, work.window.middle());
            if (pairs[i].meant) continue;
            pairs[i].back = desk.meant.drawnBack(pair.a, pair.b, work.window.middle());
            pairs[i].caution = pairs[i].back.isZero() ? pair.caution : 0;
            pairs[i].key = desk.digest.ofBody(pair.a);
            pairs[i].key.add(desk.digest.ofBody(pair.b));
            pairs[i].key.add(pairs[i].caution);
            for (const double v : pairs[i].back)
                pairs[i].key.add(v);
        }
    });
    if (stops()) return {};
    // Of pairs that do the same the first one is worked out, whoever comes to it first.
    std::unordered_map<Digest, const NearPair*, Digest::Hash> first;
    std::vector<const WindowWork*> open;
    for (const WindowWork& work : works)
        for (size_t i = work.first; i < work.last; ++i) {
            NearPair& pair = pairs[i];
            if (pair.meant) continue;
            if (const auto met = cache.findMet(pair.key)) {
                pair.met = *met;
                continue;
            }
            const auto [known, isNew] = first.try_emplace(pair.key, &pair);
            pair.open = isNew;
            if (!isNew) pair.same = known->second;
            else if (open.empty() || open.back() != &work) open.push_back(&work);
        }
    onDesks(desks, open.size(), options, kKeyed, 1, [&](Desk& desk, size_t w) {
        std::vector<CheckedPair> asked;
        std::vector<size_t> looked, at;
        std::vector<Vec3> backs;
        for (size_t i = open[w]->first; i < open[w]->last; ++i) {
            if (!pairs[i].open) continue;
            looked.push_back(asked.size());
            asked.push_back(near[i].pair);
            asked.back().caution = pairs[i].caution;
            backs.push_back(pairs[i].back);
            at.push_back(i);
        }
        const auto found = meetingsOf(desk.scene, asked, looked, backs, open[w]->window, options.stop);
        for (size_t k = 0; k < at.size(); ++k)
            if (found[k]) pairs[at[k]].met = std::make_shared<const Meeting>(*found[k]);
    });
    if (stops()) return {};
    Encounters all(scene);
    for (const WindowWork& work : works)
        for (size_t i = work.first; i < work.last; ++i) {
            const NearPair& pair = pairs[i];
            if (pair.open) cache.keepMet(pair.key, pair.met);
            const ContactCache::Met& met = pair.same ? pair.same->met : pair.met;
            if (pair.meant || !met) continue;
            Meeting m = *met;
            m.a = std::uint32_t(near[i].pair.a);
            m.b = std::uint32_t(near[i].pair.b);
            // Of two that stand a look tells of all the time.
            if (near[i].still) m.until = m.parts = work.window.to - work.window.from;
            all.add(work.window, m, pair.caution, near[i].goesOn);
        }
    return all.all();
}

}  // namespace topikos
