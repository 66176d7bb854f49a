#include "app/instruments/properties.h"

#include "app/instruments/choices.h"
#include "app/instruments/number_field.h"
#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "core/cell/devices.h"
#include "core/spatial/rotation.h"

#include <QAbstractSpinBox>
#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QVBoxLayout>

#include <utility>

namespace topikos {

Properties::Properties(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    m_title = new QLabel(this);
    m_title->setFont(textFont(12, QFont::DemiBold));
    column->addWidget(m_title);
    m_grid = new QGridLayout;
    m_grid->setContentsMargins(0, 0, 0, 0);
    m_grid->setHorizontalSpacing(6);
    m_grid->setVerticalSpacing(3);
    m_grid->setColumnStretch(1, 1);
    m_grid->setColumnStretch(3, 1);
    column->addLayout(m_grid);
    // Rebuilt after the present event: an editor that has just changed the cell must not be deleted under its own
    // signal.
    const auto later = [this] {
        if (m_stale) return;
        m_stale = true;
        QMetaObject::invokeMethod(this, &Properties::rebuild, Qt::QueuedConnection);
    };
    connect(&session, &Session::selectionChanged, this, later);
    connect(&session, &Session::cellChanged, this, later);
    connect(&session, &Session::postureChanged, this, &Properties::showAxesNow);
    connect(&session, &Session::nameWanted, this, [this, later] {
        m_nameWanted = true;
        later();
    });
    rebuild();
}

void Properties::rebuild()
{
    m_stale = false;
    const QWidget* focus = focusWidget();
    QString focused = focus && focus->hasFocus() ? focus->objectName() : QString();
    if (std::exchange(m_nameWanted, false)) focused = "propertyName";
    clear();
    if (m_shown != m_session.selection()) {
        m_shown = m_session.selection();
        m_shape = m_point = 0;
        QMetaObject::invokeMethod(this, &Properties::selectionShown,
                                  Qt::QueuedConnection);  // once the layout has its size
    }
    const Cell& cell = m_session.cell();
    if (const StepId id = m_session.selected<StepId>()) {
        for (const Step& s : m_session.routine().steps)
            if (s.id == id) showStep(s);
    } else if (const Target* t = findTarget(cell, m_session.selected<TargetId>())) showTarget(*t);
    else if (const Frame* f = findFrame(cell, m_session.selected<FrameId>())) showFrame(*f);
    else if (const Part* p = findPart(cell, m_session.selected<PartId>())) showPart(*p);
    else if (const Tool* tool = findTool(cell, m_session.selected<ToolId>())) showTool(*tool);
    else if (const ArmStation* arm = findArm(cell, m_session.selected<ArmId>())) showArm(*arm);
    else if (const Pattern* pattern = findPattern(cell, m_session.selected<PatternId>())) showPattern(*pattern);
    else showThresholds();
    // Fields have to be in sight to get the keys, and the next key may come at once.
    layout()->activate();
    for (int i = 0; i < m_grid->count(); ++i)
        if (QWidget* field = m_grid->itemAt(i)->widget()) field->show();
    if (focused.isEmpty()) return;
    if (auto* again = findChild<QWidget*>(focused)) {
        again->setFocus(Qt::TabFocusReason);
        if (auto* number = qobject_cast<QAbstractSpinBox*>(again)) number->selectAll();
        if (auto* words = qobject_cast<QLineEdit*>(again)) words->selectAll();
    }
}

void Properties::edit(const QString& label, const Edit& change)
{
    if (m_trying) m_session.preview(change);
    else m_session.edit(label, change);
}

void Properties::showTyped(std::optional<double> value, const std::function<void(double)>& apply)
{
    m_session.endPreview();
    if (!value) return;
    m_trying = true;
    apply(*value);
    m_trying = false;
}

void Properties::clear()
{
    while (QLayoutItem* item = m_grid->takeAt(0)) {
        if (QWidget* widget = item->widget()) {
            widget->hide();
            widget->deleteLater();
            // What is on its way out must not be found in place of what comes.
            widget->setObjectName({});
            for (QWidget* inner : widget->findChildren<QWidget*>())
                inner->setObjectName({});
        }
        delete item;
    }
    m_cell = 0;
}

void Properties::addField(const QString& label, QWidget* field, bool wide)
{
    // By its name a field is found again when an edit makes the page anew.
    if (field->objectName().isEmpty()) field->setObjectName(QString("field%1").arg(m_cell));
    if (wide && m_cell % 2) ++m_cell;
    const int row = m_cell / 2, column = 2 * (m_cell % 2);
    if (!label.isEmpty()) m_grid->addWidget(new QLabel(label, this), row, column);
    if (wide) m_grid->addWidget(field, row, label.isEmpty() ? 0 : 1, 1, label.isEmpty() ? 4 : 3);
    else m_grid->addWidget(field, row, column + (label.isEmpty() ? 0 : 1), 1, label.isEmpty() ? 2 : 1);
    m_cell += wide ? 2 : 1;
}

void Properties::addText(const QString& label, const QString& value)
{
    auto* words = new QLabel(value, this);
    words->setWordWrap(true);
    words->setProperty("class", "faint");
    addField(label, words, true);
}

void Properties::addName(const std::string& name, std::function<void(const std::string&)> apply)
{
    auto* edit = new QLineEdit(text(name), this);
    edit->setObjectName("propertyName");
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, name, apply] {
        const std::string typed = edit->text().trimmed().toStdString();
        if (typed == name) return;
        apply(typed);
        edit->setText(text(name));  // shown anew from the cell if the edit was taken
    });
    addField("Name", edit, true);
}

void Properties::addNumber(const QString& label, const QString& name, double value, const QString& unit, double low,
                           double high, int decimals, std::function<void(double)> apply, bool wide)
{
    const Quantity quantity = unit == "mm" ? Quantity::Length : unit == "°" ? Quantity::Angle : Quantity::Number;
    auto* field = new NumberField(this, quantity,
                                  quantity == Quantity::Length  ? kMillimetre
                                  : quantity == Quantity::Angle ? kDegree
                                                                : 1);
    field->setObjectName(name);
    field->setRange(low, high);
    field->setDecimals(decimals);
    field->setSuffix(unit.isEmpty() ? "" : " " + unit);
    field->setValue(value);
    field->setToolTip(QString("%1 to %2 %3").arg(low).arg(high).arg(unit));
    const double shown = field->value();
    connect(field, &QDoubleSpinBox::valueChanged, this, [shown, apply](double now) {
        if (now != shown) apply(now);
    });
    connect(field, &NumberField::typing, this, [this, apply](std::optional<double> typed) { showTyped(typed, apply); });
    field->setMinimumWidth(60);
    addField(label, field, wide);
}

void Properties::addNumber(const QString& label, const QString& name, double value, const QString& unit,
                           const Limit& limit, double unitSize, int decimals, std::function<void(double)> apply,
                           bool wide)
{
    addNumber(label, name, value, unit, limit.least / unitSize, limit.most / unitSize, decimals, std::move(apply),
              wide);
}

void Properties::addPose(const Pose& pose, std::function<void(const Pose&)> apply, const QString& prefix)
{
    auto* box = new QWidget(this);
    auto* grid = new QGridLayout(box);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(3);
    const AngleOrder order = m_session.cell().angles;
    const Vec3 angles = anglesOf(order, pose.matrix());
    const auto turns = angleNames(order);
    const QString names[] = {"X", "Y", "Z", turns[0], turns[1], turns[2]};
    for (int i = 0; i < 6; ++i) {
        auto* label = new QLabel(names[i], box);
        label->setProperty("class", "faint");
        const DisplayUnit& unit = i < 3 ? lengthUnit() : angleUnit();
        auto* field = new NumberField(box, i < 3 ? Quantity::Length : Quantity::Angle, unit.size);
        field->setObjectName(prefix + QString::number(i));
        field->setRange(i < 3 ? limits::kOffset.least / kMillimetre : -360,
                        i < 3 ? limits::kOffset.most / kMillimetre : 360);
        field->setDecimals(unit.decimals);
        field->setValue((i < 3 ? pose.translation[i] : angles[i - 3]) / unit.size);
        field->setToolTip(
            i < 3 ? QString("%1 [%2]. Sums and other units may be typed: 1200-45/2, 12 in").arg(names[i], unit.symbol)
                  : QString("Angle %1 of %2 [%3]; View > Angles chooses the convention")
                        .arg(names[i], angleOrderText(order), unit.symbol));
        field->setSuffix(i < 3 || unit.size == 1 ? QString(" ") + unit.symbol : QString(unit.symbol));
        field->setMinimumWidth(70);
        const double shown = field->value();
        const auto take = [=](double now) {
            Pose next = pose;
            if (i < 3) {
                next.translation[i] = now * unit.size;
            } else {
                Vec3 a = angles;
                a[i - 3] = now * unit.size;
                next.rotation = rotationFrom(order, a);
            }
            apply(next);
        };
        connect(field, &QDoubleSpinBox::valueChanged, this, [=](double now) {
            if (now != shown) take(now);
        });
        connect(field, &NumberField::typing, this,
                [this, take](std::optional<double> value) { showTyped(value, take); });
        grid->addWidget(label, i % 3, (i / 3) * 2);
        grid->addWidget(field, i % 3, (i / 3) * 2 + 1);
    }
    addField("", box, true);
}

void Properties::addButtons(const std::vector<Button>& buttons)
{
    // In as many rows as the panel's width asks for.
    constexpr int room = 226;
    auto* box = new QWidget(this);
    auto* rows = new QVBoxLayout(box);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(3);
    QHBoxLayout* row = nullptr;
    int used = room;
    for (const Button& button : buttons) {
        const int wide = QFontMetrics(textFont(11)).horizontalAdvance(button.words) + 18;
        if (used + wide > room) {
            if (row) row->addStretch();
            row = new QHBoxLayout;
            row->setSpacing(3);
            rows->addLayout(row);
            used = 0;
        }
        used += wide + 3;
        QPushButton* b = addButton(row, box, button.name, button.words, button.tip, button.run);
        b->setFont(textFont(11));
        b->setStyleSheet("padding: 2px 6px; font-size: 11px;");
    }
    if (row) row->addStretch();
    addField("", box, true);
}

void Properties::addHead(const QString& words)
{
    auto* head = new QLabel(words, this);
    head->setFont(textFont(11, QFont::DemiBold));
    addField("", head, true);
}

void Properties::addChoice(const QString& label, const QString& name, const QStringList& words, int current,
                           std::function<void(int)> apply)
{
    auto* choice = new QComboBox(this);
    choice->setObjectName(name);
    choice->addItems(words);
    choice->setCurrentIndex(current);
    choice->setFocusPolicy(Qt::StrongFocus);
    choice->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    choice->setMinimumContentsLength(8);
    connect(choice, &QComboBox::activated, this, [current, apply](int now) {
        if (now != current) apply(now);
    });
    addField(label, choice, true);
}

void Properties::showStep(const Step& step)
{
    const RoutineId routine = m_session.routine().id;
    const size_t row = m_session.routine().steps.placeOf(step.id).value_or(0) + 1;
    const std::function<void(const Step&)> change = [this, routine, row](const Step& next) {
        edit(QString("Change step %1").arg(row), [=](const Cell& cell) { return changeStep(cell, routine, next); });
    };
    m_title->setText(QString("Step %1").arg(row));
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
    addStepDetails(step, change);
    auto* off = new QCheckBox("left out", this);
    off->setToolTip("The step stays in the routine but is not run");
    off->setChecked(step.off);
    connect(off, &QCheckBox::toggled, this, [=](bool on) {
        Step next = step;
        next.off = on;
        change(next);
    });
    addField("", off, false);
}

void Properties::showTarget(const Target& target)
{
    const TargetId id = target.id;
    m_title->setText(target.kind == Target::Kind::Pose ? "Target (pose)" : "Target (posture)");
    addName(target.name, [=, this](const std::string& name) {
        edit("Rename target", [=](const Cell& cell) { return renameTarget(cell, id, name); });
    });
    if (target.kind == Target::Kind::Pose) {
        addText("Frame", text(frameName(m_session.cell(), target.frame)));
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
    addTargetAxes(target);
}

void Properties::showThresholds()
{
    m_title->setText("Checks: caution and stop at");
    const Thresholds t = m_session.cell().thresholds;
    const auto row = [&](const QString& label, const QString& name, double Thresholds::*value, double unit,
                         const QString& symbol) {
        const Limit& limit = value == &Thresholds::jointMargin   ? limits::kJointMargin
                             : value == &Thresholds::slideMargin ? limits::kSlideMargin
                             : unit == kDegree                   ? limits::kWristAngle
                             : unit == 1                         ? limits::kSingularValue
                                                                 : limits::kSingularLength;
        addNumber(label, name, t.*value / unit, symbol, limit, unit, unit == 1 ? 3 : 1, [=, this](double v) {
            Thresholds next = t;
            next.*value = v * unit;
            edit("Change threshold", [=](const Cell& cell) { return setThresholds(cell, next); });
        });
    };
    const auto& joints = m_session.arm().joints();
    const bool slides =
        std::any_of(joints.begin(), joints.end(), [](const Joint& j) { return j.kind == JointKind::Prismatic; });
    if (slides) row("Slides", "slideMargin", &Thresholds::slideMargin, kMillimetre, "mm");
    if (!m_session.arm().hasBranches()) {
        row("Direction", "directionCaution", &Thresholds::directionCaution, 1, "");
        row("stop", "directionBlocked", &Thresholds::directionBlocked, 1, "");
        row("Joints", "jointMargin", &Thresholds::jointMargin, kDegree, "°");
        return;
    }
    row("Wrist", "wristCaution", &Thresholds::wristCaution, kDegree, "°");
    row("stop", "wristBlocked", &Thresholds::wristBlocked, kDegree, "°");
    row("Elbow", "elbowCaution", &Thresholds::elbowCaution, kMillimetre, "mm");
    row("stop", "elbowBlocked", &Thresholds::elbowBlocked, kMillimetre, "mm");
    row("Shoulder", "shoulderCaution", &Thresholds::shoulderCaution, kMillimetre, "mm");
    row("stop", "shoulderBlocked", &Thresholds::shoulderBlocked, kMillimetre, "mm");
    row("Joints", "jointMargin", &Thresholds::jointMargin, kDegree, "°");
}

}  // namespace topikos
