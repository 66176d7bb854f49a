#include "app/properties/pages.h"

#include "app/properties/choices.h"
#include "app/session/text.h"
#include "core/cell/devices.h"

namespace topikos {

void StepPage::fill()
{
    const Table<Step>& steps = m_session.routine().steps;
    const auto place = steps.placeOf(m_session.selected<StepId>());
    if (!place) return;
    const Step step = steps[*place];
    const RoutineId routine = m_session.routine().id;
    const size_t row = *place + 1;
    const std::function<void(const Step&)> change = [this, routine, row](const Step& next) {
        edit(QString("Change step %1").arg(row), [=](const Cell& cell) { return changeStep(cell, routine, next); });
    };
    const size_t many = m_session.allSelected<StepId>().size();
    setTitle(many > 1 ? QString("Step %1, the last of %2").arg(row).arg(many) : QString("Step %1").arg(row));
    addChoice("Kind", "stepKind",
              {"joint move", "line", "grip", "release", "wait", "set signal", "wait for signal", "move device"},
              int(step.kind), [=, this](int kind) {
                  Step next = step;
                  next.kind = Step::Kind(kind);
                  const Cell& cell = m_session.cell();
                  if (next.isMove() && !next.target) next.target = m_session.station().home;
                  if (next.kind == Step::Kind::SetSignal || next.kind == Step::Kind::WaitSignal) {
                      const auto fits = [&](const Signal& s) {
                          return next.kind == Step::Kind::WaitSignal || !writerOf(cell, s.id);
                      };
                      const Signal* own = findSignal(cell, next.signal);
                      if (!own || !fits(*own)) {
                          const auto other = std::find_if(cell.signals.begin(), cell.signals.end(), fits);
                          if (other == cell.signals.end())
                              return m_session.say(
                                  "There is no signal for this step yet; add one in the Signals tab below.", true);
                          next.signal = other->id;
                          next.value = 1;
                      }
                  }
                  if (next.kind == Step::Kind::MoveAxes) {
                      const std::vector<FrameId> devices = movableDevices(cell);
                      if (devices.empty())
                          return m_session.say(
                              "There is no device with axes; add a rail, turntable or positioner in the layout.", true);
                      next = axisStep(cell, next, devices.front());
                  }
                  change(next);
              });
    if (step.isMove()) {
        Choices<TargetId> targets;
        for (const Target& t : m_session.cell().targets)
            if (t.arm == m_session.station().id) targets.add(t.name, t.id, step.target);
        addChoice("Target", "stepTarget", targets.names, targets.current, [=](int i) {
            Step next = step;
            next.target = targets.ids[size_t(i)];
            change(next);
        });
        if (step.kind == Step::Kind::Line)
            addNumber(
                "Speed", "stepSpeed", millimetres(step.lineSpeed), "mm/s", limits::kStepLineSpeed, kMillimetre, 1,
                [=](double v) {
                    Step next = step;
                    next.lineSpeed = v * kMillimetre;
                    change(next);
                },
                true);
        else
            addNumber(
                "Speed", "stepSpeed", step.jointSpeed * 100, "%", limits::kStepJointSpeed, 0.01, 1,
                [=](double v) {
                    Step next = step;
                    next.jointSpeed = v / 100;
                    change(next);
                },
                true);
        addNumber("Back", "stepStandoff", millimetres(step.standoff), "mm", limits::kStandoff, kMillimetre, 1,
                  [=](double v) {
                      Step next = step;
                      next.standoff = v * kMillimetre;
                      change(next);
                  });
        addNumber("Blend", "stepBlend", millimetres(step.blend), "mm", limits::kBlend, kMillimetre, 1, [=](double v) {
            Step next = step;
            next.blend = v * kMillimetre;
            change(next);
        });
    }
    if (step.kind == Step::Kind::Wait)
        addNumber("Time", "stepSeconds", step.seconds, "s", limits::kWait, 1, 3, [=](double v) {
            Step next = step;
            next.seconds = v;
            change(next);
        });
    addDetails(step, change);
    addCheck("left out", "stepOff", "The step stays in the routine but is not run", step.off, [=](bool on) {
        Step next = step;
        next.off = on;
        change(next);
    });
}

void StepPage::addDetails(const Step& step, const std::function<void(const Step&)>& change)
{
    const Cell& cell = m_session.cell();
    if (step.kind == Step::Kind::SetSignal || step.kind == Step::Kind::WaitSignal) {
        Choices<SignalId> signals;
        for (const Signal& s : cell.signals)
            if (step.kind == Step::Kind::WaitSignal || !writerOf(cell, s.id)) signals.add(s.name, s.id, step.signal);
        const auto with = [=](auto set) {
            Step next = step;
            set(next);
            change(next);
        };
        addChoice("Signal", "stepSignal", signals.names, signals.current, [=, this](int i) {
            with([&](Step& s) {
                const Signal& signal = *findSignal(m_session.cell(), signals.ids[size_t(i)]);
                s.signal = signal.id;
                if (checkSignalValue(signal, s.value)) s.value = 1;
                if (signal.kind == Signal::Kind::Digital) s.comparison = Step::Comparison::Equal;
            });
        });
        const Signal* signal = findSignal(cell, step.signal);
        if (signal && signal->kind == Signal::Kind::Digital) {
            addChoice(step.kind == Step::Kind::SetSignal ? "To" : "Is", "stepValue", {"off", "on"}, step.value != 0,
                      [=](int i) { with([&](Step& s) { s.value = i; }); });
        } else {
            if (step.kind == Step::Kind::WaitSignal)
                addChoice("Is", "stepComparison", {"equal to", "at least", "at most"}, int(step.comparison),
                          [=](int i) { with([&](Step& s) { s.comparison = Step::Comparison(i); }); });
            addNumber(
                "Value", "stepValue", step.value, "", limits::kSignalValue, 1,
                signal && signal->kind == Signal::Kind::Number ? 0 : 3,
                [=](double v) { with([&](Step& s) { s.value = v; }); }, true);
        }
    }
    if (step.kind != Step::Kind::MoveAxes) return;
    Choices<FrameId> devices;
    for (const FrameId device : movableDevices(cell))
        devices.add(frameName(cell, device), device, step.device);
    addChoice("Device", "stepDevice", devices.names, devices.current,
              [=, this](int i) { change(axisStep(m_session.cell(), step, devices.ids[size_t(i)])); });
    const std::vector<FrameId> axes = axesOf(cell, step.device);
    for (size_t i = 0; i < std::min(axes.size(), step.axes.size()); ++i) {
        const Frame& frame = *findFrame(cell, axes[i]);
        const double unit = unitOf(frame.axis->kind);
        addNumber(
            axes.size() > 1 ? text(frame.name) : "To", QString("stepAxis%1").arg(i), step.axes[i] / unit,
            symbolOf(frame.axis->kind), frame.axis->lowest / unit, frame.axis->highest / unit, 2,
            [=](double v) {
                Step next = step;
                next.axes[i] = v * unit;
                change(next);
            },
            true);
    }
    addNumber(
        "Speed", "stepSpeed", step.jointSpeed * 100, "%", limits::kStepJointSpeed, 0.01, 1,
        [=](double v) {
            Step next = step;
            next.jointSpeed = v / 100;
            change(next);
        },
        true);
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
