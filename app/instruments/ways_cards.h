#pragma once
#include "app/session/session.h"
#include "core/check/free_ways.h"

#include <QGridLayout>
#include <QLabel>
#include <QToolButton>
#include <QWidget>

namespace topikos {

/// Every way to reach the selected target, or the place where the tool is now, as cards with the smallest joint margin.
/// Where the target has freedom, each configuration has a card more: the pose inside it with the most margin.
/// All ways to a target stand in the view as faint ghosts; pointing at a card shows its own clearly; a click chooses it
/// for the target, or moves the arm into it.
class WaysCards : public QWidget {
    Q_OBJECT
public:
    WaysCards(Session& session, QWidget* parent = nullptr);

private:
    void fill();
    bool eventFilter(QObject* object, QEvent* event) override;

    Session& m_session;
    void showGhosts();
    QLabel *m_title, *m_count;
    QToolButton* m_ghosts;
    QGridLayout* m_grid;
    std::vector<Solution> m_ways;  ///< as taught, then those that the freedom of the target allows
    size_t m_plain = 0;            ///< as taught
    std::vector<FreeWay> m_free;
    std::pair<CellPtr, TargetId>
        m_waysOf;       ///< what the cards show; the ways to a target do not depend on where the arm stands
    AxisValues m_axes;  ///< with which the ways are
    std::vector<QWidget*> m_cards;
};

}  // namespace topikos
