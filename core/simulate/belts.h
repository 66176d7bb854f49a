#pragma once
#include "core/simulate/trace.h"

namespace topikos {

/// One belt in a run: writes its stretches into the track.
class BeltRun {
public:
    BeltRun(const Device& device, BeltTrack& track) : m_device(device), m_track(track) {}

    const Device& device() const { return m_device; }
    /// Runs up to speed, or down to rest, from `now` on.
    void run(double now, bool on);
    /// Goes on by one pitch; if it still moves, after that.
    void index(double now);
    /// Begins the next index that is due, at the end of one.
    void pass(double now);
    /// When it will have come to rest or has to be asked again; infinite while it runs or rests.
    double restsAt() const { return m_rest; }
    bool moves(double now) const { return m_runs || (std::isfinite(m_rest) && now < m_rest); }
    double travel(double now) const { return m_track.at(now).travel; }
    /// When it will have gone so far in all, not before `now`; infinite if never, as it is set to go now.
    double timeOf(double now, double travel) const;

private:
    /// Forgets what was planned after `now`, and says how it goes now.
    BeltState cut(double now);

    const Device& m_device;
    BeltTrack& m_track;
    bool m_runs = false;
    int m_due = 0;  ///< indexes still to come
    double m_rest = INFINITY;
};

}  // namespace topikos
