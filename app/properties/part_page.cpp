#include "app/properties/pages.h"

#include "app/layout/layout_commands.h"
#include "app/properties/choices.h"
#include "app/session/text.h"

#include <algorithm>
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
    addGrips(part, kind);
}

void PartPage::addGrips(const Part& part, const PartKind& kind)
{
    addHead("Grip points", "Grips");
    const auto change = [=, this](const QString& label, const std::function<void(PartKind&)>& set) {
        edit(label, [kind = kind.id, set](const Cell& c) -> Result<Cell> {
            PartKind next = *findPartKind(c, kind);
            set(next);
            return changePartKind(c, next);
        });
    };
    if (kind.grips.empty()) addText("", "None: it is gripped at its origin");
    for (size_t i = 0; i < kind.grips.size(); ++i) {
        const GripPoint& grip = kind.grips[i];
        addLine("Grip", QString("gripName%1").arg(i), text(grip.name), "Name of the grip point",
                [=](const QString& words) {
                    change("Rename grip point", [i, name = words.trimmed().toStdString()](PartKind& k) {
                        if (i < k.grips.size()) k.grips[i].name = name;
                    });
                    return true;
                });
        addText("at", offsetText(grip.pose, m_session.cell().angles));
        addFreedom(QString("grip%1").arg(i), grip.freedom, [=](const Freedom& next) {
            change("Freedom of a grip point", [i, next](PartKind& k) {
                if (i < k.grips.size()) k.grips[i].freedom = next;
            });
        });
        addButtons({{"Remove", QString("gripRemove%1").arg(i), "Takes this grip point away", [=] {
                         change("Remove grip point", [i](PartKind& k) {
                             if (i < k.grips.size()) k.grips.erase(k.grips.begin() + std::ptrdiff_t(i));
                         });
                     }}});
    }
    addButtons({{"Grip point here", "gripAdd",
                 "Where the tool stands now, for every part of this kind; Grip it and To it go by it",
                 [=, this, id = part.id] {
                     const Part* own = findPart(m_session.cell(), id);
                     if (!own) return;
                     const Pose partFromTcp =
                         inverse(m_session.shownPlace(own->frame) * own->pose) * m_session.shownTcp();
                     change("Add grip point", [=](PartKind& k) {
                         std::string name = "Grip 1";
                         for (int n = 2; std::any_of(k.grips.begin(), k.grips.end(),
                                                     [&](const GripPoint& g) { return g.name == name; });
                              ++n)
                             name = "Grip " + std::to_string(n);
                         k.grips.push_back({name, partFromTcp, {}});
                     });
                 }}});
}

}  // namespace topikos
