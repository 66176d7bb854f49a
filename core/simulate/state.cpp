#include "core/simulate/state.h"

#include <algorithm>

namespace topikos {

const ArmState& CellState::of(ArmId arm) const
{
    const auto it = std::find_if(arms.begin(), arms.end(), [arm](const ArmState& s) { return s.arm == arm; });
    require(it != arms.end(), "the arm is in the cell");
    return *it;
}

CellState authoredState(const Cell& cell, ArmId moved, const JointVector& posture, const AxisValues& axes)
{
    CellState state;
    state.axes = axes;
    for (const ArmStation& arm : cell.arms)
        state.arms.push_back(
            {arm.id, arm.id == moved ? posture : homePosture(cell, arm), toolInForce(cell, arm).gripper.open});
    for (const Part& part : cell.parts)
        state.parts.push_back({part.id, part.kind, worldFromPart(cell, part, axes), false});
    return state;
}

ArmPlaces armPlaces(const Cell& cell, const ArmStation& arm, const ArmState& state, const AxisValues& axes)
{
    const Pose base = worldFromBase(cell, arm, axes);
    ChainFrames chain;
    chainFrames(*arm.model, state.posture, chain);
    ArmPlaces out;
    for (size_t i = 0; i <= size_t(arm.model->jointCount()); ++i)
        out.links.push_back(linkPlace(base, chain, i));
    out.flange = flangePlace(base, chain);
    const Tool& tool = toolInForce(cell, arm);
    for (const Pose& tcpFromJaw : jawPlaces(tool.gripper, state.gripperOpening))
        out.jaws.push_back(out.flange * tool.flangeFromTcp * tcpFromJaw);
    return out;
}

RunState::RunState(const Cell& cell, const Trace& trace) :
    m_cell(cell), m_trace(trace), m_places(cell), m_arms(cell.arms.size())
{
}

double RunState::axis(const Frame& frame, double time) const
{
    const AxisTrack* track = findAxisTrack(m_trace, frame.id);
    const std::optional<double> value = track ? track->at(time) : std::nullopt;
    return value.value_or(frame.axis->value);
}

Pose RunState::frame(FrameId frame, double time) const
{
    return m_places.world(frame, [&](const Frame& f) { return axis(f, time); });
}

const RunState::Standing& RunState::arm(size_t number, double time) const
{
    Standing& at = m_arms[number];
    if (at.time == time) return at;
    const ArmStation& station = m_cell.arms[number];
    const ArmTrace* own = findArmTrace(m_trace, station.id);
    at.time = time;
    at.posture = own ? postureAt(m_cell, *own, time) : homePosture(m_cell, station);
    chainFrames(*station.model, at.posture, at.chain);
    at.base = frame(station.mount, time);
    return at;
}

double RunState::opening(size_t arm, double time) const
{
    const ArmStation& station = m_cell.arms[arm];
    const ArmTrace* own = findArmTrace(m_trace, station.id);
    return own ? openingAt(*own, time) : toolInForce(m_cell, station).gripper.open;
}

std::optional<Pose> RunState::part(const Part& part, double time) const
{
    const PartEvent* event = m_trace.partEvents.last(part.id, time);
    if (!event) {
        const bool made = part.id.value >= m_cell.nextId;
        return made ? std::nullopt : std::optional(frame(part.frame, time) * part.pose);
    }
    switch (event->kind) {
    case PartEvent::Kind::Gone: return std::nullopt;
    case PartEvent::Kind::Carried: {
        const size_t number = *m_cell.arms.placeOf(event->arm);
        const Standing& at = arm(number, time);
        return flangePlace(at.base, at.chain) * flangeFromTcp(m_cell, m_cell.arms[number]) * event->pose;
    }
    case PartEvent::Kind::Rides: {
        const double gone =
            beltAt(m_trace, event->frame, time).travel - beltAt(m_trace, event->frame, event->time).travel;
        return frame(event->frame, time) * translated({gone, 0, 0}) * event->pose;
    }
    case PartEvent::Kind::Lies: break;
    }
    return frame(event->frame, time) * event->pose;
}

CellState stateAt(const RunState& run, double time)
{
    const Cell& cell = run.cell();
    CellState state;
    state.axes = axesAt(run.trace(), time);
    for (size_t i = 0; i < cell.arms.size(); ++i)
        state.arms.push_back({cell.arms[i].id, run.arm(i, time).posture, run.opening(i, time)});
    const auto place = [&](const Part& part) {
        const std::optional<Pose> at = run.part(part, time);
        if (!at) return;
        const PartEvent* last = run.trace().partEvents.last(part.id, time);
        state.parts.push_back({part.id, part.kind, *at, last && last->kind == PartEvent::Kind::Carried});
    };
    for (const Part& part : cell.parts)
        place(part);
    for (const Part& part : run.trace().made)
        place(part);
    return state;
}

CellState stateAt(const Cell& cell, const Trace& trace, double time) { return stateAt(RunState(cell, trace), time); }

}  // namespace topikos
