#include "core/mend/change_maker.h"

#include "core/cell/edit.h"
#include "core/cell/edit_targets.h"
#include "core/cell/pattern.h"
#include "core/check/rules/rules.h"
#include "core/program/step_text.h"

#include <algorithm>
#include <cmath>

namespace topikos {

void ChangeMaker::jointMove()
{
    const LineMove* line = step ? step->as<LineMove>() : nullptr;
    if (!line || !std::holds_alternative<AtPlace>(line->goal)) return;
    Step changed = *step;
    changed.action = JointMove{line->goal, 0.5, {.blend = line->pace.blend}};
    addPlain(
        "joint-move", 3, [this, changed] { return with(changed); },
        fmt::format("Make {} a joint move at 50 %", stepWords()));
}

void ChangeMaker::lineMove()
{
    const JointMove* joint = step ? step->as<JointMove>() : nullptr;
    if (!joint || !std::holds_alternative<AtPlace>(joint->goal)) return;
    Step changed = *step;
    changed.action = LineMove{joint->goal, 0.25, {.blend = joint->pace.blend}};
    addPlain(
        "line", 3.1, [this, changed] { return with(changed); }, fmt::format("Make {} a line at 250 mm/s", stepWords()));
}

void ChangeMaker::higher()
{
    const AtPlace* end = step ? endOf(*step) : nullptr;
    if (!end) return;
    if (end->stage != Stage::Over) return longerApproach(end->stage);
    if (end->over <= 0) return;
    const Step own = *step;
    for (const double sign : {1.0, -1.0}) {
        std::vector<double> amounts;
        for (const double by : kLengths)
            if (sign > 0 || by < end->over) amounts.push_back(by);
        if (amounts.empty()) continue;
        add({"approach", sign > 0 ? 2.5 : 2.6, 5, amounts, kMillimetre,
             [this, own, sign](double by) {
                 Step changed = own;
                 endOf(changed)->over += sign * by;
                 return with(changed);
             },
             [this, own, sign](double by) {
                 return fmt::format("Go over the place by {} in {}, not by {}", mm(endOf(own)->over + sign * by),
                                    stepWords(), mm(endOf(own)->over));
             }});
    }
}

void ChangeMaker::liftOver()
{
    if (!step || !step->isMove() || !outcome || outcome->arrival.size() == 0) return;
    const std::optional<StepPlace> place = placeOf(routine->steps, step->id);
    const ArmStation& arm = armOf(cell, finding);
    JointVector from = outcome->move ? outcome->move->at(*arm.model, 0) : homePosture(cell, arm);
    const Pose begin = worldFromTcp(cell, arm, from, outcome->axes),
               end = worldFromTcp(cell, arm, outcome->arrival, outcome->axes);
    const ArmId id = arm.id;
    const std::vector<double> heights{0.05, 0.1, 0.2, 0.3, 0.4, 0.6};
    const auto above = [&](const std::vector<std::pair<double, Quat>>& points, const std::string& what, double rank) {
        add({"lift-over", rank, 2, heights, 10 * kMillimetre,
             [=, this](double height) -> Result<Cell> {
                 Cell next = cell;
                 std::vector<Step> steps;
                 for (const auto& [along, turn] : points) {
                     Pose via = end;
                     via.translation = (1 - along) * begin.translation + along * end.translation;
                     via.translation.z() = std::max(begin.translation.z(), end.translation.z()) + height;
                     via.rotation = turn;
                     Target free;
                     free.arm = id;
                     const ArmStation& own = *findArm(next, id);
                     const Pose base = inverse(worldFromBase(next, own, outcome->axes)) * via;
                     const Solutions ways =
                         inverseKinematics(*own.model, base * inverse(flangeFromTcp(next, own)), &outcome->arrival);
                     const Solution* way = nearestTo(ways.items, outcome->arrival);
                     if (!way) return Error{"mend.none", "out of reach", "", ""};
                     TargetId created;
                     Result<Cell> taken = takePoseTarget(next, id, {}, way->joints, freeTargetName(next, "Over"),
                                                         &created, outcome->axes);
                     if (!taken) return taken;
                     next = std::move(taken).value();
                     steps.push_back(jointTo(created));
                 }
                 return insertSteps(next, routine->id, *place, std::move(steps));
             },
             [=, this](double height) {
                 return fmt::format("Lift over, {} above, before {}: {}", mm(height), stepWords(), what);
             }});
    };
    above({{0.5, end.rotation}}, "one more place half way", 5);
    above({{1.0, end.rotation}}, "one more place above its end", 5.1);
    above({{0.0, begin.rotation}, {1.0, end.rotation}}, "straight up, across and down", 5.2);
}

void ChangeMaker::slower()
{
    const JointLimitFact* fact = finding.as<JointLimitFact>();
    const LineMove* line = step ? step->as<LineMove>() : nullptr;
    const ArcMove* arc = step ? step->as<ArcMove>() : nullptr;
    const Follow* follow = step ? step->as<Follow>() : nullptr;
    if (fact && (line || arc || follow)) {
        const Step own = *step;
        const double now = line ? line->speed : arc ? arc->speed : follow->speed;
        add({"speed",
             1,
             0.1,
             {1, 0.9, 0.75, 0.6, 0.4, 0.25},
             0,
             [=, this](double share) {
                 Step changed = own;
                 (line  ? changed.as<LineMove>()->speed
                  : arc ? changed.as<ArcMove>()->speed
                        : changed.as<Follow>()->speed) =
                     std::max(0.001, std::floor(1000 * now * fact->lowest * share) / 1000);
                 return with(changed);
             },
             [=, this](double share) {
                 return fmt::format("Go at {:.0f} mm/s in {}, not at {:.0f}",
                                    std::max(1.0, std::floor(1000 * now * fact->lowest * share)), stepWords(),
                                    1000 * now);
             }});
    }
    const TableFact* table = finding.as<TableFact>();
    const PlayTable* play = step ? step->as<PlayTable>() : nullptr;
    if (table && play && table->fits > 0 && table->fits < 1) {
        Step changed = *step;
        changed.as<PlayTable>()->speed = std::max(0.001, std::floor(1000 * play->speed * table->fits) / 1000);
        addPlain(
            "speed", 1, [this, changed] { return with(changed); },
            fmt::format("Play at {:.1f} % in {}", 100 * changed.as<PlayTable>()->speed, stepWords()));
    }
}

void ChangeMaker::blend()
{
    const CornerFact* fact = finding.as<CornerFact>();
    if (!fact || !step || !paceOf(*step)) return;
    Step changed = *step;
    paceOf(changed)->blend = std::floor(fact->corner.kept * 1000) / 1000;
    addPlain(
        "blend", 1, [this, changed] { return with(changed); },
        fmt::format("Ask for a blend of {} in {}", mm(paceOf(changed)->blend), stepWords()));
}

void ChangeMaker::otherOrder()
{
    if (!step) return;
    for (const Pattern& pattern : cell.patterns) {
        if (pattern.content != Pattern::Content::Targets) continue;
        bool around = target && target->pattern == pattern.id;
        for (const StepRow& row : rowsOf(routine->steps))
            if (const ForEach* each = row.step->as<ForEach>())
                around = around
                         || ((each->pattern == pattern.id || each->with == pattern.id)
                             && findStep(row.step->body, step->id));
        if (!around) continue;
        using Order = Pattern::Order;
        for (const auto& [order, words] :
             {std::pair(Order::Rows, "row by row"), std::pair(Order::Serpentine, "to and fro"),
              std::pair(Order::Nearest, "to the nearest next")}) {
            if (order == pattern.order) continue;
            const Pattern own = pattern;
            addPlain(
                "order", 5.5,
                [this, own, order = order] {
                    Pattern changed = own;
                    changed.order = order;
                    return changePattern(cell, changed);
                },
                fmt::format("Go through {} {}", own.name, words));
        }
    }
    for (const StepRow& row : rowsOf(routine->steps))
        if (const ForEach* each = row.step->as<ForEach>(); each && findStep(row.step->body, step->id)) {
            Step changed = *row.step;
            changed.as<ForEach>()->backwards = !each->backwards;
            addPlain(
                "order", 5.6, [this, changed] { return with(changed); },
                fmt::format("Go through {} {}", findPattern(cell, each->pattern)->name,
                            each->backwards ? "forwards" : "backwards"));
        }
}

}  // namespace topikos
