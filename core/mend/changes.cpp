#include "core/mend/changes.h"

#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/check/rules/rules.h"
#include "core/mend/change_maker.h"
#include "core/mend/run_changes.h"
#include "core/robot/catalogue.h"

#include <algorithm>
#include <cmath>

namespace topikos {

void ChangeMaker::goToTheMove()
{
    const ArmTrace* trail = findArmTrace(checked.trace, finding.arm);
    if (!step || step->isMove() || !trail || finding.outcome >= trail->outcomes.size()
        || trail->outcomes[finding.outcome].step != finding.step)
        return;
    for (size_t i = finding.outcome; i-- > 0;) {
        const StepOutcome& before = trail->outcomes[i];
        const Routine* own = findRoutine(cell, before.routine);
        const Step* move = own ? findStep(own->steps, before.step) : nullptr;
        if (!move || !move->isMove()) continue;
        routine = own;
        step = move;
        stepIndex = before.index;
        outcome = &before;
        target = findTarget(cell, before.target);
        return;
    }
}

void ChangeMaker::addPlain(const char* change, double rank, std::function<Result<Cell>()> make, std::string text,
                           TargetId own)
{
    add({change, rank, 0, {0}, 0, [make](double) { return make(); }, [text](double) { return text; }, own});
}

void ChangeMaker::addAll(std::vector<Change> more)
{
    for (Change& change : more)
        add(std::move(change));
}

std::vector<Vec3> ChangeMaker::apart(const ContactFact& fact) const
{
    std::vector<Vec3> ways{Vec3::UnitZ()};
    const Vec3 between = fact.onB - fact.onA;
    if (between.norm() > 1e-9) ways.insert(ways.end(), {between.normalized(), -between.normalized()});
    for (const Vec3& way :
         {Vec3(Vec3::UnitX()), Vec3(-Vec3::UnitX()), Vec3(Vec3::UnitY()), Vec3(-Vec3::UnitY()), Vec3(-Vec3::UnitZ())})
        ways.push_back(way);
    return ways;
}

void ChangeMaker::ofContact(const ContactFact& fact)
{
    higher();
    otherWays();
    jointMove();
    lineMove();
    liftOver();
    if (target) addAll(neighbourChangesFor(cell, finding, target->id));
    otherOrder();
    turned();
    const std::vector<Vec3> ways = apart(fact);
    shiftedTarget(ways, 6);
    for (const ContactSide* side : {&fact.a, &fact.b}) {
        if (side->member && side->member->kind == ContactMember::Kind::Frame)
            shiftedFrame({side->member->id}, ways, 8, "fixture-shift");
        const Part* part = findPart(cell, side->part);
        if (part && !part->pattern)
            for (const Vec3& way : ways) {
                const Part own = *part;
                const Vec3 inFrame = worldFromFrame(cell, own.frame).rotation.conjugate() * way;
                add({"part-shift", 8.2, 10, kLengths, kMillimetre,
                     [this, own, inFrame](double by) {
                         Pose pose = own.pose;
                         pose.translation += by * inFrame;
                         return setPartPose(cell, own.id, pose);
                     },
                     [own, way](double by) {
                         return fmt::format("Move {} by {} {}", own.name, mm(by), wordsOf(way));
                     }});
            }
    }
    if (outcome) shiftedFrame(foundation(armOf(cell, finding).mount), ways, 9.5, "base-shift");
}

void ChangeMaker::make()
{
    addAll(runChangesFor(cell, checked, finding));
    if (!finding.as<GripFact>()) goToTheMove();
    if (const ContactFact* contact = finding.as<ContactFact>()) return ofContact(*contact);
    toThePart();
    slower();
    blend();
    intoRange();
    otherWays();
    jointMove();
    higher();
    otherAxes();
    turned();
    otherPoint();
    if (finding.as<SingularFact>() || finding.as<JointLimitFact>()) liftOver();
    const bool place = finding.as<ReachFact>() || finding.as<RangeFact>() || finding.as<SingularFact>()
                       || finding.as<JointLimitFact>() || finding.as<ConfigurationFact>();
    if (!place || !target || target->kind != Target::Kind::Pose) return;
    const std::vector<Vec3> ways = waysFrom(cell, *target, axes);
    shiftedTarget(ways, 6);
    if (target->frame) shiftedFrame(target->frame, ways, 8, "fixture-shift");
    std::vector<Vec3> back;
    for (const Vec3& way : ways)
        back.push_back(-way);
    shiftedFrame(foundation(armOf(cell, *target).mount), back, 9.5, "base-shift");
    if (finding.as<ReachFact>()) otherArm(armOf(cell, *target));
}

void ChangeMaker::otherArm(const ArmStation& station)
{
    const Arm& now = *station.model;
    for (const std::string& known : catalogueIds()) {
        const ArmPtr arm = catalogueArm(known);
        const ArmDescription& own = arm->description();
        if (arm->jointCount() != now.jointCount() || arm->reach() <= now.reach()
            || own.payload < now.description().payload)
            continue;
        addPlain(
            "arm", 12 + arm->reach() - now.reach(), [this, id = station.id, arm] { return setArmModel(cell, id, arm); },
            fmt::format("Take the arm {}, with a reach of {}", own.name, mm(arm->reach())));
    }
}

AxisValues axesFor(const CheckResult& checked, const Finding& finding)
{
    if (const StepOutcome* outcome = outcomeOf(checked, finding)) return outcome->axes;
    for (const TargetVerdict& verdict : checked.targets)
        if (verdict.target == finding.target) return verdict.axes;
    return {};
}

std::vector<Change> changesFor(const Cell& cell, const CheckResult& checked, const Finding& finding, PlanCache* plans,
                               const std::stop_token& stop)
{
    // What a change does outlives the maker: it is kept with them.
    const auto maker = std::make_shared<ChangeMaker>(ChangeMaker{cell, checked, finding, plans, stop});
    maker->make();
    std::vector<Change> out = std::move(maker->out);
    for (Change& change : out) {
        change.make = [maker, make = std::move(change.make)](double amount) { return make(amount); };
        change.text = [maker, text = std::move(change.text)](double amount) { return text(amount); };
    }
    return out;
}

}  // namespace topikos
