#include "core/plan/best_ways.h"

#include "core/plan/layers.h"
#include "core/simulate/moves.h"

#include <algorithm>
#include <map>
#include <set>

namespace topikos {

namespace {

/// A way to have come as far as a step.
struct Stand {
    Solution way;  ///< of the step's target
    JointVector arrival;
};
struct ShortestChain {
    std::vector<Stand> stands;  ///< one for each move
    ChainCost cost;
};
using Steps = Layers<Stand, ChainCost>;

class Chain {
public:
    Chain(const Cell& cell, const Routine& routine, const std::function<bool(double)>& progress, PlanCache& plans) :
        m_cell(cell), m_index(cell), m_station(armOf(cell, routine)), m_arm(*m_station.model), m_progress(progress),
        m_plans(plans)
    {
        // Calls and loops gone through once, with conditions that hold.
        AxisValues axes;
        Cursor cursor(m_index, routine, m_station.tcp, 1);
        cursor.shortenLoops();
        const auto holds = [](const Step&, int passes) -> std::optional<bool> { return passes == 0; };
        int entered = 0;  // blocks and calls, most of which may be empty
        for (auto next = cursor.next(holds);
             next != Cursor::Next::End && m_moves.size() < kMostMoves && entered < kMostEntered;
             next = cursor.next(holds)) {
            entered += cursor.entered();
            if (next != Cursor::Next::Step || !cursor.hasPlace()) continue;
            const Operation& operation = cursor.operation();
            if (operation.step->isMove() && operation.end) {
                m_moves.push_back(operation);
                m_axes.push_back(axes);
            }
            axes = arrived(axes, travelsOf(cell, operation, axes));
        }
    }

    /// Targets that come more than once with other targets between.
    std::vector<TargetId> revisited() const
    {
        std::vector<TargetId> out;
        std::map<TargetId, bool> seen;  // and whether it is listed
        for (size_t i = 0; i < m_moves.size(); ++i) {
            const TargetId id = m_moves[i].end->id;
            const bool comesBack = i > 0 && m_moves[i - 1].end->id != id && seen.contains(id);
            bool& listed = seen[id];
            if (!comesBack || listed || findTarget(m_cell, id)->kind != Target::Kind::Pose) continue;
            listed = true;
            out.push_back(id);
        }
        return out;
    }

    /// The best chain in which the targets of `fixed` keep their way. Null if cancelled.
    std::optional<ShortestChain> shortest(const std::map<TargetId, Solution>& fixed)
    {
        Steps steps({{Stand{{}, homePosture(m_cell, m_station)}, {}, 0}});
        const auto slotOf = [this](const Steps::Layer& layer, const Stand& stand) {
            return size_t(std::find_if(layer.begin(), layer.end(),
                                       [&](const Steps::Node& other) { return same(other.state.way, stand.way); })
                          - layer.begin());
        };
        const auto better = [](const ChainCost& a, const ChainCost& b) { return a.better(b); };
        for (size_t i = 0; i < m_moves.size(); ++i) {
            if (m_progress && !m_progress(double(i) / double(std::max<size_t>(1, m_moves.size())))) return std::nullopt;
            steps.add([&](const Steps::Node& from, const auto& offer) { goOn(from, i, fixed, offer); }, slotOf, better);
            if (!steps.last().empty()) continue;
            // Nothing reaches it: the chain goes on from where it was.
            steps.drop();
            const auto own = fixed.find(m_moves[i].end->id);
            steps.add(
                [&](const Steps::Node& from, const auto& offer) {
                    ChainCost cost = from.cost;
                    cost.blocked += 1;
                    offer(Stand{own != fixed.end() ? own->second : from.state.way, from.state.arrival}, cost);
                },
                slotOf, better);
        }
        size_t best = 0;
        for (size_t k = 1; k < steps.last().size(); ++k)
            if (steps.last()[k].cost.better(steps.last()[best].cost)) best = k;
        std::vector<Stand> stands = steps.wayTo(best);
        stands.erase(stands.begin());
        return ShortestChain{std::move(stands), steps.last()[best].cost};
    }

    const std::vector<Operation>& moves() const { return m_moves; }
    bool same(const Solution& a, const Solution& b) const
    {
        return m_arm.hasConfigurations()
                   ? a.configuration == b.configuration
                   : a.joints.size() == b.joints.size() && (a.joints - b.joints).cwiseAbs().maxCoeff() < 0.5;
    }

private:
    double travel(const JointVector& from, const JointVector& to) const
    {
        double sum = 0;
        for (int i = 0; i < m_arm.jointCount(); ++i)
            sum +=
                std::abs(to[i] - from[i]) / (m_arm.joints()[size_t(i)].kind == JointKind::Revolute ? 1 : m_arm.reach());
        return sum;
    }

    bool cautious(const JointVector& posture) const
    {
        const Closest margin = rangeMargin(m_arm, posture);
        if (margin.joint >= 0 && margin.value < m_cell.thresholds.margin(m_arm.joints()[size_t(margin.joint)].kind))
            return true;
        const SingularityMargins m = singularityMargins(m_arm, posture);
        return std::any_of(kSingularityKinds.begin(), kSingularityKinds.end(), [&](SingularityKind kind) {
            return hasKind(m_arm, kind) && m.distance(kind) < m_cell.thresholds.cautions().of(kind);
        });
    }

    /// Offers what a move can come to from a stand before it.
    template <class Offer>
    void goOn(const Steps::Node& before, size_t index, const std::map<TargetId, Solution>& fixed,
              const Offer& offer) const
    {
        const Operation& operation = m_moves[index];
        const Step& step = *operation.step;
        const Target& target = *operation.end;
        const bool again = index > 0 && m_moves[index - 1].end == operation.end;
        const AtPlace* at = endOf(step);
        const Standoff off = at ? at->standoff() : Standoff();
        const Stand& from = before.state;
        if (target.kind == Target::Kind::Posture) {
            ChainCost cost = before.cost;
            cost.travel += travel(from.arrival, target.posture);
            cost.blocked += !withinRange(m_arm, target.posture);
            return offer(Stand{{target.posture, {}}, target.posture}, cost);
        }
        const auto own = fixed.find(target.id);
        const Solutions found =
            inverseKinematics(m_arm, baseFromFlange(m_cell, target, off, m_axes[index]), &from.arrival);
        for (const Solution& s : found.items) {
            if (own != fixed.end() && !same(s, own->second)) continue;
            if (again && !same(s, from.way)) continue;
            Stand stand{s, s.joints};
            ChainCost cost = before.cost;
            if (step.kind() != StepKind::Joint) {
                const MovePlanPtr plan = planned(from.arrival, operation, m_axes[index]);
                if (!plan->move) {
                    cost.blocked += 1;
                    offer(stand, cost);
                    continue;
                }
                const Move& line = *plan->move;
                if (line.stop || !same(like(line.to, s), s)) cost.blocked += 1;
                else stand.arrival = line.to;
                cost.cautions += !line.stop && closeAlong(line);
            } else {
                cost.cautions += cautious(s.joints);
            }
            cost.travel += travel(from.arrival, stand.arrival);
            offer(stand, cost);
        }
    }

    Solution like(const JointVector& posture, const Solution& s) const
    {
        return {posture, m_arm.hasConfigurations() ? configurationOf(m_arm, posture) : s.configuration};
    }

    bool closeAlong(const Move& line) const
    {
        for (const SingularityKind kind : kSingularityKinds)
            if (line.singularity[size_t(kind)].value < m_cell.thresholds.cautions().of(kind)) return true;
        return line.jointMargin.joint >= 0
               && line.jointMargin.value
                      < m_cell.thresholds.margin(m_arm.joints()[size_t(line.jointMargin.joint)].kind);
    }

    MovePlanPtr planned(const JointVector& from, const Operation& operation, const AxisValues& axes) const
    {
        return m_plans.get(moveInput(m_cell, operation, {m_station, from, axes}));
    }

    static constexpr size_t kMostMoves = 20000;
    static constexpr int kMostEntered = 1000000;  // blocks and calls
    const Cell& m_cell;
    const ProgramIndex m_index;
    const ArmStation& m_station;
    const Arm& m_arm;
    const std::function<bool(double)>& m_progress;
    PlanCache& m_plans;
    std::vector<Operation> m_moves;
    std::vector<AxisValues> m_axes;  ///< before each move
};

}  // namespace

BestWays bestWays(const Cell& cell, const Routine& routine, const std::function<bool(double)>& progress,
                  PlanCache* plans)
{
    PlanCache ownPlans;
    BestWays out;
    const Arm& arm = *armOf(cell, routine).model;
    Chain chain(cell, routine, progress, plans ? *plans : ownPlans);
    std::map<TargetId, Solution> present;
    for (const Operation& operation : chain.moves()) {
        const Target& target = *operation.end;
        if (target.kind != Target::Kind::Pose) continue;
        const Solutions found = waysTo(cell, target);
        const Solution* own = chosenWay(arm, target, found.items);
        present[target.id] = own ? *own : Solution{target.posture, target.configuration};
    }
    const auto give = [&](std::optional<ShortestChain>&& found) {
        if (!found) out.cancelled = true;
        return found.value_or(ShortestChain{});
    };
    const ShortestChain now = give(chain.shortest(present));
    if (out.cancelled || now.stands.empty()) return out;
    out.now = now.cost;

    std::map<TargetId, Solution> fixed;
    ShortestChain best = give(chain.shortest(fixed));
    if (out.cancelled) return out;
    // Targets that are gone to in one way are left so. Of the others the first few are tried in each of their ways; the
    // rest take the way that most of their visits have, so that time does not grow with the square.
    constexpr size_t kTried = 12;
    size_t tried = 0;
    std::map<TargetId, std::vector<size_t>> visits;
    for (size_t i = 0; i < chain.moves().size(); ++i)
        visits[chain.moves()[i].end->id].push_back(i);
    bool voted = false;
    for (const TargetId target : chain.revisited()) {
        std::vector<std::pair<Solution, size_t>> used;  // and how often
        for (const size_t i : visits[target]) {
            const auto known = std::find_if(used.begin(), used.end(),
                                            [&](const auto& way) { return chain.same(way.first, best.stands[i].way); });
            if (known == used.end()) used.push_back({best.stands[i].way, 1});
            else ++known->second;
        }
        if (used.size() == 1) {
            fixed[target] = used.front().first;
            continue;
        }
        if (tried++ >= kTried) {
            const auto most = std::max_element(used.begin(), used.end(),
                                               [](const auto& x, const auto& y) { return x.second < y.second; });
            fixed[target] = most->first;
            voted = true;
            continue;
        }
        std::optional<ShortestChain> kept;
        for (const auto& [way, times] : used) {
            std::map<TargetId, Solution> trial = fixed;
            trial[target] = way;
            const ShortestChain found = give(chain.shortest(trial));
            if (out.cancelled) return out;
            if (kept && !found.cost.better(kept->cost)) continue;
            kept = found;
            fixed[target] = way;
        }
        if (kept) best = *kept;
    }
    if (voted) best = give(chain.shortest(fixed));
    if (out.cancelled) return out;
    out.best = best.cost;
    if (!out.best.better(out.now)) {
        out.best = out.now;
        return out;
    }
    std::set<TargetId> told;
    for (size_t i = 0; i < best.stands.size(); ++i) {
        const TargetId id = chain.moves()[i].end->id;
        const auto was = present.find(id);
        if (was == present.end()) continue;
        const bool changes = arm.hasConfigurations()
                                 ? !(was->second.configuration == best.stands[i].way.configuration)
                                 : was->second.joints.size() != best.stands[i].way.joints.size()
                                       || (was->second.joints - best.stands[i].way.joints).cwiseAbs().maxCoeff() > 1e-6;
        if (changes && told.insert(id).second) out.ways.push_back({id, best.stands[i].way});
    }
    return out;
}

}  // namespace topikos
