#include "core/check/live_checker.h"

#include "core/spatial/give_way.h"

#include <exception>

namespace topikos {

LiveChecker::LiveChecker(std::function<void(std::shared_ptr<const CheckedCell>)> deliver) :
    m_deliver(std::move(deliver)), m_thread([this](std::stop_token stop) { work(stop); })
{
}

LiveChecker::~LiveChecker()
{
    m_thread.request_stop();
    const std::lock_guard lock(m_mutex);
    m_running.request_stop();
}

void LiveChecker::submit(CellPtr cell, std::uint64_t revision, bool afresh)
{
    {
        std::lock_guard lock(m_mutex);
        m_job = Job{std::move(cell), revision, afresh || (m_job && m_job->afresh)};
        m_running.request_stop();
    }
    m_wake.notify_one();
}

void LiveChecker::work(std::stop_token stop)
{
    giveWay();
    for (;;) {
        std::unique_lock lock(m_mutex);
        if (!m_wake.wait(lock, stop, [this] { return m_job.has_value(); })) return;
        const Job job = std::move(*m_job);
        m_job.reset();
        m_running = std::stop_source();
        if (stop.stop_requested()) return;
        CheckOptions options;
        options.plans = &m_plans;
        options.touched = &m_touched;
        options.workers = kCheckWorkers;
        options.stop = m_running.get_token();
        lock.unlock();
        if (job.afresh) {
            m_plans.forget();
            m_touched.forget();
        }
        const auto deliver = [&](CheckResult result, std::string failure) {
            m_deliver(std::make_shared<const CheckedCell>(
                CheckedCell{job.cell, job.revision, std::move(result), std::move(failure)}));
        };
        options.partial = [&](const CheckResult& early) { deliver(early, ""); };
        try {
            CheckResult result = check(*job.cell, options);
            if (result.complete) deliver(std::move(result), "");
        } catch (const std::exception& broken) {
            deliver({}, broken.what());
        }
    }
}

}  // namespace topikos
