#pragma once
#include "core/cell/cell.h"

#include <QString>

namespace topikos {

// Numbers and outcomes as people read them: millimetres and degrees, a point as decimal sign. The only place where the window converts units.

inline QString text(const std::string& s) { return QString::fromStdString(s); }

QString lengthText(double metres, int decimals = 1);    ///< "212.4", no unit
QString degreeText(double radians, int decimals = 1);   ///< "92.5°"
QString angleFigure(double radians, int decimals = 1);  ///< "92.5", no unit
QString jointText(const Joint& joint, double value);    ///< "92.5°" or "120.0 mm"

/// Roll, pitch, yaw [rad] about the fixed axes, as shown everywhere.
/// Names of the three angles of a convention: "R", "P", "Y" or "Z", "Y'", "X''".
std::array<QString, 3> angleNames(AngleOrder order);
/// The convention in words: "roll, pitch, yaw", "Z Y' X''".
QString angleOrderText(AngleOrder order);

/// "X 720.0  Y -580.0  Z 700.0 mm", and the rotation if there is one.
QString offsetText(const Pose& pose, AngleOrder order);

/// Why inverse kinematics found nothing, as a sentence.
QString solutionsText(const Arm& arm, const Solutions& found);

/// "Front, up" and "wrist turned".
/// What kind of chain it is and how its postures are found, for people.
QString familyText(const Arm& arm);

QString configurationShort(const Configuration& configuration);

}  // namespace topikos
