#include "app/properties/pages.h"

#include "app/layout/layout_commands.h"
#include "app/properties/choices.h"
#include "app/session/text.h"

#include <QRegularExpression>

namespace topikos {

void PatternPage::fill()
{
    const Pattern* shown = findPattern(m_session.cell(), m_session.selected<PatternId>());
    if (!shown) return;
    const Pattern pattern = *shown;
    const Cell& cell = m_session.cell();
    const PatternId id = pattern.id;
    const bool targets = pattern.content == Pattern::Content::Targets, ring = pattern.layout == Pattern::Layout::Ring;
    setTitle(QString("Pattern of %1 %2").arg(membersOf(cell, pattern).size()).arg(targets ? "targets" : "parts"));
    addName(pattern.name, [=, this](const std::string& name) {
        edit("Rename pattern", [=](const Cell& c) { return renamePattern(c, id, name); });
    });
    const auto change = [=, this](auto set) {
        Pattern next = pattern;
        set(next);
        edit("Change " + text(pattern.name), [=](const Cell& c) { return changePattern(c, next); });
    };
    const auto frames = framesOf(cell, pattern.frame);
    addChoice("In", "patternFrame", frames.names, frames.current,
              [=](int i) { change([&](Pattern& p) { p.frame = frames.ids[size_t(i)]; }); });
    if (!targets) {
        Choices<PartKindId> kinds;
        for (const PartKind& k : cell.partKinds)
            kinds.add(k.name, k.id, pattern.kind);
        addChoice("Kind", "patternKind", kinds.names, kinds.current,
                  [=](int i) { change([&](Pattern& p) { p.kind = kinds.ids[size_t(i)]; }); });
    }
    addChoice("Layout", "patternLayout", {"rows and columns", "ring"}, ring,
              [=](int i) { change([&](Pattern& p) { p.layout = Pattern::Layout(i); }); });
    const auto count = [&](const QString& label, const QString& name, std::uint32_t Pattern::*value) {
        addNumber(label, name, pattern.*value, "", limits::kPlaces, 1, 0,
                  [=](double v) { change([&](Pattern& p) { p.*value = std::uint32_t(v); }); });
    };
    const auto pitch = [&](const QString& label, int axis) {
        addNumber(
            label, QString("patternPitch%1").arg(axis), millimetres(pattern.pitch[axis]), "mm", limits::kPitch,
            kMillimetre, 2, [=](double v) { change([&](Pattern& p) { p.pitch[axis] = v * kMillimetre; }); }, true);
    };
    count(ring ? "Places" : "Columns", "patternColumns", &Pattern::columns);
    if (!ring) count("Rows", "patternRows", &Pattern::rows);
    count("Layers", "patternLayers", &Pattern::layers);
    if (ring)
        addNumber(
            "Over", "patternSweep", degrees(pattern.sweep), "°", limits::kTurnsOfAPattern, kDegree, 2,
            [=](double v) { change([&](Pattern& p) { p.sweep = v * kDegree; }); }, true);
    pitch(ring ? "Radius" : "Pitch X", 0);
    if (!ring) pitch("Pitch Y", 1);
    if (pattern.layers > 1) pitch("Pitch Z", 2);
    if (!ring)
        addNumber("Stagger", "patternStagger", pattern.stagger * 100, "%", limits::kStagger, 0.01, 1,
                  [=](double v) { change([&](Pattern& p) { p.stagger = v / 100; }); });
    addChoice("Order", "patternOrder", {"row by row", "serpentine", "nearest next"}, int(pattern.order),
              [=](int i) { change([&](Pattern& p) { p.order = Pattern::Order(i); }); });
    QStringList numbers;
    for (const std::uint32_t place : pattern.leftOut)
        numbers << QString::number(place + 1);
    addLine(
        "Left out", "patternLeftOut", numbers.join(", "),
        "Places that stay empty, counted along x, then y, then z: 3, 7",
        [=, this](const QString& typed) {
            std::vector<std::uint32_t> places;
            for (const QString& word : typed.split(QRegularExpression("[,; ]+"), Qt::SkipEmptyParts)) {
                bool good = false;
                const uint number = word.toUInt(&good);
                if (!good || number < 1) {
                    m_session.say(QString("\"%1\" is not a place; type numbers from 1, with commas.").arg(word), true);
                    return true;
                }
                places.push_back(number - 1);
            }
            change([&](Pattern& p) { p.leftOut = places; });
            return true;
        },
        "none");
    addHead(ring ? "Centre" : "First place", "First place");
    addPose(pattern.first, [=](const Pose& pose) { change([&](Pattern& p) { p.first = pose; }); });
    addButtons({{"Take apart", "dissolvePattern", "The parts or targets stay, each on its own",
                 [=, this] {
                     edit("Take " + text(pattern.name) + " apart",
                          [=](const Cell& c) { return deletePattern(c, id, true); });
                 }},
                {"Delete", "deletePattern", "With its parts or targets", [this] { deleteSelected(m_session); }}});
}

}  // namespace topikos
