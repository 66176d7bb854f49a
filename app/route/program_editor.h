#pragma once
#include "app/session/session.h"
#include "core/program/program_text.h"

#include <QCompleter>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QStringListModel>
#include <QSyntaxHighlighter>
#include <QTimer>

namespace topikos {

/// The field of the program's text, with a margin for findings and errors, and completion of names.
class ProgramField : public QPlainTextEdit {
    Q_OBJECT
public:
    explicit ProgramField(QWidget* parent);

    /// What stands in the margin beside a line, from 0.
    struct Mark {
        Severity severity = Severity::Blocked;
        QString words;
        bool error = false;  ///< of the text itself
    };
    void setMarks(std::map<int, Mark> marks);
    const std::map<int, Mark>& marks() const { return m_marks; }
    /// Names that can be completed, by what stands before them.
    struct Words {
        QStringList steps, places, signalNames, routines, patterns, frames, devices, processes, arms, behind;
    };
    void setWords(const Words& words) { m_known = words; }
    QCompleter* completer() const { return m_completer; }

Q_SIGNALS:
    void left();  ///< Escape

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool event(QEvent* event) override;

private:
    class Margin;
    void paintMargin(QPaintEvent* event);
    void complete(bool asked);
    /// What is being typed, and what it may become there.
    std::pair<QString, QStringList> completionAt() const;
    std::map<int, Mark> m_marks;
    QWidget* m_margin;
    QCompleter* m_completer;
    QStringListModel* m_words;
    Words m_known;
};

/// All routines as text. What is typed becomes an edit of the cell at each pause; what is wrong stays as it was typed,
/// with its errors in the margin.
class ProgramEditor : public QWidget {
    Q_OBJECT
public:
    ProgramEditor(Session& session, QWidget* parent);

    /// Shows the program as it is, unless something typed has not been taken yet.
    void showNow();
    ProgramField* field() const { return m_field; }
    /// Reads what is typed at once, without waiting for the pause.
    void readNow();
    bool reading() const { return m_reading; }
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

    Session& m_session;
    ProgramField* m_field;
    QLabel* m_state;
    QPushButton* m_discard;
    QTimer m_pause;
    std::vector<TextError> m_errors;
    std::map<StepId, size_t> m_lineOf;
    std::map<size_t, std::pair<RoutineId, StepId>> m_stepAt;
    CellPtr m_shown;          ///< whose program the text is
    bool m_typed = false;     ///< something has not been read yet
    bool m_reading = false, m_setting = false, m_taking = false;
};

}  // namespace topikos
