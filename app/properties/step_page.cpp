#include "app/properties/pages.h"

#include "app/properties/choices.h"
#include "app/route/time_table_dialog.h"
#include "app/session/export.h"
#include "app/session/text.h"
#include "core/cell/devices.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_support.h"
#include "core/cell/step_tree.h"
#include "core/cell/time_tables.h"
#include "core/files/file.h"
#include "core/program/new_step.h"
#include "core/spatial/limits.h"

#include <QFileInfo>

namespace topikos {

void StepPage::change(const std::function<void(Step&)>& set)
{
    Step next = m_step;
    set(next);
    const RoutineId routine = m_session.routine().id;
    const size_t number = numberOf(m_session.routine().steps, next.id).value_or(0) + 1;
    edit(QString("Change step %1").arg(number), [=](const Cell& cell) { return changeStep(cell, routine, next); });
}

void StepPage::addValue(const QString& label, const QString& name, double now, const QString& symbol, double unit,
                        const Limit& limit, int decimals, const std::function<void(Step&, double)>& set, bool wide)
{
    addNumber(
        label, name, now / unit, symbol, limit, unit, decimals,
        [=, this](double v) { change([=](Step& s) { set(s, v * unit); }); }, wide);
}

StepScope StepPage::scope() const
{
    const Routine& routine = m_session.routine();
    const auto place = placeOf(routine.steps, m_step.id);
    return {routine, place ? loopsAround(routine.steps, place->block) : std::vector<PatternId>{}};
}

void StepPage::fill()
{
    const Step* shown = findStep(m_session.routine().steps, m_session.selected<StepId>());
    if (!shown) return;
    m_step = *shown;
    const size_t number = numberOf(m_session.routine().steps, m_step.id).value_or(0) + 1,
                 many = m_session.allSelected<StepId>().size();
    setTitle(many > 1 ? QString("Step %1, the last of %2").arg(number).arg(many) : QString("Step %1").arg(number));
    addPasses();
    QStringList kinds;
    for (const StepTraits& own : kStepTraits)
        kinds << own.name;
    addChoice("Kind", "stepKind", kinds, int(m_step.kind()), [this](int kind) { becomes(StepKind(kind)); });
    switch (m_step.kind()) {
    case StepKind::Joint:
    case StepKind::Line:
    case StepKind::Arc: addMove(); break;
    case StepKind::Wait:
        addValue("Time", "stepSeconds", m_step.as<Wait>()->seconds, "s", 1, limits::kWait, 3,
                 [](Step& s, double v) { s.as<Wait>()->seconds = v; });
        break;
    case StepKind::SetSignal: addSet(); break;
    case StepKind::PulseSignal: addPulse(); break;
    case StepKind::WaitSignal: addWaitFor(); break;
    case StepKind::MoveAxes: addDevice(); break;
    case StepKind::PlayTable: addTable(); break;
    case StepKind::Call: addCall(); break;
    case StepKind::Repeat: addRepeat(); break;
    case StepKind::ForEach: addForEach(); break;
    case StepKind::If: addCondition([](Step& s) -> Condition& { return s.as<If>()->condition; }); break;
    case StepKind::SwitchProcess: addProcess(); break;
    case StepKind::UsePoint: addPoint(); break;
    case StepKind::ReadFrom: {
        const Choices<FrameId> frames = framesOf(m_session.cell(), m_step.as<ReadFrom>()->frame);
        addChoice("Frame", "stepFrame", frames.names, frames.current,
                  [=, this](int i) { change([&](Step& s) { s.as<ReadFrom>()->frame = frames.ids[size_t(i)]; }); });
        break;
    }
    case StepKind::Follow: addFollow(); break;
    case StepKind::Halt:
        addLine("Message", "stepMessage", text(m_step.as<Halt>()->message), "Shown when the program stops here",
                [this](const QString& words) {
                    change([&](Step& s) { s.as<Halt>()->message = words.trimmed().toStdString(); });
                    return true;
                });
        break;
    case StepKind::Grip:
    case StepKind::Release:
    case StepKind::Note: break;
    }
    if (hasMayTouch(m_step.kind())) {
        QStringList names;
        for (const Touchable& t : m_step.mayTouch)
            names << text(touchableName(m_session.cell(), t));
        addLine(
            "May touch", "stepMayTouch", names.join(", "),
            "What the arm, and what it carries, is meant to touch here: frames, and parts as in “any Tile”, by commas",
            [this](const QString& words) { return setMayTouch(words); });
    }
    addLine("Note", "stepNote", text(m_step.note), "Stands behind the step in the text of the program",
            [this](const QString& words) {
                change([&](Step& s) { s.note = words.trimmed().toStdString(); });
                return true;
            });
    addCheck("left out", "stepOff", "The step stays in the routine but is not run, nor what it holds", m_step.off,
             [this](bool on) { change([on](Step& s) { s.off = on; }); });
}

bool StepPage::setMayTouch(const QString& words)
{
    const Cell& cell = m_session.cell();
    std::vector<Touchable> all;
    for (const QString& part : words.split(',')) {
        const QString name = part.trimmed();
        if (name.isEmpty()) continue;
        std::optional<Touchable> found;
        const auto offer = [&](const Touchable& t) {
            if (!found && text(touchableName(cell, t)).compare(name, Qt::CaseInsensitive) == 0) found = t;
        };
        for (const Frame& frame : cell.frames)
            offer(frame.id);
        for (const PartKind& kind : cell.partKinds)
            offer(kind.id);
        if (!found) {
            m_session.say("There is no frame, and no kind of part, called “" + name
                              + "”. Parts are named as in “any Tile”.",
                          true);
            return false;
        }
        all.push_back(*found);
    }
    change([&](Step& s) { s.mayTouch = all; });
    return true;
}

/// A step that is done several times says which time is looked at.
void StepPage::addPasses()
{
    const int many = m_session.passesOf(m_step.id);
    if (many < 2) return;
    // What follows a group goes to each of its places.
    addNumber(QString(m_step.as<Follow>() ? "Move of %1" : "Pass of %1").arg(many), "stepPass", m_session.pass() + 1,
              "", 1, many, 0, [this](double pass) { m_session.setPass(int(pass) - 1); });
    const StepOutcome* outcome = m_session.passOutcome(m_step.id);
    const Target* target = outcome ? findTarget(m_session.cell(), outcome->target) : nullptr;
    if (target) addText("Goes to", text(target->name));
}

void StepPage::becomes(StepKind kind)
{
    const Cell& cell = m_session.cell();
    const StepScope around = scope();
    if (!m_step.body.empty() && !hasBody(kind)) {
        m_session.say("The step holds others; take them out before it becomes something else.", true);
        return Q_EMIT refused();
    }
    const Result<Action> made = newAction(cell, around, kind, targetOf(m_step));
    if (!made) {
        m_session.say(text(made.error().line()), true);
        return Q_EMIT refused();
    }
    change([&](Step& s) {
        const Step before = s;
        s.action = *made;
        if (!hasOtherwise(kind)) s.otherwise = {};
        // What both kinds have stays.
        if (const AtPlace* at = endOf(before))
            if (AtPlace* end = endOf(s)) *end = *at;
        if (const Pace* pace = paceOf(before))
            if (Pace* own = paceOf(s)) *own = *pace;
    });
}

void StepPage::addSignal(bool writes, const std::function<bool(const Signal&)>& fits, SignalId now,
                         const std::function<void(Step&, const Signal&)>& set)
{
    const Cell& cell = m_session.cell();
    Choices<SignalId> signals;
    for (const Signal& s : cell.signals)
        if ((!writes || !writerOf(cell, s.id)) && (!fits || fits(s))) signals.add(s.name, s.id, now);
    addChoice("Signal", "stepSignal", signals.names, signals.current, [=, this](int i) {
        const Signal signal = *findSignal(m_session.cell(), signals.ids[size_t(i)]);
        change([&](Step& s) { set(s, signal); });
    });
}

void StepPage::addSet()
{
    const SetSignal& own = *m_step.as<SetSignal>();
    addSignal(true, {}, own.signal, [](Step& s, const Signal& signal) {
        SetSignal& set = *s.as<SetSignal>();
        set.signal = signal.id;
        if (checkSignalValue(signal, set.value)) set.value = 1;
    });
    const Signal* signal = findSignal(m_session.cell(), own.signal);
    if (signal && signal->kind == Signal::Kind::Digital)
        return addChoice("To", "stepValue", {"off", "on"}, own.value != 0,
                         [this](int i) { change([i](Step& s) { s.as<SetSignal>()->value = i; }); });
    addValue(
        "Value", "stepValue", own.value, "", 1, limits::kSignalValue,
        signal && signal->kind == Signal::Kind::Number ? 0 : 3, [](Step& s, double v) { s.as<SetSignal>()->value = v; },
        true);
}

void StepPage::addPulse()
{
    const PulseSignal& own = *m_step.as<PulseSignal>();
    addSignal(
        true, [](const Signal& s) { return s.kind == Signal::Kind::Digital; }, own.signal,
        [](Step& s, const Signal& signal) { s.as<PulseSignal>()->signal = signal.id; });
    addValue("On for", "stepSeconds", own.seconds, "s", 1, limits::kPulse, 3,
             [](Step& s, double v) { s.as<PulseSignal>()->seconds = v; });
}

void StepPage::addCondition(const std::function<Condition&(Step&)>& of)
{
    Step copy = m_step;
    const Condition own = of(copy);
    addSignal(false, {}, own.signal, [=](Step& s, const Signal& signal) {
        Condition& condition = of(s);
        condition.signal = signal.id;
        if (checkSignalValue(signal, condition.value)) condition.value = 1;
        if (signal.kind == Signal::Kind::Digital) condition.comparison = Comparison::Equal;
    });
    const Signal* signal = findSignal(m_session.cell(), own.signal);
    if (signal && signal->kind == Signal::Kind::Digital)
        return addChoice("Is", "stepValue", {"off", "on"}, own.value != 0,
                         [=, this](int i) { change([&](Step& s) { of(s).value = i; }); });
    addChoice("Is", "stepComparison", {"equal to", "at least", "at most"}, int(own.comparison),
              [=, this](int i) { change([&](Step& s) { of(s).comparison = Comparison(i); }); });
    addValue(
        "Value", "stepValue", own.value, "", 1, limits::kSignalValue,
        signal && signal->kind == Signal::Kind::Number ? 0 : 3, [=](Step& s, double v) { of(s).value = v; }, true);
}

void StepPage::addWaitFor()
{
    addCondition([](Step& s) -> Condition& { return s.as<WaitSignal>()->until; });
    addNumber("At most", "stepLimit", m_step.as<WaitSignal>()->limit, "s", 0, limits::kWaitLimit.most, 3,
              [this](double v) {
                  change([=](Step& s) {
                      s.as<WaitSignal>()->limit = v;
                      if (v == 0) s.otherwise = {};
                  });
              });
}

void StepPage::addDevice()
{
    const Cell& cell = m_session.cell();
    const MoveAxes& own = *m_step.as<MoveAxes>();
    Choices<FrameId> devices;
    for (const FrameId device : movableDevices(cell))
        devices.add(frameName(cell, device), device, own.device);
    addChoice("Device", "stepDevice", devices.names, devices.current, [=, this](int i) {
        change([&](Step& s) { s.action = movesOf(m_session.cell(), devices.ids[size_t(i)]); });
    });
    const std::vector<FrameId> axes = axesOf(cell, own.device);
    for (size_t i = 0; i < std::min(axes.size(), own.values.size()); ++i) {
        const Frame& frame = *findFrame(cell, axes[i]);
        const double unit = unitOf(frame.axis->kind);
        addNumber(
            axes.size() > 1 ? text(frame.name) : "To", QString("stepAxis%1").arg(i), own.values[i] / unit,
            symbolOf(frame.axis->kind), frame.axis->lowest / unit, frame.axis->highest / unit, 2,
            [=, this](double v) { change([=](Step& s) { s.as<MoveAxes>()->values[i] = v * unit; }); }, true);
    }
    addValue(
        "Speed", "stepSpeed", own.speed, "%", 0.01, limits::kStepJointSpeed, 1,
        [](Step& s, double v) { s.as<MoveAxes>()->speed = v; }, true);
}

void StepPage::addTable()
{
    const Cell& cell = m_session.cell();
    const PlayTable& own = *m_step.as<PlayTable>();
    Choices<TimeTableId> tables;
    for (const TimeTable& table : cell.timeTables)
        if (table.arm == m_session.routine().arm) tables.add(table.name, table.id, own.table);
    addChoice("Table", "stepTable", tables.names, tables.current,
              [=, this](int i) { change([&](Step& s) { s.as<PlayTable>()->table = tables.ids[size_t(i)]; }); });
    addChoice("Between rows", "stepBetween", {"straight on", "smooth", "held"}, int(own.between),
              [this](int i) { change([i](Step& s) { s.as<PlayTable>()->between = BetweenRows(i); }); });
    addNumber(
        "Times", "stepTimes", own.times, "", limits::kRepeat, 1, 0,
        [this](double v) { change([=](Step& s) { s.as<PlayTable>()->times = std::uint32_t(v); }); }, false);
    addValue("Speed", "stepSpeed", own.speed, "%", 0.01, limits::kStepJointSpeed, 1,
             [](Step& s, double v) { s.as<PlayTable>()->speed = v; });
    const TimeTable* table = findTimeTable(cell, own.table);
    if (!table) return;
    addText("Holds", rowsText(*table->rows));
    addLine("Called", "tableName", text(table->name), "The name of the table",
            [=, this, id = table->id](const QString& w) {
                edit("Rename " + text(findTimeTable(m_session.cell(), id)->name),
                     [=](const Cell& now) { return renameTimeTable(now, id, w.trimmed().toStdString()); });
                return true;
            });
    addButtons({{"Move to its start", "tableStart", "A joint move to the first row, before this step",
                 [this] { insertStartOfTable(); }},
                {"Other rows …", "tableReplace", "Takes the rows from a file instead",
                 [this, id = table->id] { askForTimeTable(m_session, this, id); }},
                {"Save as CSV …", "tableSave", "Writes the rows to a file", [this, id = table->id] {
                     const QString path = askForOutput(this, "Save the time table", "table.csv", {"Tables (*.csv)"});
                     const TimeTable* now = findTimeTable(m_session.cell(), id);
                     if (path.isEmpty() || !now) return;
                     writeExport(m_session, path, "The time table is", [&] {
                         return saveFile(path.toStdString(),
                                         timeTableCsv(*findArm(m_session.cell(), now->arm)->model, *now->rows));
                     });
                 }}});
}

/// Joints without a column go to where home has them.
void StepPage::insertStartOfTable()
{
    const RoutineId routine = m_session.routine().id;
    const StepId step = m_step.id;
    const TimeTableId id = m_step.as<PlayTable>()->table;
    m_session.edit("Move to the start of a time table", [=](const Cell& cell) -> Result<Cell> {
        const TimeTable& table = *findTimeTable(cell, id);
        const ArmStation& arm = *findArm(cell, table.arm);
        JointVector posture = homePosture(cell, arm);
        for (size_t k = 0; k < table.rows->joints.size(); ++k)
            posture[table.rows->joints[k]] = table.rows->at(0, k);
        TargetId target;
        Result<Cell> next =
            takePostureTarget(cell, arm.id, posture, freeNameIn(cell.targets, table.name + " start"), &target);
        if (!next) return next;
        return insertSteps(*next, routine, *placeOf(findRoutine(cell, routine)->steps, step), {jointTo(target)});
    });
}

void StepPage::addCall()
{
    const Cell& cell = m_session.cell();
    const Call& own = *m_step.as<Call>();
    Choices<RoutineId> routines;
    for (const Routine& r : cell.routines)
        if (r.id != m_session.routine().id && (!r.arm || r.arm == m_session.routine().arm))
            routines.add(r.name, r.id, own.routine);
    addChoice("Routine", "stepRoutine", routines.names, routines.current, [=, this](int i) {
        const Routine& routine = *findRoutine(m_session.cell(), routines.ids[size_t(i)]);
        const Place standard = m_session.routine().arm ? Place(m_session.station().home) : Place();
        change([&](Step& s) {
            Call& call = *s.as<Call>();
            call.routine = routine.id;
            call.places.resize(routine.parameters.size(), standard);
        });
    });
    const Routine* routine = findRoutine(cell, own.routine);
    for (size_t i = 0; routine && i < std::min(own.places.size(), routine->parameters.size()); ++i)
        addPlace(text(routine->parameters[i].name), QString("stepPlace%1").arg(i), own.places[i],
                 [i](Step& s, const Place& p) { s.as<Call>()->places[i] = p; });
    addButtons({{"Look at it", "stepOpenCall", "Shows the routine that is called",
                 [this, id = own.routine] { m_session.showRoutine(id); }}});
}

void StepPage::addRepeat()
{
    const Repeat& own = *m_step.as<Repeat>();
    addChoice("How", "stepRepeat", {"a number of times", "while a signal", "until a signal", "without end"},
              int(own.kind), [this](int i) {
                  const Result<Action> asks = newAction(m_session.cell(), scope(), StepKind::If);
                  const auto kind = Repeat::Kind(i);
                  const bool needs = kind == Repeat::Kind::While || kind == Repeat::Kind::Until;
                  if (needs && !asks) {
                      m_session.say(text(asks.error().line()), true);
                      return Q_EMIT refused();
                  }
                  change([&](Step& s) {
                      Repeat& repeat = *s.as<Repeat>();
                      repeat.kind = kind;
                      if (needs && !repeat.condition.signal) repeat.condition = std::get<If>(*asks).condition;
                  });
              });
    if (own.kind == Repeat::Kind::Times)
        addValue("Times", "stepTimes", own.times, "", 1, limits::kRepeat, 0,
                 [](Step& s, double v) { s.as<Repeat>()->times = std::uint32_t(v); });
    if (own.kind == Repeat::Kind::While || own.kind == Repeat::Kind::Until)
        addCondition([](Step& s) -> Condition& { return s.as<Repeat>()->condition; });
}

void StepPage::addForEach()
{
    const Cell& cell = m_session.cell();
    const ForEach& own = *m_step.as<ForEach>();
    Choices<PatternId> patterns, others;
    others.add("nothing", {}, own.with);
    for (const Pattern& p : cell.patterns) {
        if (p.content != Pattern::Content::Targets || p.arm != m_session.routine().arm) continue;
        patterns.add(p.name, p.id, own.pattern);
        if (p.id != own.pattern) others.add(p.name, p.id, own.with);
    }
    addChoice("Pattern", "stepPattern", patterns.names, patterns.current, [=, this](int i) {
        change([&](Step& s) {
            ForEach& each = *s.as<ForEach>();
            each.pattern = patterns.ids[size_t(i)];
            if (each.with == each.pattern) each.with = {};
        });
    });
    addChoice("Beside it", "stepWith", others.names, others.current,
              [=, this](int i) { change([&](Step& s) { s.as<ForEach>()->with = others.ids[size_t(i)]; }); });
    addValue("From place", "stepFirst", own.first, "", 1, limits::kPlaces, 0,
             [](Step& s, double v) { s.as<ForEach>()->first = std::uint32_t(v); });
    addNumber("To place", "stepLast", own.last, "", 0, limits::kPlaces.most, 0,
              [this](double v) { change([=](Step& s) { s.as<ForEach>()->last = std::uint32_t(v); }); });
    addText("", own.last == 0 ? "0: to the last one" : "");
    addCheck("backwards", "stepBackwards", "From the last place of the range to the first", own.backwards,
             [this](bool on) { change([on](Step& s) { s.as<ForEach>()->backwards = on; }); });
}

void StepPage::addProcess()
{
    const SwitchProcess& own = *m_step.as<SwitchProcess>();
    const Choices<ProcessId> known = processes(own.process);
    addChoice("Process", "stepProcess", known.names, known.current,
              [=, this](int i) { change([&](Step& s) { s.as<SwitchProcess>()->process = known.ids[size_t(i)]; }); });
    addChoice("To", "stepValue", {"off", "on"}, own.on,
              [this](int i) { change([i](Step& s) { s.as<SwitchProcess>()->on = i != 0; }); });
}

Choices<ProcessId> StepPage::processes(ProcessId now) const
{
    const Cell& cell = m_session.cell();
    const ArmStation* arm = findArm(cell, m_session.routine().arm);
    Choices<ProcessId> out;
    for (const Tool& tool : cell.tools)
        for (const Process& p : tool.processes)
            if (!arm || arm->tool == tool.id) out.add(p.name, p.id, now);
    return out;
}

void StepPage::addPoint()
{
    Choices<TcpId> points;
    const TcpId now = m_step.as<UsePoint>()->point;
    points.add("first", {}, now);
    for (const ToolPoint& p : toolInForce(m_session.cell(), m_session.station()).points)
        points.add(p.name, p.id, now);
    addChoice("Point", "stepPoint", points.names, points.current,
              [=, this](int i) { change([&](Step& s) { s.as<UsePoint>()->point = points.ids[size_t(i)]; }); });
}

}  // namespace topikos
