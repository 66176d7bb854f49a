#pragma once
#include "app/background/background.h"
#include "app/route/program_field.h"
#include "app/session/session.h"
#include "core/program/program_text.h"

#include <QLabel>
#include <QPushButton>
#include <QTimer>

namespace topikos {

/// All routines as text. What is typed becomes an edit of the cell at each pause; what is wrong stays as it was typed,
/// with its errors in the margin.
class ProgramEditor : public QWidget {
    Q_OBJECT
public:
    ProgramEditor(Session& session, QWidget* parent);

    /// Shows the program as it is, unless something typed has not been taken yet.
    void showNow();
    ProgramField* field() const { return m_field; }
    /// Takes what is typed at once, before it is saved or left. False when it has errors, and so is not in the cell.
    bool flush();
    /// Gives up what was typed and could not be taken.
    void discard();
    /// Takes back, or does again, what was typed in the field and is not in the cell yet; false when there is nothing
    /// of the kind, and so the cell's own undo is meant. What was typed elsewhere than here is taken into the cell
    /// first.
    bool undoTyping();
    bool redoTyping();
    bool reading() const { return m_work.isWorking(); }
    /// Something is typed that is not in the cell.
    bool isOpen() const { return m_typed || reading() || !m_errors.empty(); }
    /// Errors of what is typed.
    const std::vector<TextError>& errors() const { return m_errors; }

Q_SIGNALS:
    void settled();  ///< what was typed has been read

private:
    void read();
    void take(const ProgramReading& reading);
    void showMarks();
    void followCursor();
    void showSelection();
    void fillWords();
    void setLines(const Cell& cell, const ProgramLines& lines);
    /// The program was changed elsewhere while the text here is not in the cell: what changed there goes into the text.
    void takeOver();

    Session& m_session;
    ProgramField* m_field;
    QLabel* m_state;
    QPushButton* m_discard;
    QTimer m_pause;
    std::vector<TextError> m_errors;
    std::map<StepId, size_t> m_lineOf;
    std::map<size_t, std::pair<RoutineId, StepId>> m_stepAt;
    CellPtr m_shown;       ///< whose program the text is, or was before it was typed on
    QString m_known;       ///< the text as it was shown or read last
    bool m_typed = false;  ///< something has not been read yet
    bool m_setting = false, m_taking = false;
    Background m_work;
};

}  // namespace topikos
