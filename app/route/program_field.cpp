#include "app/route/program_field.h"

#include "app/theme/theme.h"

#include <QAbstractItemView>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QRegularExpression>
#include <QSyntaxHighlighter>
#include <QScrollBar>
#include <QTextBlock>
#include <QToolTip>

namespace topikos {

namespace {

constexpr int kMargin = 18;

/// Words of the grammar, numbers, texts and notes.
class Colours : public QSyntaxHighlighter {
public:
    using QSyntaxHighlighter::QSyntaxHighlighter;

    void highlightBlock(const QString& line) override
    {
        static const QRegularExpression head = [] {
            QStringList words{"routine", "else", "repeat while", "repeat until", "repeat without end"};
            for (const StepTraits& own : kStepTraits)
                for (const std::string_view word : own.heads)
                    if (!word.empty()) words << QString::fromUtf8(word.data(), qsizetype(word.size()));
            // The longest first, since the first one that fits counts.
            std::sort(words.begin(), words.end(),
                      [](const QString& a, const QString& b) { return a.size() > b.size(); });
            return QRegularExpression("^\\s*(off\\s+)?(" + words.join('|') + ")\\b");
        }();
        static const QRegularExpression number("(?<![\\w.])[-+]?\\d+(\\.\\d+)?\\s*(mm/s|mm|°/s|°|%|s|times)?(?![\\w])");
        static const QRegularExpression behind(
            "\\b(via|at most|at least|run by|without end|blend|acceleration|stop exactly|along|about|"
            "backwards|near|approach of|retract of|from approach to retract)\\b");
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
    m_colours = new Colours(document());
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
    if (event->type() == QEvent::StyleChange && m_colours) {
        // Another look has other colours; nothing is typed by that.
        const QSignalBlocker quiet(this);
        m_colours->rehighlight();
    }
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
        {QRegularExpression("\\b(for each place of|for each|with|follow)\\s+$"), &m_known.patterns},
        {QRegularExpression("\\b(read from|of frame)\\s+$"), &m_known.frames},
        {QRegularExpression("\\bmove\\s+$"), &m_known.devices},
        {QRegularExpression("\\bprocess\\s+$"), &m_known.processes},
        {QRegularExpression("\\b(run by|, for)\\s+$"), &m_known.arms},
        {QRegularExpression("(\\b(to|over|via|and|approach of|retract of)\\s+|[(,]\\s*)$"), &m_known.places},
        {QRegularExpression("\\s$"), &m_known.behind}};
    // The longest end of the line that some word begins with which can stand there.
    for (qsizetype i = 0; i < line.size(); ++i) {
        const bool begins = line[i] != ' ' && (i == 0 || QString(" ,(").contains(line[i - 1]));
        if (!begins) continue;
        const QString before = line.left(i), end = line.mid(i);
        for (const auto& [behind, words] : kinds) {
            if (!behind.match(before).hasMatch()) continue;
            if (std::any_of(words->begin(), words->end(),
                            [&](const QString& w) { return w.startsWith(end, Qt::CaseInsensitive); }))
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
    const bool whole = m_completer->completionCount() == 1
                       && m_completer->currentCompletion().compare(prefix, Qt::CaseInsensitive) == 0;
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
    if (popup->isVisible()
        && (key == Qt::Key_Return || key == Qt::Key_Enter || key == Qt::Key_Tab || key == Qt::Key_Escape)) {
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

}  // namespace topikos
