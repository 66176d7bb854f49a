#pragma once
#include "core/cell/cell.h"
#include "core/spatial/units.h"

#include <QString>

namespace topikos {

// Numbers and outcomes as people read them: millimetres and degrees, a point as decimal sign. The only place where the
// window converts units.

inline QString text(const std::string& s) { return QString::fromStdString(s); }

/// Unit in which places are shown and typed; chosen in View > Units and remembered.
struct DisplayUnit {
    const char* symbol;
    double size;   ///< [m or rad]
    int decimals;  ///< that matter in it
};
const DisplayUnit& lengthUnit();
const DisplayUnit& angleUnit();
inline constexpr DisplayUnit kLengthUnits[] = {{"mm", 1e-3, 2}, {"m", 1, 5}, {"in", 0.0254, 4}};
inline constexpr DisplayUnit kAngleUnits[] = {{"°", kDegree, 3}, {"rad", 1, 5}};
void chooseUnits(int length, int angle);  ///< indices into the lists above; -1 leaves one as it is

/// A value in its display unit, without the symbol.
QString placeFigure(double metres, int fewerDecimals = 0);
QString turnFigure(double radians, int fewerDecimals = 0);

// With the unit that the person chose; `decimals` as they would be in millimetres and degrees.
QString lengthText(double metres, int decimals = 1);   ///< "212.4 mm"
QString degreeText(double radians, int decimals = 1);  ///< "92.5°"
/// "25 mm · 5°": a step of jogging, or what it goes in a second.
QString jogText(double metres, double radians);
QString speedText(double metresPerSecond, int decimals = 0);  ///< "250 mm/s"
QString jointText(const Joint& joint, double value);          ///< "92.5°" or "120.0 mm"

/// Names of the three angles of a convention: "R", "P", "Y" or "Z", "Y'", "X''".
std::array<QString, 3> angleNames(AngleOrder order);
/// The convention in words: "roll, pitch, yaw", "Z Y' X''".
QString angleOrderText(AngleOrder order);

/// "X 720.0  Y -580.0  Z 700.0 mm" in the display units, and the rotation if there is one.
QString offsetText(const Pose& pose, AngleOrder order);

/// Why inverse kinematics found nothing, as a sentence.
QString solutionsText(const Arm& arm, const Solutions& found);

/// What kind of chain it is and how its postures are found, for people.
QString familyText(const Arm& arm);

/// "front · elbow up · wrist plain".
QString configurationShort(const Configuration& configuration);

}  // namespace topikos
