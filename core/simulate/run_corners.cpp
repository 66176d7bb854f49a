#include "core/simulate/run.h"

#include "core/cell/devices.h"
#include "core/cell/step_tree.h"
#include "core/motion/in_step.h"
#include "core/robot/forward.h"

#include <algorithm>

// How moves go over into each other at corners.

namespace topikos {

namespace {

constexpr size_t kFewestAhead = 12;   // moves that are run, and looked at behind them, before they are timed anew
constexpr size_t kFewestSmooth = 48;  // the same with limited jerk, where to go on costs something
constexpr size_t kMostMoves = 2000;   // that are timed together

/// A time in which an arm comes to rest from the speeds of a move [s].
double brakingTime(const Arm& arm, const MotionLimits& limits, bool line)
{
    double most = 0;
    for (const Joint& joint : arm.joints()) {
        const double acceleration = limits.jointAcceleration * joint.acceleration;
        double time = jointSpeedLimit(joint, limits) / acceleration;
        // Averaged laws look ahead by their window, too.
        if (joint.jerk > 0) time += 3 * joint.acceleration / joint.jerk;
        most = std::max(most, time);
    }
    if (line)
        most = std::max({most, limits.lineSpeed / limits.lineAcceleration, limits.turnSpeed / limits.turnAcceleration});
    return most;
}

/// How long a move takes at its highest speeds [s].
double leastTime(const Arm& arm, const Move& move) { return 1 / std::sqrt(boundsAt(arm, move, 0.5).cap); }

}  // namespace

/// Which axes stand where only the arm itself puts them is decided by the program: those that steps of other routines
/// than its own move, or signals, may stand elsewhere by the time a move begins.
void Run::findOthersAxes()
{
    std::set<FrameId> bySignals;
    for (const Frame& frame : m_cell.frames)
        if (frame.device && frame.device->kind == Device::Kind::Clamp)
            for (const FrameId axis : axesOf(m_cell, frame.id))
                bySignals.insert(axis);
    for (const ArmRun& arm : m_arms) {
        std::set<FrameId>& own = m_othersAxes[arm.station->id];
        own = bySignals;
        if (m_arms.size() < 2) continue;
        for (const Routine& routine : m_cell.routines) {
            if (routine.arm == arm.station->id) continue;
            eachStep(routine.steps, [&](const Step& step, size_t) {
                if (const MoveAxes* move = step.as<MoveAxes>())
                    for (const FrameId axis : axesOf(m_cell, move->device))
                        own.insert(axis);
            });
        }
        for (const Target& target : m_cell.targets)
            if (target.arm != arm.station->id)
                for (const AxisValue& value : target.axes)
                    own.insert(value.frame);
    }
}

bool Run::isMovedByOthers(const ArmRun& arm, const Operation& operation, const std::vector<AxisTravel>& travels) const
{
    const std::set<FrameId>& others = m_othersAxes.at(arm.station->id);
    if (others.empty()) return false;
    const auto above = [&](FrameId frame) {
        const std::vector<FrameId>& axes = m_places.axesAbove(frame);
        return std::any_of(axes.begin(), axes.end(), [&](FrameId id) { return others.contains(id); });
    };
    for (const Target* target : {operation.end, operation.via})
        if (target && target->kind == Target::Kind::Pose && above(target->frame)) return true;
    const bool reads =
        std::any_of(travels.begin(), travels.end(), [&](const AxisTravel& t) { return others.contains(t.frame); });
    const JointMove* joint = operation.step->as<JointMove>();
    const LineMove* line = operation.step->as<LineMove>();
    const Goal* goal = joint ? &joint->goal : line ? &line->goal : nullptr;
    const Shift* shift = goal ? std::get_if<Shift>(goal) : nullptr;
    if (shift && shift->space == Shift::Space::Frame && above(shift->frame)) return true;
    return reads || above(arm.station->mount) || above(operation.readingFrame);
}

/// Plans the moves from one stop to the next, beginning with one; as many as the arm needs to come to rest, and as many
/// again. False: there is no law that goes on from the entry.
bool Run::planMoves(ArmRun& arm, StepOutcome first, const Operation& operation, const std::optional<ChainEntry>& entry)
{
    const Tool& tool = toolInForce(m_cell, *arm.station);
    ArmRun::Moves moves;
    std::vector<ChainedMove> steps;
    std::vector<AxisValues> axesBefore{m_axes};
    bool stands = true;
    std::optional<Corner> cannot;
    const auto add = [&](StepOutcome outcome, double blend) {
        stands = stands && outcome.travels.empty();
        steps.push_back({outcome.plan, blend, flangeFromTcp(tool, outcome.point)});
        axesBefore.push_back(arrived(axesBefore.back(), outcome.travels));
        moves.outcomes.push_back(std::move(outcome));
    };
    const Arm& model = *arm.station->model;
    add(std::move(first), paceOf(*operation.step)->blend);
    Cursor cursor = arm.cursor;
    bool more = false;
    // What is run before the moves are timed anew takes as long as it takes to brake; so does what is looked at behind.
    size_t half = 0;
    double braking = 0, ahead = 0;
    while (steps.back().blend > 0 && moves.outcomes.back().move->profile.duration > 0) {
        const std::optional<Operation> after = lookAhead(cursor);
        if (!after || !after->step->isMove()) break;
        const Move& last = *moves.outcomes.back().move;
        braking = std::max(braking, brakingTime(model, last.limits, last.isLine()));
        ahead += leastTime(model, last);
        const size_t fewest = last.smooth ? kFewestSmooth : kFewestAhead;
        if (steps.size() >= half + fewest && (ahead >= braking || steps.size() >= kMostMoves / (half > 0 ? 1 : 2))) {
            more = half > 0;
            if (more) break;
            half = steps.size();
            ahead = 0;
        }
        StepOutcome next = planned(arm, *after, moves.outcomes.back().arrival, axesBefore.back());
        if (isMovedByOthers(arm, *after, next.travels)) {
            cannot = Corner{steps.back().blend, 0, Corner::Why::AxisElsewhere};
            break;
        }
        if (!next.move || next.blocks() || !(next.move->profile.duration > 0)) break;
        add(std::move(next), paceOf(*after->step)->blend);
    }
    if (steps.size() == 1 && !entry) {
        moves.outcomes[0].timing = aloneTiming(moves.outcomes[0].move);
        moves.outcomes[0].duration = moves.outcomes[0].timing->duration;
    } else {
        TcpAt tcpAt;
        if (!stands)
            tcpAt = [&](size_t k, const JointVector& posture, double a, double b) {
                AxisValues axes = overlaid(axesBefore[k], moves.outcomes[k].axesAlong(a));
                // What is left of the one and done of the other adds up.
                for (const AxisTravel& t : moves.outcomes[k + 1].travels)
                    for (AxisValue& value : axes)
                        if (value.frame == t.frame) value.value += b * (t.to - t.from);
                for (const AxisTravel& t : moves.outcomes[k + 1].travels)
                    if (std::none_of(axes.begin(), axes.end(), [&](const AxisValue& v) { return v.frame == t.frame; }))
                        axes.push_back({t.frame, t.from + b * (t.to - t.from)});
                return Vec3((worldFromBase(m_cell, *arm.station, axes) * forward(*arm.station->model, posture)
                             * steps[k].flangeFromTcp)
                                .translation);
            };
        moves.chain = stands ? m_options.plans->chain(model, steps, entry)
                             : std::make_shared<const MoveChain>(makeMoveChain(model, steps, tcpAt, entry));
        if (!moves.chain->keeps) return false;
        for (size_t k = 0; k < moves.outcomes.size(); ++k) {
            StepOutcome& outcome = moves.outcomes[k];
            outcome.timing = moves.chain->steps[k].timing;
            outcome.duration = outcome.timing->duration;
            outcome.corner = moves.chain->steps[k].corner;
        }
    }
    if (cannot) moves.outcomes.back().corner = cannot;
    moves.next = 1;
    moves.lastBlend = steps.back().blend;
    moves.horizon = more ? half : moves.outcomes.size();
    arm.moves = std::move(moves);
    return true;
}

}  // namespace topikos
