#include "core/check/live_checker.h"

#include <exception>

namespace topikos {

LiveChecker::LiveChecker(std::function<void(std::shared_ptr<const CheckedCell>)> deliver) :
    m_deliver(std::move(deliver)), m_thread([this](std::stop_token stop) { work(stop); })
{
}

LiveChecker::~LiveChecker() = default;

void LiveChecker::submit(CellPtr cell, std::uint64_t revision)
{
    {
        std::lock_guard lock(m_mutex);
        m_job = Job{std::move(cell), revision};
    }
    m_wake.notify_one();
}

void LiveChecker::work(std::stop_token stop)
{
    for (;;) {
        std::unique_lock lock(m_mutex);
        if (!m_wake.wait(lock, stop, [this] { return m_job.has_value(); })) return;
        const Job job = std::move(*m_job);
        m_job.reset();
        lock.unlock();
        auto checked = std::make_shared<CheckedCell>();
        checked->cell = job.cell;
        checked->revision = job.revision;
        try {
            checked->result = check(*job.cell);
        } catch (const std::exception& broken) {
            checked->result = {};
            checked->failure = broken.what();
        }
        m_deliver(std::move(checked));
    }
}

}  // namespace topikos
