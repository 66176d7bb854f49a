#pragma once
#include "app/background/owner.h"

#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <stop_token>
#include <thread>
#include <type_traits>
#include <utility>
#include <vector>

namespace topikos {

/// The one sentence about work that broke down; `what` begins it.
void sayBroken(Owner& owner, const QString& what, const char* why);

/// One piece of work beside the interface, in a thread of its own that gives way to it. A new piece gives up the former
/// one, and so does another cell that is opened: nothing that it tells arrives any more. What breaks down is caught
/// here, and said to the person.
class Background : public QObject {
    Q_OBJECT
public:
    /// What a piece of work knows of itself.
    class Task {
    public:
        /// Asked to end, when it has been given up.
        std::stop_token stop;
        bool goesOn() const { return !stop.stop_requested(); }
        /// Does something in the interface, after all that was told before; nothing when the work has been given up.
        void tell(std::function<void()> what) const { m_of->post(m_number, std::move(what)); }

    private:
        friend class Background;
        Task(std::stop_token asked, Background* of, std::uint64_t number) :
            stop(std::move(asked)), m_of(of), m_number(number)
        {
        }
        Background* m_of;
        std::uint64_t m_number;
    };

    /// `name` begins the sentence about what broke down: "The reach map".
    Background(Owner& owner, QString name);
    /// Waits for all that is still at it.
    ~Background() override;

    /// Makes something by `work(task)`, and then calls `done(made)` in the interface.
    template <class Work, class Done> void start(Work work, Done done)
    {
        using Made = std::invoke_result_t<Work&, const Task&>;
        run([work = std::move(work), done = std::move(done)](const Task& task) mutable {
            auto made = std::make_shared<Made>(work(task));
            task.tell([done = std::move(done), made, of = task.m_of] {
                of->m_working = false;
                done(std::move(*made));
            });
        });
    }
    /// It is asked to end, and not waited for.
    void giveUp();
    bool isWorking() const { return m_working; }

Q_SIGNALS:
    /// The work broke down, which has been said, or another cell was opened: nothing will come of it.
    void ended();

private:
    void run(std::function<void(const Task&)> work);
    void post(std::uint64_t number, std::function<void()> what);

    struct Thread {
        std::shared_ptr<std::atomic<bool>> over;
        std::jthread thread;
    };
    Owner& m_owner;
    QString m_name;
    std::uint64_t m_number = 0;  ///< of the piece of work that counts
    bool m_working = false;
    std::vector<Thread> m_threads;  ///< the newest last; others are on their way out
};

}  // namespace topikos
