#pragma once
#include "core/check/finding.h"

#include <QCompleter>
#include <QPlainTextEdit>
#include <QSyntaxHighlighter>
#include <QStringListModel>

#include <map>

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
    QSyntaxHighlighter* m_colours = nullptr;
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

}  // namespace topikos
