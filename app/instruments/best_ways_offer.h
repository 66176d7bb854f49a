#pragma once
#include "app/session/session.h"
#include "core/plan/best_ways.h"

#include <QLabel>
#include <QPushButton>

#include <atomic>
#include <thread>

namespace topikos {

/// Looks for the best way to reach every target of the routine, beside the interface thread, and offers it; applied in
/// one edit.
class BestWaysOffer : public QWidget {
    Q_OBJECT
public:
    explicit BestWaysOffer(Session& session, QWidget* parent = nullptr);
    ~BestWaysOffer() override;

    void search();

Q_SIGNALS:
    void progressed(double share, quint64 search);
    void found(std::shared_ptr<const topikos::BestWays> ways, quint64 search);

private:
    enum class State { Idle, Searching, Offered };
    void press();
    void stop();
    void show(State state, const QString& words);

    Session& m_session;
    QLabel* m_words;
    QPushButton* m_button;
    State m_state = State::Idle;
    std::thread m_thread;
    std::atomic<bool> m_stop = false;
    quint64 m_search = 0;  ///< results of earlier searches are dropped
    std::shared_ptr<const BestWays> m_ways;
};

}  // namespace topikos
