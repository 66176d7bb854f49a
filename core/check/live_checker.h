#pragma once
#include "core/cell/history.h"
#include "core/check/check.h"

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

/// Checks in the background. Only the newest cell submitted matters; `deliver` is called on the worker thread.
class LiveChecker {
public:
    explicit LiveChecker(std::function<void(std::shared_ptr<const CheckedCell>)> deliver);
    ~LiveChecker();
    LiveChecker(const LiveChecker&) = delete;

    void submit(CellPtr cell, std::uint64_t revision);

private:
    struct Job {
        CellPtr cell;
        std::uint64_t revision;
    };
    void work(std::stop_token stop);

    std::function<void(std::shared_ptr<const CheckedCell>)> m_deliver;
    std::mutex m_mutex;
    std::condition_variable_any m_wake;
    std::optional<Job> m_job;
    std::jthread m_thread;  ///< last, so that it starts when all else is there
};

}  // namespace topikos
