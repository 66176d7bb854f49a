#include "app/instruments/travel_bars.h"

#include "app/instruments/bar_paint.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/robot/singularity.h"
#include "core/cell/devices.h"
#include "core/spatial/number_text.h"

#include <QApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <cmath>

namespace topikos {

namespace {

constexpr int kAxisRow = 34;  // of a device axis, with its name
constexpr int kRow = kBarRow, kLabel = 26, kUsualValue = 68;
constexpr int kKindLabel = 70;

}  // namespace

TravelBars::TravelBars(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("travelBars");
    setAccessibleName("Joint travel: Up and Down choose a joint, Left and Right jog it");
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    setFocusPolicy(Qt::StrongFocus);
    setToolTip("Drag a marker to jog the joint or device axis; double-click a value to type it (F2). "
               "With Shift the tool stays where it is while a device axis moves");
    for (const auto signal : {&Session::postureChanged, &Session::jogChanged})
        connect(&session, signal, this, qOverload<>(&QWidget::update));
    connect(&session, &Session::cellChanged, this, &TravelBars::refresh);
    refresh();
}

void TravelBars::refresh()
{
    m_axes.clear();
    for (const FrameId device : movableDevices(m_session.cell()))
        for (const FrameId axis : axesOf(m_session.cell(), device))
            m_axes.push_back(axis);
    m_dragged = -1;
    updateGeometry();  // another arm may have other joints
    update();
}

QSize TravelBars::sizeHint() const
{
    return {220, m_session.arm().jointCount() * kRow + int(m_axes.size()) * kAxisRow};
}

TravelBars::Row TravelBars::row(int index) const
{
    const int joints = m_session.arm().jointCount();
    if (index < joints)
        return {m_session.arm().description().joints[size_t(index)],
                m_session.shownPosture()[index]};  // its own range, also while it is locked
    const Frame& frame = *findFrame(m_session.cell(), m_axes[size_t(index - joints)]);
    Joint joint;
    joint.name = frame.name;
    joint.kind = frame.axis->kind;
    joint.lower = frame.axis->lowest;
    joint.upper = frame.axis->highest;
    return {joint, axisValue(frame, m_session.shownAxes()), frame.id};
}

void TravelBars::set(int index, double value)
{
    if (const FrameId axis = row(index).axis) {
        // With Shift the tool stays where it is in the world.
        if (QApplication::keyboardModifiers() & Qt::ShiftModifier) m_session.setAxisAround(axis, value);
        else m_session.setAxis(axis, value);
        return;
    }
    JointVector q = m_session.shownPosture();
    q[index] = value;
    m_session.driveTo(q);
}

QRectF TravelBars::bar(int index) const
{
    const int joints = m_session.arm().jointCount();
    // The name of a device axis stands above its bar.
    const int top = index < joints ? index * kRow : joints * kRow + (index - joints) * kAxisRow + kAxisRow - kRow;
    return {double(kLabel), top + (kRow - kBar) / 2.0, double(width() - kLabel - barValue(kUsualValue)), double(kBar)};
}

int TravelBars::rowAt(double y) const
{
    const int joints = m_session.arm().jointCount();
    const int index = y < joints * kRow ? int(y / kRow) : joints + int((y - joints * kRow) / kAxisRow);
    return y >= 0 && index < rows() ? index : -1;
}

QPointF TravelBars::markerAt(int index, double q) const
{
    const Joint j = row(index).joint;
    const QRectF b = bar(index);
    return {b.left() + (q - j.lower) / std::max(1e-9, j.upper - j.lower) * b.width(), b.center().y()};
}

void TravelBars::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    for (int i = 0; i < rows(); ++i) {
        const Row row = this->row(i);
        const Joint& j = row.joint;
        const QRectF b = bar(i);
        const double top = b.center().y() - kRow / 2.0, range = std::max(1e-9, j.upper - j.lower);
        const double margin = row.axis ? 0 : m_session.cell().thresholds.margin(j.kind),
                     rest = std::min(row.value - j.lower, j.upper - row.value);
        QColor color = theme().ink;
        if (row.axis) {
            p.setFont(textFont(11));
            p.setPen(theme().faint);
            p.drawText(QRectF(0, top - (kAxisRow - kRow), width(), kAxisRow - kRow + 2),
                       Qt::AlignVCenter | Qt::AlignLeft,
                       QFontMetrics(p.font()).elidedText(text(j.name), Qt::ElideRight, width()));
            drawGlyph(p, QRectF(2, top + 3, 13, 13), "axis", theme().faint);
            paintZones(p, b, {});
        } else {
            const bool chosen = m_session.jogSpace() == JogSpace::Joint && m_session.jogJointIndex() == i;
            p.setFont(textFont(12, chosen ? QFont::Bold : QFont::Normal));
            p.setPen(chosen ? theme().accent : theme().faint);
            p.drawText(QRectF(0, top, kLabel - 8, kRow), Qt::AlignVCenter | Qt::AlignLeft, QString::number(i + 1));
            // A margin of a few degrees on a long range would hardly be seen; zones are at least 3 % wide.
            const double zone = std::max(0.03, margin / range);
            paintZones(p, b, {{0, zone, theme().caution}, {1 - zone, 1, theme().caution}});
            color = j.locked        ? theme().faint
                    : rest < 1e-6   ? theme().blocked
                    : rest < margin ? theme().caution
                                    : theme().ink;
        }
        paintMarker(p, b, std::clamp((row.value - j.lower) / range, 0.0, 1.0), color);
        p.setFont(figureFont(12));
        p.setPen(color);
        p.drawText(QRectF(width() - barValue(kUsualValue), top, barValue(kUsualValue), kRow),
                   Qt::AlignVCenter | Qt::AlignRight, jointText(j, row.value));
        if (j.locked) drawGlyph(p, QRectF(kLabel - 14, top + 3, 12, 12), "lock", theme().faint);
    }
    if (hasFocus()) {
        p.setPen(QPen(theme().accent, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    }
}

void TravelBars::dragTo(double x)
{
    const Joint j = row(m_dragged).joint;
    const QRectF b = bar(m_dragged);
    set(m_dragged, j.lower + std::clamp((x - b.left()) / b.width(), 0.0, 1.0) * (j.upper - j.lower));
}

void TravelBars::mousePressEvent(QMouseEvent* event)
{
    const int index = rowAt(event->position().y());
    if (index < 0 || event->button() != Qt::LeftButton || event->position().x() > width() - barValue(kUsualValue))
        return;
    if (!row(index).axis) m_session.setJogJointIndex(index);
    m_dragged = index;
    setFocus();
    m_before = {m_session.shownPosture(), m_session.shownAxes()};
    dragTo(event->position().x());
}

void TravelBars::mouseMoveEvent(QMouseEvent* event)
{
    if (m_dragged >= 0) dragTo(event->position().x());
}

void TravelBars::mouseReleaseEvent(QMouseEvent*) { m_dragged = -1; }

void TravelBars::mouseDoubleClickEvent(QMouseEvent* event)
{
    const int index = rowAt(event->position().y());
    if (index >= 0 && event->position().x() > width() - barValue(kUsualValue)) typeValue(index);
}

void TravelBars::typeValue(int index)
{
    const Row before = row(index);
    auto* edit = new QLineEdit(this);
    edit->setObjectName("jointValue");
    edit->setFont(figureFont(12));
    edit->setAlignment(Qt::AlignRight);
    const bool turns = before.joint.kind == JointKind::Revolute;
    edit->setText(turns ? turnFigure(before.value, 2) : placeFigure(before.value, 1));
    edit->setGeometry(width() - barValue(kUsualValue), int(bar(index).center().y()) - kRow / 2, barValue(kUsualValue),
                      kRow);
    edit->selectAll();
    edit->show();
    edit->setFocus();
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, index] {
        if (edit->property("done").toBool()) return;
        edit->setProperty("done", true);
        edit->deleteLater();
        if (index >= rows()) return;
        const Row now = row(index);
        const bool held = !now.axis && now.joint.locked;
        const Joint& axis = held ? m_session.arm().joints()[size_t(index)] : now.joint;
        const bool angle = axis.kind == JointKind::Revolute;
        const std::optional<double> number =
            quantityOf(edit->text().toStdString(), angle ? Quantity::Angle : Quantity::Length,
                       (angle ? angleUnit() : lengthUnit()).size);
        const double value = number.value_or(0);
        if (!number) return m_session.say("Type the joint value as a number.", true);
        if (!edit->isModified()) return;
        const QString whose = now.axis ? text(axis.name) : QString("Joint %1").arg(index + 1);
        if (value < axis.lower - kRangeTolerance || value > axis.upper + kRangeTolerance)
            return m_session.say(
                QString("%1 goes from %2 to %3.").arg(whose, jointText(axis, axis.lower), jointText(axis, axis.upper)),
                true);
        set(index, value);
    });
}

void TravelBars::keyPressEvent(QKeyEvent* event)
{
    const int joint = m_session.jogJointIndex();
    switch (event->key()) {
    case Qt::Key_Up: m_session.setJogJointIndex(joint - 1); break;
    case Qt::Key_Down: m_session.setJogJointIndex(joint + 1); break;
    case Qt::Key_Left: m_session.jogJoint(joint, -1); break;
    case Qt::Key_Right: m_session.jogJoint(joint, 1); break;
    case Qt::Key_F2: typeValue(joint); break;
    case Qt::Key_Escape:
        // A drag ends where it began.
        if (std::exchange(m_dragged, -1) < 0) return QWidget::keyPressEvent(event);
        m_session.stand(m_before.first, m_before.second);
        break;
    default: QWidget::keyPressEvent(event);
    }
}

SingularityBars::SingularityBars(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("singularityBars");
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    for (const auto signal : {&Session::postureChanged, &Session::cellChanged})
        connect(&session, signal, this, qOverload<>(&QWidget::update));
}

QSize SingularityBars::sizeHint() const { return {220, 3 * kRow}; }

void SingularityBars::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const JointVector posture = m_session.shownPosture();
    const SingularityMargins margins = singularityMargins(m_session.arm(), posture);
    const Thresholds& t = m_session.cell().thresholds;
    if (!m_session.arm().hasBranches()) {
        // One bar for the smallest singular value, and in words what is lost.
        const double value = margins.direction, whole = 0.3;
        const QRectF b(kKindLabel, (kRow - kBar) / 2.0, width() - kKindLabel - barValue(), kBar);
        p.setFont(textFont(12));
        p.setPen(theme().ink);
        p.drawText(QRectF(0, 0, kKindLabel, kRow), Qt::AlignVCenter, "Direction");
        paintZones(p, b,
                   {{0, t.directionCaution / whole, theme().caution},
                    {0, std::max(0.02, t.directionBlocked / whole), theme().blocked}});
        const QColor color = value < t.directionBlocked   ? theme().blocked
                             : value < t.directionCaution ? theme().caution
                                                          : theme().ink;
        paintMarker(p, b, std::min(1.0, value / whole), color);
        p.setFont(figureFont(12));
        p.setPen(color);
        p.drawText(QRectF(width() - barValue(), 0, barValue(), kRow), Qt::AlignVCenter | Qt::AlignRight,
                   QString::number(value, 'f', 3));
        p.setFont(textFont(11));
        p.setPen(theme().faint);
        const QString words =
            text(lostDirectionText(m_session.arm(), posture, flangeFromTcp(m_session.cell(), m_session.station())));
        p.drawText(QRectF(0, kRow, width(), 2 * kRow), Qt::AlignTop | Qt::TextWordWrap, "Least able to " + words + ".");
        return;
    }
    static const char* names[] = {"Wrist", "Elbow", "Shoulder"};
    for (int i = 0; i < 3; ++i) {
        const SingularityKind kind = kSingularityKinds[size_t(i)];
        const bool angle = kind == SingularityKind::Wrist;
        const double whole = angle ? 90 * kDegree : 0.5 * m_session.arm().reach();
        const double value = margins.distance(kind), caution = t.cautions().of(kind), blocked = t.blocks().of(kind);
        const QRectF b(kKindLabel, i * kRow + (kRow - kBar) / 2.0, width() - kKindLabel - barValue(), kBar);
        p.setFont(textFont(12));
        p.setPen(theme().ink);
        p.drawText(QRectF(0, i * kRow, kKindLabel, kRow), Qt::AlignVCenter, names[i]);
        paintZones(p, b,
                   {{0, caution / whole, theme().caution}, {0, std::max(0.02, blocked / whole), theme().blocked}});
        const QColor color = value < blocked ? theme().blocked : value < caution ? theme().caution : theme().ink;
        paintMarker(p, b, std::min(1.0, value / whole), color);
        p.setFont(figureFont(12));
        p.setPen(color);
        p.drawText(QRectF(width() - barValue(), i * kRow, barValue(), kRow), Qt::AlignVCenter | Qt::AlignRight,
                   angle ? degreeText(value) : lengthText(value, 0));
    }
}

bool SingularityBars::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        static const char* tips[] = {
            "Angle between axes 4 and 6. At 0 they line up and the wrist loses a direction.",
            "Distance of the wrist from the plane of axes 2 and 3. At 0 the arm is stretched or folded.",
            "Distance of the wrist from the plane through axis 1. At 0 it stands over axis 1."};
        auto* help = static_cast<QHelpEvent*>(event);
        if (!m_session.arm().hasBranches()) {
            QToolTip::showText(help->globalPos(),
                               "Smallest singular value of the Jacobian, lengths divided by the reach. At 0 the arm "
                               "loses a direction.",
                               this);
            return true;
        }
        QToolTip::showText(help->globalPos(), tips[std::clamp(help->pos().y() / kRow, 0, 2)], this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace topikos
