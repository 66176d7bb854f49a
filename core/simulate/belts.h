#pragma once
#include "core/simulate/trace.h"

#include <cmath>

namespace topikos {

/// One belt in a run: writes its stretches into the trace.
class BeltRun {
public:
    BeltRun(FrameId frame, const Device& device, Trace& trace) : m_frame(frame), m_device(device), m_trace(trace) {}

    FrameId frame() const { return m_frame; }
    const Device& device() const { return m_device; }
    /// Runs up to speed, or down to rest, from `now` on.
    void run(double now, bool on);
    /// Goes on by one pitch; if it still moves, after that.
    void index(double now);
    /// Begins the next index that is due.
    void pass(double now);
    /// When it will have come to rest or has to be asked again; infinite while it runs or rests.
    double restsAt() const { return m_rest; }
    bool moves(double now) const { return m_runs || (std::isfinite(m_rest) && now < m_rest); }
    /// When it will have gone `distance` further; infinite if never.
    double timeOf(double now, double distance) const;

private:
    void stretch(double start, double travel, double speed, double acceleration);
    /// Forgets what was planned after `now`, and says how it goes now.
    BeltState cut(double now);

    FrameId m_frame;
    const Device& m_device;
    Trace& m_trace;
    bool m_runs = false;
    int m_due = 0;  ///< indexes still to come
    double m_rest = INFINITY;
};

}  // namespace topikos
