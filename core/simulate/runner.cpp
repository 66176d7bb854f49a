#include "core/simulate/runner.h"

#include "core/cell/step_check.h"
#include "core/simulate/run.h"

#include <set>

namespace topikos {

namespace {

void count(const PartEvent& e, Runner::Counts& counts)
{
    counts.gripped += e.kind == PartEvent::Kind::Carried;
    counts.released += isRelease(e);
    counts.gone += e.kind == PartEvent::Kind::Gone;
}

/// Keeps what begins at or after a time, and the last one before.
template <class T> void keepFrom(std::vector<T>& items, double time)
{
    auto first =
        std::upper_bound(items.begin(), items.end(), time, [](double t, const T& item) { return t < item.start; });
    if (first != items.begin()) --first;
    items.erase(items.begin(), first);
}

/// Keeps what comes at or after a time, and of what was before what still holds then (`holding`, of the same subject).
template <class Events, class Holding> void keepEvents(Events& events, double time, Holding holding)
{
    Events kept;
    for (size_t i = 0; i < events.size(); ++i) {
        const auto& event = events[i];
        const auto* last = holding(event);
        if (event.time >= time || last == &event) kept.push_back(event);
    }
    events = std::move(kept);
}

}  // namespace

void forgetBefore(Trace& trace, double time)
{
    for (ArmTrace& arm : trace.arms) {
        auto first = std::find_if(arm.spans.begin(), arm.spans.end(), [&](const auto& s) { return s.end >= time; });
        // The one before may still be running into it.
        if (first != arm.spans.begin()) --first;
        if (first == arm.spans.end() || first == arm.spans.begin()) continue;
        const size_t outcome = first->outcome;
        arm.start = arm.outcomes[(first - 1)->outcome].arrival;
        arm.startOpening = (first - 1)->gripperTo;
        arm.spans.erase(arm.spans.begin(), first);
        arm.outcomes.erase(arm.outcomes.begin(), arm.outcomes.begin() + std::ptrdiff_t(outcome));
        for (ArmTrace::Span& span : arm.spans)
            span.outcome -= outcome;
        if (arm.blockedAt) arm.blockedAt = *arm.blockedAt - outcome;
        const auto early = [time](double t) { return t < time; };
        // The last pass that began stays, so that the next one can be told from it.
        const auto trim = [&](std::vector<double>& begins) {
            const auto kept = std::partition_point(begins.begin(), begins.end(), early);
            begins.erase(begins.begin(), kept == begins.begin() ? kept : kept - 1);
        };
        trim(arm.passes);
        trim(arm.rounds);
    }
    for (AxisTrack& axis : trace.axes) {
        // Stretches that still run into the time add up.
        auto first =
            std::find_if(axis.spans.begin(), axis.spans.end(), [&](const AxisSpan& s) { return s.restsFrom > time; });
        if (first == axis.spans.end() && first != axis.spans.begin()) --first;
        axis.spans.erase(axis.spans.begin(), first);
    }
    for (BeltTrack& belt : trace.belts) {
        // How far the belt had gone when a part came onto it stays known as long as the part rides.
        double from = time;
        std::set<std::uint32_t> seen;
        for (size_t i = 0; i < trace.partEvents.size(); ++i) {
            const PartId part = trace.partEvents[i].part;
            if (!seen.insert(part.value).second) continue;
            const PartEvent* last = trace.partEvents.last(part, time);
            if (last && last->kind == PartEvent::Kind::Rides && last->frame == belt.belt)
                from = std::min(from, last->time);
        }
        keepFrom(belt.stretches, from);
    }
    const auto lastSignal = [&](const SignalEvent& e) { return trace.signalEvents.last(e.signal, time); };
    keepEvents(trace.signalEvents, time, lastSignal);
    // A part that a source made and that is gone is as if it had never been.
    std::set<std::uint32_t> made;
    for (const Part& part : trace.made)
        made.insert(part.id.value);
    std::set<std::uint32_t> lost;
    const auto lastPart = [&](const PartEvent& e) -> const PartEvent* {
        const PartEvent* last = trace.partEvents.last(e.part, time);
        const bool gone = last && last->kind == PartEvent::Kind::Gone && made.contains(e.part.value);
        if (gone) lost.insert(e.part.value);
        return gone ? nullptr : last;
    };
    keepEvents(trace.partEvents, time, lastPart);
    std::erase_if(trace.made, [&](const Part& part) { return lost.contains(part.id.value); });
}

Runner::Runner(CellPtr cell, RunOptions options) : m_cell(std::move(cell)), m_options(std::move(options))
{
    m_options.until = INFINITY;
    if (!m_options.plans) m_options.plans = &m_plans;
    m_run = std::make_unique<Run>(*m_cell, Run::mainRoutines(*m_cell), m_options, m_trace);
}

Runner::~Runner() = default;

bool Runner::advance(double until, double keep)
{
    if (m_over) return false;
    m_over = !m_run->go(until);
    m_time = until;
    if (std::isfinite(keep) && until - keep > 0) forget(until - keep);
    return !m_over;
}

Status Runner::write(SignalId id, double value)
{
    require(m_options.outside, "the run takes signals from outside");
    const Signal* signal = findSignal(*m_cell, id);
    if (!signal) return Error{"run.signal", "the signal is not in the cell", "", "Name one of this cell."};
    if (Status bad = checkSignalValue(*signal, value)) return bad;
    if (m_over) return Error{"run.over", "the run has ended", "", "Start it anew."};
    m_run->write(id, value, m_time);
    return std::nullopt;
}

void Runner::forget(double time)
{
    const Counts before = counts();
    forgetBefore(m_trace, time);
    m_run->forgot();
    m_forgotten = {};
    const Counts left = counts();
    m_forgotten = {before.gripped - left.gripped, before.released - left.released, before.made - left.made,
                   before.gone - left.gone};
}

Runner::Counts Runner::counts() const
{
    Counts out = m_forgotten;
    for (const PartEvent& e : m_trace.partEvents)
        count(e, out);
    out.made += m_trace.made.size();
    return out;
}

}  // namespace topikos
