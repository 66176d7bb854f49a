#pragma once
#include "app/view/camera.h"
#include "app/view/renderer.h"

#include <optional>

namespace topikos {

/// Arrows and arcs at the TCP to drag it by. Axes 0-2 move along x, y, z; 3-5 turn about them; 6 moves in the plane of
/// the screen.
class Handle {
public:
    /// Placement in the world, with the axes the arrows follow.
    void place(const Pose& worldFromHandle, const Camera& camera, QSizeF size);
    void draw(std::vector<DrawLine>& lines, int hovered) const;
    /// The part under a pixel, -1 for none.
    int partAt(QPointF pixel, const Camera& camera, QSizeF size) const;

    /// A drag: how far the mouse has moved the handle from where it was pressed.
    struct Drag {
        int part = -1;
        Pose start;                 ///< worldFromHandle at the press
        Vec3 grabbed;               ///< point under the mouse at the press
        double amount = 0;          ///< metres or radians so far (parts 0-5)
        Vec3 shift = Vec3::Zero();  ///< part 6 [m]
    };
    std::optional<Drag> press(QPointF pixel, const Camera& camera, QSizeF size) const;
    /// Updates `drag`; false when the mouse is where no amount can be told.
    static bool move(Drag& drag, QPointF pixel, const Camera& camera, QSizeF size);
    /// Motion in the world that belongs to the drag: apply to the TCP as turn about, then shift of, the start point.
    static Pose moved(const Drag& drag, const Pose& worldFromTcp);

private:
    std::vector<Vec3> arc(int axis) const;
    Pose m_pose;
    double m_size = 0.1;  ///< arrow length [m]
};

}  // namespace topikos
