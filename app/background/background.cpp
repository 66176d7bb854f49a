#include "app/background/background.h"

#include "core/spatial/give_way.h"

#include <exception>

namespace topikos {

void sayBroken(Owner& owner, const QString& what, const char* why)
{
    owner.say(QString("%1 broke down: %2. The cell is unchanged; save it and report this.").arg(what, why), true);
}

Background::Background(Owner& owner, QString name) : m_owner(owner), m_name(std::move(name))
{
    connect(&owner, &Owner::opened, this, [this] {
        const bool worked = m_working;
        giveUp();
        if (worked) Q_EMIT ended();
    });
}

Background::~Background() { giveUp(); }

void Background::giveUp()
{
    ++m_number;
    m_working = false;
    if (!m_threads.empty()) m_threads.back().thread.request_stop();
    std::erase_if(m_threads, [](const Thread& t) { return t.over->load(); });
}

void Background::post(std::uint64_t number, std::function<void()> what)
{
    QMetaObject::invokeMethod(
        this,
        [this, number, what = std::move(what)] {
            if (number == m_number) what();
        },
        Qt::QueuedConnection);
}

void Background::run(std::function<void(const Task&)> work)
{
    giveUp();
    m_working = true;
    auto over = std::make_shared<std::atomic<bool>>(false);
    m_threads.push_back({over, std::jthread([this, over, number = m_number, work](std::stop_token stop) {
                             giveWay();
                             const Task task(std::move(stop), this, number);
                             try {
                                 work(task);
                             } catch (const std::exception& broken) {
                                 task.tell([this, why = std::string(broken.what())] {
                                     m_working = false;
                                     sayBroken(m_owner, m_name, why.c_str());
                                     Q_EMIT ended();
                                 });
                             }
                             over->store(true);
                         })});
}

}  // namespace topikos
