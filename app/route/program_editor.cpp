#include "app/route/program_editor.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/devices.h"
#include "core/cell/step_tree.h"

#include <QHBoxLayout>
#include <QScrollBar>
#include <QTextBlock>
#include <QVBoxLayout>

namespace topikos {

namespace {

constexpr int kPause = 500;  // of typing, after which it is read [ms]

/// What differs between two lists of lines, as one stretch: what is the same before and behind is left out.
struct Hunk {
    qsizetype first = 0;        ///< line
    qsizetype was = 0, is = 0;  ///< lines of the two
};
Hunk hunkOf(const QStringList& was, const QStringList& is)
{
    Hunk out;
    const qsizetype both = std::min(was.size(), is.size());
    while (out.first < both && was[out.first] == is[out.first])
        ++out.first;
    qsizetype behind = 0;
    while (behind < both - out.first && was[was.size() - 1 - behind] == is[is.size() - 1 - behind])
        ++behind;
    out.was = was.size() - out.first - behind;
    out.is = is.size() - out.first - behind;
    return out;
}

}  // namespace

ProgramEditor::ProgramEditor(Session& session, QWidget* parent) :
    QWidget(parent), m_session(session), m_work(session, "Reading the program's text")
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(6, 0, 6, 6);
    column->setSpacing(3);
    m_field = new ProgramField(this);
    column->addWidget(m_field, 1);
    auto* foot = new QHBoxLayout;
    m_state = new QLabel(this);
    m_state->setObjectName("programState");
    m_state->setWordWrap(true);
    foot->addWidget(m_state, 1);
    m_discard = new QPushButton("Discard", this);
    m_discard->setObjectName("programDiscard");
    m_discard->setToolTip("Shows the program as it is in the cell; what was typed and could not be taken goes");
    m_discard->hide();
    connect(m_discard, &QPushButton::clicked, this, &ProgramEditor::discard);
    foot->addWidget(m_discard);
    column->addLayout(foot);
    m_pause.setSingleShot(true);
    m_pause.setInterval(kPause);
    connect(&m_pause, &QTimer::timeout, this, &ProgramEditor::read);
    connect(m_field, &QPlainTextEdit::textChanged, this, [this] {
        // Colours count as changes, too.
        if (m_setting || (!m_typed && m_field->toPlainText() == m_known)) return;
        m_typed = true;
        m_pause.start();
    });
    connect(m_field, &QPlainTextEdit::cursorPositionChanged, this, &ProgramEditor::followCursor);
    connect(&session, &Session::cellChanged, this, [this] {
        if (isVisible() && !m_taking) showNow();
    });
    connect(&session, &Session::checkedChanged, this, [this] {
        if (isVisible()) showMarks();
    });
    connect(&session, &Session::selectionChanged, this, &ProgramEditor::showSelection);
}

void ProgramEditor::fillWords()
{
    const Cell& cell = m_session.cell();
    ProgramField::Words words;
    words.steps << "routine ";
    for (const StepTraits& own : kStepTraits)
        for (const char* typed : own.typed)
            if (typed) words.steps << typed;
    words.behind = QStringList{"blend ",
                               "acceleration ",
                               "stop exactly",
                               "at most ",
                               "at least ",
                               "along ",
                               "about ",
                               "backwards",
                               "run by ",
                               "of tool",
                               "of world",
                               "of frame ",
                               "approach of ",
                               "near approach of ",
                               "retract of ",
                               "near retract of ",
                               "from approach to retract"};
    const auto add = [](const auto& objects, QStringList& list) {
        for (const auto& o : objects)
            list << text(o.name);
    };
    words.places << "place";
    add(cell.targets, words.places);
    for (const Routine& r : cell.routines)
        add(r.parameters, words.places);
    add(cell.signals, words.signalNames);
    add(cell.routines, words.routines);
    for (const Pattern& p : cell.patterns)
        if (p.content == Pattern::Content::Targets) {
            words.patterns << text(p.name);
            words.places << text(p.name) + " place";
        }
    words.frames << "World";
    add(cell.frames, words.frames);
    for (const FrameId device : movableDevices(cell))
        words.devices << text(frameName(cell, device));
    for (const Tool& t : cell.tools)
        add(t.processes, words.processes);
    add(cell.arms, words.arms);
    for (QStringList* list :
         {&words.steps, &words.places, &words.signalNames, &words.routines, &words.patterns, &words.frames}) {
        list->removeDuplicates();
        list->sort(Qt::CaseInsensitive);
    }
    m_field->setWords(words);
}

void ProgramEditor::showNow()
{
    if (m_typed || !m_errors.empty()) {
        // What was typed is not lost by an edit elsewhere, nor is that edit.
        takeOver();
        m_discard->show();
        return;
    }
    const CellPtr& cell = m_session.history().current();
    fillWords();
    if (m_shown != cell) {
        m_shown = cell;
        ProgramLines lines;
        const QString words = text(programText(*cell, &lines));
        if (words != m_field->toPlainText()) {
            m_setting = true;
            const int line = m_field->textCursor().blockNumber(), scrolled = m_field->verticalScrollBar()->value();
            m_field->setPlainText(words);
            m_field->setTextCursor(QTextCursor(
                m_field->document()->findBlockByNumber(std::min(line, m_field->document()->blockCount() - 1))));
            m_field->verticalScrollBar()->setValue(scrolled);
            m_setting = false;
        }
        setLines(*cell, lines);
        m_known = m_field->toPlainText();
    }
    m_discard->hide();
    showMarks();
    showSelection();
}

void ProgramEditor::takeOver()
{
    const CellPtr& now = m_session.history().current();
    if (!m_shown || m_shown == now) return;
    const QStringList was = text(programText(*m_shown)).split('\n'), is = text(programText(*now)).split('\n'),
                      typed = m_field->toPlainText().split('\n');
    m_shown = now;
    if (was == is) return;
    const Hunk theirs = hunkOf(was, is), own = hunkOf(was, typed);
    const bool before = theirs.first + theirs.was <= own.first, behind = theirs.first >= own.first + own.was;
    if (!before && !behind) {
        m_session.say("The program was changed elsewhere in the lines that are being typed here; they stay as typed.",
                      true);
        return;
    }
    const int at = int(before ? theirs.first : theirs.first + own.is - own.was);
    // As one change of the text, so that the caret stays where it is and the typing can still be taken back.
    QTextCursor cursor(m_field->document());
    cursor.beginEditBlock();
    const QTextBlock first = m_field->document()->findBlockByNumber(at);
    if (first.isValid()) cursor.setPosition(first.position());
    else cursor.movePosition(QTextCursor::End);
    for (qsizetype n = 0; n < theirs.was; ++n) {
        cursor.movePosition(QTextCursor::NextBlock, QTextCursor::KeepAnchor);
        cursor.removeSelectedText();
    }
    for (qsizetype n = 0; n < theirs.is; ++n)
        cursor.insertText(is[theirs.first + n] + '\n');
    cursor.endEditBlock();
}

bool ProgramEditor::undoTyping()
{
    if (m_field->hasFocus() && isOpen() && m_field->document()->isUndoAvailable()) return m_field->undo(), true;
    if (m_typed) flush();
    return false;
}

bool ProgramEditor::redoTyping()
{
    if (m_field->hasFocus() && m_field->document()->isRedoAvailable()) return m_field->redo(), true;
    return false;
}

void ProgramEditor::setLines(const Cell& cell, const ProgramLines& lines)
{
    m_lineOf = lines.steps;
    m_stepAt.clear();
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t) { m_stepAt[m_lineOf[step.id]] = {routine.id, step.id}; });
}

void ProgramEditor::discard()
{
    m_pause.stop();
    m_typed = false;
    m_errors.clear();
    m_shown.reset();
    showNow();
}

bool ProgramEditor::flush()
{
    if (m_typed || reading()) {
        m_work.giveUp();
        m_pause.stop();
        m_typed = false;
        m_known = m_field->toPlainText();
        take(readProgram(m_session.cell(), m_known.toStdString()));
    }
    return m_errors.empty();
}

void ProgramEditor::read()
{
    if (reading()) {
        m_pause.start();
        return;
    }
    m_typed = false;
    const CellPtr cell = m_session.history().current();
    m_known = m_field->toPlainText();
    m_work.start([cell, words = m_known.toStdString()](const Background::Task&) { return readProgram(*cell, words); },
                 [this, cell](const ProgramReading& reading) {
                     if (cell != m_session.history().current()) {
                         // Something was edited meanwhile: read again on top of that.
                         m_typed = true;
                         m_pause.start();
                         return;
                     }
                     take(reading);
                     if (!m_typed) Q_EMIT settled();
                 });
}

void ProgramEditor::take(const ProgramReading& reading)
{
    m_errors = reading.errors;
    m_discard->setVisible(!m_errors.empty());
    if (reading.cell) {
        setLines(*reading.cell, reading.lines);
        if (!(*reading.cell == m_session.cell())) {
            m_taking = true;
            const Cell next = *reading.cell;
            m_session.edit("Change the program's text", [&](const Cell&) -> Result<Cell> { return next; });
            m_taking = false;
            fillWords();
        }
        m_shown = m_session.history().current();
        // From here on the undo of the cell takes it back.
        m_field->document()->clearUndoRedoStacks();
        followCursor();
    }
    showMarks();
}

void ProgramEditor::showMarks()
{
    std::map<int, ProgramField::Mark> marks;
    const CheckedCell* checked = m_session.checked();
    if (m_errors.empty() && checked && m_session.checkIsFresh())
        for (const Finding* f : withFollowUps(checked->result.findings)) {
            const auto line = m_lineOf.find(f->step);
            if (line == m_lineOf.end()) continue;
            ProgramField::Mark& mark =
                marks.try_emplace(int(line->second), ProgramField::Mark{f->severity, {}, false}).first->second;
            mark.severity = std::max(mark.severity, f->severity);
            mark.words += (mark.words.isEmpty() ? "" : "\n") + text(findingText(*checked->cell, *f).line());
        }
    QList<QTextEdit::ExtraSelection> waves;
    for (const TextError& error : m_errors) {
        const QTextBlock block = m_field->document()->findBlockByNumber(int(error.line) - 1);
        ProgramField::Mark& mark = marks[int(error.line) - 1];
        mark.error = true;
        mark.severity = Severity::Blocked;
        mark.words += (mark.words.isEmpty() ? "" : "\n") + text(error.words());
        if (!block.isValid()) continue;
        QTextEdit::ExtraSelection wave;
        wave.format.setUnderlineStyle(QTextCharFormat::WaveUnderline);
        wave.format.setUnderlineColor(theme().blocked);
        wave.cursor = QTextCursor(block);
        // Columns count bytes; the cursor counts characters.
        const QByteArray bytes = block.text().toUtf8();
        const int column = int(QString::fromUtf8(bytes.left(qsizetype(error.column) - 1)).size());
        wave.cursor.movePosition(QTextCursor::Right, QTextCursor::MoveAnchor,
                                 std::min(column, int(block.text().size())));
        wave.cursor.movePosition(QTextCursor::EndOfBlock, QTextCursor::KeepAnchor);
        wave.cursor.setKeepPositionOnInsert(true);  // what is typed on is not wrong yet
        if (!wave.cursor.hasSelection()) wave.cursor.movePosition(QTextCursor::StartOfBlock, QTextCursor::KeepAnchor);
        waves << wave;
    }
    m_field->setExtraSelections(waves);
    m_field->setMarks(std::move(marks));
    if (!m_errors.empty()) {
        const TextError& first = m_errors.front();
        const QString more = m_errors.size() > 1 ? QString(" (and %1 more)").arg(m_errors.size() - 1) : QString();
        m_state->setText(
            QString("Line %1: %2%3 The program runs as it was before.").arg(first.line).arg(text(first.words()), more));
        m_state->setStyleSheet(QString("color: %1; font-size: 12px;").arg(theme().blocked.name()));
    } else {
        m_state->setText("Taken at each pause of typing. Ctrl+Space completes names.");
        m_state->setStyleSheet(QString("color: %1; font-size: 11px;").arg(theme().faint.name()));
    }
}

void ProgramEditor::followCursor()
{
    if (m_setting || m_typed || !m_errors.empty() || !m_field->hasFocus()) return;
    const auto at = m_stepAt.find(size_t(m_field->textCursor().blockNumber()));
    if (at == m_stepAt.end()) return;
    m_setting = true;
    m_taking = true;
    m_session.showRoutine(at->second.first);
    m_session.select(at->second.second);
    m_taking = false;
    m_setting = false;
}

void ProgramEditor::showSelection()
{
    if (m_setting || m_field->hasFocus() || !isVisible()) return;
    const auto line = m_lineOf.find(m_session.selected<StepId>());
    if (line == m_lineOf.end()) return;
    m_setting = true;
    m_field->setTextCursor(QTextCursor(m_field->document()->findBlockByNumber(int(line->second))));
    m_field->ensureCursorVisible();
    m_setting = false;
}

}  // namespace topikos
