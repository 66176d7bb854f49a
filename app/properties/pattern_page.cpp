#include "app/properties/pages.h"

#include "app/draw/surface_draw.h"
#include "app/layout/layout_commands.h"
#include "app/properties/choices.h"
#include "app/session/text.h"
#include "app/targets/target_commands.h"

#include <QRegularExpression>

namespace topikos {

void PatternPage::fill()
{
    const Pattern* shown = findPattern(m_session.cell(), m_session.selected<PatternId>());
    if (!shown) return;
    const Pattern pattern = *shown;
    if (pattern.layout == Pattern::Layout::Drawn) return fillDrawn(pattern);
    const Cell& cell = m_session.cell();
    const PatternId id = pattern.id;
    const bool targets = pattern.content == Pattern::Content::Targets;
    setTitle(QString("Pattern of %1 %2").arg(membersOf(cell, pattern).size()).arg(targets ? "targets" : "parts"));
    addName(pattern.name, [=, this](const std::string& name) {
        edit("Rename pattern", [=](const Cell& c) { return renamePattern(c, id, name); });
    });
    addVerdict(pattern);
    const auto change = [=, this](const std::function<void(Pattern&)>& set) { this->change(id, set); };
    if (const Pattern* parts = findPattern(cell, pattern.follows)) addFollowing(pattern, *parts);
    else addLayout(pattern);
    if (targets && !(pattern.inPlace == Pose())) {
        addHead("In each place", "inPlace");
        addPose(
            pattern.inPlace, [=](const Pose& pose) { change([&](Pattern& p) { p.inPlace = pose; }); }, "inPlace");
    }
    addWays(pattern);
    addButtons({{"Take apart", "dissolvePattern", "The parts or targets stay, each on its own",
                 [=, this] {
                     edit("Take " + text(pattern.name) + " apart",
                          [=](const Cell& c) { return deletePattern(c, id, true); });
                 }},
                {"Delete", "deletePattern", "With its parts or targets", [this] { deleteSelected(m_session); }}});
}

void PatternPage::addFollowing(const Pattern& pattern, const Pattern& parts)
{
    addText("At", "each part of " + text(parts.name));
    const PatternId id = pattern.id, of = parts.id;
    addButtons({{"Its parts", "showFollowed", "Selects the pattern that it has its places from",
                 [=, this] { m_session.select(of); }},
                {"Places of its own", "followNone", "They stay where they are, and go with the parts no more",
                 [=, this] { change(id, [](Pattern& p) { p.follows = {}; }); }}});
    addOrder(pattern);
}

void PatternPage::addOrder(const Pattern& pattern)
{
    addChoice("Order", "patternOrder", {"row by row", "serpentine", "nearest next"}, int(pattern.order),
              [=, this, id = pattern.id](int i) { change(id, [i](Pattern& p) { p.order = Pattern::Order(i); }); });
}

void PatternPage::addLayout(const Pattern& pattern)
{
    const Cell& cell = m_session.cell();
    const PatternId id = pattern.id;
    const bool targets = pattern.content == Pattern::Content::Targets, ring = pattern.layout == Pattern::Layout::Ring;
    const auto change = [=, this](const std::function<void(Pattern&)>& set) { this->change(id, set); };
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
    addOrder(pattern);
    addPlacesLeftOut(pattern);
    addHead(ring ? "Centre" : "First place", "First place");
    addPose(pattern.first, [=](const Pose& pose) { change([&](Pattern& p) { p.first = pose; }); });
}

void PatternPage::change(PatternId id, const std::function<void(Pattern&)>& set)
{
    const Pattern* own = findPattern(m_session.cell(), id);
    if (!own) return;
    Pattern next = *own;
    set(next);
    edit("Change " + text(own->name), [=](const Cell& c) { return changePattern(c, next); });
}

void PatternPage::addPlacesLeftOut(const Pattern& pattern)
{
    const PatternId id = pattern.id;
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
            change(id, [places](Pattern& p) { p.leftOut = places; });
            return true;
        },
        "none");
}

void PatternPage::addWays(const Pattern& pattern)
{
    if (pattern.content != Pattern::Content::Targets) return;
    addHead("Approach and retract", "ways");
    const auto one = [&](const QString& label, const QString& prefix, Approach Pattern::*way) {
        addApproach(label, prefix, pattern.*way, [=, this, id = pattern.id](const Approach& next) {
            change(id, [=](Pattern& p) { p.*way = next; });
        });
    };
    one("Approach", "approach", &Pattern::approach);
    one("Retract", "retract", &Pattern::retract);
}

void PatternPage::addVerdict(const Pattern& pattern)
{
    if (pattern.content != Pattern::Content::Targets) return;
    addText("Places", placesVerdict(m_session, pattern.id).words);
}

void PatternPage::fillDrawn(const Pattern& pattern)
{
    const PatternId id = pattern.id;
    const Cell& cell = m_session.cell();
    const Drawing& d = pattern.drawing;
    setTitle(QString("%1 of %2 points").arg(d.seam ? "Seam" : "Spots").arg(d.points.size()));
    addName(pattern.name, [=, this](const std::string& name) {
        edit("Rename group", [=](const Cell& c) { return renamePattern(c, id, name); });
    });
    const Part* part = findPart(cell, d.part);
    addText("On", QString("%1, %2 %3 long")
                      .arg(text(part ? part->name : frameName(cell, pattern.frame)), placeFigure(lengthOf(d), 1),
                           lengthUnit().symbol));
    addVerdict(pattern);
    const auto set = [=, this](const std::function<void(Drawing&)>& with) {
        change(id, [&](Pattern& p) { with(p.drawing); });
    };
    addChoice("Kind", "drawnKind", {"seam: gone along", "spots: each by itself"}, d.seam ? 0 : 1,
              [=](int i) { set([i](Drawing& o) { o.seam = i == 0; }); });
    addCheck("closed", "drawnClosed", "The last point leads back to the first", d.closed,
             [=](bool on) { set([on](Drawing& o) { o.closed = on; }); });
    const auto number = [&](const QString& label, const QString& name, double Drawing::*value, const Limit& limit,
                            const QString& unit, int digits) {
        addNumber(label, name, d.*value / limit.inUnit, unit, limit, limit.inUnit, digits,
                  [=, inUnit = limit.inUnit](double v) { set([=](Drawing& o) { o.*value = v * inUnit; }); });
    };
    number("Lead", "drawnLead", &Drawing::lead, limits::kLean, "°", 1);
    number("Tilt", "drawnTilt", &Drawing::tilt, limits::kLean, "°", 1);
    number("Turn", "drawnTurn", &Drawing::turn, limits::kTypedAngle, "°", 1);
    number("Off surface", "drawnOffset", &Drawing::offset, limits::kSurfaceOffset, "mm", 2);
    addChoice("Tool X", "drawnTurns", {"along the way", "as the body's", "free about the tool"}, int(d.turns),
              [=, this](int i) {
                  if (Drawing::Turn(i) == Drawing::Turn::Free) return chooseTurns(m_session, id, this);
                  set([i](Drawing& o) { o.turns = Drawing::Turn(i); });
              });
    addNumber("Smooth over", "drawnRadius", d.radius / kMillimetre, "mm", limits::kSmoothing, kMillimetre, 1,
              [=, this](double v) { smoothGroup(m_session, id, v * kMillimetre); });
    addButtons({{"Follow it", "groupFollow", "A step at the end of the routine that goes along it",
                 [=, this] { addFollow(m_session, id); }},
                {"Best turns", "groupTurns",
                 "Turns about the tool's axis with the most margin and the least travel, point by point",
                 [=, this] { chooseTurns(m_session, id, this); }}});
    addHead("Points");
    // What is typed here changes nothing by itself: the buttons do.
    addNumber("Every", "drawnSpacing", m_rule.spacing / kMillimetre, "mm", limits::kSpacing, kMillimetre, 2,
              [this](double v) { m_rule.spacing = v * kMillimetre; });
    addNumber("Chord", "drawnChord", m_rule.chord / kMillimetre, "mm", limits::kChord, kMillimetre, 3,
              [this](double v) { m_rule.chord = v * kMillimetre; });
    const auto space = [=, this, radius = d.radius](DrawRule::Kind kind) {
        DrawRule rule = m_rule;
        rule.kind = kind;
        rule.radius = radius;
        respaceGroup(m_session, id, rule);
    };
    addButtons({{"Space anew", "groupSpace", "Points at that distance along the line through those that there are",
                 [=] { space(DrawRule::Kind::Spacing); }},
                {"By chord", "groupChord", "As few points as keep that line within the chord error",
                 [=] { space(DrawRule::Kind::Chord); }}});
    addPlacesLeftOut(pattern);
    addButtons({{"Reverse", "groupReverse", "The other way round", [=, this] { reverseGroup(m_session, id); }},
                {"Mirror X", "groupMirrorX", "Across the body's YZ plane, and onto the surface there",
                 [=, this] { mirrorGroup(m_session, id, 0); }},
                {"Mirror Y", "groupMirrorY", "Across the body's XZ plane, and onto the surface there",
                 [=, this] { mirrorGroup(m_session, id, 1); }}});
    if (part) {
        const QString kind = text(findPartKind(cell, part->kind)->name);
        addCheck("on every " + kind, "groupEvery", "The same points on each part of the kind; an edit of one is of all",
                 d.family != 0, [=, this](bool on) { drawOnKind(m_session, id, on); });
    }
    addText("", "Drag a point in the view; Delete takes the selected one out");
    addWays(pattern);
    addButtons({{"Take apart", "dissolvePattern", "The targets stay, each on its own",
                 [=, this] {
                     edit("Take " + text(findPattern(m_session.cell(), id)->name) + " apart",
                          [=](const Cell& c) { return deletePattern(c, id, true); });
                 }},
                {"Delete", "deletePattern", "With its targets", [this] { deleteSelected(m_session); }}});
}

}  // namespace topikos
