#include "core/motion/move_chain.h"

#include "core/motion/in_step.h"
#include "core/motion/law_maker.h"
#include "core/robot/forward.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr double kShareAlone = 0.95;      // of a move that its only corner may take
constexpr double kShare = 0.5;            // of a move that each of its two corners may take
constexpr double kLopsided = 1.5;         // one side of a corner is no more than so many times as long as the other
constexpr double kStands = 1e-6;          // moves that move the tool less have no corner to be cut [m]
constexpr double kShortestCorner = 1e-6;  // of a move
constexpr double kJoins = 1e-6;           // joints may be off where a corner joins its moves [rad or m]
constexpr int kTries = 16;                // for how far a corner reaches
constexpr int kLooks = 6;                 // along a corner
constexpr int kShrinks = 7;

std::shared_ptr<const Move> moveOf(const MovePlanPtr& plan) { return {plan, &*plan->move}; }

/// Corners of a chain.
class CornerMaker {
public:
    CornerMaker(const Arm& arm, const std::vector<ChainedMove>& steps, const TcpAt& tcpAt) :
        m_arm(arm), m_steps(steps), m_tcpAt(tcpAt)
    {
    }

    struct Result {
        std::shared_ptr<const Move> move;  ///< nothing: a stop
        std::shared_ptr<const CornerCut> cut;
        std::optional<Corner> corner;
    };

    /// The corner behind a step; `before` and `after`: the most that it may take of the moves.
    Result make(size_t step, double mostBefore, double mostAfter) const
    {
        const auto first = moveOf(m_steps[step].plan), second = moveOf(m_steps[step + 1].plan);
        const double asked = m_steps[step].blend;
        const Vec3 corner = place(step, first->to, 1, 0);
        const auto behind = [&](double part) {
            return (place(step, first->at(m_arm, 1 - part), 1 - part, 0) - corner).norm();
        };
        const auto ahead = [&](double part) { return (place(step, second->at(m_arm, part), 1, part) - corner).norm(); };
        double before = largestPart(mostBefore, asked, behind), after = largestPart(mostAfter, asked, ahead);
        const double left = behind(before), done = ahead(after);
        Result out;
        double kept = INFINITY;
        for (const double way : {left, done})
            if (way > kStands) kept = std::min(kept, way);
        if (kept < 0.999 * asked) out.corner = Corner{asked, kept, Corner::Why::ShortMove};
        if (left > kStands && done > kStands) {
            // Both sides as long as the tool is fast there: then the corner is passed at a constant acceleration.
            const double ratio =
                std::clamp(first->profile.peakSpeed() * left / before / (second->profile.peakSpeed() * done / after),
                           1 / kLopsided, kLopsided);
            if (left > ratio * done) before = largestPart(before, ratio * done, behind);
            else after = largestPart(after, left / ratio, ahead);
        }
        for (int i = 0; i < kShrinks; ++i) {
            auto cut = std::make_shared<CornerCut>();
            cut->first = first;
            cut->second = second;
            cut->before = before;
            cut->after = after;
            cut->smooth = first->smooth || second->smooth;
            if (before < kShortestCorner || after < kShortestCorner) break;
            std::optional<Move> move = ofPaths(cut);
            if (!move) move = ofJoints(step, cut, corner, asked);
            if (move) {
                out.cut = cut;
                out.move = std::make_shared<const Move>(std::move(*move));
                if (i > 0) out.corner = Corner{asked, std::min(behind(before), ahead(after)), Corner::Why::NoWay};
                return out;
            }
            before *= 0.6;
            after *= 0.6;
        }
        out.corner = Corner{asked, 0, Corner::Why::NoWay};
        return out;
    }

private:
    Vec3 place(size_t step, const JointVector& posture, double first, double second) const
    {
        if (m_tcpAt) return m_tcpAt(step, posture, first, second);
        return (forward(m_arm, posture) * m_steps[step].flangeFromTcp).translation;
    }

    /// The largest part of a move, up to `most`, that stays within `asked`.
    template <class Distance> static double largestPart(double most, double asked, Distance distance)
    {
        double low = 0, high = most;
        for (int k = 1; k <= kLooks; ++k) {
            const double part = most * k / kLooks;
            if (distance(part) > asked) {
                high = part;
                break;
            }
            low = part;
        }
        if (low == most) return most;
        for (int i = 0; i < kTries; ++i) {
            const double middle = 0.5 * (low + high);
            (distance(middle) <= asked ? low : high) = middle;
        }
        return low;
    }

    /// Of two paths of the tool: a curve of the tool between them, which lies in the plane of two lines.
    std::optional<Move> ofPaths(const std::shared_ptr<const CornerCut>& cut) const
    {
        const Move &a = *cut->first, &b = *cut->second;
        const LineSegment *first = a.as<LineSegment>(), *second = b.as<LineSegment>();
        if (!first || !second) return std::nullopt;
        const auto plain = [](const LineSegment& s) {
            return s.wayIsExact && !s.path.baseFromFrame && s.path.companions.empty();
        };
        if (!plain(*first) || !plain(*second) || m_arm.freeJoints().size() > 6) return std::nullopt;
        if (!(deviation(first->path.flangeFromTcp, second->path.flangeFromTcp).metres < 1e-12)
            || first->branch != second->branch)
            return std::nullopt;
        LinePath path;
        path.shape = cut;
        path.flangeFromTcp = first->path.flangeFromTcp;
        path.start = path.inFrame(0);
        path.end = path.inFrame(1);
        Move move = followPath(m_arm, a.at(m_arm, 1 - cut->before), path, cornerLimits(a.limits, b.limits),
                               first->bounds, first->bounds);
        const bool joins = !move.stop && move.as<LineSegment>()->wayIsExact
                           && (move.to - b.at(m_arm, cut->after)).cwiseAbs().maxCoeff() < kJoins;
        if (!joins) return std::nullopt;
        return move;
    }

    /// Of any two moves: a curve of the joints between them.
    std::optional<Move> ofJoints(size_t step, const std::shared_ptr<const CornerCut>& cut, const Vec3& corner,
                                 double asked) const
    {
        Move move = cornerOfJoints(cut);
        for (int k = 0; k <= kLooks; ++k) {
            const double u = double(k) / kLooks;
            const JointVector posture = move.at(m_arm, u);
            if (!withinRange(m_arm, posture)) return std::nullopt;
            const double away = (place(step, posture, 1 - cut->left(u), cut->done(u)) - corner).norm();
            if (away > asked * (1 + 1e-6)) return std::nullopt;
        }
        return move;
    }

    const Arm& m_arm;
    const std::vector<ChainedMove>& m_steps;
    const TcpAt& m_tcpAt;
};

}  // namespace

const Leg& Timing::legAt(double time) const
{
    const auto after =
        std::upper_bound(legs.begin(), legs.end(), time, [](double t, const Leg& leg) { return t < leg.start; });
    return after == legs.begin() ? legs.front() : *(after - 1);
}

JointVector Timing::postureAt(const Arm& arm, double time) const
{
    const Leg& leg = legAt(time);
    return leg.move->at(arm, leg.law->at(time - leg.start).position);
}

JointVector Timing::speedAt(double time) const
{
    const Leg& leg = legAt(time);
    const Profile::Sample s = leg.law->at(time - leg.start);
    return leg.move->rate(s.position) * s.speed;
}

JointVector Timing::accelerationAt(double time) const
{
    const Leg& leg = legAt(time);
    const Profile::Sample s = leg.law->at(time - leg.start);
    return leg.move->rate(s.position) * s.acceleration + leg.move->bend(s.position) * (s.speed * s.speed);
}

double Timing::fractionAt(double time) const
{
    const Leg& leg = legAt(time);
    const double at = leg.law->at(time - leg.start).position;
    if (leg.move == move) return at;
    const CornerCut& cut = *leg.move->cut();
    return cut.second == move ? cut.done(at) : 1 - cut.left(at);
}

double Timing::peakRate() const
{
    double peak = 0;
    for (const Leg& leg : legs) {
        double rate = leg.law->peakSpeed();
        if (leg.move != move) {
            const CornerCut& cut = *leg.move->cut();
            rate *= 2 * (cut.second == move ? cut.after : cut.before);
        }
        peak = std::max(peak, rate);
    }
    return peak;
}

TimingPtr aloneTiming(std::shared_ptr<const Move> move)
{
    auto timing = std::make_shared<Timing>();
    timing->duration = move->profile.duration;
    timing->legs.push_back({0, move, std::shared_ptr<const Profile>(move, &move->profile)});
    timing->move = std::move(move);
    return timing;
}

TimingPtr fractionTiming(const Profile& profile)
{
    auto timing = std::make_shared<Timing>();
    timing->duration = profile.duration;
    timing->legs.push_back({0, nullptr, std::make_shared<const Profile>(profile)});
    return timing;
}

namespace {

/// Length of a group up to the beginning of a step's own move, in fractions of its first piece.
double lengthUntil(const MoveChain::Group& group, size_t step)
{
    const std::vector<double> scales = scalesOf(group.pieces);
    double length = 0;
    for (size_t p = 0; p < group.pieces.size(); ++p) {
        if (group.parts[p].step == step && !group.parts[p].corner) break;
        length += (group.pieces[p].to - group.pieces[p].from) * scales[p];
    }
    return length;
}

}  // namespace

std::optional<ChainEntry> entryBefore(const MoveChain& chain, size_t step)
{
    const Timing& timing = *chain.steps[step].timing;
    if (timing.begins() >= 0) return std::nullopt;
    constexpr double middle = 0.5;
    const Leg& corner = timing.legs.front();
    ChainEntry entry{{0, corner.move, corner.law}, middle, {}};
    for (const MoveChain::Group& group : chain.smooth) {
        const auto own = std::find_if(group.parts.begin(), group.parts.end(),
                                      [&](const MoveChain::Part& part) { return part.corner && part.step == step; });
        if (own == group.parts.end()) continue;
        // Where more moves come behind it, the end of the group looks another way: from the last move but one on.
        const size_t last = group.parts.back().step;
        const auto open = std::find_if(own, group.parts.end(), [&](const MoveChain::Part& part) {
            return part.step + (part.corner ? 0 : 1) >= last;
        });
        const auto below = belowAt(group.law, group.pieces, size_t(own - group.parts.begin()), middle,
                                   size_t(open - group.parts.begin()));
        if (!below) return std::nullopt;
        entry.below = std::make_shared<const LawBelow>(*below);
    }
    return entry;
}

MoveChain makeMoveChain(const Arm& arm, const std::vector<ChainedMove>& steps, const TcpAt& tcpAt,
                        const std::optional<ChainEntry>& entry)
{
    const size_t n = steps.size();
    const CornerMaker maker(arm, steps, tcpAt);
    MoveChain chain;
    chain.steps.resize(n);
    // What corners take of each move at its beginning and at its end.
    std::vector<double> taken(n, 0), left(n, 0);
    std::vector<std::shared_ptr<const Move>> corners(n);
    if (entry) taken[0] = entry->corner.move->cut()->after;
    for (size_t k = 0; k + 1 < n; ++k) {
        const double before = std::min(taken[k] > 0 ? kShare : kShareAlone, 1 - taken[k]);
        const double after = k + 2 < n ? kShare : kShareAlone;
        CornerMaker::Result made = maker.make(k, before, after);
        chain.steps[k].corner = made.corner;
        if (!made.move) continue;
        corners[k] = made.move;
        left[k] = made.cut->before;
        taken[k + 1] = made.cut->after;
    }
    double now = 0;
    std::vector<std::shared_ptr<Timing>> timings(n);
    for (size_t k = 0; k < n; ++k) {
        timings[k] = std::make_shared<Timing>();
        timings[k]->move = moveOf(steps[k].plan);
    }
    std::vector<double> begins(n, 0), ends(n, 0);
    const auto timed = [&](size_t first, size_t last) {
        MoveChain::Group out;
        double stretch = 1, startSpeed = 0;
        if (first == 0 && entry) {
            const Leg& leg = entry->corner;
            startSpeed = leg.law->at(timeAt(*leg.law, entry->fraction)).speed;
            out.pieces.push_back({leg.move.get(), entry->fraction, 1, 1});
            out.parts.push_back({0, true});
            out.moves.push_back(leg.move);
            stretch = 2 * taken[0];
        }
        const LawBelow* below = first == 0 && entry ? entry->below.get() : nullptr;
        for (size_t k = first; k <= last; ++k) {
            // At the ends of the group the moves are whole.
            const double from = k == first && !(k == 0 && entry) ? 0 : taken[k], to = k == last ? 1 : 1 - left[k];
            if (to - from > 1e-9) {
                out.pieces.push_back({timings[k]->move.get(), from, to, stretch});
                out.parts.push_back({k, false});
                out.moves.push_back(timings[k]->move);
                stretch = 1;
            }
            if (k == last) break;
            out.pieces.push_back({corners[k].get(), 0, 1, stretch / (2 * left[k])});
            out.parts.push_back({k + 1, true});
            out.moves.push_back(corners[k]);
            stretch = 2 * taken[k + 1];
        }
        // A stop comes too late behind a place where the law below is already.
        if (below && last + 1 < n && below->law.distance > lengthUntil(out, last)) {
            out.law.keeps = false;
            return out;
        }
        // A move by itself has its own law, which is quicker than one that is averaged.
        const Move& own = *timings[first]->move;
        if (first == last && own.smooth && !(first == 0 && entry)) {
            out.law.pieces = {own.profile};
            out.law.duration = own.profile.duration;
        } else {
            out.law = fastestLaw(arm, out.pieces, startSpeed, below);
        }
        return out;
    };
    const auto smooth = [&](size_t first, size_t last) {
        return std::any_of(steps.begin() + std::ptrdiff_t(first), steps.begin() + std::ptrdiff_t(last) + 1,
                           [](const ChainedMove& step) { return step.plan->move->smooth; });
    };
    // Where a jerk is limited, stops may be quicker than corners: halves of the moves, and halves of those.
    std::vector<MoveChain::Group> groups;
    const auto add = [&](auto&& self, size_t first, size_t last) -> double {
        MoveChain::Group whole = timed(first, last);
        const double together = whole.law.keeps ? whole.law.duration : INFINITY;
        double alone = 0;
        for (size_t k = first; k <= last; ++k)
            alone += steps[k].plan->move->profile.duration;
        if (first == last || !smooth(first, last) || together <= alone) {
            groups.push_back(std::move(whole));
            return together;
        }
        const size_t before = groups.size(), middle = first + (last - first) / 2;
        const double apart = self(self, first, middle) + self(self, middle + 1, last);
        if (apart < together) {
            chain.steps[middle].corner = Corner{steps[middle].blend, 0, Corner::Why::StopIsQuicker};
            return apart;
        }
        groups.resize(before);
        groups.push_back(std::move(whole));
        return together;
    };
    for (size_t first = 0; first < n;) {
        size_t last = first;
        while (last + 1 < n && corners[last])
            ++last;
        add(add, first, last);
        first = last + 1;
    }
    for (const MoveChain::Group& group : groups)
        chain.keeps = chain.keeps && group.law.keeps;
    if (!chain.keeps) {
        chain.steps.clear();
        return chain;
    }
    for (MoveChain::Group& group : groups) {
        double time = now;
        begins[group.parts.front().step] = now;
        for (size_t p = 0; p < group.pieces.size(); ++p) {
            auto profile = std::make_shared<const Profile>(group.law.pieces[p]);
            const Leg leg{time, group.moves[p], profile};
            const size_t k = group.parts[p].step;
            timings[k]->legs.push_back(leg);
            if (group.parts[p].corner && !(k == 0 && entry)) {
                timings[k - 1]->legs.push_back(leg);
                begins[k] = ends[k - 1] = time + timeAt(*profile, 0.5);
            }
            time += profile->duration;
        }
        ends[group.parts.back().step] = now = time;
        if (group.law.below) chain.smooth.push_back(std::move(group));
    }
    for (size_t k = 0; k < n; ++k) {
        for (Leg& leg : timings[k]->legs)
            leg.start -= begins[k];
        timings[k]->duration = ends[k] - begins[k];
        chain.steps[k].start = begins[k];
        chain.steps[k].timing = timings[k];
    }
    return chain;
}

}  // namespace topikos
