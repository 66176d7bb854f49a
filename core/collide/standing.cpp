#include "core/collide/standing.h"

#include "core/cell/step_tree.h"

namespace topikos {

StandingContacts::StandingContacts(const Cell& cell, ContactCache& cache)
{
    WorldOptions options;
    options.parts = false;
    for (const Frame& frame : cell.frames)
        if (frame.axis) options.axes.push_back(frame.id);
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t) {
            for (const Touchable& thing : step.mayTouch)
                if (const FrameId* frame = std::get_if<FrameId>(&thing)) options.leftOut.insert(*frame);
        });
    for (const ArmStation& arm : cell.arms)
        m_worlds.emplace(arm.id,
                         World(cell, authoredState(cell, arm.id, homePosture(cell, arm)), arm.id, cache, options));
}

StandingContacts StandingContacts::in(const Cell& moved) const
{
    StandingContacts out;
    for (const auto& [arm, world] : m_worlds)
        out.m_worlds.emplace(arm, world.in(moved));
    return out;
}

std::optional<StandingTouch> StandingContacts::touch(ArmId arm, const JointVector& posture,
                                                     const AxisValues& axes) const
{
    const World& world = m_worlds.at(arm);
    const World::Near met = world.touch(world.at(posture, axes));
    if (!met) return std::nullopt;
    return StandingTouch{world.side(met.own), world.side(met.other)};
}

}  // namespace topikos
