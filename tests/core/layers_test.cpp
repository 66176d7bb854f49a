#include "core/plan/layers.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// The one search for what leads through layers: against all ways there are.
class LayersTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void isTheBestOfAllWays_data();
    void isTheBestOfAllWays();
    void ofEqualOnesTheFirstStays();
    void timeGrowsWithTheLayers();

private:
    using Search = Layers<int, double>;
    /// cost[layer][from][to]; infinite where nothing leads.
    using Costs = std::vector<std::vector<std::vector<double>>>;
    static Costs randomCosts(std::mt19937_64& random, size_t layers, size_t states)
    {
        Costs out(layers, std::vector<std::vector<double>>(states, std::vector<double>(states)));
        for (auto& layer : out)
            for (auto& from : layer)
                for (double& to : from)
                    to = random() % 4 == 0 ? INFINITY : double(random() % 1000) / 16;
        return out;
    }
    static double bestOfAll(const Costs& costs, size_t layer, size_t at)
    {
        if (layer == costs.size()) return 0;
        double best = INFINITY;
        for (size_t to = 0; to < costs[layer][at].size(); ++to)
            best = std::min(best, costs[layer][at][to] + bestOfAll(costs, layer + 1, to));
        return best;
    }
    static double costOf(const Costs& costs, const std::vector<int>& way)
    {
        double sum = 0;
        for (size_t i = 0; i + 1 < way.size(); ++i)
            sum += costs[i][size_t(way[i])][size_t(way[i + 1])];
        return sum;
    }
    static std::vector<int> cheapest(const Search& search)
    {
        size_t best = 0;
        for (size_t k = 1; k < search.last().size(); ++k)
            if (search.last()[k].cost < search.last()[best].cost) best = k;
        return search.wayTo(best);
    }
};

void LayersTest::isTheBestOfAllWays_data()
{
    QTest::addColumn<bool>("known");
    QTest::newRow("offered") << false;
    QTest::newRow("known beforehand") << true;
}
void LayersTest::isTheBestOfAllWays()
{
    QFETCH(bool, known);
    std::mt19937_64 random(3);
    int found = 0;
    for (int n = 0; n < 200; ++n) {
        constexpr size_t layers = 5, states = 4;
        const Costs costs = randomCosts(random, layers, states);
        Search search({{0, 0.0, 0}});
        for (size_t i = 0; i < layers; ++i) {
            const auto step = [&](const Search::Node& from, int to) {
                return from.cost + costs[i][size_t(from.state)][size_t(to)];
            };
            if (known) {
                search.addKnown({0, 1, 2, 3}, double(INFINITY),
                                [&](const Search::Node& from, int to, double) { return step(from, to); });
                continue;
            }
            search.add(
                [&](const Search::Node& from, const auto& offer) {
                    for (int to = 0; to < int(states); ++to)
                        if (std::isfinite(step(from, to))) offer(to, step(from, to));
                },
                [](const Search::Layer& layer, int state) {
                    return size_t(std::find_if(layer.begin(), layer.end(),
                                               [&](const Search::Node& own) { return own.state == state; })
                                  - layer.begin());
                },
                std::less<double>());
        }
        const double best = bestOfAll(costs, 0, 0);
        if (search.last().empty()) {
            QVERIFY(!std::isfinite(best));
            continue;
        }
        const std::vector<int> way = cheapest(search);
        QCOMPARE(way.size(), layers + 1);
        if (!std::isfinite(best)) continue;
        ++found;
        // Sums of sixteenths are exact.
        QCOMPARE(costOf(costs, way), best);
    }
    QVERIFY(found > 150);
}

void LayersTest::ofEqualOnesTheFirstStays()
{
    Search search({{7, 0.0, 0}, {8, 0.0, 0}});
    search.addKnown({1}, double(INFINITY), [](const Search::Node& from, int, double) { return from.cost + 1; });
    QCOMPARE(search.wayTo(0), (std::vector<int>{7, 1}));
    search.drop();
    QCOMPARE(search.size(), size_t(1));
    search.charge([](int state) { return state == 7 ? 0.5 : 0.0; });
    search.addKnown({1}, double(INFINITY), [](const Search::Node& from, int, double) { return from.cost + 1; });
    QCOMPARE(search.wayTo(0), (std::vector<int>{8, 1}));
}

void LayersTest::timeGrowsWithTheLayers()
{
    // Counted in steps that are asked for, not in seconds.
    const auto asked = [](int layers) {
        size_t count = 0;
        Search search({{0, 0.0, 0}});
        for (int i = 0; i < layers; ++i)
            search.addKnown({0, 1, 2}, double(INFINITY), [&](const Search::Node& from, int to, double) {
                ++count;
                return from.cost + to;
            });
        return count;
    };
    QCOMPARE(asked(2000) - asked(1000), asked(3000) - asked(2000));
}

TOPIKOS_TEST(LayersTest)
#include "layers_test.moc"
