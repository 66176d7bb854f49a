#include "app/strip/cycle_strip.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/step_tree.h"
#include "core/program/step_text.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QSettings>
#include <QToolTip>

#include <cmath>

namespace topikos {

namespace {

constexpr int kLabel = 102, kRight = 18, kTop = 22;
constexpr double kWhole = 240, kPart = 90;  // runs up to so long are shown whole; of longer ones so much [s]

/// Points down where the lanes are shown, to the right where they are folded.
void drawWedge(QPainter& p, QPointF middle, bool folded)
{
    p.save();
    p.translate(middle);
    if (folded) p.rotate(-90);
    p.setBrush(theme().faint);
    p.setPen(Qt::NoPen);
    p.drawPolygon(QPolygonF{QPointF(-4, -2.5), QPointF(4, -2.5), QPointF(0, 3)});
    p.restore();
}

}  // namespace

CycleStrip::CycleStrip(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("cycleStrip");
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName("Cycle: Left and Right go through the time, plus and minus fold the lanes");
    for (const QString& group : QSettings().value("strip/folded").toStringList())
        m_folded.insert(group);
    connect(&session, &Session::checkedChanged, this, &CycleStrip::refresh);
    connect(&session, &Session::traceChanged, this, &CycleStrip::refresh);
    for (const auto signal : {&Session::cellChanged, &Session::selectionChanged, &Session::runChanged})
        connect(&session, signal, this, qOverload<>(&QWidget::update));
    refresh();
}

void CycleStrip::refresh()
{
    m_lanes.clear();
    m_running.clear();
    if (const Trace* trace = m_session.trace()) {
        const Cell& cell = m_session.playedCell();
        m_running = reachedRoutines(cell);
        for (const ArmTrace& arm : trace->arms)
            addArm(cell, *trace, arm);
        addDevices(cell, *trace);
        addSignals(cell, *trace);
    }
    arrange();
}

void CycleStrip::addLanes(std::vector<Lane> lanes, const QString& group)
{
    for (Lane& lane : lanes) {
        lane.group = group;
        m_lanes.push_back(std::move(lane));
    }
}

void CycleStrip::arrange()
{
    m_seen.clear();
    for (size_t i = 0; i < m_lanes.size(); ++i)
        if (m_lanes[i].head || !m_folded.contains(m_lanes[i].group)) m_seen.push_back(i);
    // Many lanes are lower, so that more of them are seen at once.
    m_lane = m_seen.size() > 3 ? 21 : 26;
    m_block = m_lane - (m_seen.size() > 3 ? 5 : 8);
    setMinimumHeight(kTop + m_lane * std::max(3, int(m_seen.size())) + 4);
    update();
}

void CycleStrip::fold(const QString& group, bool folded)
{
    if (folded) m_folded.insert(group);
    else m_folded.erase(group);
    QSettings().setValue("strip/folded", QStringList(m_folded.begin(), m_folded.end()));
    arrange();
}

QStringList CycleStrip::laneNames() const
{
    QStringList names;
    for (const size_t i : m_seen)
        names << m_lanes[i].name;
    return names;
}

void CycleStrip::addArm(const Cell& cell, const Trace& trace, const ArmTrace& arm)
{
    const ArmStation& station = *findArm(cell, arm.arm);
    const Vocabulary words(cell);
    std::map<StepId, QString> texts;
    Lane own{text(station.name), {}}, tool{text(toolInForce(cell, station).name), {}}, carried{"Part carried", {}};
    const auto times = [](double from, double to) {
        return QString("%1 s to %2 s").arg(QString::number(from, 'f', 3), QString::number(to, 'f', 3));
    };
    // The moves of a step that follows a group are one block.
    std::pair<StepId, const Within*> followed;
    for (const ArmTrace::Span& span : arm.spans) {
        const StepOutcome& outcome = arm.outcomes[span.outcome];
        const std::pair<StepId, const Within*> now{outcome.step, outcome.within.get()};
        if (!own.blocks.empty() && followed == now) {
            Block& block = own.blocks.back();
            block.tip.replace(times(block.from, block.to), times(block.from, span.end));
            block.to = span.end;
            if (outcome.blocks()) block.color = theme().blocked;
            continue;
        }
        const Routine& routine = *findRoutine(cell, outcome.routine);
        const Step& step = *findStep(routine.steps, outcome.step);
        const Target* target = findTarget(cell, outcome.target);
        QString& typed = texts[outcome.step];
        const StepScope scope{routine};
        if (typed.isEmpty()) typed = text(stepText(words, step, &scope));
        const QString number = QString::number(outcome.index + 1);
        Block block{span.start, span.end, theme().other, number,
                    arm.arm == m_session.station().id ? outcome.step : StepId{}};
        block.tip = QString("Step %1: %2\n%3").arg(outcome.index + 1).arg(typed).arg(times(span.start, span.end));
        if (routine.id != arm.routine) block.tip.prepend(text(routine.name) + ", ").replace(", Step", ", step");
        if (outcome.move && outcome.move->slowed().by.byJoint())
            block.tip += QString("\nSlowed to %1 % of its speed by joint %2")
                             .arg(100 * outcome.move->slowed().lowest, 0, 'f', 0)
                             .arg(outcome.move->slowed().by.index + 1);
        switch (step.kind()) {
        case StepKind::Grip:
        case StepKind::Release:
        case StepKind::Wait:
        case StepKind::SetSignal:
        case StepKind::PulseSignal: block.words += QString(" ") + traitsOf(step.kind()).file; break;
        case StepKind::WaitSignal:
            block.words += " waits for " + text(findSignal(cell, step.as<WaitSignal>()->until.signal)->name);
            break;
        case StepKind::MoveAxes: block.words += " " + text(frameName(cell, step.as<MoveAxes>()->device)); break;
        case StepKind::PlayTable:
            block.words += " " + text(findTimeTable(cell, step.as<PlayTable>()->table)->name);
            block.color = stepColor(step.kind());
            break;
        case StepKind::Joint:
        case StepKind::Line:
        case StepKind::Arc:
            block.words += " " + (target ? text(target->name) : QString("by"));
            block.color = stepColor(step.kind());
            break;
        case StepKind::Follow:
            block.words += " " + text(findPattern(cell, step.as<Follow>()->pattern)->name);
            block.color = stepColor(step.kind());
            break;
        default: block.color = stepColor(step.kind()); break;
        }
        followed = step.as<Follow>() ? now : std::pair<StepId, const Within*>();
        if (outcome.blocks()) block.color = theme().blocked;
        (step.kind() == StepKind::Grip || step.kind() == StepKind::Release ? tool : own)
            .blocks.push_back(std::move(block));
    }
    for (size_t i = 0; i < trace.partEvents.size(); ++i) {
        const PartEvent& e = trace.partEvents[i];
        if (e.kind != PartEvent::Kind::Carried || e.arm != arm.arm) continue;
        const std::vector<std::uint32_t>& ofPart = trace.partEvents.of(e.part);
        const auto next = std::upper_bound(ofPart.begin(), ofPart.end(), std::uint32_t(i));
        const double end = next == ofPart.end() ? trace.duration : trace.partEvents[*next].time;
        const Part* part = findPart(cell, e.part);
        for (const Part& made : trace.made)
            if (made.id == e.part) part = &made;
        carried.blocks.push_back({e.time, end, theme().track, part ? text(part->name) : "", {}, true});
    }
    own.head = true;
    std::vector<Lane> lanes{std::move(own)};
    // Of several arms only those lanes that have something.
    for (Lane* lane : {&tool, &carried})
        if (!lane->blocks.empty() || trace.arms.size() == 1) lanes.push_back(std::move(*lane));
    addLanes(std::move(lanes), text(station.name));
}

void CycleStrip::addDevices(const Cell& cell, const Trace& trace)
{
    std::vector<Lane> lanes;
    for (const Frame& frame : cell.frames) {
        Lane lane{text(frame.name), {}};
        for (const AxisTrack& track : trace.axes)
            if (track.frame == frame.id)
                for (const AxisSpan& span : track.spans) {
                    const QString goal =
                        frame.axis->kind == JointKind::Revolute ? degreeText(span.to) : lengthText(span.to, 0);
                    lane.blocks.push_back({span.start,
                                           span.end(),
                                           theme().accent,
                                           "to " + goal,
                                           {},
                                           false,
                                           text(frame.name) + " goes to " + goal});
                }
        if (frame.device && frame.device->kind == Device::Kind::Belt) {
            // A belt moves from a stretch with speed or acceleration to one with neither.
            bool moves = false;
            double since = 0;
            const auto close = [&](double end) {
                if (moves && end > since)
                    lane.blocks.push_back(
                        {since, end, theme().track, frame.device->indexing ? "index" : "runs", {}, true});
                moves = false;
            };
            const auto track = std::find_if(trace.belts.begin(), trace.belts.end(),
                                            [&](const BeltTrack& b) { return b.belt == frame.id; });
            for (const BeltStretch& s : track->stretches) {
                if (s.start > trace.duration) break;
                if (s.speed == 0 && s.acceleration == 0) {
                    close(s.start);
                } else if (!moves) {
                    moves = true;
                    since = s.start;
                }
            }
            close(trace.duration);
        }
        if (!lane.blocks.empty()) lanes.push_back(std::move(lane));
    }
    // A head of its own where there is something to fold.
    if (lanes.size() > 1) m_lanes.push_back({"Devices", {}, "Devices", true});
    addLanes(std::move(lanes), "Devices");
}

void CycleStrip::addSignals(const Cell& cell, const Trace& trace)
{
    std::vector<Lane> lanes;
    for (const Signal& signal : cell.signals) {
        Lane lane{text(signal.name), {}};
        double since = 0, value = signal.start;
        const auto close = [&](double end) {
            const bool digital = signal.kind == Signal::Kind::Digital;
            if (end > since && (!digital || value != 0))
                lane.blocks.push_back(
                    {since,
                     end,
                     theme().line,
                     digital ? "on" : text(plainNumber(value, 3)),
                     {},
                     true,
                     QString("%1: %2").arg(text(signal.name), digital ? "on" : text(plainNumber(value, 6)))});
        };
        for (const std::uint32_t i : trace.signalEvents.of(signal.id)) {
            const SignalEvent& e = trace.signalEvents[i];
            if (e.time > trace.duration) break;
            close(e.time);
            since = e.time;
            value = e.value;
        }
        close(trace.duration);
        lanes.push_back(std::move(lane));
    }
    if (lanes.size() > 1) m_lanes.push_back({"Signals", {}, "Signals", true});
    addLanes(std::move(lanes), "Signals");
}

double CycleStrip::wholeDuration() const
{
    const Trace* t = m_session.trace();
    return t && t->duration > 0 ? t->duration : 1;
}

double CycleStrip::shownDuration() const { return wholeDuration() > kWhole ? kPart : wholeDuration(); }

/// Of long runs a part is shown, about the time of the run; it stands still while somebody scrubs in it.
double CycleStrip::shownBegin() const
{
    if (wholeDuration() <= kWhole) return 0;
    if (!m_scrubbing) m_begin = std::clamp(m_session.time() - 0.25 * kPart, 0.0, wholeDuration() - kPart);
    return std::min(m_begin, wholeDuration() - kPart);
}

double CycleStrip::xOf(double time) const
{
    return kLabel + (time - shownBegin()) / shownDuration() * (width() - kLabel - kRight);
}
double CycleStrip::timeAt(double x) const
{
    return shownBegin() + std::clamp((x - kLabel) / (width() - kLabel - kRight), 0.0, 1.0) * shownDuration();
}

void CycleStrip::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), theme().panel);
    const Trace* trace = m_session.trace();
    if (!trace) {
        p.setPen(theme().faint);
        p.drawText(rect(), Qt::AlignCenter,
                   m_session.checked() ? "Nothing to run yet: the routine has no steps." : "Checking …");
        return;
    }
    const int bottom = kTop + int(m_seen.size()) * m_lane;
    // Time axis: steps of 1, 2 or 5 that leave room for the figures.
    const double pixels = (width() - kLabel - kRight) / shownDuration();
    double tick = std::pow(10, std::floor(std::log10(60 / pixels)));
    for (const double f : {2.0, 2.5, 2.0}) {
        if (tick * pixels >= 60) break;
        tick *= f;
    }
    p.setFont(figureFont(10));
    const double begin = shownBegin(), end = begin + shownDuration();
    const int firstTick = int(std::ceil(begin / tick - 1e-6));
    for (int i = firstTick; i * tick <= end * 1.0001; ++i) {
        const double x = xOf(i * tick);
        p.setPen(theme().line);
        p.drawLine(QPointF(x, 16), QPointF(x, bottom));
        p.setPen(theme().faint);
        p.drawText(QRectF(x - 30, 2, 60, 13), Qt::AlignCenter,
                   text(plainNumber(i * tick, 3)) + (i == firstTick ? " s" : ""));
    }
    const StepId running = m_session.shownStep();
    for (size_t seen = 0; seen < m_seen.size(); ++seen) {
        const double y = kTop + double(seen) * m_lane;
        const Lane& lane = m_lanes[m_seen[seen]];
        p.setFont(textFont(12));
        p.setPen(theme().faint);
        if (foldable(lane)) drawWedge(p, QPointF(9, y + m_lane / 2.0), m_folded.contains(lane.group));
        p.drawText(QRectF(18, y, kLabel - 22, m_lane), Qt::AlignVCenter,
                   QFontMetrics(p.font()).elidedText(lane.name, Qt::ElideRight, kLabel - 22));
        if (lane.head && lane.blocks.empty()) continue;
        p.fillRect(QRectF(kLabel, y + (m_lane - m_block) / 2.0, width() - kLabel - kRight, m_block), theme().paper);
        p.setFont(textFont(11, QFont::Medium));
        for (const Block& b : lane.blocks) {
            if (b.to < begin || b.from > end) continue;
            const double left = xOf(std::max(b.from, begin)), right = xOf(std::min(b.to, end));
            const QRectF r(left + 0.5, y + (m_lane - m_block) / 2.0, std::max(3.0, right - left - 1), m_block);
            p.setPen(b.step && m_session.selected<StepId>() == b.step ? QPen(theme().ink, 2) : QPen(Qt::NoPen));
            p.setBrush(b.color);
            p.drawRoundedRect(r, 3, 3);
            // What runs: a line below its block, apart from the frame about what is selected.
            if (b.step && b.step == running && b.from <= m_session.time() && m_session.time() <= b.to)
                p.fillRect(QRectF(r.left(), r.bottom() + 1, r.width(), 2.5), theme().ink);
            if (r.width() <= 22) continue;
            p.setPen(b.pale ? theme().ink : theme().dark ? QColor("#10181c") : QColor("#ffffff"));
            // Where there is no room for words, the number of the step is more than a piece of a name.
            const QFontMetrics metrics(p.font());
            const bool narrow = b.step && metrics.horizontalAdvance(b.words) > r.width() - 7 && r.width() < 64;
            p.drawText(
                r.adjusted(5, 0, -2, 0), Qt::AlignVCenter,
                metrics.elidedText(narrow ? b.words.section(' ', 0, 0) : b.words, Qt::ElideRight, int(r.width()) - 7));
        }
    }
    // Stretches of contact and of too little clearance: a band on the axis, each severity at its own height.
    const CheckedCell* checked = m_session.checked();
    if (checked && trace == &checked->result.trace)
        for (const Finding* f : withFollowUps(checked->result.findings)) {
            const ContactFact* contact = f->as<ContactFact>();
            if (!contact || contact->until < begin || contact->from > end) continue;
            if (f->routine && !m_running.contains(f->routine)) continue;
            const double left = xOf(std::max(contact->from, begin)), right = xOf(std::min(contact->until, end));
            const bool blocked = f->severity == Severity::Blocked;
            p.fillRect(QRectF(left, blocked ? kTop - 3.5 : kTop - 1, std::max(3.0, right - left), blocked ? 3.5 : 2),
                       blocked ? theme().blocked : theme().caution);
        }
    for (const ArmTrace& arm : trace->arms) {
        if (!arm.blockedAt) continue;
        const double x = xOf(arm.duration);
        p.setPen(QPen(theme().blocked, 2));
        p.drawLine(QPointF(x, kTop), QPointF(x, bottom));
        drawSeverity(p, QRectF(x - 6, 3, 12, 12), Severity::Blocked);
    }
    if (hasFocus()) {
        p.setPen(QPen(theme().accent, theme().contrast ? 3 : 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(rect().adjusted(1, 1, -1, -1));
    }
    if (m_session.inRun()) {
        const double x = xOf(m_session.time());
        p.setPen(QPen(theme().ink, 1.6));
        p.drawLine(QPointF(x, 14), QPointF(x, bottom + 4));
        p.setBrush(theme().ink);
        p.setPen(Qt::NoPen);
        p.drawPolygon(QPolygonF{QPointF(x - 5, 10), QPointF(x + 5, 10), QPointF(x, 17)});
    }
}

const CycleStrip::Lane* CycleStrip::laneUnder(double y) const
{
    const double row = std::floor((y - kTop) / m_lane);
    return row >= 0 && row < double(m_seen.size()) ? &m_lanes[m_seen[size_t(row)]] : nullptr;
}

bool CycleStrip::foldable(const Lane& lane) const
{
    return lane.head && std::count_if(m_lanes.begin(), m_lanes.end(), [&](const Lane& other) {
                            return other.group == lane.group && !other.head;
                        }) > 0;
}

const CycleStrip::Block* CycleStrip::blockUnder(QPointF place) const
{
    if (place.x() < kLabel || place.x() > width() - kRight + 4 || place.y() < kTop) return nullptr;
    const Lane* lane = laneUnder(place.y());
    if (!lane) return nullptr;
    const double time = timeAt(place.x());
    const Block* under = nullptr;
    for (const Block& b : lane->blocks)
        if (b.from <= time && time <= b.to) under = &b;  // the later one where moves overlap
    return under;
}

void CycleStrip::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    if (const Lane* lane = laneUnder(event->position().y());
        lane && foldable(*lane) && event->position().x() < kLabel - 6 && event->button() == Qt::LeftButton)
        return fold(lane->group, !m_folded.contains(lane->group));
    if (event->position().x() < kLabel - 6 || event->button() != Qt::LeftButton) return;
    m_scrubbing = true;
    const double time = timeAt(event->position().x());
    const Block* block = blockUnder(event->position());
    const Trace* trace = m_session.trace();
    if (const ArmTrace* own = trace ? findArmTrace(*trace, m_session.station().id) : nullptr) {
        // The strip shows what runs, so that is what the route shows, too.
        const ArmTrace::Span* span = spanAt(*own, time);
        const StepId step = block && block->step ? block->step : span ? own->outcomes[span->outcome].step : StepId();
        RoutineId routine = own->routine;
        for (const StepOutcome& outcome : own->outcomes)
            if (outcome.step == step) routine = outcome.routine;
        m_session.showRoutine(routine);
        if (step) m_session.select(step);
    }
    m_session.scrub(time);
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
    case Qt::Key_Minus:
    case Qt::Key_Plus:
        for (size_t i = 0; i < m_lanes.size(); ++i)
            if (foldable(m_lanes[i])) fold(m_lanes[i].group, event->key() == Qt::Key_Minus);
        break;
    default: QWidget::keyPressEvent(event);
    }
}

bool CycleStrip::event(QEvent* event)
{
    if (event->type() == QEvent::PaletteChange) refresh();  // blocks have colours of the look
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const Block* block = blockUnder(help->pos());
        if (block && !block->tip.isEmpty()) QToolTip::showText(help->globalPos(), block->tip, this);
        else QToolTip::hideText();
        return true;
    }
    return QWidget::event(event);
}

}  // namespace topikos
