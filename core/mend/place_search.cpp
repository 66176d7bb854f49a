#include "core/mend/place_search.h"

#include "core/cell/edit_layout.h"
#include "core/cell/applied.h"
#include "core/cell/step_tree.h"
#include "core/cell/margin.h"
#include "core/collide/cache.h"
#include "core/collide/standing.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <random>
#include <set>
#include <tuple>

namespace topikos {

namespace {

constexpr int kSteps[] = {0, 41, 17, 9, 6};  // of the grid, by the number of axes searched

/// Targets that routines go to, those of calls included.
std::vector<const Target*> targetsOf(const Cell& cell, const std::vector<RoutineId>& routines)
{
    std::set<RoutineId> open(routines.begin(), routines.end()), done;
    if (routines.empty()) open = reachedRoutines(cell);
    std::set<TargetId> named;
    while (!open.empty()) {
        const RoutineId id = *open.begin();
        open.erase(open.begin());
        if (!done.insert(id).second) continue;
        const Routine* routine = findRoutine(cell, id);
        if (!routine) continue;
        eachStep(routine->steps, [&](const Step& step, size_t) {
            if (const Call* call = step.as<Call>()) open.insert(call->routine);
            const ForEach* each = step.as<ForEach>();
            eachPlace(step, [&](const Place& place) {
                if (const auto* target = std::get_if<TargetId>(&place)) named.insert(*target);
            });
            const Follow* follow = step.as<Follow>();
            if (!each && !follow) return;
            const PatternId first = each ? each->pattern : follow->pattern, other = each ? each->with : PatternId();
            for (const Target& target : cell.targets)
                if (target.pattern && (target.pattern == first || target.pattern == other)) named.insert(target.id);
        });
    }
    std::vector<const Target*> out;
    for (const Target& target : cell.targets)
        if (named.contains(target.id) && target.kind == Target::Kind::Pose) out.push_back(&target);
    return out;
}

class Search {
public:
    Search(const Cell& cell, const PlaceQuery& query) :
        m_cell(cell), m_query(query), m_targets(targetsOf(cell, query.routines))
    {
        for (const Frame& frame : cell.frames)
            if (frame.id == query.frame || isBelow(cell, frame.id, query.frame)) m_moved.insert(frame.id);
        m_plans = query.plans ? query.plans : &m_ownPlans;
        m_touched = query.touched ? query.touched : &m_ownTouched;
        m_standing.emplace(cell, *m_touched);
        for (int i = 0; i < kPlaceAxes; ++i)
            if (query.highest[size_t(i)] > query.lowest[size_t(i)]) m_axes.push_back(size_t(i));
    }

    std::optional<PlaceSearch> run()
    {
        PlaceSearch out;
        // Where device axes stand at each target is known once it has run.
        if (std::any_of(m_cell.frames.begin(), m_cell.frames.end(), [](const Frame& f) { return f.axis.has_value(); }))
            withMoves(PlaceOffset{}, false, true);
        out.now = withMoves(PlaceOffset{}, true);
        std::vector<TriedPlace> tries = coarse();
        if (m_given) return std::nullopt;
        // The best of them, with their moves; from the best few on in smaller and smaller steps.
        constexpr size_t moved = 24, refined = 6;
        std::stable_sort(tries.begin(), tries.end(), [&](const auto& a, const auto& b) { return better(a, b); });
        tries.resize(std::min(tries.size(), moved));
        for (size_t i = 0; i < tries.size(); ++i) {
            tries[i] = withMoves(tries[i].offset, false);
            if (!goesOn(0.3 + 0.2 * double(i) / double(tries.size()))) return std::nullopt;
        }
        std::stable_sort(tries.begin(), tries.end(), [&](const auto& a, const auto& b) { return better(a, b); });
        tries = apart(tries, refined);
        for (size_t i = 0; i < tries.size(); ++i) {
            tries[i] = refinedFrom(tries[i]);
            if (!goesOn(0.5 + 0.3 * double(i + 1) / double(tries.size()))) return std::nullopt;
        }
        for (size_t i = 0; i < tries.size(); ++i) {
            tries[i] = withMoves(tries[i].offset, true);
            if (!goesOn(0.8 + 0.1 * double(i + 1) / double(tries.size()))) return std::nullopt;
        }
        tries.push_back(out.now);
        std::stable_sort(tries.begin(), tries.end(), [&](const auto& a, const auto& b) { return better(a, b); });
        out.best = apart(tries, m_query.most);
        out.better = !out.best.empty() && better(out.best.front(), out.now);
        if (!makeMap(out)) return std::nullopt;
        out.tried = m_tried;
        return out;
    }

private:
    bool goesOn(double done)
    {
        m_done = std::max(m_done, done);
        if (m_query.keepOn && !m_query.keepOn(m_done)) m_given = true;
        return !m_given;
    }
    /// What decides which of two places is better, the first that differs; less is better. Differences that nobody
    /// could tell do not count.
    std::array<double, 6> rank(const TriedPlace& p) const
    {
        constexpr double marginTold = 1e-3, timeTold = 1e-3;
        const double margin = -std::round(p.margin / marginTold),
                     cycle = std::isnan(p.cycle) ? INFINITY : std::round(p.cycle / timeTold);
        const bool byCycle = m_query.goal == PlaceQuery::Goal::Cycle;
        double way = 0;
        for (int i = 0; i < 3; ++i)
            way += p.offset[size_t(i)] * p.offset[size_t(i)];
        constexpr double hand = 0.2;  // a turn of a radian counts as much as this way [m]
        return {double(p.unreached),      double(p.blocked),
                byCycle ? cycle : margin, double(p.offset != PlaceOffset{}),
                byCycle ? margin : cycle, std::sqrt(way) + hand * std::abs(p.offset[3])};
    }
    bool better(const TriedPlace& a, const TriedPlace& b) const { return rank(a) < rank(b); }
    /// Whether what an arm does at a target depends on where the frame stands.
    bool changes(const Target& target) const
    {
        if (target.kind == Target::Kind::Posture) return false;
        return m_moved.contains(target.frame) != m_moved.contains(armOf(m_cell, target).mount);
    }
    double length(size_t axis) const { return m_query.highest[axis] - m_query.lowest[axis]; }
    /// What was kept, each at least a twentieth of the box away from the better ones.
    std::vector<TriedPlace> apart(const std::vector<TriedPlace>& sorted, size_t most) const
    {
        std::vector<TriedPlace> out;
        for (const TriedPlace& own : sorted) {
            const bool near = std::any_of(out.begin(), out.end(), [&](const TriedPlace& other) {
                return std::all_of(m_axes.begin(), m_axes.end(), [&](size_t axis) {
                    return std::abs(own.offset[axis] - other.offset[axis]) < 0.05 * length(axis);
                });
            });
            if (!near && out.size() < most) out.push_back(own);
        }
        return out;
    }

    /// Targets only, with what the arm touches when it stands there.
    TriedPlace ofTargets(const Cell& cell, const PlaceOffset& offset, bool standing = true)
    {
        ++m_tried;
        TriedPlace out{offset};
        out.margin = 1;
        struct Reached {
            const Target* target;
            JointVector posture;
            AxisValues axes;
        };
        std::vector<Reached> reached;
        for (const Target* own : m_targets) {
            const Target& target = *findTarget(cell, own->id);
            const auto known = m_stand.find(target.id);
            const AxisValues axes = known == m_stand.end() ? AxisValues{} : known->second;
            const TargetVerdict verdict = checkTarget(cell, target, axes, m_plans);
            const Arm& arm = *armOf(cell, target).model;
            const Solution* way = chosenWay(arm, target, verdict.ways.items);
            if (way) {
                if (changes(*own)) out.margin = std::min(out.margin, marginOf(cell, arm, way->joints));
                reached.push_back({&target, way->joints, axes});
                continue;
            }
            ++out.unreached;
            if (out.reason.empty() && !verdict.findings.empty())
                out.reason = findingText(cell, verdict.findings.front()).line();
        }
        if (out.unreached > 0) out.margin = 0;
        if (!standing || out.unreached > 0) return out;
        const StandingContacts here = m_standing->in(cell);
        for (const auto& [target, posture, axes] : reached)
            if (const auto touch = here.touch(armOf(cell, *target).id, posture, overlaid(axes, target->axes))) {
                ++out.blocked;
                if (out.reason.empty())
                    out.reason = "At " + target->name + " " + touch->own.name + " and " + touch->other.name + " touch.";
            }
        return out;
    }
    TriedPlace ofTargets(const PlaceOffset& offset)
    {
        const Result<Cell> cell = placedAt(m_cell, m_query.frame, offset);
        if (!cell) return {offset, int(m_targets.size()) + 1, 0, 0, NAN, cell.error().message};
        return ofTargets(*cell, offset);
    }
    /// `first`: of where it stands; from then on it is known where device axes stand at each target.
    TriedPlace withMoves(const PlaceOffset& offset, bool contact, bool first = false)
    {
        const Result<Cell> cell = placedAt(m_cell, m_query.frame, offset);
        if (!cell) return {offset, int(m_targets.size()) + 1, 0, 0, NAN, cell.error().message};
        TriedPlace out = ofTargets(*cell, offset, !contact);
        CheckOptions how;
        how.plans = m_plans;
        how.touched = m_touched;
        how.workers = m_query.workers;
        how.contact = contact && out.unreached == 0;
        const auto take = [&](const CheckResult& checked) {
            for (const TargetVerdict& verdict : checked.targets)
                if (first && verdict.used) m_stand.try_emplace(verdict.target, verdict.axes);
            for (const Finding& f : checked.findings) {
                if (f.severity != Severity::Blocked || !f.step) continue;
                ++out.blocked;
                if (out.reason.empty()) out.reason = findingText(*cell, f).line();
            }
            for (const ArmTrace& arm : checked.trace.arms) {
                bool changed = false;  // where the arm stands depends on where the frame stands
                for (const StepOutcome& outcome : arm.outcomes) {
                    if (!outcome.move || outcome.judgedOnly) continue;
                    const Target* target = findTarget(m_cell, outcome.target);
                    const bool before = std::exchange(changed, target ? changes(*target) : changed);
                    if (before || changed) takeMove(*cell, arm.arm, *outcome.move, before, changed, out);
                }
            }
            const bool ends = !checked.trace.blocked() && !checked.trace.stuck;
            out.cycle = ends ? (std::isnan(out.cycle) ? 0 : out.cycle) + cyclesOf(checked.trace).time : NAN;
        };
        if (m_query.routines.empty()) {
            take(check(*cell, how));
        } else {
            for (const RoutineId id : m_query.routines)
                if (const Routine* routine = findRoutine(*cell, id)) take(check(*cell, *routine, how));
        }
        return out;
    }
    /// Margins along a move, at a few places of it; where it only comes from or goes to a posture that stays the same,
    /// what is nearer to a limit than that is.
    static void takeMove(const Cell& cell, ArmId id, const Move& move, bool startChanges, bool endChanges,
                         TriedPlace& out)
    {
        constexpr int places = 8;
        const Arm& arm = *findArm(cell, id)->model;
        double bar = INFINITY;
        if (!startChanges) bar = std::min(bar, marginOf(cell, arm, move.at(arm, 0)));
        if (!endChanges) bar = std::min(bar, marginOf(cell, arm, move.at(arm, 1)));
        for (int i = 1; i <= places; ++i) {
            const double margin = marginOf(cell, arm, move.at(arm, double(i) / places));
            if (margin < bar - 1e-9 || (i == places && endChanges)) out.margin = std::min(out.margin, margin);
        }
    }

    std::vector<TriedPlace> coarse()
    {
        std::vector<TriedPlace> out{ofTargets(PlaceOffset{})};
        std::vector<PlaceOffset> places{PlaceOffset{}};
        const int steps = kSteps[std::min(m_axes.size(), std::size(kSteps) - 1)];
        for (const size_t axis : m_axes) {
            std::vector<PlaceOffset> next;
            for (const PlaceOffset& place : places)
                for (int i = 0; i < steps; ++i) {
                    PlaceOffset own = place;
                    own[axis] = m_query.lowest[axis] + length(axis) * i / (steps - 1);
                    next.push_back(own);
                }
            places = std::move(next);
        }
        std::mt19937_64 random(m_query.seed);
        const size_t again = m_axes.empty() ? 0 : places.size();
        for (size_t i = 0; i < again; ++i) {
            PlaceOffset own{};
            for (const size_t axis : m_axes)
                own[axis] = m_query.lowest[axis] + length(axis) * double(random() >> 11) * 0x1p-53;
            places.push_back(own);
        }
        for (size_t i = 0; i < places.size(); ++i) {
            out.push_back(ofTargets(places[i]));
            if (i % 16 == 0 && !goesOn(0.3 * double(i) / double(places.size()))) return {};
        }
        return out;
    }
    TriedPlace refinedFrom(TriedPlace best)
    {
        constexpr int halvings = 6;
        double share = 0.5 / std::max(1, kSteps[std::min(m_axes.size(), std::size(kSteps) - 1)] - 1);
        for (int n = 0; n < halvings; share *= 0.5, ++n)
            for (bool moved = true; moved && !m_given;) {
                moved = false;
                for (const size_t axis : m_axes)
                    for (const double sign : {1.0, -1.0}) {
                        PlaceOffset next = best.offset;
                        next[axis] = std::clamp(next[axis] + sign * share * length(axis), m_query.lowest[axis],
                                                m_query.highest[axis]);
                        if (next == best.offset) continue;
                        // Moves only where the targets promise something.
                        const TriedPlace quick = ofTargets(next);
                        if (quick.unreached > best.unreached || quick.blocked > best.blocked
                            || (m_query.goal == PlaceQuery::Goal::Margin && best.works()
                                && quick.margin <= best.margin))
                            continue;
                        if (TriedPlace own = withMoves(next, false); better(own, best)) {
                            best = std::move(own);
                            moved = true;
                        }
                    }
                goesOn(m_done);
            }
        return best;
    }
    bool makeMap(PlaceSearch& out)
    {
        const bool x = length(0) > 0, y = length(1) > 0;
        out.columns = x ? m_query.columns : 1;
        out.rows = y ? m_query.columns : 1;
        const PlaceOffset at = out.best.empty() ? PlaceOffset{} : out.best.front().offset;
        for (int row = 0; row < out.rows; ++row) {
            for (int column = 0; column < out.columns; ++column) {
                PlaceOffset own = at;
                if (x) own[0] = m_query.lowest[0] + length(0) * column / (out.columns - 1);
                if (y) own[1] = m_query.lowest[1] + length(1) * row / (out.rows - 1);
                out.map.push_back(ofTargets(own));
            }
            if (!goesOn(0.9 + 0.1 * double(row + 1) / out.rows)) return false;
        }
        return true;
    }

    const Cell& m_cell;
    const PlaceQuery& m_query;
    std::vector<const Target*> m_targets;
    std::vector<size_t> m_axes;              ///< that are searched
    std::set<FrameId> m_moved;               ///< the frame, and those below it
    std::map<TargetId, AxisValues> m_stand;  ///< where device axes stand when targets are gone to
    PlanCache m_ownPlans;
    ContactCache m_ownTouched;
    PlanCache* m_plans;
    ContactCache* m_touched;
    std::optional<StandingContacts> m_standing;
    int m_tried = 0;
    double m_done = 0;
    bool m_given = false;  ///< up
};

}  // namespace

std::optional<PlaceSearch> searchPlace(const Cell& cell, const PlaceQuery& query) { return Search(cell, query).run(); }

Result<Cell> placedAt(const Cell& cell, FrameId id, const PlaceOffset& offset)
{
    const Frame* frame = findFrame(cell, id);
    if (!frame) return Error{"edit.missing", "the frame is not in the cell", "", "Choose another one."};
    if (offset == PlaceOffset{}) return cell;
    Pose pose = placeInForce(cell, *frame);
    pose.translation += Vec3(offset[0], offset[1], offset[2]);
    pose.rotation = (pose.rotation * Quat(Eigen::AngleAxisd(offset[3], Vec3::UnitZ()))).normalized();
    return applied(cell, [&](const Cell& own) {
        const Result<Cell> next = frame->measured ? setFrameMeasured(own, id, std::nullopt) : Result<Cell>(own);
        return next ? setFramePose(*next, id, pose) : next;
    });
}

}  // namespace topikos
