#include "app/properties/pages.h"

#include "app/layout/layout_commands.h"
#include "app/properties/choices.h"
#include "app/session/text.h"

#include <utility>

namespace topikos {

void PartPage::fill()
{
    const Part* shown = findPart(m_session.cell(), m_session.selected<PartId>());
    if (!shown) return;
    const Part part = *shown;
    if (std::exchange(m_shown, part.id) != part.id) startAtFirstShape();
    const PartId id = part.id;
    const Cell& cell = m_session.cell();
    const PartKind kind = *findPartKind(cell, part.kind);
    setTitle("Part");
    addName(part.name, [=, this](const std::string& name) {
        edit("Rename part", [=](const Cell& c) { return renamePart(c, id, name); });
    });
    if (const Pattern* pattern = findPattern(cell, part.pattern)) {
        addText("Pattern", QString("%1, place %2").arg(text(pattern->name)).arg(part.place + 1));
        addButtons({{"Go to the pattern", "toPattern", "Places of a pattern are changed all together",
                     [this, p = part.pattern] { m_session.select(p); }}});
    } else {
        const auto frames = framesOf(cell, part.frame);
        addChoice("Lies in", "partFrame", frames.names, frames.current, [=, this](int i) {
            edit("New frame for " + text(part.name),
                 [=](const Cell& c) { return setPartFrame(c, id, frames.ids[size_t(i)]); });
        });
        Choices<PartKindId> kinds;
        for (const PartKind& k : cell.partKinds)
            kinds.add(k.name, k.id, part.kind);
        addChoice("Kind", "partKind", kinds.names, kinds.current, [=, this](int i) {
            edit("New kind for " + text(part.name),
                 [=](const Cell& c) { return setPartKind(c, id, kinds.ids[size_t(i)]); });
        });
        addPose(part.pose, [=, this](const Pose& pose) {
            edit("Move " + text(part.name), [=](const Cell& c) { return setPartPose(c, id, pose); });
        });
    }
    addLook(part.look);
    const auto count =
        std::count_if(cell.parts.begin(), cell.parts.end(), [&](const Part& p) { return p.kind == kind.id; });
    addHead(count > 1 ? QString("Kind: %1 (%2 parts)").arg(text(kind.name)).arg(count)
                      : QString("Kind: %1").arg(text(kind.name)),
            "Kind");
    addKind(kind);
}

}  // namespace topikos
