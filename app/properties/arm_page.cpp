#include "app/properties/pages.h"

#include "app/layout/layout_commands.h"
#include "app/properties/choices.h"
#include "app/session/text.h"
#include "core/cell/arms.h"

namespace topikos {

void ArmPage::fill()
{
    const Cell& cell = m_session.cell();
    const ArmStation* shown = findArm(cell, m_session.selected<ArmId>());
    if (!shown) return;
    const ArmStation arm = *shown;
    const ArmId id = arm.id;
    const bool held = m_session.station().id == id;
    setTitle(cell.arms.size() > 1 ? (held ? "Arm (in hand)" : "Arm") : "Arm");
    addName(arm.name, [=, this](const std::string& name) {
        edit("Rename arm", [=](const Cell& c) { return renameArm(c, id, name); });
    });
    addText("Model", text(arm.model->description().name));
    const auto frames = framesOf(cell, arm.mount);
    addChoice("Stands on", "armMount", frames.names, frames.current, [=, this](int i) {
        edit("Put the arm on " + frames.names[i],
             [=](const Cell& c) { return setArmMount(c, id, frames.ids[size_t(i)]); });
    });
    addText("Carries", text(toolInForce(cell, arm).name));
    Choices<RoutineId> routines;
    for (const Routine& r : cell.routines)
        if (r.arm == id) routines.add(r.name, r.id, routineOf(cell, arm).id);
    addChoice("Runs", "armRuns", routines.names, routines.current, [=, this](int i) {
        edit("Run " + routines.names[i], [=](const Cell& c) { return setMainRoutine(c, routines.ids[size_t(i)]); });
    });
    addNumber("Padding", "armPadding", arm.padding / kMillimetre, "mm", limits::kPadding, kMillimetre, 1,
              [=, this](double v) {
                  edit("Pad the arm's bodies", [=](const Cell& c) { return setArmPadding(c, id, v * kMillimetre); });
              });
    std::vector<Button> buttons;
    if (!held)
        buttons.push_back({"Take in hand", "takeInHand", "This arm is jogged and taught from now on",
                           [=, this] { takeArmInHand(m_session, id); }});
    if (cell.arms.size() > 1)
        buttons.push_back({"Delete", "deleteArm", "With its routines and targets", [=, this] {
                               edit("Delete " + text(arm.name),
                                    [=](const Cell& c) { return topikos::deleteArm(c, id); });
                           }});
    addButtons(buttons);
}

}  // namespace topikos
