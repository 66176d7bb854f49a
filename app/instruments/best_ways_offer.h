#pragma once
#include "app/background/background.h"
#include "app/session/session.h"
#include "core/plan/best_ways.h"

#include <QLabel>
#include <QPushButton>

namespace topikos {

/// Looks for the best way to reach every target of the routine, beside the interface thread, and offers it; applied in
/// one edit.
class BestWaysOffer : public QWidget {
    Q_OBJECT
public:
    explicit BestWaysOffer(Session& session, QWidget* parent = nullptr);

    void search();

private:
    enum class State { Idle, Searching, Offered };
    void press();
    void offer(BestWays ways);
    void show(State state, const QString& words);

    Session& m_session;
    QLabel* m_words;
    QPushButton* m_button;
    State m_state = State::Idle;
    Background m_search;
    std::shared_ptr<const BestWays> m_ways;
};

}  // namespace topikos
