#pragma once
#include "core/robot/arm.h"
#include "core/spatial/rotation.h"

namespace topikos {

/// One axis as a data sheet gives it.
struct SheetAxis {
    std::string name;
    JointKind kind = JointKind::Revolute;
    Vec3 point = Vec3::Zero();  ///< placement by drawing: a point on the axis, in base, in the drawing's posture [m]
    Vec3 direction = Vec3::UnitZ();  ///< placement by drawing: unit, the same way
    double a = 0, alpha = 0, d = 0,
           theta = 0;       ///< placement by DH row [m, rad]; theta (sliding: d) as it is in the drawing's posture
    bool reversed = false;  ///< a positive value turns against `direction` (DH: against z)
    double lower = -3, upper = 3;                    ///< [rad or m]
    double speed = 1, acceleration = 3, effort = 0;  ///< [per s, per s^2, N m or N]; effort 0: unknown
    double jerk = 0;                                 ///< [per s^3]; 0: not limited
    double drawn = 0;                                ///< value of this axis in the drawing's posture [rad or m]
    double mass = 0;                                 ///< of the link that moves with the axis [kg]
    Vec3 centre = Vec3::Zero();    ///< its centre of mass: by drawing in base in the drawing's posture, by DH in the
                                   ///< link's frame [m]
    Vec3 moments = Vec3::Zero();   ///< xx, yy, zz about the centre, in the same axes [kg m^2]
    Vec3 products = Vec3::Zero();  ///< entries xy, xz, yz of the inertia matrix [kg m^2]
};

/// An arm as a data sheet gives it. Kept as it was entered, so that it can be looked up and corrected.
struct DataSheet {
    enum class Placement { Drawing, DhClassic, DhModified };
    std::string id;    ///< file name without its ending, or catalogue id
    std::string name;  ///< for people
    Placement placement = Placement::Drawing;
    std::vector<SheetAxis> axes;
    Pose flange;       ///< by drawing: baseFromFlange in the drawing's posture; by DH: seen from the last link's frame
    JointVector home;  ///< [rad or m]
    double payload = 0;  ///< [kg]; 0: unknown
    double reach = 0;    ///< as the maker gives it, from axis 1 or axis 2 to the wrist or the flange [m]; 0: not given
    std::vector<LinkMesh> meshes;  ///< by drawing in base, in the drawing's posture; by DH in the link's frame
    AngleOrder orientation = AngleOrder::FixedXyz;  ///< in which orientations are shown and exported
};

/// The arm that the sheet describes. Its zero posture follows from the drawing: entering other drawn values moves the
/// zeros and leaves every link where the drawing has it. By drawing, all link frames are parallel to base in the
/// drawing's posture, each with its origin at the axis point.
///
/// DH rows follow Denavit and Hartenberg (classic: Rz(theta) Tz(d) Tx(a) Rx(alpha) after each axis) or Craig,
/// "Introduction to Robotics" (modified: Rx(alpha) Tx(a) Rz(theta) Tz(d) before each axis). Fails where Arm::make does,
/// and on a direction of no length.
Result<ArmDescription> describe(const DataSheet& sheet);

/// The sheet of an arm that came from elsewhere, by drawing, with zero as the drawing's posture (of a locked axis its
/// locked value).
DataSheet sheetOf(const ArmDescription& arm);

/// Something on a sheet that is probably a mistake.
struct SheetWarning {
    int axis = -1;  ///< from 0; -1: the whole sheet
    std::string message, remedy;
};
/// Looks for the usual mistakes: a home or drawing outside the range, an axis that seems inverted, links that come
/// apart, an arm of no length, directions that are not unit vectors, numbers of the wrong sign, another reach than the
/// maker gives.
std::vector<SheetWarning> sheetWarnings(const DataSheet& sheet);

/// The values of all axes in the drawing's posture.
JointVector drawnPosture(const DataSheet& sheet);

}  // namespace topikos
