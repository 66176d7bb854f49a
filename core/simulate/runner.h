#pragma once
#include "core/cell/history.h"
#include "core/simulate/trace.h"

namespace topikos {

class Run;

/// A run that goes on as far as it is asked to, and forgets what is long past: its memory does not grow with its
/// length. The trace is exact at any time that it still has.
class Runner {
public:
    /// `options.until` is left out of account; without plans of its own it brings some.
    Runner(CellPtr cell, RunOptions options);
    ~Runner();
    Runner(const Runner&) = delete;

    /// Goes on to a time [s], and forgets what was over `keep` seconds before it. False when the run has ended.
    bool advance(double until, double keep = INFINITY);
    /// Writes a signal from outside, at the time that the run has gone on to; what follows from it comes with the next
    /// advance(). Needs `options.outside`. Errors: no such signal, a value that it does not take, a run that has ended.
    Status write(SignalId signal, double value);
    /// Forgets what was over before a time.
    void forget(double time);
    const Trace& trace() const { return m_trace; }
    const CellPtr& cell() const { return m_cell; }
    bool over() const { return m_over; }
    /// Since the begin: grips that took a part, releases that set one down, parts made by sources, parts that are gone.
    struct Counts {
        size_t gripped = 0, released = 0, made = 0, gone = 0;
    };
    Counts counts() const;

private:
    CellPtr m_cell;
    PlanCache m_plans;
    RunOptions m_options;
    Trace m_trace;
    std::unique_ptr<Run> m_run;
    Counts m_forgotten;
    double m_time = 0;  ///< that it has gone on to [s]
    bool m_over = false;
};

/// Takes out of a trace what was over before a time; what still holds then stays.
void forgetBefore(Trace& trace, double time);

}  // namespace topikos
