#pragma once
#include "app/session/session.h"
#include "app/strip/remedy_panel.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>

#include <set>

namespace topikos {

/// All findings, filtered, searched and grouped; choosing one selects its step or target, shows the place in the view
/// and, beside the list, what takes it away.
class FindingsList : public QWidget {
    Q_OBJECT
public:
    FindingsList(Session& session, QWidget* parent = nullptr);
    void selectNext(int by);

private:
    struct Listed {
        const Finding* finding;
        bool follows;
        QString group{};  ///< that it stands in, in the order chosen; empty: none
    };
    void fill();
    /// What passes the filter, in the order it is shown; accepted ones last.
    std::vector<Listed> toList() const;
    const Finding* findingAt(int row) const;
    const Finding* current() const { return findingAt(m_list->currentRow()); }
    QString groupOf(const Finding& finding, const Vocabulary& words) const;
    /// Folds the group whose head this is, or opens it again.
    void fold(const QListWidgetItem* item);
    void go();
    void accept();
    std::optional<Touchable> touchableOf(const Finding& finding) const;
    void letTouch();
    /// Links to the part of the manual about a finding, or about all of them.
    void explain(const Finding* finding);
    /// What of the findings has been there when the cell was saved last.
    void noteSaved();

    Session& m_session;
    std::shared_ptr<const CheckedCell> m_shown;  ///< what the rows are of
    std::vector<Listed> m_rows;
    std::set<std::pair<Severity, FindingKey>> m_saved;  ///< findings as of the last save
    bool m_savedKnown = false;
    QStringList m_folded;  ///< groups whose findings are not shown
    QListWidget* m_list;
    QComboBox *m_filter, *m_order;
    QLineEdit *m_search, *m_reason;
    QLabel *m_empty, *m_looked, *m_explain;
    QPushButton *m_accept, *m_meant;
    RemedyPanel* m_remedies;
};

}  // namespace topikos
