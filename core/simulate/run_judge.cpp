#include "core/simulate/run.h"

#include <utility>

// What is judged although the run does not come to it: branches that are not taken, and what stands behind the end.

namespace topikos {

namespace {

constexpr size_t kMostJudged = 100000;  // steps of a run, and lists

}  // namespace

void Run::judgeRest(ArmRun& arm)
{
    // Later steps are judged as if the blocked one had arrived, without time. What parts and signals would be is not
    // known any more.
    const AxisValues before = m_axes;
    const StepOutcome& last = arm.trace->outcomes.back();
    if (last.problem == StepOutcome::Problem::AxisBusy) {
        Operation operation = arm.cursor.operation();
        m_axes = arrived(m_axes, travelsOf(m_cell, operation, m_axes));
        if (movesArm(*operation.step)) arm.posture = planned(arm, operation).arrival;
    }
    Cursor rest = arm.cursor;
    rest.shortenLoops();
    judgeAlong(arm, rest, false);
    m_axes = before;
}

void Run::judgeList(const ArmRun& arm, const Cursor& cursor, const Step& step, const Steps& list)
{
    if (m_judgedSteps >= kMostJudged) {
        m_trace.judgedAll = false;
        return;
    }
    // Each case once: from where it begins, and with the places that it is about.
    Digest own;
    own.add(std::uint64_t(arm.station->id.value));
    own.add(static_cast<const void*>(&list));
    cursor.describeMeaning(own);
    for (const double q : arm.posture)
        own.add(q);
    for (const AxisValue& axis : m_axes) {
        own.add(std::uint64_t(axis.frame.value));
        own.add(axis.value);
    }
    if (!m_judged.insert(own).second) return;
    ++m_judgedSteps;
    const AxisValues before = m_axes;
    ArmRun copy = arm;
    copy.ahead.reset();
    Cursor branch = cursor;
    branch.shortenLoops();
    branch.enterOnly(step, list);
    judgeAlong(copy, branch, true);
    m_axes = before;
}

/// Judges what a cursor comes to, with conditions that hold, as if each move had arrived.
void Run::judgeAlong(ArmRun& arm, Cursor& cursor, bool isBranch)
{
    const auto decide = [](const Step& step, int passes) -> std::optional<bool> {
        const Repeat* repeat = step.as<Repeat>();
        return !repeat || (repeat->kind == Repeat::Kind::While) == (passes == 0);
    };
    std::vector<std::pair<const Step*, const Steps*>> untaken;
    const auto later = [&](const Step& step, const Steps& list) { untaken.push_back({&step, &list}); };
    for (;;) {
        if (m_judgedSteps >= kMostJudged) {
            m_trace.judgedAll = false;
            return;
        }
        const Cursor::Next next = cursor.next(decide, later);
        // Branches beside the way, from where the arm stands now.
        for (const auto& [step, list] : std::exchange(untaken, {}))
            judgeList(arm, cursor, *step, *list);
        m_judgedSteps += 1 + size_t(cursor.entered());
        if (next == Cursor::Next::Pass) continue;
        if (next != Cursor::Next::Step) return;
        if (!cursor.hasPlace()) continue;  // told where the run comes to it
        const Operation operation = cursor.operation();
        arm.point = operation.point;
        StepOutcome outcome = begun(arm, operation);
        if (movesArm(*operation.step)) {
            outcome = planned(arm, operation);
            arm.posture = outcome.arrival;
        } else {
            outcome.travels = travelsOf(m_cell, operation, m_axes);
        }
        m_axes = arrived(m_axes, outcome.travels);
        outcome.start = outcome.duration = 0;
        outcome.judgedOnly = true;
        outcome.branch = isBranch;
        outcome.arrival = arm.posture;
        outcome.axes = m_axes;
        m_enough = m_enough || (m_options.upTo && outcome.step == m_options.upTo);
        keep(0, sizeof(StepOutcome));
        arm.trace->outcomes.push_back(std::move(outcome));
        if (!operation.step->otherwise.empty()) judgeList(arm, cursor, *operation.step, operation.step->otherwise);
    }
}

}  // namespace topikos
