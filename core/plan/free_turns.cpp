#include "core/plan/free_turns.h"

#include "core/cell/drawing.h"
#include "core/cell/edit.h"
#include "core/cell/edit_support.h"
#include "core/cell/pattern.h"
#include "core/cell/margin.h"
#include "core/plan/layers.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <set>

namespace topikos {

namespace {

constexpr double kPi = std::numbers::pi;
constexpr int kTurns = 24;

}  // namespace

FreeTurns freeTurns(const Cell& cell, const Pattern& pattern, const std::function<bool()>& stop)
{
    FreeTurns out;
    const ArmStation* station = findArm(cell, pattern.arm);
    const Tool* tool = findTool(cell, pattern.tool);
    if (!station || !tool || pattern.drawing.points.empty()) return out;
    const Arm& arm = *station->model;
    struct State {
        double turn;
        Solution way;
        double margin;
    };
    std::vector<std::vector<State>> at;
    Pattern plain = pattern;
    plain.drawing.turns = Drawing::Turn::Free;
    Target target;
    target.arm = pattern.arm;
    target.frame = pattern.frame;
    target.tool = pattern.tool;
    target.axes = pattern.axes;
    // A seam is gone along by lines: they keep the configuration they begin in, and no joint goes round on the way.
    const bool seam = pattern.drawing.seam;
    const auto follows = [&](const State& a, const State& b) {
        if (!seam) return true;
        if (arm.hasBranches() && a.way.configuration != b.way.configuration) return false;
        return (a.way.joints - b.way.joints).cwiseAbs().maxCoeff() < kPi / 2;
    };
    const auto travel = [&](const JointVector& a, const JointVector& b) {
        double most = 0;
        for (int i = 0; i < a.size(); ++i)
            most = std::max(most, std::abs(a[i] - b[i]) / arm.joints()[size_t(i)].speed);
        return most;
    };
    for (size_t i = 0; i < pattern.drawing.points.size(); ++i) {
        if (stop && stop()) return FreeTurns{};
        std::vector<State> states;
        double least = INFINITY;
        for (int k = 0; k < kTurns; ++k) {
            const double turn = 2 * kPi * (k <= kTurns / 2 ? k : k - kTurns) / kTurns;
            plain.drawing.points[i].turn = turn;
            target.pose = plain.first * bodyFromTcp(plain.drawing, i);
            const Solutions found = waysTo(cell, target, 0, nullptr, pattern.axes);
            if (found.items.empty()) {
                const double lack = found.range.joint >= 0 ? found.range.excess : 10 + found.shortfall;
                if (lack < least) least = lack, out.lacking = found;
            }
            for (const Solution& way : found.items) {
                const double margin = marginOf(cell, arm, way.joints);
                states.push_back({turn, way, margin});
                // On the way a joint may have gone past half a turn; what it begins with is as it is gone to.
                for (int j = 0; i > 0 && j < arm.jointCount(); ++j)
                    for (const double round : {2 * kPi, -2 * kPi}) {
                        const Joint& joint = arm.joints()[size_t(j)];
                        const double further = way.joints[j] + round;
                        if (joint.kind == JointKind::Prismatic || further < joint.lower || further > joint.upper)
                            continue;
                        Solution other = way;
                        other.joints[j] = further;
                        states.push_back({turn, other, marginOf(cell, arm, other.joints)});
                    }
            }
        }
        if (states.empty()) {
            out.unreached = i;
            return out;
        }
        at.push_back(std::move(states));
    }
    const size_t points = at.size();
    const auto own = [](const State& s) { return std::max(0.0, 1 - 3 * s.margin); };
    using Edge = std::array<size_t, 3>;  // a point, and states of it and of the one after it
    std::set<Edge> broken;               // lines that are left out
    const auto isBroken = [&](size_t i, size_t from, size_t to) {
        return !broken.empty() && broken.contains({i, from, to});
    };
    // From the first point to the last, by numbers of states; from one state of the first alone, if one is given.
    using Walk = Layers<size_t, double>;
    std::vector<std::vector<size_t>> numbers(points);
    for (size_t i = 0; i < points; ++i)
        for (size_t k = 0; k < at[i].size(); ++k)
            numbers[i].push_back(k);
    const auto walk = [&](std::optional<size_t> start) {
        Walk::Layer first;
        for (const size_t k : numbers.front())
            first.push_back({k, !start || *start == k ? own(at.front()[k]) : INFINITY, 0});
        Walk walked(std::move(first));
        for (size_t i = 1; i < points; ++i) {
            walked.addKnown(numbers[i], INFINITY, [&](const Walk::Node& before, size_t n, double most) -> double {
                const State &from = at[i - 1][before.state], &to = at[i][n];
                if (!(before.cost < most) || !follows(from, to) || isBroken(i - 1, before.state, n)) return INFINITY;
                return before.cost + travel(from.way.joints, to.way.joints);
            });
            walked.charge([&](size_t n) { return own(at[i][n]); });
        }
        return walked;
    };
    const auto cheapest = [](const Walk& walked, const std::function<double(size_t)>& further) {
        size_t best = 0;
        double least = INFINITY;
        for (const Walk::Node& node : walked.last())
            if (const double cost = node.cost + further(node.state); cost < least) best = node.state, least = cost;
        return std::pair(best, least);
    };
    const bool closed = seam && pattern.drawing.closed && points > 2;
    // The states of the cheapest way; empty when there is none.
    const auto solve = [&]() -> std::vector<size_t> {
        Walk walked = walk({});
        auto [k, cost] = cheapest(walked, [](size_t) { return 0.0; });
        if (closed && std::isfinite(cost)) {
            // Back where it began: from the states of the first point in the order of their margin.
            std::vector<size_t> starts(at.front().size());
            for (size_t i = 0; i < starts.size(); ++i)
                starts[i] = i;
            std::stable_sort(starts.begin(), starts.end(),
                             [&](size_t a, size_t b) { return at.front()[a].margin > at.front()[b].margin; });
            double best = INFINITY;
            size_t first = 0;
            constexpr size_t tries = 48;
            const auto home = [&](size_t start) {
                return [&, start](size_t last) {
                    const State &end = at.back()[last], &begin = at.front()[start];
                    return follows(end, begin) && !isBroken(points - 1, last, start)
                               ? travel(end.way.joints, begin.way.joints)
                               : INFINITY;
                };
            };
            for (size_t n = 0; n < std::min(tries, starts.size()) && !(stop && stop()); ++n) {
                if (const double round = cheapest(walk(starts[n]), home(starts[n])).second; round < best)
                    best = round, first = starts[n];
            }
            cost = best;
            if (std::isfinite(best)) {
                walked = walk(first);
                k = cheapest(walked, home(first)).first;
            }
        }
        if (!std::isfinite(cost)) return {};
        return walked.wayTo(k);
    };
    // Whether the line to the next point is reached all along in the same way, looked at a few times.
    const auto reachedBetween = [&](const Pose& from, const Pose& to, const State& a, const State& b) {
        constexpr int looks = 4;
        const auto goesOn = [&](const JointVector& q, const JointVector& next) {
            for (int k = 0; k < q.size(); ++k) {
                const double by = next[k] - q[k];
                const bool turns = arm.joints()[size_t(k)].kind == JointKind::Revolute;
                if (std::abs(turns ? wrapped(by) : by) > kPi / 2) return false;
            }
            return true;
        };
        JointVector before = a.way.joints;
        for (int n = 1; n < looks; ++n) {
            const double s = double(n) / looks;
            target.pose = {(1 - s) * from.translation + s * to.translation, from.rotation.slerp(s, to.rotation)};
            const Solutions found = waysTo(cell, target, {}, &before, pattern.axes);
            const Solution* next = arm.hasBranches() ? like(arm, found.items, before) : nearestTo(found.items, before);
            if (!next || !goesOn(before, next->joints)) return false;
            before = next->joints;
        }
        return goesOn(before, b.way.joints);
    };
    const auto poseOf = [&](size_t i, const State& state) {
        plain.drawing.points[i].turn = state.turn;
        return plain.first * bodyFromTcp(plain.drawing, i);
    };
    // Where a line is not reached all along, all ways over it are looked at, and another chain is found.
    std::vector<size_t> chain;
    std::set<size_t> looked;
    for (bool whole = false; !whole;) {
        chain = solve();
        if (stop && stop()) return FreeTurns{};
        if (chain.empty()) {
            out.parted = true;
            return out;
        }
        whole = true;
        for (size_t i = 0; seam && i < (closed ? points : points - 1); ++i) {
            const size_t n = (i + 1) % points;
            const auto isReached = [&](size_t a, size_t b) {
                const State &from = at[i][a], &to = at[n][b];
                return reachedBetween(poseOf(i, from), poseOf(n, to), from, to);
            };
            if (looked.contains(i) || isReached(chain[i], chain[n])) continue;
            looked.insert(i);
            whole = false;
            for (size_t a = 0; a < at[i].size(); ++a) {
                if (stop && stop()) return FreeTurns{};
                for (size_t b = 0; b < at[n].size(); ++b)
                    if (follows(at[i][a], at[n][b]) && !isReached(a, b)) broken.insert({i, a, b});
            }
        }
    }
    out.margin = 1;
    for (size_t i = 0; i < points; ++i) {
        const State& state = at[i][chain[i]];
        out.turns.push_back(state.turn);
        out.ways.push_back(state.way);
        out.margin = std::min(out.margin, state.margin);
        if (i > 0) out.travel += travel(at[i - 1][chain[i - 1]].way.joints, state.way.joints);
    }
    return out;
}

Result<Cell> withFreeTurns(const Cell& cell, PatternId id)
{
    const Pattern* pattern = findPattern(cell, id);
    if (!pattern || pattern->layout != Pattern::Layout::Drawn) return missing("drawn group");
    return withTurns(cell, id, freeTurns(cell, *pattern));
}

Result<Cell> withTurns(const Cell& cell, PatternId id, const FreeTurns& found)
{
    const Pattern* pattern = findPattern(cell, id);
    if (!pattern || pattern->layout != Pattern::Layout::Drawn) return missing("drawn group");
    if (found.parted)
        return Error{"edit.free-turns",
                     fmt::format("each point of \"{}\" is reached, but no turns lead along all of it in one "
                                 "configuration",
                                 pattern->name),
                     "", "Make two groups of it, or move the body nearer to the middle of the arm's reach."};
    if (found.unreached) {
        const Solutions& l = found.lacking;
        const std::string why = l.range.joint >= 0 ? fmt::format("joint {} would be {:.1f} past its range",
                                                                 l.range.joint + 1, degrees(l.range.excess))
                                                   : fmt::format("{:.0f} mm are missing", l.shortfall * 1000);
        return Error{"edit.free-turns",
                     fmt::format("point {} of \"{}\" is reached with no turn about the tool's axis: {}",
                                 *found.unreached + 1, pattern->name, why),
                     "", "Move the body or the arm, or take less lead and tilt."};
    }
    if (found.turns.size() != pattern->drawing.points.size())
        return Error{"edit.free-turns", "the group was changed meanwhile", "", "Choose its turns again."};
    Pattern next = *pattern;
    next.drawing.turns = Drawing::Turn::Free;
    for (size_t i = 0; i < found.turns.size(); ++i)
        next.drawing.points[i].turn = found.turns[i];
    Result<Cell> changed = changePattern(cell, next);
    if (!changed) return changed;
    std::vector<std::pair<TargetId, Solution>> ways;
    for (const Target& target : changed->targets) {
        if (target.pattern != id) continue;
        for (size_t i = 0; i < next.drawing.points.size(); ++i)
            if (next.drawing.points[i].number == target.place) ways.push_back({target.id, found.ways[i]});
    }
    return setTargetWays(*changed, ways);
}

}  // namespace topikos
