#include "app/properties/page.h"

#include "app/properties/button_box.h"
#include "app/fields/fields.h"
#include "app/fields/number_field.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/devices.h"
#include "core/spatial/rotation.h"

#include <QApplication>
#include <QSettings>
#include <QVBoxLayout>

#include <utility>

namespace topikos {

double unitOf(JointKind kind) { return kind == JointKind::Revolute ? kDegree : kMillimetre; }
QString symbolOf(JointKind kind) { return kind == JointKind::Revolute ? "°" : "mm"; }

Page::Page(Session& session, const QString& kind, QWidget* parent) : QWidget(parent), m_session(session), m_kind(kind)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    m_title = new QLabel(this);
    m_title->setObjectName("pageTitle");
    m_title->setFont(textFont(12, QFont::DemiBold));
    column->addWidget(m_title);
    m_grid = new QGridLayout;
    m_grid->setContentsMargins(0, 0, 0, 0);
    m_grid->setHorizontalSpacing(6);
    m_grid->setVerticalSpacing(3);
    m_grid->setColumnStretch(1, 1);
    m_grid->setColumnStretch(3, 1);
    column->addLayout(m_grid);
    for (const QString& group : QSettings().value("folded/" + kind).toStringList())
        m_folded.insert(group);
}

void Page::refresh()
{
    m_before = std::exchange(m_rows, {});
    m_order.clear();
    m_named.clear();
    m_group.clear();
    m_cell = 0;
    fill();
    const QWidget* focus = QApplication::focusWidget();
    const bool lost = std::any_of(m_before.begin(), m_before.end(), [focus](const auto& known) {
        return focus && (known.second.field == focus || known.second.field->isAncestorOf(focus));
    });
    const QString name = lost ? focus->objectName() : QString();
    for (const auto& [key, row] : m_before)
        drop(row);
    m_before.clear();
    // Fields have to be in sight to get the keys, and the next key may come at once.
    layout()->activate();
    orderTabs();
    if (!lost) return;
    // The keys stay on the page: with what has the name of the field that went, or with its first field.
    if (auto* again = findChild<QWidget*>(name)) again->setFocus(Qt::TabFocusReason);
    else focusFirst();
}

void Page::focusFirst()
{
    for (const QString& key : m_order)
        if (QWidget* first = m_rows.at(key).field; first->isVisible() && (first->focusPolicy() & Qt::TabFocus))
            return first->setFocus(Qt::TabFocusReason);
}

void Page::edit(const QString& label, const Edit& change)
{
    if (m_trying) m_session.preview(change);
    else if (!m_session.edit(label, change)) Q_EMIT refused();
}

void Page::showTyped(NumberField* field, std::optional<double> value)
{
    m_session.endPreview();
    if (!value) return;
    m_trying = true;
    field->apply(*value);
    m_trying = false;
}

void Page::drop(const Row& row)
{
    for (QWidget* widget : {row.field, static_cast<QWidget*>(row.label)}) {
        if (!widget) continue;
        m_grid->removeWidget(widget);
        widget->hide();
        widget->deleteLater();
        // What is on its way out must not be found in place of what comes.
        widget->setObjectName({});
        for (QWidget* inner : widget->findChildren<QWidget*>())
            inner->setObjectName({});
    }
}

template <class Field>
Field* Page::field(const QString& label, const QString& name, bool wide, const std::function<Field*()>& make,
                   const QString& also)
{
    QString key = (name.isEmpty() ? "label " + label : name) + also;
    if (const int again = m_named[key]++) key += QString(" %1").arg(again);
    Row row;
    if (const auto known = m_before.find(key); known != m_before.end()) {
        if (dynamic_cast<Field*>(known->second.field)) row = known->second;
        else drop(known->second);
        m_before.erase(known);
    }
    if (!row.field) {
        row.field = make();
        row.field->setObjectName(name.isEmpty() ? key : name);
    }
    auto* out = static_cast<Field*>(row.field);
    place(row, label, wide);
    m_order.push_back(key);
    m_rows[key] = row;
    return out;
}

void Page::place(Row& row, const QString& label, bool wide)
{
    if (wide && m_cell % 2) ++m_cell;
    if (!label.isEmpty() && !row.label) {
        row.label = new QLabel(this);
        row.cell = -1;
    }
    if (row.label && row.label->text() != label) row.label->setText(label);
    if (row.cell != m_cell || row.wide != wide) {
        const int at = m_cell / 2, column = 2 * (m_cell % 2), bare = label.isEmpty() ? 0 : 1;
        // A widget that is put in again leaves the place that it had.
        if (row.label) m_grid->addWidget(row.label, at, column);
        m_grid->addWidget(row.field, at, column + bare, 1, (wide ? 4 : 2) - bare);
        row.cell = m_cell;
        row.wide = wide;
    }
    m_cell += wide ? 2 : 1;
    const bool shown = !m_folded.contains(m_group);
    for (QWidget* widget : {row.field, static_cast<QWidget*>(row.label)})
        if (widget) widget->setVisible(shown);
    if (row.field->accessibleName().isEmpty()) row.field->setAccessibleName(label);
    if (row.label) row.label->setBuddy(row.field);
}

void Page::orderTabs()
{
    QWidget* last = nullptr;
    for (const QString& key : m_order) {
        QWidget* field = m_rows.at(key).field;
        std::vector<QWidget*> stops{field};
        if (!(field->focusPolicy() & Qt::TabFocus))  // a box of several
            for (QWidget* inner : field->findChildren<QWidget*>())
                if (!qobject_cast<NumberField*>(inner->parentWidget())) stops.push_back(inner);
        for (QWidget* stop : stops) {
            if (!(stop->focusPolicy() & Qt::TabFocus)) continue;
            if (last) setTabOrder(last, stop);
            last = stop;
        }
    }
}

void Page::addText(const QString& label, const QString& value)
{
    auto* words = field<QLabel>(label, {}, true, [this] {
        auto* made = new QLabel(this);
        made->setWordWrap(true);
        made->setProperty("class", "faint");
        return made;
    });
    words->setText(value);
}

void Page::addLine(const QString& label, const QString& name, const QString& words, const QString& tip,
                   std::function<bool(const QString&)> apply, const QString& whenEmpty)
{
    auto* line = field<WordsField>(label, name, true, [this] { return new WordsField(this); });
    line->setToolTip(tip);
    line->setPlaceholderText(whenEmpty);
    line->show(words, std::move(apply));
}

void Page::addName(const std::string& name, std::function<void(const std::string&)> apply)
{
    addLine("Name", "propertyName", text(name), "", [apply = std::move(apply)](const QString& typed) {
        apply(typed.toStdString());
        return false;  // shown anew from the cell when it was taken
    });
}

NumberField* Page::newNumber(QWidget* parent, const QString& name, Quantity quantity, double unit)
{
    auto* made = new NumberField(parent, quantity, unit);
    made->setObjectName(name);
    connect(made, &NumberField::typing, this, [this, made](std::optional<double> typed) { showTyped(made, typed); });
    return made;
}

void Page::addNumber(const QString& label, const QString& name, double value, const QString& unit, double low,
                     double high, int decimals, std::function<void(double)> apply, bool wide)
{
    const Quantity quantity = unit == "mm"     ? Quantity::Length
                              : unit == "°"    ? Quantity::Angle
                              : unit == "mm/s" ? Quantity::Speed
                              : unit == "°/s"  ? Quantity::TurnSpeed
                                               : Quantity::Number;
    const double size = unit.startsWith("mm") ? kMillimetre : unit.startsWith("°") ? kDegree : 1;
    // Another quantity is another field.
    auto* number = field<NumberField>(
        label, name, wide,
        [&] {
            auto* made = newNumber(this, name, quantity, size);
            made->setMinimumWidth(60);
            return made;
        },
        " " + unit);
    number->limit(low, high, decimals, unit.isEmpty() ? "" : " " + unit);
    number->setToolTip(number->rangeText());
    number->show(value, std::move(apply));
}

void Page::addNumber(const QString& label, const QString& name, double value, const QString& unit, const Limit& limit,
                     double unitSize, int decimals, std::function<void(double)> apply, bool wide)
{
    addNumber(label, name, value, unit, limit.least / unitSize, limit.most / unitSize, decimals, std::move(apply),
              wide);
}

void Page::addPose(const Pose& pose, std::function<void(const Pose&)> apply, const QString& prefix)
{
    // In another unit or convention the fields are other ones.
    const AngleOrder order = m_session.cell().angles;
    const QString name = QString("%1 in %2 %3 %4").arg(prefix, lengthUnit().symbol, angleUnit().symbol).arg(int(order));
    const Vec3 angles = anglesOf(order, pose.matrix());
    auto* box = field<QWidget>("", name, true, [&] {
        auto* made = new QWidget(this);
        auto* grid = new QGridLayout(made);
        grid->setContentsMargins(0, 0, 0, 0);
        grid->setSpacing(3);
        grid->setHorizontalSpacing(6);
        grid->setColumnStretch(1, 1);
        grid->setColumnStretch(3, 1);
        const auto turns = angleNames(order);
        const QString names[] = {"X", "Y", "Z", turns[0], turns[1], turns[2]};
        for (int i = 0; i < 6; ++i) {
            auto* label = new QLabel(names[i], made);
            label->setProperty("class", "faint");
            const DisplayUnit& unit = i < 3 ? lengthUnit() : angleUnit();
            auto* number =
                newNumber(made, prefix + QString::number(i), i < 3 ? Quantity::Length : Quantity::Angle, unit.size);
            const Limit& limit = i < 3 ? limits::kOffset : limits::kTypedAngle;
            number->limit(limit.least / unit.size, limit.most / unit.size, unit.decimals,
                          i < 3 || unit.size == 1 ? QString(" ") + unit.symbol : QString(unit.symbol));
            number->setToolTip(
                i < 3
                    ? QString("%1 [%2]. Sums and other units may be typed: 1200-45/2, 12 in").arg(names[i], unit.symbol)
                    : QString("Angle %1 of %2 [%3]; View > Angles chooses the convention")
                          .arg(names[i], angleOrderText(order), unit.symbol));
            number->setMinimumWidth(70);
            number->setAccessibleName(names[i]);
            label->setBuddy(number);
            grid->addWidget(label, i % 3, (i / 3) * 2);
            grid->addWidget(number, i % 3, (i / 3) * 2 + 1);
        }
        return made;
    });
    for (int i = 0; i < 6; ++i) {
        const DisplayUnit& unit = i < 3 ? lengthUnit() : angleUnit();
        box->findChild<NumberField*>(prefix + QString::number(i))
            ->show((i < 3 ? pose.translation[i] : angles[i - 3]) / unit.size, [=](double now) {
                Pose next = pose;
                if (i < 3) {
                    next.translation[i] = now * unit.size;
                } else {
                    Vec3 a = angles;
                    a[i - 3] = now * unit.size;
                    next.rotation = rotationFrom(order, a);
                }
                apply(next);
            });
    }
}

void Page::addButtons(const std::vector<Button>& buttons)
{
    QString key = "buttons";
    std::vector<std::function<void()>> runs;
    for (const Button& button : buttons) {
        key += " " + button.name + " " + button.words;
        runs.push_back(button.run);
    }
    auto* box = field<ButtonBox>("", key, true, [&] {
        auto* made = new ButtonBox(this);
        for (size_t i = 0; i < buttons.size(); ++i) {
            auto* b = new QPushButton(buttons[i].words, made);
            b->setObjectName(buttons[i].name);
            b->setToolTip(buttons[i].tip);
            b->setStyleSheet("padding: 2px 6px; font-size: 11px;");
            connect(b, &QPushButton::clicked, made, [made, i] { made->run(i); });
            made->add(b);
        }
        return made;
    });
    box->setRuns(std::move(runs));
}

void Page::addHead(const QString& words, const QString& group)
{
    const QString name = group.isEmpty() ? words : group;
    m_group.clear();  // a head is always seen
    auto* head = field<QPushButton>("", "head " + name, true, [&] {
        auto* made = new QPushButton(this);
        made->setProperty("role", "fold");
        made->setToolTip("Folds or shows what is below");
        connect(made, &QPushButton::clicked, this, [this, name] { fold(name, !m_folded.contains(name)); });
        return made;
    });
    head->setText((m_folded.contains(name) ? QString("▸ ") : QString("▾ ")) + words);
    m_group = name;
}

void Page::fold(const QString& group, bool folded)
{
    if (folded) m_folded.insert(group);
    else m_folded.erase(group);
    QSettings().setValue("folded/" + m_kind, QStringList(m_folded.begin(), m_folded.end()));
    refresh();
}

void Page::addChoice(const QString& label, const QString& name, const QStringList& words, int current,
                     std::function<void(int)> apply)
{
    auto* choice = field<ChoiceField>(label, name, true, [this] { return new ChoiceField(this); });
    choice->show(words, current, std::move(apply));
}

void Page::addLongChoice(const QString& label, const QString& name, const QString& now,
                         std::function<ChoiceField::Offer()> offer, std::function<void(int)> apply)
{
    auto* choice = field<ChoiceField>(label, name, true, [this] { return new ChoiceField(this); });
    choice->showLater(now, std::move(offer), std::move(apply));
}

void Page::addCheck(const QString& words, const QString& name, const QString& tip, bool on,
                    std::function<void(bool)> apply)
{
    auto* check = field<CheckField>("", name, true, [this] { return new CheckField(this); });
    check->setToolTip(tip);
    check->show(words, on, std::move(apply));
}

namespace {

const QStringList kDirections{"X", "Y", "Z", "back along X", "back along Y", "back along Z"};

int directionIndex(const Vec3& direction)
{
    for (int i = 0; i < 6; ++i)
        if ((direction - (i < 3 ? 1 : -1) * Vec3::Unit(i % 3)).norm() < 1e-6) return i;
    return -1;
}

}  // namespace

void Page::addAxis(const Frame& frame)
{
    const FrameId id = frame.id;
    const FrameAxis axis = *frame.axis;
    const double unit = unitOf(axis.kind);
    const QString symbol = symbolOf(axis.kind), name = text(frame.name), prefix = QString("axis%1").arg(id.value);
    const auto change = [=, this](const QString& label, auto set) {
        FrameAxis next = axis;
        set(next);
        edit(label, [=](const Cell& c) { return changeAxis(c, id, next); });
    };
    const auto value = [&](const QString& label, const QString& what, double FrameAxis::*which, double low, double high,
                           const QString& per = {}) {
        addNumber(
            label, prefix + what, axis.*which / unit, symbol + per, low, high, 2,
            [=](double v) { change(label + " of " + name, [&](FrameAxis& a) { a.*which = v * unit; }); }, true);
    };
    addHead(QString("Axis: %1").arg(name));
    const double low = axis.lowest / unit, high = axis.highest / unit;
    addNumber(
        "Now", prefix + "Now", axisValue(frame, m_session.shownAxes()) / unit, symbol, low, high, 2,
        [=, this](double v) {
            if (!trying()) m_session.setAxis(id, v * unit);
        },
        true);
    value("At start", "Start", &FrameAxis::value, low, high);
    const auto within = [&](const QString& label, const QString& what, double FrameAxis::*which, const Limit& limit,
                            const QString& per = {}) {
        value(label, what, which, limit.least / unit, limit.most / unit, per);
    };
    within("From", "Low", &FrameAxis::lowest, limits::kJointTravel);
    within("To", "High", &FrameAxis::highest, limits::kJointTravel);
    within("Speed", "Speed", &FrameAxis::speed, limits::kJointSpeed, "/s");
    within("Ramp", "Ramp", &FrameAxis::acceleration, limits::kJointAcceleration, "/s²");
    addChoice(axis.kind == JointKind::Revolute ? "About" : "Along", prefix + "Direction", kDirections,
              directionIndex(axis.direction), [=](int i) {
                  change("Direction of " + name,
                         [&](FrameAxis& a) { a.direction = (i < 3 ? 1 : -1) * Vec3::Unit(i % 3); });
              });
}

void Page::showAxesNow()
{
    const AxisValues axes = m_session.shownAxes();
    for (const Frame& frame : m_session.cell().frames)
        if (frame.axis)
            if (auto* field = findChild<NumberField*>(QString("axis%1Now").arg(frame.id.value))) {
                const QSignalBlocker block(field);
                field->setValue(axisValue(frame, axes) / unitOf(frame.axis->kind));
            }
}

}  // namespace topikos
