#include "app/properties/pages.h"

#include "core/spatial/units.h"

namespace topikos {

void ThresholdsPage::fill()
{
    setTitle("Checks: caution and stop at");
    const Thresholds t = m_session.cell().thresholds;
    const auto row = [&](const QString& label, const QString& name, double Thresholds::*value, double unit,
                         const QString& symbol) {
        const Limit& limit = value == &Thresholds::jointMargin   ? limits::kJointMargin
                             : value == &Thresholds::slideMargin ? limits::kSlideMargin
                             : value == &Thresholds::clearance   ? limits::kClearance
                             : unit == kDegree                   ? limits::kWristAngle
                             : unit == 1                         ? limits::kSingularValue
                                                                 : limits::kSingularLength;
        addNumber(label, name, t.*value / unit, symbol, limit, unit, unit == 1 ? 3 : 1, [=, this](double v) {
            Thresholds next = t;
            next.*value = v * unit;
            edit("Change threshold", [=](const Cell& cell) { return setThresholds(cell, next); });
        });
    };
    const auto& joints = m_session.arm().joints();
    const bool slides =
        std::any_of(joints.begin(), joints.end(), [](const Joint& j) { return j.kind == JointKind::Prismatic; });
    if (slides) row("Slides", "slideMargin", &Thresholds::slideMargin, kMillimetre, "mm");
    if (!m_session.arm().hasBranches()) {
        row("Direction", "directionCaution", &Thresholds::directionCaution, 1, "");
        row("stop", "directionBlocked", &Thresholds::directionBlocked, 1, "");
        row("Joints", "jointMargin", &Thresholds::jointMargin, kDegree, "°");
        row("Clearance", "clearanceCaution", &Thresholds::clearance, kMillimetre, "mm");
        return;
    }
    row("Wrist", "wristCaution", &Thresholds::wristCaution, kDegree, "°");
    row("stop", "wristBlocked", &Thresholds::wristBlocked, kDegree, "°");
    row("Elbow", "elbowCaution", &Thresholds::elbowCaution, kMillimetre, "mm");
    row("stop", "elbowBlocked", &Thresholds::elbowBlocked, kMillimetre, "mm");
    row("Shoulder", "shoulderCaution", &Thresholds::shoulderCaution, kMillimetre, "mm");
    row("stop", "shoulderBlocked", &Thresholds::shoulderBlocked, kMillimetre, "mm");
    row("Joints", "jointMargin", &Thresholds::jointMargin, kDegree, "°");
    row("Clearance", "clearanceCaution", &Thresholds::clearance, kMillimetre, "mm");
}

}  // namespace topikos
