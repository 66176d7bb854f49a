#include "core/motion/time_law.h"

#include "core/motion/in_step.h"
#include "core/motion/law_maker.h"

#include <algorithm>
#include <cmath>

// Laws that are made smooth by averaging.

namespace topikos {

namespace {

constexpr int kParts = 12;           // of a cell with constant limits
constexpr int kMostSmoothings = 24;  // of a law, each from one that was changed where the one before was too quick
constexpr int kPatience = 5;         // rounds without a gain
constexpr double kGains = 0.999;     // of the time
constexpr int kSmoothLooks = 4;      // along a stretch of a smoothed law
constexpr int kQuickLooks = 1;       // while it is changed
constexpr double kKept = 1 + 2e-4;   // what a law may be too quick by that cannot be slowed as a whole
constexpr double kPieceLowerMore = 1.001;  // it is lowered by so much more
constexpr double kRaise = 1.1;             // a cell that is slower than it has to be is raised by so much at most

/// The largest ratio of a joint's jerk to its limit, at a fraction of a move with its derivatives by time.
double jerkRatio(const Arm& arm, const Move& move, double f, double v, double a, double jerk)
{
    constexpr double h = 1e-5;
    const double low = std::max(0.0, f - h), high = std::min(1.0, f + h);
    const JointVector third = (move.bend(high) - move.bend(low)) / (high - low);
    const JointVector all = move.rate(f) * jerk + 3 * v * a * move.bend(f) + v * v * v * third;
    double worst = 0;
    for (int k = 0; k < arm.jointCount(); ++k)
        if (const double most = arm.joints()[size_t(k)].jerk; most > 0)
            worst = std::max(worst, std::abs(all[k]) / most);
    return worst;
}

/// How much slower a move would have to be at a time of a stretch of its law for all limits to hold. `b` is room for
/// those limits.
double slowerAt(const Arm& arm, const Move& move, const Profile::Stretch& s, double t, PlaceBounds& b)
{
    const double f = s.positionAt(t), v = s.speedAt(t), a = s.acceleration + t * s.jerk;
    double needed = std::cbrt(jerkRatio(arm, move, f, v, a, s.jerk));
    boundsAt(arm, move, f, true, b);
    const double x = v * v;
    needed = std::max(needed, std::sqrt(x / b.cap));
    for (const PlaceBounds::Row& row : b.rows)
        needed = std::max(needed, std::sqrt(std::abs(row.rate * a + row.bend * x) / row.limit));
    return needed;
}

/// Makes one law smooth.
class Smoother {
public:
    Smoother(const Arm& arm, const std::vector<TimedPiece>& pieces, const LawBelow* before) :
        m_arm(arm), m_pieces(pieces), m_scales(scalesOf(pieces)), m_before(before), m_maker(arm, rest())
    {
    }

    TimeLaw make()
    {
        const double speed = m_before ? m_before->law.at(m_before->law.duration).speed / m_scales[m_first] : 0;
        m_maker.make(speed);
        m_maker.divide(kParts);
        m_maker.keep();
        double window = 0;
        for (const Joint& joint : m_arm.joints())
            if (joint.jerk > 0) window = std::max(window, 0.5 * joint.acceleration / joint.jerk);
        std::vector<double> windows{0.7 * window, 1.4 * window, 2.8 * window};
        if (m_before) windows = {m_before->window};
        TimeLaw best;
        double least = INFINITY, slower = 1;
        for (const double own : windows) {
            m_maker.takeBack();
            TimeLaw quickest;
            double bar = INFINITY;
            for (int round = 0, inVain = 0; round < kMostSmoothings && inVain < kPatience; ++round) {
                const Profile below = joined(m_maker.again(speed));
                TimeLaw law = cut(smoothed(below, own), lead());
                law.below = LawBelow{below, own, lead()};
                const double by = slowed(law, own);
                // A law that goes on from another one cannot be slowed as a whole.
                const double time = m_before && by > kKept ? INFINITY : by * law.duration;
                ++inVain;
                if (!(time < bar)) continue;
                if (time < kGains * bar) inVain = 0;
                bar = time;
                quickest = std::move(law);
            }
            if (!std::isfinite(bar)) continue;
            const double by = m_before ? 1 : slowerBy(quickest, kSmoothLooks);
            if (by * quickest.duration >= least) continue;
            least = by * quickest.duration;
            slower = by;
            best = std::move(quickest);
        }
        best.keeps = std::isfinite(least);
        if (best.keeps && !m_before) slowDown(best, slower);
        return best;
    }

private:
    /// When the law goes on from another one: how far the law below that one is already, and only the pieces from there
    /// on are still open.
    std::vector<TimedPiece> rest()
    {
        if (!m_before) return m_pieces;
        double begin = 0;
        const double at = m_before->law.distance;
        while (m_first + 1 < m_pieces.size()) {
            const double end = begin + (m_pieces[m_first].to - m_pieces[m_first].from) * m_scales[m_first];
            if (at < end - 1e-9 * m_scales[m_first]) break;
            begin = end;
            ++m_first;
        }
        std::vector<TimedPiece> out(m_pieces.begin() + std::ptrdiff_t(m_first), m_pieces.end());
        out.front().from += std::max(0.0, at - begin) / m_scales[m_first];
        out.front().stretch = 1;
        return out;
    }

    double lead() const { return m_before ? m_before->law.duration : 0; }

    static void slowDown(TimeLaw& law, double slower)
    {
        const auto slow = [slower](Profile& profile) {
            profile.duration *= slower;
            for (Profile::Stretch& s : profile.stretches) {
                s.time *= slower;
                s.duration *= slower;
                s.speed /= slower;
                s.acceleration /= slower * slower;
                s.jerk /= slower * slower * slower;
            }
        };
        law.duration *= slower;
        law.below->window *= slower;
        slow(law.below->law);
        for (Profile& profile : law.pieces)
            slow(profile);
    }

    static double timeOfLook(const Profile::Stretch& s, int i, int looks)
    {
        return s.duration * std::clamp(double(i) / looks, 1e-6, 1 - 1e-6);
    }

    /// How much slower all of a smoothed law would have to be, by so many looks along its stretches.
    double slowerBy(const TimeLaw& law, int looks) const
    {
        double worst = 1;
        for (size_t k = 0; k < m_pieces.size(); ++k)
            for (const Profile::Stretch& s : law.pieces[k].stretches)
                for (int i = 0; i <= looks; ++i)
                    worst = std::max(worst, slowerAt(m_arm, *m_pieces[k].move, s, timeOfLook(s, i, looks), m_bounds));
        return worst;
    }

    /// The same, by fewer looks. Cells in which the law below is too quick for it are lowered, and those raised in
    /// which it is too slow.
    double slowed(const TimeLaw& law, double window)
    {
        const int looks = m_before ? kSmoothLooks : kQuickLooks;
        double worst = 1, begin = lead();
        // The law below, by the times at which it comes to the ends of its cells.
        std::vector<double> times{lead()};
        for (size_t i = 0; i < m_maker.cellCount(); ++i)
            times.push_back(times.back() + m_maker.timeIn(i));
        std::vector<double> by(m_maker.cellCount(), 0);
        for (size_t k = 0; k < m_pieces.size(); ++k) {
            for (const Profile::Stretch& s : law.pieces[k].stretches)
                for (int i = 0; i <= looks; ++i) {
                    const double t = timeOfLook(s, i, looks);
                    const double needed = slowerAt(m_arm, *m_pieces[k].move, s, t, m_bounds);
                    worst = std::max(worst, needed);
                    // What is averaged there.
                    const double now = begin + s.time + t;
                    const auto first = std::upper_bound(times.begin(), times.end(), now - window);
                    for (size_t c = first == times.begin() ? 0 : size_t(first - times.begin()) - 1;
                         c < by.size() && times[c] <= now; ++c)
                        by[c] = std::max(by[c], needed);
                }
            begin += law.pieces[k].duration;
        }
        const double more = m_before ? kPieceLowerMore : 1;
        for (size_t i = 0; i < by.size(); ++i)
            if (by[i] > 0)
                m_maker.change(i, by[i] > 1 ? 1 / std::min(more * by[i] * by[i], 2.0) : std::min(kRaise, 1 / by[i]));
        return worst;
    }

    /// All pieces as one law of s, behind the one that it goes on from.
    Profile joined(const TimeLaw& law) const
    {
        Profile out = m_before ? m_before->law : Profile{};
        for (size_t k = 0; k < law.pieces.size(); ++k) {
            const double scale = m_scales[m_first + k];
            for (const Profile::Stretch& s : law.pieces[k].stretches)
                out.append(s.duration, s.speed * scale, s.acceleration * scale, s.jerk * scale, s.by);
        }
        return out;
    }

    /// A law of s from a time on as laws of the pieces.
    TimeLaw cut(const Profile& whole, double from) const
    {
        TimeLaw law;
        double end = 0;
        auto next = whole.stretches.begin();
        for (size_t k = 0; k < m_pieces.size(); ++k) {
            const TimedPiece& piece = m_pieces[k];
            end += (piece.to - piece.from) * m_scales[k];
            const double to = k + 1 == m_pieces.size() ? whole.duration : timeAt(whole, end);
            Profile profile;
            profile.distance = piece.from;
            while (next != whole.stretches.end() && next->time + next->duration <= from)
                ++next;
            for (auto own = next; own != whole.stretches.end() && own->time < to; ++own) {
                const Profile::Stretch& s = *own;
                const double begin = std::max(from, s.time) - s.time, stop = std::min(to, s.time + s.duration) - s.time;
                if (!(stop > begin)) continue;
                const double scale = m_scales[k];
                profile.append(stop - begin, s.speedAt(begin) / scale, (s.acceleration + begin * s.jerk) / scale,
                               s.jerk / scale, s.by);
            }
            profile.distance = piece.to;
            law.duration += profile.duration;
            law.pieces.push_back(std::move(profile));
            from = to;
        }
        return law;
    }

    const Arm& m_arm;
    const std::vector<TimedPiece>& m_pieces;
    const std::vector<double> m_scales;
    const LawBelow* m_before;
    size_t m_first = 0;  ///< piece that the law below is in
    LawMaker m_maker;
    mutable PlaceBounds m_bounds;  ///< room for those of one place
};

}  // namespace

TimeLaw fastestLaw(const Arm& arm, const std::vector<TimedPiece>& pieces, double startSpeed, const LawBelow* before)
{
    const bool smooth =
        std::any_of(pieces.begin(), pieces.end(), [](const TimedPiece& piece) { return piece.move->smooth; });
    return smooth && (before || startSpeed == 0) ? Smoother(arm, pieces, before).make()
                                                 : LawMaker(arm, pieces).make(startSpeed);
}

Profile fastestAlone(const Arm& arm, const Move& move, double end)
{
    if (!(end > 0)) return {};
    return std::move(fastestLaw(arm, {{&move, 0, end}}).pieces.front());
}

std::optional<LawBelow> belowAt(const TimeLaw& law, const std::vector<TimedPiece>& pieces, size_t piece,
                                double fraction, size_t same)
{
    if (!law.below) return std::nullopt;
    const std::vector<double> scales = scalesOf(pieces);
    double time = law.below->lead, place = 0, known = 0, s = 0;
    for (size_t k = 0; k < pieces.size(); ++k) {
        if (k < piece) time += law.pieces[k].duration;
        if (k == piece) place = s + (fraction - pieces[k].from) * scales[k];
        if (k == same) known = s;
        s += (pieces[k].to - pieces[k].from) * scales[k];
    }
    if (same >= pieces.size()) known = s;
    time += timeAt(law.pieces[piece], fraction);
    const Profile& below = law.below->law;
    if (below.at(time).position > known) return std::nullopt;
    const double begin = time - law.below->window, scale = scales[piece];
    LawBelow out;
    out.window = law.below->window;
    out.law.distance = (below.at(begin).position - place) / scale;
    if (begin < 0) out.law.append(-begin, 0, 0);
    for (const Profile::Stretch& stretch : below.stretches) {
        const double from = std::max(begin, stretch.time) - stretch.time,
                     to = std::min(time, stretch.time + stretch.duration) - stretch.time;
        if (to > from)
            out.law.append(to - from, stretch.speedAt(from) / scale,
                           (stretch.acceleration + from * stretch.jerk) / scale, stretch.jerk / scale, stretch.by);
    }
    if (time > below.duration) out.law.append(time - std::max(below.duration, begin), 0, 0);
    return out;
}

}  // namespace topikos
