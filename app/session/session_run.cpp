#include "app/session/session.h"

#include "app/background/background.h"
#include "app/session/text.h"
#include "core/cell/step_tree.h"
#include "core/check/check.h"

#include <climits>

/// What is played on a copy of the cell, and what is drawn.
namespace topikos {

void Session::setPlaySpeed(double factor)
{
    m_playSpeed = factor;
    Q_EMIT runChanged();
}

namespace {

constexpr double kFirstStretch = 300;  // of a run without end [s]
constexpr double kAhead = 60;          // it goes on when so much is left [s]
constexpr double kKept = 1800;         // what is longer past cannot be gone back to [s]
constexpr int kBlink = 500;            // what takes longer is told [ms]

}  // namespace

void Session::setRunPlan(const RunPlan& plan)
{
    m_plan = plan;
    dropRun();
    Q_EMIT runChanged();
}

void Session::keepRun(bool keep)
{
    m_kept.reset();
    if (keep && trace())
        m_kept = m_played ? KeptRun{m_playedCell, m_played}
                          : KeptRun{m_checked->cell, {m_checked, &m_checked->result.trace}};
    Q_EMIT keptChanged();
}

void Session::dropRun()
{
    m_stop.request_stop();
    m_work->giveUp();
    m_making.reset();
    m_runner.reset();
    if (!m_played) return;
    m_timer.stop();
    m_inRun = false;
    m_time = 0;
    m_played.reset();
    m_playedCell.reset();
    Q_EMIT traceChanged();
    Q_EMIT postureChanged();
}

void Session::workOut(std::shared_ptr<Runner> runner, double until, double keep,
                      const std::function<void(std::shared_ptr<const Trace>)>& done)
{
    m_making = runner;
    m_work->start(
        [runner, until, keep](const Background::Task&) {
            runner->advance(until, keep);
            return std::make_shared<const Trace>(runner->trace());
        },
        [this, done](std::shared_ptr<const Trace> trace) {
            m_making.reset();
            done(std::move(trace));
        });
}

void Session::prepareRun(const std::function<void()>& then, std::vector<RunStart> starts)
{
    m_stop = std::stop_source();
    RunOptions options;
    options.plans = &plans();
    options.stop = m_stop.get_token();
    options.starts = std::move(starts);
    double until = INFINITY;
    switch (m_plan.kind) {
    case RunPlan::Kind::Once: break;
    case RunPlan::Kind::Times: options.cycles = options.rounds = m_plan.times; break;
    case RunPlan::Kind::Endless:
        options.cycles = options.rounds = INT_MAX;
        until = kFirstStretch;
        break;
    case RunPlan::Kind::Until:
        options.cycles = options.rounds = INT_MAX;
        until = m_plan.until;
        break;
    }
    auto runner = std::make_shared<Runner>(m_history.current(), options);
    workOut(runner, until, INFINITY, [=, this](std::shared_ptr<const Trace> trace) {
        m_played = std::move(trace);
        m_playedCell = runner->cell();
        m_runner = m_plan.kind == RunPlan::Kind::Endless ? runner : nullptr;
        // A check looks at the first cycle; what goes wrong in a later one is told here.
        if (const std::vector<Finding> later = laterCycleFindings(*m_playedCell, *m_played); !later.empty()) {
            QString words = text(findingText(*m_playedCell, later.front()).line());
            if (later.size() > 1)
                words += later.size() == 2 ? QString(" One other step does so, too.")
                                           : QString(" %1 other steps do so, too.").arg(later.size() - 1);
            say(words, true);
        }
        Q_EMIT traceChanged();
        then();
    });
    QTimer::singleShot(kBlink, this, [this, runner] {
        if (m_making == runner) say("The run is being worked out; F7 gives it up.");
    });
}

/// A run without end goes on before its end is reached.
void Session::extendRun()
{
    if (!m_runner || m_making || m_runner->over() || m_played->duration - m_time > kAhead) return;
    workOut(m_runner, m_played->duration + kFirstStretch, kKept, [this](std::shared_ptr<const Trace> trace) {
        m_played = std::move(trace);
        m_playUntil = m_played->duration;
        Q_EMIT traceChanged();
    });
}

void Session::begin()
{
    const Trace* t = trace();
    if (!t) return;
    if (!m_inRun || m_time >= t->duration) m_time = 0;
    m_inRun = true;
    m_playUntil = t->duration;
    m_clock.start();
    m_timer.start();
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::play()
{
    if (m_making && !m_played) return say("The run is being worked out; F7 gives it up.");
    const bool planned = m_plan.kind != RunPlan::Kind::Once;
    if (planned && !m_played) return prepareRun([this] { begin(); });
    if (!planned && m_played && (!m_inRun || m_time >= m_played->duration)) dropRun();  // of an earlier start
    begin();
}

bool Session::playFrom(StepId step)
{
    dropRun();
    const Trace* t = trace();
    const ArmTrace* own = t ? findArmTrace(*t, m_arm) : nullptr;
    if (!own) return false;
    // A block or call begins with the first step in it.
    const Step* wanted = findStep(routine().steps, step);
    for (const ArmTrace::Span& span : own->spans) {
        const StepOutcome& outcome = own->outcomes[span.outcome];
        const bool inBlock =
            wanted && (findStep(wanted->body, outcome.step) || findStep(wanted->otherwise, outcome.step));
        if (outcome.step != step && !inBlock && !passOf(outcome.within.get(), step)) continue;
        scrub(span.start);
        begin();
        return true;
    }
    return false;
}

bool Session::playFromHere(StepId step)
{
    if (!findStep(routineOf(cell(), station()).steps, step)) return false;
    dropRun();
    prepareRun([this] { begin(); }, {{m_arm, step, m_posture}});
    return true;
}

void Session::playStep(bool over)
{
    const Trace* t = trace();
    if (!t) return;
    if (!m_inRun || m_time >= t->duration) m_time = 0;
    double until = t->duration;
    if (const ArmTrace* own = findArmTrace(*t, m_arm)) {
        constexpr double kBehind = 1e-6;
        auto span = std::find_if(own->spans.begin(), own->spans.end(),
                                 [&](const ArmTrace::Span& s) { return s.end > m_time + kBehind; });
        if (span != own->spans.end()) {
            const StepOutcome& first = own->outcomes[span->outcome];
            // Over a call: to the end of all that it does; the outermost one that begins here counts.
            const Within* call = nullptr;
            for (const Within* w = first.within.get(); over && w; w = w->outer.get())
                if (w->call) call = w;
            until = span->end;
            for (; call && span != own->spans.end(); ++span) {
                const Within* w = own->outcomes[span->outcome].within.get();
                while (w && w != call)
                    w = w->outer.get();
                if (!w) break;
                until = std::max(until, span->end);
            }
        }
    }
    begin();
    m_playUntil = until;
}

void Session::toggleHalt(StepId step)
{
    if (!m_halts.erase(step)) m_halts.insert(step);
    Q_EMIT runChanged();
}

void Session::pause()
{
    m_timer.stop();
    Q_EMIT runChanged();
}

void Session::scrub(double time)
{
    const Trace* t = trace();
    if (!t) return;
    m_timer.stop();
    m_inRun = true;
    m_time = std::clamp(time, 0.0, t->duration);
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::leaveRun()
{
    if (!m_inRun) return dropRun();
    m_timer.stop();
    m_inRun = false;
    m_time = 0;
    dropRun();
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

void Session::tick()
{
    const Trace* t = trace();
    const double before = m_time;
    m_time += double(m_clock.restart()) * 1e-3 * m_playSpeed;
    if (t && !m_halts.empty())
        if (const StepOutcome* halted = haltBetween(*t, before, m_time)) {
            m_timer.stop();
            say(QString("Halted before step %1.").arg(halted->index + 1));
        }
    extendRun();
    if (m_time >= m_playUntil) {
        m_time = m_playUntil;
        m_timer.stop();
        const Finding* end = t && !m_played && m_time >= t->duration ? whatEndsTheRun(m_checked->result) : nullptr;
        if (end) say(text(findingText(*m_checked->cell, *end).line()), true);
    }
    Q_EMIT runChanged();
    Q_EMIT postureChanged();
}

/// The first step with a halt mark that begins after one time and up to another one, which becomes the time when it
/// begins. A marked block or call begins with the first step in it.
const StepOutcome* Session::haltBetween(const Trace& trace, double after, double& until) const
{
    const StepOutcome* found = nullptr;
    const auto isIn = [](const Within* inner, const Within* outer) {
        while (inner && inner != outer)
            inner = inner->outer.get();
        return inner != nullptr;
    };
    for (const ArmTrace& arm : trace.arms) {
        auto span = std::upper_bound(arm.spans.begin(), arm.spans.end(), after + 1e-9,
                                     [](double time, const ArmTrace::Span& s) { return time < s.start; });
        for (; span != arm.spans.end() && span->start <= until; ++span) {
            const StepOutcome& outcome = arm.outcomes[span->outcome];
            const Within* before = span == arm.spans.begin() ? nullptr : arm.outcomes[(span - 1)->outcome].within.get();
            bool halts = m_halts.contains(outcome.step);
            for (const Within* w = outcome.within.get(); w && !halts; w = w->outer.get())
                halts = w->pass == 0 && m_halts.contains(w->step) && !isIn(before, w);
            if (!halts) continue;
            found = &outcome;
            until = span->start;
            break;
        }
    }
    return found;
}

const std::vector<Session::PassRef>& Session::passRefs(StepId step) const
{
    static const std::vector<PassRef> none;
    if (!m_checked) return none;
    if (m_passesFor != m_checked) {
        m_passesFor = m_checked;
        m_passes.clear();
        const auto add = [this](const Trace& trace, int alone) {
            for (size_t a = 0; a < trace.arms.size(); ++a)
                for (size_t i = 0; i < trace.arms[a].outcomes.size(); ++i)
                    m_passes[trace.arms[a].outcomes[i].step].push_back({a, i, alone});
        };
        add(m_checked->result.trace, -1);
        for (size_t i = 0; i < m_checked->result.alone.size(); ++i)
            add(m_checked->result.alone[i], int(i));
    }
    const auto found = m_passes.find(step);
    return found == m_passes.end() ? none : found->second;
}

const StepOutcome& Session::outcomeOf(const PassRef& ref) const
{
    const Trace& trace = ref.alone < 0 ? m_checked->result.trace : m_checked->result.alone[size_t(ref.alone)];
    return trace.arms[ref.arm].outcomes[ref.outcome];
}

int Session::passesOf(StepId step) const { return int(passRefs(step).size()); }

void Session::setPass(int pass)
{
    const int many = passesOf(selected<StepId>());
    pass = std::clamp(pass, 0, std::max(0, many - 1));
    if (pass == m_pass) return;
    m_pass = pass;
    Q_EMIT passChanged();
}

const StepOutcome* Session::passOutcome(StepId step) const
{
    const std::vector<PassRef>& refs = passRefs(step);
    if (refs.empty()) return nullptr;
    size_t at = step == selected<StepId>() ? std::min(size_t(m_pass), refs.size() - 1) : 0;
    if (m_inRun && !m_played) {
        // The last one that has begun.
        for (size_t i = 0; i < refs.size(); ++i)
            if (const StepOutcome& outcome = outcomeOf(refs[i]); !outcome.judgedOnly && outcome.start <= m_time + 1e-9)
                at = i;
    }
    return &outcomeOf(refs[at]);
}

CellState Session::shownState() const
{
    if (m_inRun && m_checked && trace()) return stateAt(playedCell(), *trace(), m_time);
    CellState state = authoredState(shownCell(), m_arm, m_posture, m_axes);
    for (ArmState& arm : state.arms)
        if (const auto own = m_postures.find(arm.arm); own != m_postures.end() && arm.arm != m_arm)
            arm.posture = own->second;
    return state;
}

JointVector Session::shownPosture() const
{
    if (const Trace* t = m_inRun ? trace() : nullptr)
        if (const ArmTrace* own = findArmTrace(*t, m_arm)) return postureAt(playedCell(), *own, m_time);
    return m_posture;
}

AxisValues Session::shownAxes() const
{
    const Trace* t = m_inRun ? trace() : nullptr;
    return t ? axesAt(*t, m_time) : m_axes;
}

StepId Session::shownStep() const
{
    // What runs is shown, whatever routine is looked at.
    const Trace* all = m_inRun ? trace() : nullptr;
    const ArmTrace* t = all ? findArmTrace(*all, m_arm) : nullptr;
    if (!t) return {};
    const ArmTrace::Span* span = spanAt(*t, m_time);
    return span ? t->outcomes[span->outcome].step : StepId{};
}

std::vector<StepId> Session::runningSteps() const
{
    std::vector<StepId> out;
    const Trace* t = m_inRun ? trace() : nullptr;
    if (!t) return out;
    for (const ArmTrace& arm : t->arms)
        if (const ArmTrace::Span* span = spanAt(arm, m_time)) out.push_back(arm.outcomes[span->outcome].step);
    return out;
}

bool Session::runsIn(StepId step) const
{
    const Trace* t = m_inRun ? trace() : nullptr;
    if (!t) return false;
    for (const ArmTrace& arm : t->arms) {
        const ArmTrace::Span* span = spanAt(arm, m_time);
        if (!span) continue;
        const StepOutcome& outcome = arm.outcomes[span->outcome];
        if (outcome.step == step) return true;
        for (const Within* w = outcome.within.get(); w; w = w->outer.get())
            if (w->call && w->step == step) return true;
    }
    return false;
}

void Session::setWays(std::vector<JointVector> ways, AxisValues axes)
{
    if (ways.empty() && m_ways.empty()) return;
    m_ways = std::move(ways);
    m_waysAxes = std::move(axes);
    Q_EMIT ghostChanged();
}

void Session::setGhost(std::optional<JointVector> ghost, AxisValues axes)
{
    m_ghost = std::move(ghost);
    m_ghostAxes = std::move(axes);
    Q_EMIT ghostChanged();
}

}  // namespace topikos
