#pragma once
#include "app/session/session.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QListWidget>

namespace topikos {

/// All findings; choosing one selects its step or target and shows the place in the view.
class FindingsList : public QWidget {
    Q_OBJECT
public:
    FindingsList(Session& session, QWidget* parent = nullptr);
    void selectNext(int by);

private:
    void fill();
    /// All that is listed, accepted advice last.
    std::vector<const Finding*> listed() const;
    void accept();
    /// Links to the part of the manual about a finding, or about all of them.
    void explain(const Finding* finding);

    Session& m_session;
    QListWidget* m_list;
    QLabel *m_empty, *m_looked, *m_explain;
    QLineEdit* m_reason;
    QPushButton* m_accept;
};

}  // namespace topikos
