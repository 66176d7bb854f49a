#include "app/session/text.h"

#include "core/program/vocabulary.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"

#include <QSettings>

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

/// Fixed decimals without a minus in front of zero.
QString fixed(double value, int decimals)
{
    const QString s = QString::number(value, 'f', decimals);
    const bool zero = s.startsWith('-') && s.mid(1).toDouble() == 0;
    return zero ? s.mid(1) : s;
}

}  // namespace

namespace {

int& lengthChoice()
{
    static int choice = std::clamp(QSettings().value("units/length", 0).toInt(), 0, int(std::size(kLengthUnits)) - 1);
    return choice;
}

int& angleChoice()
{
    static int choice = std::clamp(QSettings().value("units/angle", 0).toInt(), 0, int(std::size(kAngleUnits)) - 1);
    return choice;
}

}  // namespace

const DisplayUnit& lengthUnit() { return kLengthUnits[lengthChoice()]; }
const DisplayUnit& angleUnit() { return kAngleUnits[angleChoice()]; }

void chooseUnits(int length, int angle)
{
    if (length >= 0) lengthChoice() = length;
    if (angle >= 0) angleChoice() = angle;
    QSettings().setValue("units/length", lengthChoice());
    QSettings().setValue("units/angle", angleChoice());
}

QString placeFigure(double metres, int fewer)
{
    return fixed(metres / lengthUnit().size, lengthUnit().decimals - fewer);
}
QString turnFigure(double radians, int fewer)
{
    return fixed(radians / angleUnit().size, angleUnit().decimals - fewer);
}

QString lengthText(double metres, int decimals)
{
    return placeFigure(metres, kLengthUnits[0].decimals - decimals) + " " + lengthUnit().symbol;
}

QString degreeText(double radians, int decimals)
{
    return turnFigure(radians, kAngleUnits[0].decimals - decimals) + (angleUnit().size == 1 ? " rad" : "°");
}

QString jogText(double metres, double radians)
{
    // Two digits count; millimetres and degrees are whole or have one behind the point.
    const auto plain = [](double value, const DisplayUnit& unit, const DisplayUnit& usual) {
        return &unit == &usual ? text(plainNumber(value / unit.size, unit.decimals))
                               : QString::number(value / unit.size, 'g', 2);
    };
    return QString("%1 %2 · %3%4")
        .arg(plain(metres, lengthUnit(), kLengthUnits[0]), lengthUnit().symbol,
             plain(radians, angleUnit(), kAngleUnits[0]), angleUnit().size == 1 ? " rad" : "°");
}

QString speedText(double metresPerSecond, int decimals) { return lengthText(metresPerSecond, decimals) + "/s"; }

QString jointText(const Joint& joint, double value)
{
    return joint.kind == JointKind::Revolute ? degreeText(value) : lengthText(value);
}

std::array<QString, 3> angleNames(AngleOrder order)
{
    switch (order) {
    case AngleOrder::FixedXyz: return {"Rx", "Ry", "Rz"};
    case AngleOrder::IntrinsicZyx: return {"Rz", "Ry'", "Rx''"};
    case AngleOrder::IntrinsicZyz: return {"Rz", "Ry'", "Rz''"};
    case AngleOrder::IntrinsicXyz: return {"Rx", "Ry'", "Rz''"};
    }
    return {};
}

QString angleOrderText(AngleOrder order)
{
    if (order == AngleOrder::FixedXyz) return "roll, pitch, yaw";
    const auto names = angleNames(order);
    return names[0] + " " + names[1] + " " + names[2];
}

QString offsetText(const Pose& pose, AngleOrder order)
{
    const auto place = [&](int i) { return placeFigure(pose.translation[i], 1); };
    QString s = QString("X %1  Y %2  Z %3 %4").arg(place(0), place(1), place(2), lengthUnit().symbol);
    if (deviation(pose, translated(pose.translation)).radians > 1e-9) {
        const Vec3 a = anglesOf(order, pose.matrix());
        const auto names = angleNames(order);
        // Only what turns, so that it fits a row.
        for (int i = 0; i < 3; ++i)
            if (std::abs(a[i]) > 1e-9) s += "  " + names[size_t(i)] + " " + turnFigure(a[i], 2);
        s += angleUnit().size == 1 ? " rad" : "°";
    }
    return s;
}

QString solutionsText(const Arm& arm, const Solutions& found)
{
    switch (found.reason) {
    case NoSolution::TooFar: return QString("Out of reach: %1 too far for the wrist.").arg(lengthText(found.shortfall));
    case NoSolution::TooClose:
        return QString("Out of reach: %1 too close for the wrist.").arg(lengthText(found.shortfall));
    case NoSolution::JointRange:
        return QString("Joint %1 would be %2 past its range.")
            .arg(found.range.joint + 1)
            .arg(jointText(arm.joints()[size_t(found.range.joint)], found.range.excess));
    case NoSolution::Orientation:
        return QString("The arm cannot turn the tool that way: %1 off.").arg(degreeText(found.shortfall));
    case NoSolution::NotFound:
        return QString("No posture found; the nearest pose is %1 and %2 away.")
            .arg(lengthText(found.shortfall), degreeText(found.excessTurn.norm()));
    case NoSolution::None: return {};
    }
    return {};
}

QString familyText(const Arm& arm)
{
    static const char* const words[] = {"Any other chain: one way at a time, by search",
                                        "Six axes, common wrist point: every way in closed form",
                                        "Six axes, three of them parallel: every way in closed form",
                                        "Horizontal arm with stroke: every way in closed form",
                                        "Five axes: every way in closed form",
                                        "Gantry: every way in closed form",
                                        "Seven axes: closed form, with the swivel that leaves most room",
                                        "Any other six axes: every way by elimination"};
    static_assert(std::variant_size_v<Family> == std::size(words));
    return QString(words[arm.family().index()]) + (arm.unlocked() ? "; some axes are locked" : "");
}

QString configurationShort(const Configuration& c)
{
    return QString("%1 · elbow %2 · wrist %3")
        .arg(c.shoulderBack ? "back" : "front", c.elbowDown ? "down" : "up", c.wristTurned ? "turned" : "plain");
}

}  // namespace topikos
