#pragma once
#include "core/collide/checked_pairs.h"
#include "core/collide/meant.h"

namespace topikos {

/// How near what an arm moves comes to what it does not move, at times of a run that are asked for in any order. Pairs
/// that the checks look at; what is meant to touch at that time is left out. Keeps the cell and the run by address.
class ClearanceAlong {
public:
    ClearanceAlong(const Cell& cell, const Trace& trace, ContactCache* cache = nullptr);

    /// The nearest two bodies, the one moved by the arm, the other not; the distance is infinite where there are none.
    struct Near {
        size_t own = 0, other = 0;                          ///< by number in the scene
        double distance = INFINITY;                         ///< [m]; 0 while they touch
        Vec3 onOwn = Vec3::Zero(), onOther = Vec3::Zero();  ///< the nearest points, in the world [m]
    };
    Near at(ArmId arm, double time) { return nearest(arm, time, false); }
    /// The same of two bodies that the arm moves both: parts of it, and what it carries.
    Near itself(ArmId arm, double time) { return nearest(arm, time, true); }
    const ContactScene& scene() const { return m_scene; }

private:
    Near nearest(ArmId arm, double time, bool itself);

    ContactScene m_scene;
    Meant m_meant;
    std::vector<CheckedPair> m_pairs;
    std::vector<Window> m_windows;
};

}  // namespace topikos
