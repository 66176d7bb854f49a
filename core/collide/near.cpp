#include "core/collide/near.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <queue>
#include <tuple>
#include <unordered_map>

namespace topikos {

namespace {

using Kind = SceneBody::Kind;
using Box = Eigen::AlignedBox3d;

constexpr double kShortest = 1e-9;  // stretches that are shorter are none [s]
constexpr double kCell = 0.4;       // of the grid [m]
constexpr double kMostCells = 16;   // of a box; larger ones are looked at one by one
constexpr size_t kFew = 200;        // boxes that are looked at one by one, too

/// Times at which something of what moves bodies begins or ends.
class Marks {
public:
    explicit Marks(const ContactScene& scene) : m_scene(scene)
    {
        for (const AxisTrack& track : scene.trace().axes)
            for (const AxisSpan& span : track.spans)
                m_tracks[track.frame.value].insert(m_tracks[track.frame.value].end(), {span.start, span.end()});
        for (auto& [frame, times] : m_tracks)
            std::sort(times.begin(), times.end());
        for (const BeltTrack& belt : scene.trace().belts)
            for (const BeltStretch& stretch : belt.stretches)
                m_belts[belt.belt.value].push_back(stretch.start);
        for (const ArmTrace& arm : scene.trace().arms) {
            std::vector<double>& times = m_arms[arm.arm.value];
            for (const ArmTrace::Span& span : arm.spans)
                times.insert(times.end(), {span.start, span.end});
            addFrame(times, findArm(scene.cell(), arm.arm)->mount, -INFINITY, INFINITY);
            std::sort(times.begin(), times.end());
        }
    }

    std::vector<double> of(size_t body) const
    {
        const SceneBody& own = m_scene.bodies()[body];
        const double end = m_scene.trace().duration;
        std::vector<double> out;
        if (m_scene.moves(body)) {
            if (own.ofArm()) {
                add(out, m_arms, own.arm.value, 0, end);
                addFrame(out, findArm(m_scene.cell(), own.arm)->mount, 0, end);
            } else if (own.kind == Kind::Frame) {
                addFrame(out, own.frame, 0, end);
            } else {
                ofPart(body, out);
            }
            std::sort(out.begin(), out.end());
        }
        out.push_back(end);
        return out;
    }

private:
    using Times = std::unordered_map<std::uint32_t, std::vector<double>>;
    static void add(std::vector<double>& out, const Times& of, std::uint32_t id, double from, double to)
    {
        const auto own = of.find(id);
        if (own == of.end()) return;
        const auto first = std::lower_bound(own->second.begin(), own->second.end(), from);
        out.insert(out.end(), first, std::upper_bound(first, own->second.end(), to));
    }
    void addFrame(std::vector<double>& out, FrameId frame, double from, double to) const
    {
        if (!frame || m_tracks.empty()) return;
        for (const FrameId axis : m_scene.bodies().places().axesAbove(frame))
            add(out, m_tracks, axis.value, from, to);
    }
    void ofPart(size_t body, std::vector<double>& out) const
    {
        const auto& events = m_scene.trace().partEvents;
        const std::vector<std::uint32_t>& own = events.of(m_scene.bodies()[body].part);
        const double end = m_scene.trace().duration;
        addFrame(out, m_scene.bodies().part(body).frame, 0, own.empty() ? end : events[own.front()].time);
        for (size_t i = 0; i < own.size(); ++i) {
            const PartEvent& event = events[own[i]];
            const double until = i + 1 < own.size() ? events[own[i + 1]].time : end;
            out.push_back(event.time);
            if (event.kind == PartEvent::Kind::Gone) continue;
            if (event.kind == PartEvent::Kind::Carried) {
                add(out, m_arms, event.arm.value, event.time, until);
                addFrame(out, findArm(m_scene.cell(), event.arm)->mount, event.time, until);
                continue;
            }
            addFrame(out, event.frame, event.time, until);
            if (event.kind == PartEvent::Kind::Rides) add(out, m_belts, event.frame.value, event.time, until);
        }
    }

    const ContactScene& m_scene;
    Times m_tracks, m_belts, m_arms;
};

/// Boxes that are under way.
class Grid {
public:
    explicit Grid(const std::vector<BodyStretch>& stretches) :
        m_stretches(stretches), m_seen(stretches.size(), 0), m_place(stretches.size(), 0)
    {
    }

    void insert(std::uint32_t at)
    {
        const Cells cells = cellsOf(m_stretches[at].box);
        if (cells.count > kMostCells) {
            m_large.push_back(at);
            return;
        }
        m_place[at] = std::uint32_t(m_all.size());
        m_all.push_back(at);
        each(cells, [&](std::uint64_t key) { m_cells[key].push_back(at); });
    }
    void erase(std::uint32_t at)
    {
        const Cells cells = cellsOf(m_stretches[at].box);
        const auto from = [at](std::vector<std::uint32_t>& list) {
            const auto found = std::find(list.begin(), list.end(), at);
            if (found == list.end()) return;
            *found = list.back();
            list.pop_back();
        };
        if (cells.count > kMostCells) return from(m_large);
        m_all[m_place[at]] = m_all.back();
        m_place[m_all.back()] = m_place[at];
        m_all.pop_back();
        each(cells, [&](std::uint64_t key) {
            const auto own = m_cells.find(key);
            from(own->second);
            if (own->second.empty()) m_cells.erase(own);
        });
    }
    /// Calls `found` once for each that may be near a box.
    template <class Found> void near(const Box& box, Found found)
    {
        for (const std::uint32_t at : m_large)
            found(at);
        if (m_all.size() <= kFew) {
            for (const std::uint32_t at : m_all)
                found(at);
            return;
        }
        const Cells cells = cellsOf(box);
        ++m_query;
        const auto tell = [&](const std::vector<std::uint32_t>& list) {
            for (const std::uint32_t at : list)
                if (std::exchange(m_seen[at], m_query) != m_query) found(at);
        };
        if (cells.count > double(m_cells.size())) {
            for (const auto& [key, list] : m_cells)
                tell(list);
            return;
        }
        each(cells, [&](std::uint64_t key) {
            if (const auto own = m_cells.find(key); own != m_cells.end()) tell(own->second);
        });
    }

private:
    struct Cells {
        std::array<std::int64_t, 3> low{}, high{};
        double count = INFINITY;
    };
    static Cells cellsOf(const Box& box)
    {
        Cells out;
        constexpr double most = 1e6;  // cells from the middle
        if (!(box.min().cwiseAbs().maxCoeff() < most * kCell && box.max().cwiseAbs().maxCoeff() < most * kCell))
            return out;
        out.count = 1;
        for (int i = 0; i < 3; ++i) {
            out.low[size_t(i)] = std::int64_t(std::floor(box.min()[i] / kCell));
            out.high[size_t(i)] = std::int64_t(std::floor(box.max()[i] / kCell));
            out.count *= double(out.high[size_t(i)] - out.low[size_t(i)] + 1);
        }
        return out;
    }
    template <class Do> static void each(const Cells& cells, Do act)
    {
        constexpr std::int64_t middle = 1 << 20;
        for (std::int64_t x = cells.low[0]; x <= cells.high[0]; ++x)
            for (std::int64_t y = cells.low[1]; y <= cells.high[1]; ++y)
                for (std::int64_t z = cells.low[2]; z <= cells.high[2]; ++z)
                    act(std::uint64_t(x + middle) << 42 | std::uint64_t(y + middle) << 21 | std::uint64_t(z + middle));
    }

    const std::vector<BodyStretch>& m_stretches;
    std::unordered_map<std::uint64_t, std::vector<std::uint32_t>> m_cells;
    std::vector<std::uint32_t> m_large, m_all;  ///< all: in the grid
    std::vector<std::uint32_t> m_seen, m_place;
    std::uint32_t m_query = 0;
};

}  // namespace

std::vector<BodyStretch> stretchesOf(const ContactScene& scene)
{
    const Marks marks(scene);
    std::vector<BodyStretch> out;
    for (size_t i = 0; i < scene.bodies().size(); ++i) {
        double from = 0;
        for (const double to : marks.of(i)) {
            if (to > scene.trace().duration) break;
            if (to - from <= kShortest) continue;
            out.push_back({std::uint32_t(i), {from, to}});
            from = to;
        }
    }
    std::sort(out.begin(), out.end(), [](const BodyStretch& a, const BodyStretch& b) {
        return std::tie(a.window.from, a.window.to, a.body) < std::tie(b.window.from, b.window.to, b.body);
    });
    return out;
}

std::vector<NearStretch> nearStretches(const ContactScene& scene, const CheckedBodies& checked,
                                       const std::vector<BodyStretch>& stretches, const std::function<bool()>& stop)
{
    // A box may be that of the same motion at another time, which differs by rounding.
    constexpr double rounding = 1e-6;  // [m]
    const double most = std::max(checked.largestCaution(), kTouch) + rounding;
    // Parts that no arm ever carries are no pairs with each other.
    const auto isOther = [&](const BodyStretch& own) {
        return scene.bodies()[own.body].kind == Kind::Part && !scene.bodies().isCarried(own.body);
    };
    const auto comesInto = [&](std::uint32_t body) {
        const SceneBody& own = scene.bodies()[body];
        return own.ofArm() || scene.bodies().isCarried(body) || (own.kind == Kind::Frame && scene.moves(body));
    };
    Grid others(stretches), rest(stretches);
    using End = std::pair<double, std::uint32_t>;
    std::priority_queue<End, std::vector<End>, std::greater<>> ends;
    std::vector<NearStretch> out;
    for (std::uint32_t i = 0; i < stretches.size(); ++i) {
        const BodyStretch& own = stretches[i];
        if (own.box.isEmpty()) continue;
        if (i % 256 == 0 && stop()) return {};
        while (!ends.empty() && ends.top().first <= own.window.from + kShortest) {
            const std::uint32_t over = ends.top().second;
            ends.pop();
            (isOther(stretches[over]) ? others : rest).erase(over);
        }
        const Box around(Vec3(own.box.min().array() - most), Vec3(own.box.max().array() + most));
        const auto meet = [&](std::uint32_t at) {
            const BodyStretch& other = stretches[at];
            if (other.body == own.body || !around.intersects(other.box)) return;
            const bool ordered = other.body < own.body;
            const auto pair = checked.pair(ordered ? other.body : own.body, ordered ? own.body : other.body);
            if (!pair) return;
            const double near = std::max(pair->caution, kTouch) + rounding;
            if (own.box.squaredExteriorDistance(other.box) > near * near) return;
            NearStretch found{*pair, {own.window.from, std::min(own.window.to, other.window.to)}};
            if (found.window.to - found.window.from <= kShortest) return;
            found.still = !own.moves && !other.moves;
            const bool appears = own.appears || own.window.from == 0
                                 || (other.appears && other.window.from >= own.window.from - kShortest);
            found.goesOn = found.still && !appears;
            // Parts that lie beside each other stay so; what an arm or a device moves may still be in what it came
            // into.
            if (found.goesOn && !comesInto(own.body) && !comesInto(other.body)) return;
            out.push_back(found);
        };
        rest.near(around, meet);
        if (!isOther(own)) others.near(around, meet);
        (isOther(own) ? others : rest).insert(i);
        ends.push({own.window.to, i});
    }
    std::sort(out.begin(), out.end(), [](const NearStretch& x, const NearStretch& y) {
        return std::tie(x.window.from, x.window.to, x.pair.a, x.pair.b)
               < std::tie(y.window.from, y.window.to, y.pair.a, y.pair.b);
    });
    return out;
}

}  // namespace topikos
