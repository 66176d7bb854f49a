#pragma once
#include "app/route/route_model.h"
#include "core/cell/step_check.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QToolButton>

class QStringListModel;
class QVBoxLayout;

namespace topikos {

class WordsField;
class ProgramEditor;

/// The routine as a list with a line to type steps into.
class RoutePanel : public QWidget {
    Q_OBJECT
public:
    RoutePanel(Session& session, QWidget* parent = nullptr);

    /// What the right mouse button offers for a step.
    void setMenu(const QList<QAction*>& actions);
    void focusTypeLine();
    /// Where new steps go: behind the selected one, or at its begin when it is an open block; else at the end.
    StepPlace insertPlace() const;
    /// The same, before the selected one.
    StepPlace placeBefore() const;
    void deleteSelected();
    void duplicateSelected();
    void moveSelected(int by);
    void switchSelected();
    void editSelected();
    /// Steps go to and come from the clipboard as text.
    void copySelected();
    void cutSelected();
    void paste();
    /// A time table from a file, or from the clipboard, and a step that plays it behind the selected one.
    void bringTable();
    void bringTable(const QString& path);
    void pasteTable();
    /// The selected steps become what a repeat, for each or if holds.
    void wrapSelected(StepKind kind);
    void unwrapSelected();
    void makeRoutineOfSelected();
    void toggleHalt();
    void foldSelected(bool folded);
    /// The next typed step goes before the selected one.
    void typeBefore();
    /// A target where the arm stands, and a step to it behind the selected one, in one stroke.
    void teachStep(StepKind kind, FrameId frame);
    /// Where the routine, target or signal at hand is used: each press goes to the next place.
    void goToNextUse();
    /// Shows the steps as a list, or all routines as text.
    void showText(bool text);
    ProgramEditor* editor() const { return m_editor; }

private:
    void judgeTyped();
    /// What the routine would come to, were the dragged steps dropped there.
    void judgeDrag(const QMimeData& mime, QPoint at);
    void showVerdict(const QString& words, bool bad);
    void takeTyped();
    /// Puts a step after the selected one, with its values in the properties.
    void insertKind(StepKind kind);
    void showSelection();
    /// In the edit that brought a table in: a step that plays it.
    std::function<Result<Cell>(const Cell&, TimeTableId)> withPlay(StepId* made) const;
    void chooseRoutine(int index);
    void renameTo(const QString& typed);
    void showEmpty();
    void buildHead(QVBoxLayout& column);
    void buildList(QVBoxLayout& column);
    void buildKinds(QVBoxLayout& column);
    void buildTypeLine(QVBoxLayout& column);
    /// What completes a typed step.
    void fillWords();
    /// Goes with the session and with what is chosen in the list.
    void follow();
    /// Steps that are selected, from top to bottom, without those inside another one; says so when none is.
    std::vector<Step> selectedSteps() const;
    StepScope scopeAt(const StepPlace& place) const;
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
    QLabel *m_time, *m_empty, *m_verdict, *m_prompt;
    QLineEdit* m_type;
    QStringListModel* m_words;  ///< that complete what is typed
    bool m_wordsFresh = false;  ///< they are of the cell and the routine as they are
    QToolButton* m_textButton;
    QWidget* m_kinds;
    ProgramEditor* m_editor;
    std::optional<StepPlace> m_dragged;  ///< place that the verdict is about
    bool m_before = false;               ///< what is typed goes before the selected step
    size_t m_use = 0;                    ///< shown last
};

}  // namespace topikos
