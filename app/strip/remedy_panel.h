#pragma once
#include "app/background/background.h"
#include "app/session/session.h"
#include "app/strip/offer_list.h"
#include "core/mend/remedy.h"

#include <QLabel>
#include <QPushButton>
#include <QTimer>

namespace topikos {

/// What a finding is about, and what takes it away: each remedy is tried on the whole cell before it is offered.
/// Pointing at one shows it; applying it is one edit.
class RemedyPanel : public QWidget {
    Q_OBJECT
public:
    explicit RemedyPanel(Session& session, QWidget* parent = nullptr);

    /// nullptr: nothing is selected.
    void showFinding(const Finding* finding);
    /// Whether remedies are still being looked for.
    bool searching() const { return m_search.isWorking(); }
    /// The list gives way where there is little room.
    QSize minimumSizeHint() const override { return {300, 60}; }

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    void startSearch();
    void stopSearch();
    void finished();
    void addRemedy(std::shared_ptr<const Remedy> remedy);
    void say();
    /// Shows the one of a row in the view; -1: none.
    void point(int row);
    void apply();

    Session& m_session;
    std::optional<Finding> m_finding;
    CellPtr m_cell;  ///< that the finding and its remedies are of
    std::vector<std::shared_ptr<const Remedy>> m_remedies;
    std::optional<NearestPlace> m_nearest;
    bool m_done = false;
    int m_pointed = -1;  ///< row that is shown in the view
    QLabel *m_head, *m_detail, *m_why, *m_state;
    OfferList* m_list;
    QPushButton* m_apply;
    QTimer m_later;
    Background m_search;
};

}  // namespace topikos
