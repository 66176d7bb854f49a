#include "app/strip/cycle_strip.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/exchange/step_text.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <cmath>

namespace topikos {

namespace {

constexpr int kLabel = 96, kRight = 18, kTop = 22, kLane = 26, kBlock = 18;

}  // namespace

CycleStrip::CycleStrip(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("cycleStrip");
    setMinimumHeight(104);
    setFocusPolicy(Qt::StrongFocus);
    for (const auto signal : {&Session::cellChanged, &Session::checkedChanged, &Session::selectionChanged, &Session::runChanged}) connect(&session, signal, this, qOverload<>(&QWidget::update));
}

double CycleStrip::shownDuration() const
{
    const Trace* t = m_session.trace();
    return t && t->duration > 0 ? t->duration : 1;
}

double CycleStrip::xOf(double time) const { return kLabel + time / shownDuration() * (width() - kLabel - kRight); }
double CycleStrip::timeAt(double x) const { return std::clamp((x - kLabel) / (width() - kLabel - kRight), 0.0, 1.0) * shownDuration(); }

void CycleStrip::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), theme().panel);
    const Trace* trace = m_session.trace();
    if (!trace || (trace->spans.empty())) {
        p.setPen(theme().faint);
        p.drawText(rect(), Qt::AlignCenter, m_session.checked() ? "Nothing to run yet: the routine has no steps." : "Checking …");
        return;
    }
    const Cell& cell = *m_session.checked()->cell;
    const Routine& routine = *findRoutine(cell, m_session.checked()->routine);
    // Time axis: steps of 1, 2 or 5 that leave room for the figures.
    const double pixels = (width() - kLabel - kRight) / shownDuration();
    double tick = std::pow(10, std::floor(std::log10(60 / pixels)));
    for (const double f : {2.0, 2.5, 2.0}) {
        if (tick * pixels >= 60) break;
        tick *= f;
    }
    p.setFont(figureFont(10));
    for (int i = 0; i * tick <= shownDuration() * 1.0001; ++i) {
        const double x = xOf(i * tick);
        p.setPen(theme().line);
        p.drawLine(QPointF(x, 16), QPointF(x, kTop + 3 * kLane));
        p.setPen(theme().faint);
        p.drawText(QRectF(x - 30, 2, 60, 13), Qt::AlignCenter, text(plainNumber(i * tick, 3)) + (i == 0 ? " s" : ""));
    }
    const QString lanes[] = {text(cell.arm.name), text(toolInForce(cell).name), "Part carried"};
    for (int lane = 0; lane < 3; ++lane) {
        const double y = kTop + lane * kLane;
        p.setFont(textFont(12));
        p.setPen(theme().faint);
        p.drawText(QRectF(12, y, kLabel - 16, kLane), Qt::AlignVCenter, QFontMetrics(p.font()).elidedText(lanes[lane], Qt::ElideRight, kLabel - 16));
        p.fillRect(QRectF(kLabel, y + (kLane - kBlock) / 2.0, width() - kLabel - kRight, kBlock), theme().paper);
    }
    const auto block = [&](int lane, double from, double to, const QColor& color, const QString& words, bool chosen, bool pale = false) {
        const QRectF r(xOf(from) + 0.5, kTop + lane * kLane + (kLane - kBlock) / 2.0, std::max(3.0, xOf(to) - xOf(from) - 1), kBlock);
        p.setPen(chosen ? QPen(theme().ink, 2) : QPen(Qt::NoPen));
        p.setBrush(color);
        p.drawRoundedRect(r, 3, 3);
        p.setFont(textFont(11, QFont::Medium));
        if (r.width() > 22) {
            p.setPen(pale ? theme().ink : theme().dark ? QColor("#10181c") : QColor("#ffffff"));
            p.drawText(r.adjusted(5, 0, -2, 0), Qt::AlignVCenter, QFontMetrics(p.font()).elidedText(words, Qt::ElideRight, int(r.width()) - 7));
        }
    };
    for (const Trace::Span& span : trace->spans) {
        const StepOutcome& outcome = trace->outcomes[span.outcome];
        const Step& step = routine.steps[outcome.index];
        const bool chosen = m_session.selected<StepId>() == outcome.step;
        const Target* target = findTarget(cell, step.target);
        const QString number = QString::number(outcome.index + 1);
        if (step.isMove()) block(0, span.start, span.end, outcome.blocks() ? theme().blocked : stepColor(step.kind), number + " " + (target ? text(target->name) : ""), chosen);
        else if (step.kind == Step::Kind::Wait) block(0, span.start, span.end, theme().other, number + " wait", chosen);
        else block(1, span.start, span.end, theme().other, number + (step.kind == Step::Kind::Grip ? " grip" : " release"), chosen);
    }
    for (size_t i = 0; i < trace->partEvents.size(); ++i) {
        const Trace::PartEvent& e = trace->partEvents[i];
        if (!e.carried) continue;
        double end = trace->duration;
        for (size_t j = i + 1; j < trace->partEvents.size(); ++j)
            if (trace->partEvents[j].part == e.part) {
                end = trace->partEvents[j].time;
                break;
            }
        const Part* part = findPart(cell, e.part);
        block(2, e.time, end, theme().track, part ? text(part->name) : "", false, true);
    }
    if (trace->blockedAt) {
        const double x = xOf(trace->duration);
        p.setPen(QPen(theme().blocked, 2));
        p.drawLine(QPointF(x, kTop), QPointF(x, kTop + 3 * kLane));
        drawSeverity(p, QRectF(x - 6, 3, 12, 12), Severity::Blocked);
    }
    if (m_session.inRun()) {
        const double x = xOf(m_session.time());
        p.setPen(QPen(theme().ink, 1.6));
        p.drawLine(QPointF(x, 14), QPointF(x, kTop + 3 * kLane + 4));
        p.setBrush(theme().ink);
        p.setPen(Qt::NoPen);
        p.drawPolygon(QPolygonF{QPointF(x - 5, 10), QPointF(x + 5, 10), QPointF(x, 17)});
    }
}

const Trace::Span* CycleStrip::spanUnder(QPointF place) const
{
    const Trace* trace = m_session.trace();
    if (!trace || place.x() < kLabel || place.x() > width() - kRight + 4) return nullptr;
    return spanAt(*trace, timeAt(place.x()));
}

void CycleStrip::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    if (event->position().x() < kLabel - 6 || event->button() != Qt::LeftButton) return;
    m_scrubbing = true;
    if (const Trace::Span* span = spanUnder(event->position())) m_session.select(m_session.trace()->outcomes[span->outcome].step);
    m_session.scrub(timeAt(event->position().x()));
}

void CycleStrip::mouseMoveEvent(QMouseEvent* event)
{
    if (m_scrubbing) m_session.scrub(timeAt(event->position().x()));
}

void CycleStrip::mouseReleaseEvent(QMouseEvent*) { m_scrubbing = false; }

void CycleStrip::keyPressEvent(QKeyEvent* event)
{
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.004 : 0.1;
    switch (event->key()) {
    case Qt::Key_Left: m_session.scrub(m_session.time() - step); break;
    case Qt::Key_Right: m_session.scrub(m_session.time() + step); break;
    case Qt::Key_Home: m_session.scrub(0); break;
    case Qt::Key_End: m_session.scrub(1e9); break;
    case Qt::Key_Escape: m_session.leaveRun(); break;
    default: QWidget::keyPressEvent(event);
    }
}

bool CycleStrip::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const Trace::Span* span = spanUnder(help->pos());
        if (!span) {
            QToolTip::hideText();
            return true;
        }
        const StepOutcome& outcome = m_session.trace()->outcomes[span->outcome];
        const Cell& cell = *m_session.checked()->cell;
        const Routine& routine = *findRoutine(cell, m_session.checked()->routine);
        QString tip = QString("Step %1: %2\n%3 s to %4 s").arg(outcome.index + 1).arg(text(stepText(cell, routine.steps[outcome.index])))
                          .arg(QString::number(span->start, 'f', 3), QString::number(span->end, 'f', 3));
        if (outcome.move && outcome.move->slowedBy >= 0) tip += QString("\nSlowed to %1 % of its speed by joint %2").arg(100 * outcome.move->lowestCeiling, 0, 'f', 0).arg(outcome.move->slowedBy + 1);
        QToolTip::showText(help->globalPos(), tip, this);
        return true;
    }
    return QWidget::event(event);
}

}  // namespace topikos
