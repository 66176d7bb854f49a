#include "app/properties/pages.h"

#include "app/layout/layout_commands.h"
#include "app/properties/choices.h"
#include "app/session/text.h"
#include "core/cell/devices.h"

namespace topikos {

void TargetPage::fill()
{
    const Target* shown = findTarget(m_session.cell(), m_session.selected<TargetId>());
    if (!shown) return;
    const Target target = *shown;
    const TargetId id = target.id;
    const size_t many = m_session.allSelected<TargetId>().size();
    setTitle(many > 1                            ? QString("The last of %1 targets").arg(many)
             : target.kind == Target::Kind::Pose ? "Target (pose)"
                                                 : "Target (posture)");
    addName(target.name, [=, this](const std::string& name) {
        edit("Rename target", [=](const Cell& cell) { return renameTarget(cell, id, name); });
    });
    if (target.kind == Target::Kind::Pose) {
        // In the frame of another thing it stays where it is.
        const auto frames = framesOf(m_session.cell(), target.frame);
        addChoice("Frame", "targetFrame", frames.names, frames.current, [=, this](int i) {
            const std::vector<TargetId> all = m_session.allSelected<TargetId>();
            edit(all.size() > 1 ? QString("New frame for %1 targets").arg(all.size())
                                : "New frame for " + text(target.name),
                 [=](const Cell& cell) { return setTargetFrame(cell, all, frames.ids[size_t(i)]); });
        });
        addPose(target.pose, [=, this](const Pose& pose) {
            edit("Change " + text(target.name), [=](const Cell& cell) { return setTargetPose(cell, id, pose); });
        });
        addText("Way", configurationShort(target.configuration));
    } else {
        QStringList values;
        for (int i = 0; i < target.posture.size(); ++i)
            values << jointText(armOf(m_session.cell(), target).model->joints()[size_t(i)], target.posture[i]);
        addText("Joints", values.join("  "));
    }
    addAxes(target);
    addButtons({{"Copy", "copyTarget", "The same target once more, under a name of its own",
                 [this] { copySelected(m_session); }}});
}

void TargetPage::addAxes(const Target& target)
{
    const Cell& cell = m_session.cell();
    std::vector<FrameId> axes;
    for (const AxisValue& a : target.axes)
        axes.push_back(a.frame);
    // A posture can take along what the arm stands on.
    for (const FrameId axis :
         axesBetween(cell, armOf(cell, target).mount, target.kind == Target::Kind::Pose ? target.frame : FrameId()))
        if (std::find(axes.begin(), axes.end(), axis) == axes.end()) axes.push_back(axis);
    if (axes.empty()) return;
    addHead("Axes that come along");
    for (const FrameId axis : axes) {
        const Frame& frame = *findFrame(cell, axis);
        const double unit = unitOf(frame.axis->kind);
        const auto known = std::find_if(target.axes.begin(), target.axes.end(),
                                        [axis](const AxisValue& a) { return a.frame == axis; });
        const bool named = known != target.axes.end();
        const auto set = [=, this, id = target.id, now = target.axes](std::optional<double> value) {
            AxisValues next = now;
            std::erase_if(next, [axis](const AxisValue& a) { return a.frame == axis; });
            if (value) next.push_back({axis, *value});
            edit("Axes of the target", [=](const Cell& c) { return setTargetAxes(c, id, next); });
        };
        addCheck(text(frame.name), QString("comesAlong%1").arg(axis.value),
                 "Moves there together with the arm; otherwise it stays where the steps before have brought it", named,
                 [=, &session = m_session](bool on) {
                     set(on ? std::optional(axisValue(*findFrame(session.cell(), axis), session.shownAxes()))
                            : std::nullopt);
                 });
        if (named)
            addNumber(
                "at", QString("targetAxis%1").arg(axis.value), known->value / unit, symbolOf(frame.axis->kind),
                frame.axis->lowest / unit, frame.axis->highest / unit, 2, [=](double v) { set(v * unit); }, true);
    }
}

}  // namespace topikos
