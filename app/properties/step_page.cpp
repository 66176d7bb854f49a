#include "app/properties/pages.h"

#include "app/properties/choices.h"
#include "app/session/text.h"
#include "core/cell/devices.h"

namespace topikos {

void StepPage::change(const std::function<void(Step&)>& set)
{
    Step next = m_step;
    set(next);
    const RoutineId routine = m_session.routine().id;
    const size_t row = m_session.routine().steps.placeOf(next.id).value_or(0) + 1;
    edit(QString("Change step %1").arg(row), [=](const Cell& cell) { return changeStep(cell, routine, next); });
}

void StepPage::addValue(const QString& label, const QString& name, double Step::*value, const QString& symbol,
                        double unit, const Limit& limit, int decimals, bool wide)
{
    addNumber(
        label, name, m_step.*value / unit, symbol, limit, unit, decimals,
        [=, this](double v) { change([=](Step& s) { s.*value = v * unit; }); }, wide);
}

void StepPage::fill()
{
    const Step* shown = m_session.routine().steps.find(m_session.selected<StepId>());
    if (!shown) return;
    m_step = *shown;
    const size_t row = m_session.routine().steps.placeOf(m_step.id).value_or(0) + 1,
                 many = m_session.allSelected<StepId>().size();
    setTitle(many > 1 ? QString("Step %1, the last of %2").arg(row).arg(many) : QString("Step %1").arg(row));
    addChoice("Kind", "stepKind",
              {"joint move", "line", "grip", "release", "wait", "set signal", "wait for signal", "move device"},
              int(m_step.kind), [this](int kind) { becomes(Step::Kind(kind)); });
    if (m_step.isMove()) {
        Choices<TargetId> targets;
        for (const Target& t : m_session.cell().targets)
            if (t.arm == m_session.station().id) targets.add(t.name, t.id, m_step.target);
        addChoice("Target", "stepTarget", targets.names, targets.current,
                  [=, this](int i) { change([&](Step& s) { s.target = targets.ids[size_t(i)]; }); });
        if (m_step.kind == Step::Kind::Line)
            addValue("Speed", "stepSpeed", &Step::lineSpeed, "mm/s", kMillimetre, limits::kStepLineSpeed, 1, true);
        else addJointSpeed();
        addValue("Back", "stepStandoff", &Step::standoff, "mm", kMillimetre, limits::kStandoff, 1);
        addValue("Blend", "stepBlend", &Step::blend, "mm", kMillimetre, limits::kBlend, 1);
    }
    if (m_step.kind == Step::Kind::Wait) addValue("Time", "stepSeconds", &Step::seconds, "s", 1, limits::kWait, 3);
    if (m_step.kind == Step::Kind::SetSignal || m_step.kind == Step::Kind::WaitSignal) addSignal();
    if (m_step.kind == Step::Kind::MoveAxes) addDevice();
    addCheck("left out", "stepOff", "The step stays in the routine but is not run", m_step.off,
             [this](bool on) { change([on](Step& s) { s.off = on; }); });
}

void StepPage::becomes(Step::Kind kind)
{
    const Cell& cell = m_session.cell();
    Step next = m_step;
    next.kind = kind;
    if (next.isMove() && !next.target) next.target = m_session.station().home;
    if (kind == Step::Kind::SetSignal || kind == Step::Kind::WaitSignal) {
        const auto fits = [&](const Signal& s) { return kind == Step::Kind::WaitSignal || !writerOf(cell, s.id); };
        const Signal* own = findSignal(cell, next.signal);
        if (!own || !fits(*own)) {
            const auto other = std::find_if(cell.signals.begin(), cell.signals.end(), fits);
            if (other == cell.signals.end()) {
                m_session.say("There is no signal for this step yet; add one in the Signals tab below.", true);
                return Q_EMIT refused();
            }
            next.signal = other->id;
            next.value = 1;
        }
    }
    if (kind == Step::Kind::MoveAxes) {
        const std::vector<FrameId> devices = movableDevices(cell);
        if (devices.empty()) {
            m_session.say("There is no device with axes; add a rail, turntable or positioner in the layout.", true);
            return Q_EMIT refused();
        }
        next = axisStep(cell, next, devices.front());
    }
    change([&](Step& s) { s = next; });
}

void StepPage::addJointSpeed()
{
    addValue("Speed", "stepSpeed", &Step::jointSpeed, "%", 0.01, limits::kStepJointSpeed, 1, true);
}

void StepPage::addSignal()
{
    const Cell& cell = m_session.cell();
    const bool sets = m_step.kind == Step::Kind::SetSignal;
    Choices<SignalId> signals;
    for (const Signal& s : cell.signals)
        if (!sets || !writerOf(cell, s.id)) signals.add(s.name, s.id, m_step.signal);
    addChoice("Signal", "stepSignal", signals.names, signals.current, [=, this](int i) {
        const Signal signal = *findSignal(m_session.cell(), signals.ids[size_t(i)]);
        change([&](Step& s) {
            s.signal = signal.id;
            if (checkSignalValue(signal, s.value)) s.value = 1;
            if (signal.kind == Signal::Kind::Digital) s.comparison = Step::Comparison::Equal;
        });
    });
    const Signal* signal = findSignal(cell, m_step.signal);
    if (signal && signal->kind == Signal::Kind::Digital)
        return addChoice(sets ? "To" : "Is", "stepValue", {"off", "on"}, m_step.value != 0,
                         [this](int i) { change([i](Step& s) { s.value = i; }); });
    if (!sets)
        addChoice("Is", "stepComparison", {"equal to", "at least", "at most"}, int(m_step.comparison),
                  [this](int i) { change([i](Step& s) { s.comparison = Step::Comparison(i); }); });
    addValue("Value", "stepValue", &Step::value, "", 1, limits::kSignalValue,
             signal && signal->kind == Signal::Kind::Number ? 0 : 3, true);
}

void StepPage::addDevice()
{
    const Cell& cell = m_session.cell();
    Choices<FrameId> devices;
    for (const FrameId device : movableDevices(cell))
        devices.add(frameName(cell, device), device, m_step.device);
    addChoice("Device", "stepDevice", devices.names, devices.current, [=, this](int i) {
        change([&](Step& s) { s = axisStep(m_session.cell(), s, devices.ids[size_t(i)]); });
    });
    const std::vector<FrameId> axes = axesOf(cell, m_step.device);
    for (size_t i = 0; i < std::min(axes.size(), m_step.axes.size()); ++i) {
        const Frame& frame = *findFrame(cell, axes[i]);
        const double unit = unitOf(frame.axis->kind);
        addNumber(
            axes.size() > 1 ? text(frame.name) : "To", QString("stepAxis%1").arg(i), m_step.axes[i] / unit,
            symbolOf(frame.axis->kind), frame.axis->lowest / unit, frame.axis->highest / unit, 2,
            [=, this](double v) { change([=](Step& s) { s.axes[i] = v * unit; }); }, true);
    }
    addJointSpeed();
}

Step axisStep(const Cell& cell, Step step, FrameId device)
{
    step.kind = Step::Kind::MoveAxes;
    step.device = device;
    step.axes.clear();
    for (const FrameId axis : axesOf(cell, device))
        step.axes.push_back(findFrame(cell, axis)->axis->value);
    return step;
}

}  // namespace topikos
