#pragma once
#include "app/route/route_model.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListView>

namespace topikos {

class WordsField;

/// The routine as a list with a line to type steps into.
class RoutePanel : public QWidget {
    Q_OBJECT
public:
    RoutePanel(Session& session, QWidget* parent = nullptr);

    /// What the right mouse button offers for a step.
    void setMenu(const QList<QAction*>& actions);
    void focusTypeLine();
    /// Step after which new ones go: the selected one, or the last.
    size_t insertPlace() const;
    void deleteSelected();
    void duplicateSelected();
    void moveSelected(int by);
    void switchSelected();
    void editSelected();

private:
    void judgeTyped();
    void takeTyped();
    /// Puts a step after the selected one, with its values in the properties.
    void insertKind(Step::Kind kind);
    void showSelection();
    void chooseRoutine(int index);
    void showEmpty();
    /// Steps that are selected, from top to bottom; says so when none is.
    std::vector<Step> selectedSteps() const;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool eventFilter(QObject* object, QEvent* event) override;

    Session& m_session;
    TargetId m_lastTarget;   ///< selected last: where a new move goes
    bool m_showing = false;  ///< the list is being told what is selected
    StepId m_running;        ///< the step that the list was last scrolled to in a run
    RouteModel* m_model;
    QListView* m_list;
    QComboBox* m_routines;
    QPushButton* m_makeMain;
    WordsField* m_title;
    QLabel *m_time, *m_empty, *m_verdict;
    QLineEdit* m_type;
};

}  // namespace topikos
