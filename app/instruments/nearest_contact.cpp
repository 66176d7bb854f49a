#include "app/instruments/nearest_contact.h"

#include "app/instruments/bar_paint.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/collide/checked_pairs.h"
#include "core/collide/world.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>

namespace topikos {

namespace {

constexpr double kWhole = 0.1;  // of the bar [m]

}  // namespace

NearestContact::NearestContact(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("nearestContact");
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    for (const auto signal : {&Session::postureChanged, &Session::cellChanged, &Session::previewChanged,
                              &Session::checkedChanged, &Session::runChanged, &Session::traceChanged})
        connect(&session, signal, this, qOverload<>(&QWidget::update));
}

QSize NearestContact::sizeHint() const { return {220, 2 * kBarRow}; }

NearestContact::Shown NearestContact::shown() const
{
    // Bodies of one arm are always near each other: they count where they come too near.
    const auto worse = [](const auto& near, const auto& itself, const Cell& cell) {
        return itself.distance < std::min(near.distance, cell.thresholds.clearance) ? itself : near;
    };
    const ArmId arm = m_session.station().id;
    if (const Trace* trace = m_session.inRun() ? m_session.trace() : nullptr) {
        const Cell& cell = m_session.playedCell();
        if (const std::shared_ptr<const void> run = m_session.traceHolder(); !m_along || run != m_run) {
            m_along.emplace(cell, *trace, &m_session.touched());
            m_run = run;
        }
        const double time = m_session.time();
        const ClearanceAlong::Near near = worse(m_along->at(arm, time), m_along->itself(arm, time), cell);
        if (!std::isfinite(near.distance)) return {};
        const auto name = [&](size_t body) { return text(m_along->scene().bodies().name(body)); };
        return {name(near.own) + " – " + name(near.other), near.distance};
    }
    m_along.reset();
    m_run.reset();
    // By hand: everything as it is drawn, parts where they lie.
    const Cell& cell = m_session.shownCell();
    const World world(cell, m_session.shownState(), arm, m_session.touched());
    const World::Near near = worse(world.nearest(world.start()), world.nearest(world.start(), true), cell);
    if (!near) return {};
    return {text(world.side(near.own).name) + " – " + text(world.side(near.other).name), near.distance};
}

void NearestContact::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Shown now = shown();
    const double caution = m_session.cell().thresholds.clearance;
    const bool touches = now.distance <= kTouch;
    const QColor color = touches ? theme().blocked : now.distance < caution ? theme().caution : theme().ink;
    const QString head = "Nearest contact";
    p.setFont(textFont(12, QFont::DemiBold));
    p.setPen(theme().ink);
    p.drawText(QRectF(0, 0, width(), kBarRow), Qt::AlignVCenter, head);
    const int left = p.fontMetrics().horizontalAdvance(head) + 8;
    p.setFont(textFont(11));
    p.setPen(theme().faint);
    const QString between = std::isfinite(now.distance) ? now.between : QString("nothing has a body");
    p.drawText(QRectF(left, 0, width() - left, kBarRow), Qt::AlignVCenter | Qt::AlignRight,
               p.fontMetrics().elidedText(between, Qt::ElideRight, width() - left));
    if (!std::isfinite(now.distance)) return;
    const QRectF bar(0, kBarRow + (kBarRow - kBar) / 2.0, width() - barValue() - 6, kBar);
    paintZones(p, bar, {{0, std::max(0.02, caution / kWhole), theme().caution}});
    paintMarker(p, bar, std::min(1.0, now.distance / kWhole), color);
    p.setFont(figureFont(12));
    p.setPen(color);
    p.drawText(QRectF(width() - barValue(), kBarRow, barValue(), kBarRow), Qt::AlignVCenter | Qt::AlignRight,
               touches ? "touches" : lengthText(now.distance, 1));
}

bool NearestContact::event(QEvent* event)
{
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    const Shown now = shown();
    QToolTip::showText(
        static_cast<QHelpEvent*>(event)->globalPos(),
        now.between
            + "\nWhat the arm in hand moves, and what is nearest to it; its own bodies only where they come "
              "too near each other. What is meant to touch is left out; the bar is 100 mm long.",
        this);
    return true;
}

}  // namespace topikos
