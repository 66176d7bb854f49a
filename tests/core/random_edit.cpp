#include "tests/core/random_edit.h"

#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_targets.h"
#include "core/cell/edit_layout.h"
#include "core/cell/fixture.h"
#include "core/cell/pattern.h"
#include "core/robot/catalogue.h"
#include "tests/core/support.h"

#include <cmath>

namespace topikos::test {

Result<Cell> randomEdit(const Cell& c, std::mt19937_64& random, bool wild)
{
    const auto pick = [&](size_t n) { return size_t(random() % n); };
    const Frame& frame = c.frames[pick(c.frames.size())];
    const double far = wild && pick(4) == 0 ? std::pow(10.0, double(pick(7))) : 1;
    const Pose pose = translated(far * Vec3(double(pick(9)) / 7, double(pick(5)) / 9, 0.2));
    const std::string number =
        std::to_string(c.nextId) + (wild ? std::vector<std::string>{"", " ", "\n", "\xff", "\"", " on"}[pick(6)] : "");
    switch (pick(wild ? 32 : 27)) {
    case 0: return c.frames.size() < 14 ? addFrame(c, "Frame " + number, frame.id, pose) : deleteFrame(c, frame.id);
    case 1: return setFramePose(c, frame.id, pose);
    case 2: return setFrameMeasured(c, frame.id, frame.measured ? std::nullopt : std::optional(pose));
    case 3: return setAsBuilt(c, !c.asBuilt);
    case 4: return setFrameParent(c, frame.id, c.frames[pick(c.frames.size())].id);
    case 5:
        return c.parts.size() < 30 ? addPart(c, "Part " + number, frame.id, pose)
                                   : deletePart(c, c.parts[pick(c.parts.size())].id);
    case 6: return c.parts.empty() ? Result<Cell>(c) : setPartPose(c, c.parts[pick(c.parts.size())].id, pose);
    case 7: return c.parts.empty() ? Result<Cell>(c) : setPartFrame(c, c.parts[pick(c.parts.size())].id, frame.id);
    case 8: return c.frames.size() < 14 ? copyFixture(c, frame.id) : deleteFrame(c, frame.id);
    case 9: return c.tools.size() < 6 ? addTool(c, "Tool " + number) : deleteTool(c, c.tools[pick(c.tools.size())].id);
    case 10: return setToolInForce(c, c.arms.front().id, c.tools[pick(c.tools.size())].id);
    case 11: {
        const Tool& tool = c.tools[pick(c.tools.size())];
        if (tool.points.size() < 3) return addToolPoint(c, tool.id, "Point " + number, pose);
        Tool fewer = tool;
        fewer.points.pop_back();
        return changeTool(c, fewer);
    }
    case 12: {
        std::vector<Solid> solids = frame.solids;
        if (solids.size() > 4) solids.pop_back();
        solids.push_back({Solid::Kind(pick(4)), pose, Vec3(0.1 + 0.01 * double(pick(9)), 0.2, 0.3), {1, 2, 3}});
        return setFrameSolids(c, frame.id, solids);
    }
    case 13:
    case 14: {
        if (c.patterns.empty()) return c;
        Pattern p = c.patterns[pick(c.patterns.size())];
        p.columns = std::uint32_t(1 + pick(4));
        p.order = Pattern::Order(pick(3));
        p.layout = Pattern::Layout(pick(2));
        p.leftOut = pick(2) ? std::vector<std::uint32_t>{std::uint32_t(pick(4))} : std::vector<std::uint32_t>{};
        return changePattern(c, p);
    }
    case 15: return c.patterns.size() > 1 ? deletePattern(c, c.patterns.back().id, pick(2)) : Result<Cell>(c);
    case 16: return setFrameLook(c, frame.id, {pick(2) == 0, pick(2) == 0});
    case 17: return pick(2) ? showAll(c) : isolateFrame(c, frame.id);
    case 18:
        return takePoseTarget(c, c.arms.front().id, frame.id, randomPosture(*c.arms.front().model, random),
                              freeTargetName(c, "Target"));
    case 19:
        return c.frames.size() < 14 ? addDevice(c, Device::Kind(pick(10)), "Device " + number, frame.id, pose)
                                    : deleteFrame(c, frame.id);
    case 20: {
        if (!frame.device) return c;
        Device d = *frame.device;
        d.size += Vec3(0.01, 0, 0.01);
        d.indexing = !d.indexing;
        if (wiresOf(d.kind).input && !c.signals.empty()) d.input = c.signals[pick(c.signals.size())].id;
        return changeDevice(c, frame.id, d);
    }
    case 21: {
        if (!frame.axis) return c;
        FrameAxis a = *frame.axis;
        a.value = a.lowest + (a.highest - a.lowest) * double(pick(5)) / 5;
        return changeAxis(c, frame.id, a);
    }
    case 22:
        return c.signals.size() < 8 ? addSignal(c, "Signal " + number, Signal::Kind(pick(3)))
                                    : deleteSignal(c, c.signals[pick(c.signals.size())].id);
    case 23:
        return c.arms.size() < 3 ? addArm(c, "Arm " + number, catalogueArm("cobot-900"), frame.id)
                                 : deleteArm(c, c.arms[pick(c.arms.size())].id);
    case 24: return setMainRoutine(c, c.routines[pick(c.routines.size())].id);
    case 25: {
        const Target& target = c.targets[pick(c.targets.size())];
        if (pick(2))
            return setApproach(c, {target.id}, pick(2),
                               {Approach::Along(pick(3)), int(pick(3)), pick(2) == 0, 0.05 * far, 0.01});
        return setTargetAxes(c, target.id, frame.axis ? AxisValues{{frame.id, frame.axis->lowest}} : AxisValues{});
    }
    case 27: {
        Pattern p = c.patterns.empty() ? Pattern{} : c.patterns[pick(c.patterns.size())];
        p.pitch *= far;
        p.rows = std::uint32_t(1 + pick(3));
        p.first = pose;
        p.approach = {Approach::Along(pick(3)), int(pick(3)), pick(2) == 0, 0.05 * far, pick(2) ? 0.01 : 0};
        return changePattern(c, p);
    }
    case 28: {
        const Routine& routine = c.routines[pick(c.routines.size())];
        AtPlace at{c.targets[pick(c.targets.size())].id, pick(2) ? 0.01 * far : 0};
        if (pick(3) == 0) at.over = 0, at.stage = Stage(1 + pick(4));
        const SignalId signal = c.signals.empty() ? SignalId() : c.signals[pick(c.signals.size())].id;
        const std::vector<StepRow> rows = rowsOf(routine.steps);
        Step step;
        switch (pick(16)) {
        case 0: step.action = JointMove{at, 1 / far, {.acceleration = 1 / far, .blend = 0.02 * far}}; break;
        case 1: step.action = LineMove{at, 0.25 / far, {.turnSpeed = far, .blend = 0.02 * far}}; break;
        case 2: step.action = ArcMove{{c.targets[pick(c.targets.size())].id}, at, pick(2) == 0, 0.2 / far, {}}; break;
        case 3: step.action = pick(2) ? Action(Grip{}) : Action(Release{}); break;
        case 4: step.action = Wait{far}; break;
        case 5: step.action = SetSignal{signal, double(pick(2))}; break;
        case 6: step.action = PulseSignal{signal, 0.2 * far}; break;
        case 7: step.action = WaitSignal{{signal, Comparison::Equal, double(pick(2))}, pick(2) ? far : 0}; break;
        case 8: {
            MoveAxes move{frame.id, {}, 1};
            for (size_t i = axesOf(c, frame.id).size(); i > 0; --i)
                move.values.push_back(0.1 * far);
            step.action = move;
            break;
        }
        case 9: step.action = Call{c.routines[pick(c.routines.size())].id, {}}; break;
        case 10:
            step.action = Repeat{Repeat::Kind(pick(4)), std::uint32_t(pick(4)), {signal, Comparison::Equal, 1}};
            break;
        case 11:
            step.action = ForEach{c.patterns.empty() ? PatternId() : c.patterns[pick(c.patterns.size())].id,
                                  {},
                                  std::uint32_t(1 + pick(3)),
                                  std::uint32_t(pick(4)),
                                  pick(2) == 0};
            break;
        case 12: step.action = If{{signal, Comparison::Equal, double(pick(2))}}; break;
        case 13:
            step.action = LineMove{Shift{Shift::Space(pick(4)), frame.id, int(pick(4)), pick(2) == 0, 0.1 * far}};
            break;
        case 14:
            if (rows.empty()) return c;
            return moveSteps(c, routine.id, {rows[pick(rows.size())].step->id}, rows[pick(rows.size())].place);
        default:
            if (rows.empty()) return c;
            return pick(2) ? deleteSteps(c, routine.id, {rows[pick(rows.size())].step->id})
                           : wrapSteps(c, routine.id, {rows[pick(rows.size())].step->id}, Step{.action = Repeat{}});
        }
        if (rows.empty() || pick(2)) return insertStep(c, routine.id, pick(routine.steps.size() + 1), step);
        const StepRow& near = rows[pick(rows.size())];
        const bool inside = hasBody(near.step->kind());
        return insertSteps(c, routine.id, inside ? StepPlace{near.step->id, false, 0} : near.place, {step});
    }
    case 29: {
        if (!frame.axis) return c;
        FrameAxis a = *frame.axis;
        a.highest = a.lowest + far;
        a.speed = 1 / far;
        a.acceleration = far;
        return changeAxis(c, frame.id, a);
    }
    case 30: {
        if (!frame.device) return c;
        Device d = *frame.device;
        d.speed = 0.3 / far;
        d.pitch = 0.3 * far;
        d.interval = 5 / far;
        return changeDevice(c, frame.id, d);
    }
    case 31: return renameTarget(c, c.targets[pick(c.targets.size())].id, "Target " + number);
    default: return deleteTarget(c, c.targets[pick(c.targets.size())].id);
    }
}

}  // namespace topikos::test
