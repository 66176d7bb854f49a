#pragma once
#include "core/cell/history.h"
#include "core/check/check.h"
#include "core/collide/cache.h"

#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

namespace topikos {

/// A check and the cell it is about.
struct CheckedCell {
    CellPtr cell;
    std::uint64_t revision = 0;
    CheckResult result;
    std::string failure;  ///< why there is no result, should the check itself break down; empty otherwise
};

inline constexpr int kCheckWorkers = 2;

/// Checks in the background. Only the newest cell submitted matters: a check of an older one is stopped, and nothing of
/// it is delivered any more. `deliver` is called on the worker thread; of cells with routines that do not run first
/// with what is known of those that do, then with everything.
class LiveChecker {
public:
    explicit LiveChecker(std::function<void(std::shared_ptr<const CheckedCell>)> deliver);
    ~LiveChecker();
    LiveChecker(const LiveChecker&) = delete;

    /// `afresh`: another cell than before; what is remembered of that one is forgotten.
    void submit(CellPtr cell, std::uint64_t revision, bool afresh = false);
    /// Moves that have been planned, and what they touch; of use to others who ask for the same.
    PlanCache& plans() { return m_plans; }
    ContactCache& touched() { return m_touched; }

private:
    struct Job {
        CellPtr cell;
        std::uint64_t revision;
        bool afresh;
    };
    void work(std::stop_token stop);

    std::function<void(std::shared_ptr<const CheckedCell>)> m_deliver;
    PlanCache m_plans;
    ContactCache m_touched;
    std::mutex m_mutex;
    std::condition_variable_any m_wake;
    std::optional<Job> m_job;
    std::stop_source m_running;  ///< stops the check under way
    std::jthread m_thread;       ///< last, so that it starts when all else is there
};

}  // namespace topikos
