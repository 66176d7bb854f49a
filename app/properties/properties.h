#pragma once
#include "app/properties/page.h"

namespace topikos {

/// The page of what is selected; without a selection the thresholds of the checks. The page stays while the same kind
/// of thing is selected.
class Properties : public QWidget {
    Q_OBJECT
public:
    Properties(Session& session, QWidget* parent = nullptr);
    /// The keys go to the first field.
    void focusFirst() { m_page->focusFirst(); }

Q_SIGNALS:
    /// The properties of another selection are in place.
    void selectionShown();
    void teachRequested(TeachPanel::Kind kind);
    void shapeFileRequested();

private:
    /// After the present event: what has just changed the cell goes on with its own.
    void refreshLater();
    void refresh();

    Session& m_session;
    Page* m_page = nullptr;
    size_t m_kind = 0;  ///< of the page: the place in Selection
    Selection m_shown;
    bool m_stale = false;
    bool m_nameWanted = false;
};

}  // namespace topikos
