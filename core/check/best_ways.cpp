#include "core/check/best_ways.h"

#include "core/simulate/moves.h"

#include <algorithm>
#include <map>
#include <set>

namespace topikos {

namespace {

/// A way to have come as far as a step, with the best chain up to it.
struct Node {
    Solution way;  ///< of the step's target
    JointVector arrival;
    ChainCost cost;
    int before = -1;  ///< index into the nodes of the move before
};

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
    std::optional<std::vector<Node>> shortest(const std::map<TargetId, Solution>& fixed)
    {
        std::vector<std::vector<Node>> layers{{Node{{}, homePosture(m_cell, m_station), {}, -1}}};
        for (size_t i = 0; i < m_moves.size(); ++i) {
            if (m_progress && !m_progress(double(i) / double(std::max<size_t>(1, m_moves.size())))) return std::nullopt;
            layers.push_back(next(layers.back(), i, fixed));
        }
        std::vector<Node> chain;
        int at = bestOf(layers.back());
        for (size_t layer = layers.size(); layer-- > 1;) {
            chain.push_back(layers[layer][size_t(at)]);
            at = chain.back().before;
        }
        std::reverse(chain.begin(), chain.end());
        return chain;
    }

    const std::vector<Operation>& moves() const { return m_moves; }
    bool same(const Solution& a, const Solution& b) const
    {
        return m_arm.hasConfigurations()
                   ? a.configuration == b.configuration
                   : a.joints.size() == b.joints.size() && (a.joints - b.joints).cwiseAbs().maxCoeff() < 0.5;
    }

private:
    static int bestOf(const std::vector<Node>& nodes)
    {
        int best = 0;
        for (int i = 1; i < int(nodes.size()); ++i)
            if (nodes[size_t(i)].cost.better(nodes[size_t(best)].cost)) best = i;
        return best;
    }

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

    std::vector<Node> next(const std::vector<Node>& before, size_t index,
                           const std::map<TargetId, Solution>& fixed) const
    {
        const Operation& operation = m_moves[index];
        const Step& step = *operation.step;
        const Target& target = *operation.end;
        const bool again = index > 0 && m_moves[index - 1].end == operation.end;
        const AtPlace* at = endOf(step);
        const Standoff off = at ? at->standoff() : Standoff();
        std::vector<Node> out;
        const auto offer = [&](Node node) {
            for (Node& other : out)
                if (same(other.way, node.way)) {
                    if (node.cost.better(other.cost)) other = std::move(node);
                    return;
                }
            out.push_back(std::move(node));
        };
        for (int b = 0; b < int(before.size()); ++b) {
            const Node& from = before[size_t(b)];
            if (target.kind == Target::Kind::Posture) {
                Node node{{target.posture, {}}, target.posture, from.cost, b};
                node.cost.travel += travel(from.arrival, target.posture);
                node.cost.blocked += !withinRange(m_arm, target.posture);
                offer(node);
                continue;
            }
            const auto own = fixed.find(target.id);
            Solutions found =
                inverseKinematics(m_arm, baseFromFlange(m_cell, target, off, m_axes[index]), &from.arrival);
            for (const Solution& s : found.items) {
                if (own != fixed.end() && !same(s, own->second)) continue;
                if (again && !same(s, from.way)) continue;
                Node node{s, s.joints, from.cost, b};
                if (step.kind() != StepKind::Joint) {
                    const MovePlanPtr plan = planned(from.arrival, operation, m_axes[index]);
                    if (!plan->move) {
                        node.cost.blocked += 1;
                        offer(node);
                        continue;
                    }
                    const Move& line = *plan->move;
                    if (line.stop || !same(like(line.to, s), s)) node.cost.blocked += 1;
                    else node.arrival = line.to;
                    node.cost.cautions += !line.stop && closeAlong(line);
                } else {
                    node.cost.cautions += cautious(s.joints);
                }
                node.cost.travel += travel(from.arrival, node.arrival);
                offer(node);
            }
            if (out.empty() && b + 1 == int(before.size())) {
                // Nothing reaches it: the chain goes on from where it was.
                for (int k = 0; k < int(before.size()); ++k) {
                    Node stuck{own != fixed.end() ? own->second : before[size_t(k)].way, before[size_t(k)].arrival,
                               before[size_t(k)].cost, k};
                    stuck.cost.blocked += 1;
                    offer(stuck);
                }
            }
        }
        return out;
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
    const auto give = [&](std::optional<std::vector<Node>>&& nodes) {
        if (!nodes) out.cancelled = true;
        return nodes.value_or(std::vector<Node>{});
    };
    const std::vector<Node> now = give(chain.shortest(present));
    if (out.cancelled || now.empty()) return out;
    out.now = now.back().cost;

    std::map<TargetId, Solution> fixed;
    std::vector<Node> best = give(chain.shortest(fixed));
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
                                            [&](const auto& way) { return chain.same(way.first, best[i].way); });
            if (known == used.end()) used.push_back({best[i].way, 1});
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
        std::optional<std::vector<Node>> kept;
        for (const auto& [way, times] : used) {
            std::map<TargetId, Solution> trial = fixed;
            trial[target] = way;
            const std::vector<Node> nodes = give(chain.shortest(trial));
            if (out.cancelled) return out;
            if (kept && !nodes.back().cost.better(kept->back().cost)) continue;
            kept = nodes;
            fixed[target] = way;
        }
        if (kept) best = *kept;
    }
    if (voted) best = give(chain.shortest(fixed));
    if (out.cancelled) return out;
    out.best = best.back().cost;
    if (!out.best.better(out.now)) {
        out.best = out.now;
        return out;
    }
    std::set<TargetId> told;
    for (size_t i = 0; i < best.size(); ++i) {
        const TargetId id = chain.moves()[i].end->id;
        const auto was = present.find(id);
        if (was == present.end()) continue;
        const bool changes = arm.hasConfigurations()
                                 ? !(was->second.configuration == best[i].way.configuration)
                                 : was->second.joints.size() != best[i].way.joints.size()
                                       || (was->second.joints - best[i].way.joints).cwiseAbs().maxCoeff() > 1e-6;
        if (changes && told.insert(id).second) out.ways.push_back({id, best[i].way});
    }
    return out;
}

}  // namespace topikos
