#pragma once
#include "core/collide/scene.h"

#include <map>
#include <unordered_map>

namespace topikos {

/// What is meant to touch in a run: by the events of parts and the moves around them, and by what steps say. It
/// remembers what it worked out: each thread needs a copy of its own. The rule: docs/manual/findings.md.
class Meant {
public:
    explicit Meant(const ContactScene& scene);

    /// Whether two bodies are meant to touch at a time between two events of the run.
    bool touch(size_t a, size_t b, double time)
    {
        return holds(a, b, time) || holds(b, a, time) || may(a, b, time) || may(b, a, time);
    }

    /// A tool at work on the body that its group of targets is drawn on: how far it may be drawn back along its own
    /// axis, as seen from it, before the two are looked at, since its tip is meant to be in the body by that much; zero
    /// for others [m].
    Vec3 drawnBack(size_t a, size_t b, double time) const;

private:
    /// Whether a part may touch another body.
    bool holds(size_t part, size_t other, double time);
    bool holdsTool(size_t part, ArmId arm, double time) const;
    /// Whether the step of the arm that moves a body says that it may touch another one.
    bool may(size_t moved, size_t other, double time) const;
    /// Whether a part rests on another body when an event of it happens, which has been where it is since then.
    bool rests(size_t part, size_t other, double event, double time);
    /// Beginning of the last move that ends before an event of a grip or release.
    double arrives(const PartEvent& event) const;
    /// End of the first move of an arm that begins behind a time.
    double leaves(ArmId arm, double time) const;

    /// How deep the tool of an arm may be in the body that it works on, in a step [m].
    double depthOf(ArmId arm, StepId step) const;

    const ContactScene& m_scene;
    std::unordered_map<std::uint32_t, const std::vector<Touchable>*> m_steps;  ///< what steps may touch
    std::unordered_map<std::uint32_t, double> m_depths;                        ///< of steps that name a process [m]
    std::unordered_map<std::uint32_t, double> m_toolDepths;                    ///< of arms [m]
    std::map<std::tuple<size_t, size_t, double>, bool> m_near;                 ///< a part and another body at a time
};

}  // namespace topikos
