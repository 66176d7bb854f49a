#include "app/properties/pages.h"

#include "app/draw/surface_draw.h"
#include "app/layout/layout_commands.h"
#include "app/properties/choices.h"
#include "app/session/text.h"
#include "app/targets/target_commands.h"
#include "core/cell/devices.h"
#include "core/cell/edit_targets.h"
#include "core/cell/settled.h"
#include "core/cell/step_tree.h"
#include "core/program/step_text.h"

#include <algorithm>
#include <memory>

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
    addPointOfGroup(target);
    addWays(target);
    addHead("Relations and freedom", "relations");
    addRelations(target);
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

void TargetPage::addPointOfGroup(const Target& target)
{
    const Pattern* group = findPattern(m_session.cell(), target.pattern);
    if (!group) return;
    addText("Place of", text(group->name));
    const TargetId id = target.id;
    const PatternId pattern = group->id;
    std::vector<Button> buttons{
        {"The pattern", "showPattern", "Selects what this is a place of", [=, this] { m_session.select(pattern); }}};
    if (group->layout == Pattern::Layout::Drawn) {
        buttons.push_back({"Insert behind", "pointInsert", "One more point, half way to the next one",
                           [=, this] { insertPoint(m_session, id); }});
        buttons.push_back({"Take out", "pointOut", "The group goes on without this point (Delete)",
                           [=, this] { takePointOut(m_session, id); }});
    }
    addButtons(buttons);
}

void TargetPage::addWays(const Target& target)
{
    if (target.kind == Target::Kind::Posture) return;
    addHead("Approach and retract", "ways");
    if (target.pattern) {
        const auto own = [](const Approach& way) { return lengthText(way.far, 1); };
        addText("Both", QString("%1 and %2, as the pattern says").arg(own(target.approach), own(target.retract)));
    } else {
        const std::vector<TargetId> all = m_session.allSelected<TargetId>();
        for (const bool retract : {false, true})
            addApproach(retract ? "Retract" : "Approach", retract ? "retract" : "approach",
                        retract ? target.retract : target.approach, [=, this](const Approach& next) {
                            edit(retract ? "Retract" : "Approach",
                                 [=](const Cell& c) { return setApproach(c, all, retract, next); });
                        });
    }
    // Each point of the ways is asked for in the way that the target is reached in.
    const Cell& cell = m_session.cell();
    const Arm& arm = *armOf(cell, target).model;
    QStringList lacking;
    for (const Stage stage : {Stage::Approach, Stage::NearApproach, Stage::NearRetract, Stage::Retract}) {
        if (distanceOff(target, {0, stage}) == 0) continue;
        const Solutions found = waysTo(cell, target, {0, stage}, nullptr, m_session.shownAxes());
        if (chosenWay(arm, target, found.items)) continue;
        lacking << QString("%1: %2").arg(text(stageWords(stage)), found.items.empty()
                                                                      ? solutionsText(arm, found)
                                                                      : QString("not in this configuration"));
    }
    addText("Reach", lacking.isEmpty() ? "each point of both is reached" : lacking.join("; "));
}

void TargetPage::addRelations(const Target& target)
{
    const Cell& cell = m_session.cell();
    const TargetId id = target.id;
    const std::vector<TargetId> all = m_session.allSelected<TargetId>();
    const std::vector<StepUse> uses = stepsThatUse(cell, id);
    QStringList users;
    constexpr size_t most = 3;
    for (size_t i = 0; i < std::min(uses.size(), most); ++i)
        users << text(wordsOf(cell, uses[i]));
    addText("Used by", uses.empty()
                           ? QString("no step")
                           : users.join(", ")
                                 + (uses.size() > most ? QString(" and %1 more").arg(uses.size() - most) : QString()));
    addLine("Note", "targetNote", text(target.note), "What there is to know about it", [=, this](const QString& words) {
        edit("Note of " + text(target.name),
             [=, note = words.trimmed().toStdString()](const Cell& c) { return setTargetNote(c, id, note); });
        return true;
    });
    if (target.pattern) return;
    addLine("Group", "targetGroup", text(target.group), "A name under which it is listed with others",
            [=, this](const QString& words) {
                edit("Group", [=, group = words.trimmed().toStdString()](const Cell& c) {
                    return setTargetGroup(c, all, group);
                });
                return true;
            });
    if (target.kind == Target::Kind::Posture) return;
    addLine("Shift by", "targetShift", {}, "All selected targets along and about the axes of their frame: x 12.5 rz 3",
            [this](const QString& words) { return !words.isEmpty() && !shiftSelected(m_session, words); });
    // What it goes with.
    struct To {
        PartId part;
        TargetId target;
        auto operator<=>(const To&) const = default;
    };
    const To now = target.tie ? To{target.tie->part, target.tie->target} : To{};
    const std::string alone = "its frame alone";
    const auto ties = std::make_shared<Choices<To>>();
    const auto offer = [=, this, of = target.arm] {
        const Cell& whole = m_session.cell();
        *ties = {};
        ties->add(alone, {}, now);
        for (const Part& part : whole.parts)
            ties->add("part " + part.name, {part.id, {}}, now);
        for (const Target& other : whole.targets)
            if (other.id != id && other.kind == Target::Kind::Pose && other.arm == of)
                ties->add("target " + other.name, {{}, other.id}, now);
        return ChoiceField::Offer{ties->names, ties->current};
    };
    const std::string words = now.part     ? "part " + findPart(cell, now.part)->name
                              : now.target ? "target " + findTarget(cell, now.target)->name
                                           : alone;
    addLongChoice("Goes with", "targetTie", text(words), offer, [=, this](int i) {
        if (size_t(i) >= ties->ids.size()) return;
        const To to = ties->ids[size_t(i)];
        edit("What targets go with", [=](const Cell& c) {
            Result<Cell> next = c;
            for (const TargetId one : all)
                if (next) next = tieTarget(*next, one, to.part, to.target);
            return next;
        });
    });
    addFreedom("target", target.freedom, [=, this](const Freedom& next) {
        edit("Freedom", [=](const Cell& c) { return setFreedom(c, all, next); });
    });
    if (target.freedom.kind != Freedom::Kind::Fixed)
        addButtons({{"Best within it", "freeBest", "The pose inside its freedom that is reached with the most margin",
                     [=, this] { bestWithin(m_session, id); }}});
}

}  // namespace topikos
