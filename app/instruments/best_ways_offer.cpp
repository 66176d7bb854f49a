#include "app/instruments/best_ways_offer.h"

#include "app/session/text.h"
#include "core/spatial/units.h"

#include <QVBoxLayout>

namespace topikos {

BestWaysOffer::BestWaysOffer(Session& session, QWidget* parent) :
    QWidget(parent), m_session(session), m_search(session, "The search for better ways")
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(3);
    m_words = new QLabel(this);
    m_words->setObjectName("bestWaysWords");
    m_words->setProperty("class", "faint");
    m_words->setStyleSheet("font-size: 11px;");
    m_words->setWordWrap(true);
    m_button = new QPushButton(this);
    m_button->setObjectName("bestWays");
    m_button->setStyleSheet("padding: 2px 6px; font-size: 12px;");
    column->addWidget(m_button);
    column->addWidget(m_words);
    connect(m_button, &QPushButton::clicked, this, &BestWaysOffer::press);
    connect(&m_search, &Background::ended, this, [this] { show(State::Idle, {}); });
    // An edit makes the offer stale.
    connect(&session, &Session::cellChanged, this, [this] {
        if (m_state == State::Idle) return m_words->hide();
        m_search.giveUp();
        show(State::Idle, {});
    });
    show(State::Idle, {});
}

void BestWaysOffer::offer(BestWays ways)
{
    m_ways = std::make_shared<const BestWays>(std::move(ways));
    const ChainCost &now = m_ways->now, &best = m_ways->best;
    if (m_ways->ways.empty())
        return show(State::Idle,
                    QString("No better ways: joint travel %1° as it is.").arg(degrees(now.travel), 0, 'f', 0));
    QString words = QString("Joint travel %1° instead of %2°")
                        .arg(degrees(best.travel), 0, 'f', 0)
                        .arg(degrees(now.travel), 0, 'f', 0);
    if (best.cautions != now.cautions)
        words += QString(", cautions %1 instead of %2").arg(best.cautions).arg(now.cautions);
    if (best.blocked != now.blocked)
        words += QString(", blocked steps %1 instead of %2").arg(best.blocked).arg(now.blocked);
    show(State::Offered, words + ".");
}

void BestWaysOffer::show(State state, const QString& words)
{
    m_state = state;
    m_words->setText(words);
    m_words->setVisible(!words.isEmpty());
    m_button->setText(
        state == State::Idle ? "Find the best ways of the route"
        : state == State::Searching
            ? "Stop looking"
            : QString("Apply to %1 target%2").arg(m_ways->ways.size()).arg(m_ways->ways.size() == 1 ? "" : "s"));
    m_button->setToolTip(
        state == State::Offered
            ? "One undo brings the former ways back"
            : "The chain of ways with the fewest blocked steps and cautions and the least joint travel");
}

void BestWaysOffer::search()
{
    show(State::Searching, "Looking through all ways …");
    m_search.start(
        [this, cell = m_session.history().current(), routine = m_session.routine().id](const Background::Task& task) {
            return bestWays(*cell, *findRoutine(*cell, routine), [&](double share) {
                task.tell([this, share] {
                    m_words->setText(QString("Looking through all ways: %1 %").arg(100 * share, 0, 'f', 0));
                });
                return task.goesOn();
            });
        },
        [this](BestWays ways) { offer(std::move(ways)); });
}

void BestWaysOffer::press()
{
    switch (m_state) {
    case State::Idle: return search();
    case State::Searching: m_search.giveUp(); return show(State::Idle, {});
    case State::Offered: {
        const std::shared_ptr<const BestWays> ways = m_ways;
        m_session.edit("Choose the best ways", [ways](const Cell& cell) { return setTargetWays(cell, ways->ways); });
        return;
    }
    }
}

}  // namespace topikos
