#include "app/route/program_editor.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/devices.h"
#include "core/cell/step_tree.h"

#include <QAbstractItemView>
#include <QFutureWatcher>
#include <QHBoxLayout>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QRegularExpression>
#include <QScrollBar>
#include <QTextBlock>
#include <QToolTip>
#include <QVBoxLayout>
#include <QtConcurrent>

namespace topikos {

namespace {

constexpr int kMargin = 18;
constexpr int kPause = 500;  // of typing, after which it is read [ms]

/// Words of the grammar, numbers, texts and notes.
class Colours : public QSyntaxHighlighter {
public:
    using QSyntaxHighlighter::QSyntaxHighlighter;

    void highlightBlock(const QString& line) override
    {
        static const QRegularExpression head("^\\s*(off\\s+)?(routine|joint|line|arc|circle|grip|release|wait for|wait|set|pulse|"
                                             "move|call|repeat while|repeat until|repeat without end|repeat|for each|if|else|process|use point|"
                                             "read from|stop)\\b");
        static const QRegularExpression number("(?<![\\w.])[-+]?\\d+(\\.\\d+)?\\s*(mm/s|mm|°/s|°|%|s|times)?(?![\\w])");
        static const QRegularExpression behind("\\b(via|at most|at least|run by|without end|blend|acceleration|stop exactly|along|about|"
                                               "backwards)\\b");
        const auto paint = [&](const QRegularExpressionMatch& m, int group, const QTextCharFormat& format) {
            setFormat(int(m.capturedStart(group)), int(m.capturedLength(group)), format);
        };
        QTextCharFormat words, figures, faint, texts;
        words.setForeground(theme().accent);
        words.setFontWeight(QFont::DemiBold);
        figures.setForeground(theme().joint);
        faint.setForeground(theme().faint);
        texts.setForeground(theme().process);
        QTextCharFormat notes = faint;
        notes.setFontItalic(true);
        for (auto all = number.globalMatch(line); all.hasNext();)
            paint(all.next(), 0, figures);
        for (auto all = behind.globalMatch(line); all.hasNext();)
            paint(all.next(), 0, faint);
        if (const auto m = head.match(line); m.hasMatch()) {
            paint(m, 2, words);
            if (m.capturedLength(1) > 0) setFormat(0, int(line.size()), faint);
        }
        bool quoted = false;
        int from = 0;
        for (int i = 0; i < line.size(); ++i) {
            if (line[i] == '"') {
                if (!quoted) from = i;
                else setFormat(from, i - from + 1, texts);
                quoted = !quoted;
            }
            if (line[i] == '#' && !quoted && (i == 0 || line[i - 1] == ' ')) {
                setFormat(i, int(line.size()) - i, notes);
                break;
            }
        }
    }
};

}  // namespace

class ProgramField::Margin : public QWidget {
public:
    explicit Margin(ProgramField* field) : QWidget(field), m_field(field) {}
    void paintEvent(QPaintEvent* event) override { m_field->paintMargin(event); }
    bool event(QEvent* event) override
    {
        if (event->type() != QEvent::ToolTip) return QWidget::event(event);
        auto* help = static_cast<QHelpEvent*>(event);
        const int line = m_field->cursorForPosition(QPoint(0, help->pos().y())).blockNumber();
        const auto mark = m_field->m_marks.find(line);
        if (mark == m_field->m_marks.end()) QToolTip::hideText();
        else QToolTip::showText(help->globalPos(), mark->second.words, this);
        return true;
    }

private:
    ProgramField* m_field;
};

ProgramField::ProgramField(QWidget* parent) : QPlainTextEdit(parent)
{
    setObjectName("programField");
    setAccessibleName("Program as text");
    setFont(figureFont(12));
    setLineWrapMode(QPlainTextEdit::NoWrap);
    setTabChangesFocus(false);
    setViewportMargins(kMargin, 0, 0, 0);
    setUndoRedoEnabled(false);  // undo is the cell's
    new Colours(document());
    m_margin = new Margin(this);
    connect(this, &QPlainTextEdit::updateRequest, this, [this](const QRect&, int) { m_margin->update(); });
    m_words = new QStringListModel(this);
    m_completer = new QCompleter(m_words, this);
    m_completer->setWidget(this);
    m_completer->setCaseSensitivity(Qt::CaseInsensitive);
    m_completer->setCompletionMode(QCompleter::PopupCompletion);
    connect(m_completer, qOverload<const QString&>(&QCompleter::activated), this, [this](const QString& words) {
        QTextCursor cursor = textCursor();
        cursor.movePosition(QTextCursor::Left, QTextCursor::KeepAnchor, int(completionAt().first.size()));
        cursor.insertText(words);
        setTextCursor(cursor);
    });
}

void ProgramField::setMarks(std::map<int, Mark> marks)
{
    m_marks = std::move(marks);
    m_margin->update();
}

void ProgramField::paintMargin(QPaintEvent* event)
{
    QPainter p(m_margin);
    p.fillRect(event->rect(), theme().paper);
    p.setRenderHint(QPainter::Antialiasing);
    QTextBlock block = firstVisibleBlock();
    double top = blockBoundingGeometry(block).translated(contentOffset()).top();
    while (block.isValid() && top <= event->rect().bottom()) {
        const double height = blockBoundingRect(block).height();
        if (const auto mark = m_marks.find(block.blockNumber()); mark != m_marks.end())
            drawSeverity(p, QRectF(3, top + height / 2 - 6, 12, 12), mark->second.severity);
        top += height;
        block = block.next();
    }
}

void ProgramField::resizeEvent(QResizeEvent* event)
{
    QPlainTextEdit::resizeEvent(event);
    const QRect r = contentsRect();
    m_margin->setGeometry(r.left(), r.top(), kMargin, r.height());
}

bool ProgramField::event(QEvent* event)
{
    // Undo and redo are those of the cell, also while the field has the keys.
    if (event->type() == QEvent::ShortcutOverride) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (key->matches(QKeySequence::Undo) || key->matches(QKeySequence::Redo)) return event->ignore(), false;
    }
    return QPlainTextEdit::event(event);
}

std::pair<QString, QStringList> ProgramField::completionAt() const
{
    const QTextCursor cursor = textCursor();
    const QString line = cursor.block().text().left(cursor.positionInBlock());
    const std::pair<QRegularExpression, const QStringList*> kinds[] = {
        {QRegularExpression("^\\s*(off\\s+)?$"), &m_known.steps},
        {QRegularExpression("\\b(wait for|if|until|while|set|pulse)\\s+$"), &m_known.signalNames},
        {QRegularExpression("\\bcall\\s+$"), &m_known.routines},
        {QRegularExpression("\\b(for each place of|for each|with)\\s+$"), &m_known.patterns},
        {QRegularExpression("\\b(read from|of frame)\\s+$"), &m_known.frames},
        {QRegularExpression("\\bmove\\s+$"), &m_known.devices},
        {QRegularExpression("\\bprocess\\s+$"), &m_known.processes},
        {QRegularExpression("\\b(run by|, for)\\s+$"), &m_known.arms},
        {QRegularExpression("(\\b(to|over|via|and)\\s+|[(,]\\s*)$"), &m_known.places},
        {QRegularExpression("\\s$"), &m_known.behind}};
    // The longest end of the line that some word begins with which can stand there.
    for (qsizetype i = 0; i < line.size(); ++i) {
        const bool begins = line[i] != ' ' && (i == 0 || QString(" ,(").contains(line[i - 1]));
        if (!begins) continue;
        const QString before = line.left(i), end = line.mid(i);
        for (const auto& [behind, words] : kinds) {
            if (!behind.match(before).hasMatch()) continue;
            if (std::any_of(words->begin(), words->end(), [&](const QString& w) { return w.startsWith(end, Qt::CaseInsensitive); }))
                return {end, *words};
            break;
        }
    }
    return {};
}

void ProgramField::complete(bool asked)
{
    const auto [prefix, words] = completionAt();
    if (prefix.size() < (asked ? 1 : 3)) return m_completer->popup()->hide();
    m_words->setStringList(words);
    m_completer->setCompletionPrefix(prefix);
    const bool whole = m_completer->completionCount() == 1 && m_completer->currentCompletion().compare(prefix, Qt::CaseInsensitive) == 0;
    if (m_completer->completionCount() == 0 || whole) return m_completer->popup()->hide();
    m_completer->popup()->setCurrentIndex(m_completer->completionModel()->index(0, 0));
    QRect place = cursorRect();
    place.translate(kMargin, 4);
    place.setWidth(240);
    m_completer->complete(place);
}

void ProgramField::keyPressEvent(QKeyEvent* event)
{
    QAbstractItemView* popup = m_completer->popup();
    const int key = event->key();
    if (popup->isVisible() && (key == Qt::Key_Return || key == Qt::Key_Enter || key == Qt::Key_Tab || key == Qt::Key_Escape)) {
        const QString chosen = popup->currentIndex().data().toString();
        popup->hide();
        if (key != Qt::Key_Escape && !chosen.isEmpty()) Q_EMIT m_completer->activated(chosen);
        return;
    }
    if (key == Qt::Key_Escape) return Q_EMIT left();
    if (key == Qt::Key_Space && event->modifiers() & Qt::ControlModifier) return complete(true);
    if (key == Qt::Key_Tab && !textCursor().hasSelection()) {
        // To the next level of blocks.
        const int at = textCursor().positionInBlock();
        return insertPlainText(QString(4 - at % 4, ' '));
    }
    if (key == Qt::Key_Return || key == Qt::Key_Enter) {
        // The next line begins below this one, or further in behind the head of a block.
        const QString line = textCursor().block().text();
        static const QRegularExpression opens("^\\s*(off\\s+)?(routine|repeat|for each|if|else)\\b");
        qsizetype indent = 0;
        while (indent < line.size() && line[indent] == ' ')
            ++indent;
        if (opens.match(line).hasMatch()) indent += 4;
        return insertPlainText("\n" + QString(indent, ' '));
    }
    if (key == Qt::Key_Backspace && !textCursor().hasSelection()) {
        // In the indentation back by a level.
        QTextCursor cursor = textCursor();
        const QString before = cursor.block().text().left(cursor.positionInBlock());
        if (!before.isEmpty() && before.trimmed().isEmpty() && before.size() % 4 == 0) {
            cursor.movePosition(QTextCursor::Left, QTextCursor::KeepAnchor, 4);
            return cursor.removeSelectedText();
        }
    }
    QPlainTextEdit::keyPressEvent(event);
    if (!event->text().isEmpty() && event->text()[0].isPrint()) complete(false);
    else popup->hide();
}

ProgramEditor::ProgramEditor(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
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
    connect(m_discard, &QPushButton::clicked, this, [this] {
        m_typed = false;
        m_errors.clear();
        showNow();
    });
    foot->addWidget(m_discard);
    column->addLayout(foot);
    m_pause.setSingleShot(true);
    m_pause.setInterval(kPause);
    connect(&m_pause, &QTimer::timeout, this, &ProgramEditor::read);
    connect(m_field, &QPlainTextEdit::textChanged, this, [this] {
        if (m_setting) return;
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
    words.steps = QStringList{"routine ", "joint to ", "joint over ", "joint by ", "line to ", "line over ", "line by ", "arc via ", "circle via ",
                              "grip", "release", "wait ", "wait for ", "set ", "pulse ", "move ", "call ", "repeat ", "repeat without end",
                              "repeat until ", "repeat while ", "for each place of ", "if ", "else", "process ", "use point ", "read from ",
                              "stop "};
    words.behind = QStringList{"blend ", "acceleration ", "stop exactly", "at most ", "at least ", "along ", "about ", "backwards", "run by ",
                               "of tool", "of world", "of frame "};
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
    for (QStringList* list : {&words.steps, &words.places, &words.signalNames, &words.routines, &words.patterns, &words.frames}) {
        list->removeDuplicates();
        list->sort(Qt::CaseInsensitive);
    }
    m_field->setWords(words);
}

void ProgramEditor::showNow()
{
    if (m_typed || !m_errors.empty()) {
        // What was typed is not lost by an edit elsewhere.
        m_discard->show();
        return;
    }
    const CellPtr& cell = m_session.history().current();
    fillWords();
    if (m_shown != cell) {
        m_shown = cell;
        const QString words = text(programText(*cell));
        if (words != m_field->toPlainText()) {
            m_setting = true;
            const int line = m_field->textCursor().blockNumber(), scrolled = m_field->verticalScrollBar()->value();
            m_field->setPlainText(words);
            m_field->setTextCursor(QTextCursor(m_field->document()->findBlockByNumber(
                std::min(line, m_field->document()->blockCount() - 1))));
            m_field->verticalScrollBar()->setValue(scrolled);
            m_setting = false;
        }
        const ProgramLines lines = programLines(*cell);
        m_lineOf = lines.steps;
        m_stepAt.clear();
        for (const Routine& routine : cell->routines)
            eachStep(routine.steps, [&](const Step& step, size_t) {
                m_stepAt[m_lineOf[step.id]] = {routine.id, step.id};
            });
    }
    m_discard->hide();
    showMarks();
    showSelection();
}

void ProgramEditor::readNow()
{
    m_pause.stop();
    read();
}

void ProgramEditor::read()
{
    if (m_reading) {
        m_pause.start();
        return;
    }
    m_reading = true;
    m_typed = false;
    const CellPtr cell = m_session.history().current();
    const std::string words = m_field->toPlainText().toStdString();
    auto* watcher = new QFutureWatcher<std::shared_ptr<ProgramReading>>(this);
    connect(watcher, &QFutureWatcherBase::finished, this, [=, this] {
        watcher->deleteLater();
        m_reading = false;
        if (cell != m_session.history().current()) {
            // Something was edited meanwhile: read again on top of that.
            m_typed = true;
            m_pause.start();
            return;
        }
        take(*watcher->result());
        if (!m_typed) Q_EMIT settled();
    });
    watcher->setFuture(QtConcurrent::run([cell, words] { return std::make_shared<ProgramReading>(readProgram(*cell, words)); }));
}

void ProgramEditor::take(const ProgramReading& reading)
{
    m_errors = reading.errors;
    m_discard->setVisible(!m_errors.empty());
    if (reading.cell) {
        m_lineOf = reading.lines.steps;
        m_stepAt.clear();
        for (const Routine& routine : reading.cell->routines)
            eachStep(routine.steps, [&](const Step& step, size_t) { m_stepAt[m_lineOf[step.id]] = {routine.id, step.id}; });
        if (!(*reading.cell == m_session.cell())) {
            m_taking = true;
            const Cell next = *reading.cell;
            m_session.edit("Change the program's text", [&](const Cell&) -> Result<Cell> { return next; });
            m_taking = false;
            fillWords();
        }
        m_shown = m_session.history().current();
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
            ProgramField::Mark& mark = marks.try_emplace(int(line->second), ProgramField::Mark{f->severity, {}, false}).first->second;
            mark.severity = std::max(mark.severity, f->severity);
            mark.words += (mark.words.isEmpty() ? "" : "\n") + text(findingText(*checked->cell, *f).line());
        }
    QList<QTextEdit::ExtraSelection> waves;
    for (const TextError& error : m_errors) {
        const QTextBlock block = m_field->document()->findBlockByNumber(int(error.line) - 1);
        ProgramField::Mark& mark = marks[int(error.line) - 1];
        mark.error = true;
        mark.severity = Severity::Blocked;
        mark.words += (mark.words.isEmpty() ? "" : "\n") + text(error.message + ". " + error.remedy);
        if (!block.isValid()) continue;
        QTextEdit::ExtraSelection wave;
        wave.format.setUnderlineStyle(QTextCharFormat::WaveUnderline);
        wave.format.setUnderlineColor(theme().blocked);
        wave.cursor = QTextCursor(block);
        // Columns count bytes; the cursor counts characters.
        const QByteArray bytes = block.text().toUtf8();
        const int column = int(QString::fromUtf8(bytes.left(qsizetype(error.column) - 1)).size());
        wave.cursor.movePosition(QTextCursor::Right, QTextCursor::MoveAnchor, std::min(column, int(block.text().size())));
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
        const Error words{"", first.message, "", first.remedy};
        m_state->setText(QString("Line %1: %2%3 The program runs as it was before.")
                             .arg(first.line)
                             .arg(text(words.line()), more));
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
