#include "app/properties/pages.h"

#include "app/properties/choices.h"
#include "app/session/text.h"
#include "core/cell/step_tree.h"
#include "core/program/new_step.h"
#include "core/spatial/limits.h"

namespace topikos {

namespace {

/// The places that a step can name, with words for them.
struct PlaceChoices {
    QStringList names;
    std::vector<Place> places;
    int current = -1;

    PlaceChoices(const Cell& cell, const StepScope& scope, const Place& wanted)
    {
        for (size_t i = scope.loops.size(); i-- > 0;)
            if (const Pattern* pattern = findPattern(cell, scope.loops[i]))
                add(pattern->name + " place", pattern->id, wanted);
        for (const Parameter& own : scope.routine.parameters)
            add(own.name, own.id, wanted);
        for (const Target& t : cell.targets)
            if (t.arm == scope.routine.arm) add(t.name, t.id, wanted);
    }
    void add(const std::string& name, const Place& place, const Place& wanted)
    {
        if (place == wanted) current = int(places.size());
        names << text(name);
        places.push_back(place);
    }
};

/// What a shift begins with [rad or m].
double usualShift(JointKind kind) { return kind == JointKind::Revolute ? 10 * kDegree : 0.05; }

}  // namespace

void StepPage::addPlace(const QString& label, const QString& name, const Place& now,
                        const std::function<void(Step&, const Place&)>& set)
{
    const StepScope around = scope();
    const PlaceChoices places(m_session.cell(), around, now);
    addChoice(label, name, places.names, places.current,
              [=, this](int i) { change([&](Step& s) { set(s, places.places[size_t(i)]); }); });
}

void StepPage::addMove()
{
    const auto goalOf = [](Step& s) -> Goal* {
        if (JointMove* joint = s.as<JointMove>()) return &joint->goal;
        LineMove* line = s.as<LineMove>();
        return line ? &line->goal : nullptr;
    };
    const auto kindOf = [this](int joint) {
        return jointKindOf(m_session.cell(), m_session.routine(), joint).value_or(JointKind::Revolute);
    };
    const auto ofEnd = [](Step& s) -> AtPlace& { return *endOf(s); };
    const auto ofVia = [](Step& s) -> AtPlace& { return s.as<ArcMove>()->via; };
    const auto ofSecond = [](Step& s) -> AtPlace& { return s.as<ArcMove>()->end; };
    if (const ArcMove* arc = m_step.as<ArcMove>()) {
        addPlace("Via", "stepVia", arc->via.place, [](Step& s, const Place& p) { s.as<ArcMove>()->via.place = p; });
        addStage("Via at", "stepVia", ofVia);
        addPlace(arc->whole ? "And" : "To", "stepTarget", arc->end.place,
                 [](Step& s, const Place& p) { s.as<ArcMove>()->end.place = p; });
        addStage(arc->whole ? "And at" : "Ends at", "step", ofSecond);
        addCheck("whole circle", "stepWhole", "Once round, through both places, and back to where it began", arc->whole,
                 [this](bool on) { change([on](Step& s) { s.as<ArcMove>()->whole = on; }); });
    } else {
        const Goal& goal = *goalOf(m_step);
        const bool joint = m_step.kind() == StepKind::Joint;
        QStringList goals{"a place", "along or about an axis"};
        if (joint) goals << "one joint by an amount";
        addChoice("Goes", "stepGoal", goals, int(goal.index()), [=, this](int i) {
            const Result<Action> made = newAction(m_session.cell(), scope(), m_step.kind(), targetOf(m_step));
            if (i == 0 && !made) {
                m_session.say(text(made.error().line()), true);
                return Q_EMIT refused();
            }
            change([&](Step& s) {
                if (i == 1) *goalOf(s) = Shift{};
                else if (i == 2) *goalOf(s) = JointShift{0, usualShift(kindOf(0))};
                else {
                    Step fresh{.action = *made};
                    *goalOf(s) = *goalOf(fresh);
                }
            });
        });
        if (const AtPlace* at = std::get_if<AtPlace>(&goal)) {
            addPlace("Target", "stepTarget", at->place,
                     [=](Step& s, const Place& p) { std::get<AtPlace>(*goalOf(s)).place = p; });
            addStage("Ends at", "step", ofEnd);
        } else if (const Shift* shift = std::get_if<Shift>(&goal)) {
            const auto set = [=, this](const std::function<void(Shift&)>& with) {
                change([&](Step& s) { with(std::get<Shift>(*goalOf(s))); });
            };
            addChoice("Way", "stepTurns", {"along", "about"}, shift->turns, [=](int i) {
                set([i](Shift& s) {
                    s.turns = i == 1;
                    s.by = usualShift(s.turns ? JointKind::Revolute : JointKind::Prismatic);
                });
            });
            addChoice("Axis", "stepAxis", {"x", "y", "z"}, shift->axis,
                      [=](int i) { set([i](Shift& s) { s.axis = i; }); });
            Choices<FrameId> frames = framesOf(m_session.cell(), shift->frame);
            frames.names.removeFirst();
            frames.ids.erase(frames.ids.begin());
            QStringList spaces{"the frame read from", "the tool", "the world"};
            spaces += frames.names;
            const int space = shift->space == Shift::Space::Frame ? 3 + frames.current - 1 : int(shift->space);
            addChoice("Of", "stepSpace", spaces, space, [=](int i) {
                set([&](Shift& s) {
                    s.space = Shift::Space(std::min(i, 3));
                    s.frame = i >= 3 ? frames.ids[size_t(i - 3)] : FrameId();
                });
            });
            addValue("By", "stepBy", shift->by, shift->turns ? "°" : "mm", shift->turns ? kDegree : kMillimetre,
                     shift->turns ? limits::kShiftTurn : limits::kShift, 2,
                     [=](Step& s, double v) { std::get<Shift>(*goalOf(s)).by = v; });
        } else {
            const JointShift& own = std::get<JointShift>(goal);
            QStringList joints;
            for (int i = 0; i < m_session.arm().jointCount(); ++i)
                joints << QString::number(i + 1);
            const JointKind kind = kindOf(own.joint);
            addChoice("Joint", "stepJoint", joints, own.joint, [=, this](int i) {
                change([&](Step& s) {
                    JointShift& next = std::get<JointShift>(*goalOf(s));
                    next.joint = i;
                    if (kindOf(i) != kind) next.by = usualShift(kindOf(i));
                });
            });
            addValue("By", "stepBy", own.by, symbolOf(kind), unitOf(kind), limits::kJointShift, 2,
                     [=](Step& s, double v) { std::get<JointShift>(*goalOf(s)).by = v; });
        }
    }
    if (const JointMove* joint = m_step.as<JointMove>())
        addValue(
            "Speed", "stepSpeed", joint->speed, "%", 0.01, limits::kStepJointSpeed, 1,
            [](Step& s, double v) { s.as<JointMove>()->speed = v; }, true);
    else {
        const LineMove* line = m_step.as<LineMove>();
        addValue(
            "Speed", "stepSpeed", line ? line->speed : m_step.as<ArcMove>()->speed, "mm/s", kMillimetre,
            limits::kStepLineSpeed, 1,
            [](Step& s, double v) { (s.as<LineMove>() ? s.as<LineMove>()->speed : s.as<ArcMove>()->speed) = v; }, true);
    }
    if (endOf(m_step)) addBack("Back", "step", ofEnd);
    if (const ArcMove* arc = m_step.as<ArcMove>()) {
        addBack("Via back", "stepVia", ofVia);
        if (arc->whole) addBack("And back", "step", ofSecond);
    }
    addPace();
}

void StepPage::addStage(const QString& label, const QString& prefix, const std::function<AtPlace&(Step&)>& of)
{
    addChoice(label, prefix + "Stage",
              {"the place, or back from it", "its approach", "its near approach", "its retract", "its near retract"},
              int(of(m_step).stage), [=, this](int i) {
                  change([=](Step& s) {
                      of(s).stage = Stage(i);
                      of(s).over = 0;
                  });
              });
}

void StepPage::addBack(const QString& label, const QString& prefix, const std::function<AtPlace&(Step&)>& of)
{
    if (of(m_step).stage == Stage::Over)
        addValue(label, prefix + "Standoff", of(m_step).over, "mm", kMillimetre, limits::kStandoff, 1,
                 [=](Step& s, double v) { of(s).over = v; });
}

void StepPage::addPace()
{
    const Pace& pace = *paceOf(m_step);
    addValue("Blend", "stepBlend", pace.blend, "mm", kMillimetre, limits::kBlend, 1,
             [](Step& s, double v) { paceOf(s)->blend = v; });
    addHead("More of its pace", "pace");
    addValue("Acceleration", "stepAcceleration", pace.acceleration, "%", 0.01, limits::kStepAcceleration, 1,
             [](Step& s, double v) { paceOf(s)->acceleration = v; });
    addNumber("Turns up to", "stepTurnSpeed", degrees(pace.turnSpeed), "°/s", 0, degrees(limits::kStepTurnSpeed.most),
              1, [this](double v) { change([=](Step& s) { paceOf(s)->turnSpeed = v * kDegree; }); });
}

void StepPage::addFollow()
{
    const Cell& cell = m_session.cell();
    const Follow& own = *m_step.as<Follow>();
    Choices<PatternId> groups;
    for (const Pattern& p : cell.patterns)
        if (p.content == Pattern::Content::Targets && p.arm == m_session.routine().arm)
            groups.add(p.name, p.id, own.pattern);
    addChoice("Group", "stepPattern", groups.names, groups.current,
              [=, this](int i) { change([&](Step& s) { s.as<Follow>()->pattern = groups.ids[size_t(i)]; }); });
    addValue("Speed", "stepSpeed", own.speed, "mm/s", kMillimetre, limits::kStepLineSpeed, 1,
             [](Step& s, double v) { s.as<Follow>()->speed = v; });
    addChoice("Comes and leaves", "stepStage", {"over the ends by", "by approach and retract"}, own.staged,
              [this](int i) {
                  change([i](Step& s) {
                      s.as<Follow>()->staged = i == 1;
                      s.as<Follow>()->over = 0;
                  });
              });
    if (!own.staged)
        addValue("Over", "stepStandoff", own.over, "mm", kMillimetre, limits::kStandoff, 1,
                 [](Step& s, double v) { s.as<Follow>()->over = v; });
    Choices<ProcessId> known;
    known.add("none", {}, own.process);
    const Choices<ProcessId> all = processes(own.process);
    for (size_t i = 0; i < all.ids.size(); ++i)
        known.add(all.names[int(i)].toStdString(), all.ids[i], own.process);
    addChoice("Process", "stepProcess", known.names, known.current,
              [=, this](int i) { change([&](Step& s) { s.as<Follow>()->process = known.ids[size_t(i)]; }); });
    addCheck("backwards", "stepBackwards", "From the last point to the first", own.backwards,
             [this](bool on) { change([on](Step& s) { s.as<Follow>()->backwards = on; }); });
    addPace();
}

}  // namespace topikos
