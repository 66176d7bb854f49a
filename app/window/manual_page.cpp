#include "app/window/manual_page.h"

#include "app/theme/button.h"
#include "app/theme/theme.h"

#include <QFile>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QImage>
#include <QPushButton>
#include <QAbstractTextDocumentLayout>
#include <QScrollBar>
#include <QTextBlock>
#include <QTextList>
#include <QVBoxLayout>

namespace topikos {

namespace {

/// In the order in which a cell is built.
constexpr const char* kPages[] = {"first-cycle",     "layout",   "arms", "devices", "teach", "program",
                                  "program-grammar", "findings", "run",  "curves",  "files", "command-line"};

QString contentOf(const QString& page)
{
    QFile file(":/manual/" + page + ".md");
    return file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
}

QString titleOf(const QString& page)
{
    const QString text = contentOf(page);
    return text.mid(2, text.indexOf('\n') - 2);
}

constexpr int kWidest = 820;  // [px] of a column that reads well

/// Pictures fit the column, paragraphs stand apart.
class Pages : public QTextBrowser {
public:
    explicit Pages(QWidget* parent) : QTextBrowser(parent)
    {
        connect(this, &QTextBrowser::sourceChanged, this, [this] {
            for (QTextBlock block = document()->begin(); block.isValid(); block = block.next()) {
                QTextBlockFormat format = block.blockFormat();
                format.setTopMargin(format.headingLevel() > 0 ? 14 : 0);
                format.setBottomMargin(block.textList() ? 3 : 8);
                format.setLineHeight(125, QTextBlockFormat::ProportionalHeight);
                QTextCursor(block).setBlockFormat(format);
            }
        });
    }

protected:
    QVariant loadResource(int type, const QUrl& name) override
    {
        const QVariant loaded = QTextBrowser::loadResource(type, name);
        if (type != QTextDocument::ImageResource) return loaded;
        QImage image = QImage::fromData(loaded.toByteArray());
        const int widest = kWidest - 60;
        return image.width() > widest ? image.scaledToWidth(widest, Qt::SmoothTransformation) : image;
    }
};

}  // namespace

ManualPage::ManualPage(QWidget* parent) : QWidget(parent)
{
    setObjectName("manual");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 12, 12, 12);
    row->setSpacing(12);
    auto* side = new QVBoxLayout;
    row->addLayout(side);
    auto* title = new QLabel("Manual", this);
    title->setFont(textFont(14, QFont::DemiBold));
    side->addWidget(title);
    m_search = new QLineEdit(this);
    m_search->setObjectName("manualSearch");
    m_search->setAccessibleName("Find in the manual");
    m_search->setPlaceholderText("Find in the manual …");
    m_search->setClearButtonEnabled(true);
    side->addWidget(m_search);
    m_list = new QListWidget(this);
    m_list->setObjectName("manualPages");
    m_list->setAccessibleName("Pages of the manual");
    m_list->setFixedWidth(260);
    side->addWidget(m_list, 1);
    addButton(side, this, "manualLeave", "Back to the cell", "Esc", [this] { Q_EMIT leaveRequested(); });
    m_page = new Pages(this);
    m_page->setObjectName("manualPage");
    m_page->setAccessibleName("Page of the manual");
    m_page->setFont(textFont(14));
    m_page->document()->setDocumentMargin(18);
    m_page->setOpenExternalLinks(false);
    m_page->setMaximumWidth(kWidest);
    m_page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    row->addWidget(m_page, 1);
    row->addStretch();
    for (const char* page : kPages) {
        auto* item = new QListWidgetItem(titleOf(page), m_list);
        item->setData(Qt::UserRole, page);
    }
    connect(m_list, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (item)
            m_page->setSource(QUrl("qrc:/manual/" + item->data(Qt::UserRole).toString() + ".md"),
                              QTextDocument::MarkdownResource);
        if (!m_search->text().isEmpty()) m_page->find(m_search->text());
    });
    connect(m_search, &QLineEdit::textChanged, this, &ManualPage::search);
    connect(m_search, &QLineEdit::returnPressed, this, [this] {
        if (!m_page->find(m_search->text())) {
            m_page->moveCursor(QTextCursor::Start);
            m_page->find(m_search->text());
        }
    });
    m_list->setCurrentRow(0);
}

void ManualPage::showPage(const QString& name, const QString& section)
{
    m_search->clear();
    for (int i = 0; i < m_list->count(); ++i)
        if (m_list->item(i)->data(Qt::UserRole).toString() == name) m_list->setCurrentRow(i);
    m_page->moveCursor(QTextCursor::Start);
    if (section.isEmpty()) return;
    for (QTextBlock block = m_page->document()->begin(); block.isValid(); block = block.next())
        if (block.blockFormat().headingLevel() > 0 && block.text().compare(section, Qt::CaseInsensitive) == 0) {
            m_page->setTextCursor(QTextCursor(block));
            // Its heading at the top: places are known once the page is laid out.
            const QRectF place = m_page->document()->documentLayout()->blockBoundingRect(block);
            m_page->verticalScrollBar()->setValue(int(place.top()) - 8);
        }
}

void ManualPage::search(const QString& words)
{
    QListWidgetItem* first = nullptr;
    for (int i = 0; i < m_list->count(); ++i) {
        QListWidgetItem* item = m_list->item(i);
        const bool holds = contentOf(item->data(Qt::UserRole).toString()).contains(words, Qt::CaseInsensitive);
        item->setHidden(!holds);
        if (holds && !first) first = item;
    }
    if (!first) return;
    if (m_list->currentItem()->isHidden()) m_list->setCurrentItem(first);
    m_page->moveCursor(QTextCursor::Start);
    if (!words.isEmpty()) m_page->find(words);
}

void ManualPage::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape) Q_EMIT leaveRequested();
    else QWidget::keyPressEvent(event);
}

}  // namespace topikos
