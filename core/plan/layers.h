#pragma once
#include <algorithm>
#include <cstddef>
#include <utility>
#include <vector>

namespace topikos {

/// The cheapest ways through layers of states: configurations along a route, turns along a group. Dynamic programming
/// (Bellman): time grows with the layers and with the steps from one to the next, not with the ways there are.
template <class State, class Cost> class Layers {
public:
    struct Node {
        State state{};
        Cost cost{};      ///< of the cheapest way from the first layer
        size_t from = 0;  ///< the node before on that way
    };
    using Layer = std::vector<Node>;

    explicit Layers(Layer first) { m_layers.push_back(std::move(first)); }
    const Layer& last() const { return m_layers.back(); }
    size_t size() const { return m_layers.size(); }

    /// One more layer. `expand(node, offer)` is called for each node of the one before, in their order: it offers
    /// states that can be gone on to by offer(state, cost of the whole way). `slotOf(layer, state)`: the node of the
    /// new layer that is the same, its size when there is none; of the same the one that is `better(cost, cost)` stays,
    /// of equal ones the first.
    template <class Expand, class SlotOf, class Better> void add(Expand expand, SlotOf slotOf, Better better)
    {
        Layer next;
        for (size_t from = 0; from < last().size(); ++from)
            expand(last()[from], [&](State state, Cost cost) {
                const size_t slot = slotOf(std::as_const(next), state);
                Node node{std::move(state), std::move(cost), from};
                if (slot == next.size()) next.push_back(std::move(node));
                else if (better(node.cost, next[slot].cost)) next[slot] = std::move(node);
            });
        m_layers.push_back(std::move(next));
    }
    /// One more layer whose states are known. `costOf(before, state, most)`: of the way to a state by a node of the
    /// layer before; what is not below `most` need not be worked out. Nodes that nothing leads to have `none`.
    template <class CostOf> void addKnown(const std::vector<State>& states, Cost none, CostOf costOf)
    {
        Layer next;
        for (const State& state : states) {
            Node& node = next.emplace_back(Node{state, none, 0});
            for (size_t from = 0; from < last().size(); ++from)
                if (const Cost cost = costOf(last()[from], state, std::as_const(node.cost)); cost < node.cost) {
                    node.cost = cost;
                    node.from = from;
                }
        }
        m_layers.push_back(std::move(next));
    }
    /// Takes the last layer away.
    void drop() { m_layers.pop_back(); }
    /// Adds something to the cost of each node of the last layer.
    template <class Own> void charge(Own own)
    {
        for (Node& node : m_layers.back())
            node.cost += own(node.state);
    }
    /// The states of the cheapest way to a node of the last layer, one of each layer.
    std::vector<State> wayTo(size_t end) const
    {
        std::vector<State> out;
        for (size_t i = m_layers.size(); i-- > 0; end = m_layers[i][end].from)
            out.push_back(m_layers[i][end].state);
        std::reverse(out.begin(), out.end());
        return out;
    }

private:
    std::vector<Layer> m_layers;
};

}  // namespace topikos
