#include "app/layout/layout_panel.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/theme/typed_delegate.h"

#include <QHeaderView>
#include <QPainter>
#include <QVBoxLayout>

namespace topikos {

namespace {

enum Role { kKindRole = Qt::UserRole, kIdRole, kOffsetRole };
enum Kind { WorldRow, FrameRow, ArmRow, ToolRow, PartRow };

/// Two lines: the name and, below it in figures, the offset from the parent.
class LayoutDelegate : public TypedDelegate {
public:
    using TypedDelegate::TypedDelegate;

    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override { return {120, index.data(kOffsetRole).toString().isEmpty() ? 26 : 40}; }

    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        p->save();
        const QRect r = option.rect;
        if (option.state & QStyle::State_Selected) p->fillRect(r, theme().accentSoft);
        static const char* glyphs[] = {"frame", "frame", "arm", "tool", "part"};
        const QString offset = index.data(kOffsetRole).toString();
        drawGlyph(*p, QRectF(r.left() + 2, r.top() + (offset.isEmpty() ? 5 : 4), 15, 15), glyphs[index.data(kKindRole).toInt()], theme().accent);
        p->setFont(textFont(13));
        p->setPen(theme().ink);
        const QRect words = r.adjusted(23, offset.isEmpty() ? 0 : 2, -6, 0);
        const int alignment = offset.isEmpty() ? int(Qt::AlignVCenter) : int(Qt::AlignTop);
        p->drawText(words, alignment, QFontMetrics(p->font()).elidedText(index.data(Qt::DisplayRole).toString(), Qt::ElideRight, words.width()));
        p->setFont(figureFont(11));
        p->setPen(theme().faint);
        p->drawText(r.adjusted(23, 20, -4, 0), Qt::AlignTop, QFontMetrics(p->font()).elidedText(offset, Qt::ElideRight, r.width() - 27));
        p->restore();
    }
    void updateEditorGeometry(QWidget* editor, const QStyleOptionViewItem& option, const QModelIndex&) const override { editor->setGeometry(option.rect.adjusted(20, 0, -2, 0)); }
};

}  // namespace

LayoutPanel::LayoutPanel(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(4, 6, 0, 6);
    m_tree = new QTreeWidget(this);
    m_tree->setObjectName("layoutTree");
    m_tree->setHeaderHidden(true);
    m_tree->setIndentation(14);
    m_tree->setItemDelegate(new LayoutDelegate(this));
    m_tree->setEditTriggers(QAbstractItemView::EditKeyPressed);
    m_tree->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(m_tree);

    connect(m_tree, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (m_filling || !item) return;
        const std::uint32_t id = item->data(0, kIdRole).toUInt();
        switch (item->data(0, kKindRole).toInt()) {
        case FrameRow:
        case ArmRow: m_session.select(FrameId{id}); break;
        case ToolRow: m_session.select(ToolId{id}); break;
        case PartRow: m_session.select(PartId{id}); break;
        default: m_session.select({});
        }
    });
    connect(m_tree, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item) {
        if (m_filling) return;
        const std::uint32_t id = item->data(0, kIdRole).toUInt();
        const std::string name = item->text(0).trimmed().toStdString();
        bool done = false;
        switch (item->data(0, kKindRole).toInt()) {
        case FrameRow: done = m_session.edit("Rename frame", [&](const Cell& c) { return renameFrame(c, {id}, name); }); break;
        case ToolRow: done = m_session.edit("Rename tool", [&](const Cell& c) { return renameTool(c, {id}, name); }); break;
        case PartRow: done = m_session.edit("Rename part", [&](const Cell& c) { return renamePart(c, {id}, name); }); break;
        default: break;
        }
        if (!done) fill();
    });
    connect(&session, &Session::cellChanged, this, &LayoutPanel::fill, Qt::QueuedConnection);
    connect(&session, &Session::selectionChanged, this, &LayoutPanel::showSelection);
    fill();
}

void LayoutPanel::fill()
{
    m_filling = true;
    m_tree->clear();
    const Cell& cell = m_session.cell();
    const auto row = [&](QTreeWidgetItem* parent, Kind kind, std::uint32_t id, const std::string& name, const QString& offset) {
        auto* item = parent ? new QTreeWidgetItem(parent) : new QTreeWidgetItem(m_tree);
        item->setText(0, text(name));
        item->setData(0, kKindRole, kind);
        item->setData(0, kIdRole, id);
        item->setData(0, kOffsetRole, offset);
        item->setToolTip(0, offset.isEmpty() ? text(name) : text(name) + ": " + offset + " from " + (parent ? parent->text(0) : QString()));
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | (kind == WorldRow || kind == ArmRow ? Qt::NoItemFlags : Qt::ItemIsEditable));
        return item;
    };
    const auto branch = [&](auto&& self, QTreeWidgetItem* parent, FrameId frame) -> void {
        if (cell.arm.mount == frame) {
            QTreeWidgetItem* arm = row(parent, ArmRow, frame.value, cell.arm.name + " (" + cell.arm.model->description().name + ")", {});
            const Tool& tool = toolInForce(cell);
            row(arm, ToolRow, tool.id.value, tool.name, "TCP " + offsetText(tool.flangeFromTcp, cell.angles));
        }
        for (const Frame& f : cell.frames)
            if (f.parent == frame) self(self, row(parent, FrameRow, f.id.value, f.name, offsetText(f.pose, cell.angles)), f.id);
        for (const Part& p : cell.parts)
            if (p.frame == frame) row(parent, PartRow, p.id.value, p.name, offsetText(p.pose, cell.angles));
    };
    branch(branch, row(nullptr, WorldRow, 0, "World", {}), {});
    m_tree->expandAll();
    m_filling = false;
    showSelection();
}

void LayoutPanel::showSelection()
{
    m_filling = true;
    QTreeWidgetItem* wanted = nullptr;
    for (QTreeWidgetItemIterator it(m_tree); *it; ++it) {
        const int kind = (*it)->data(0, kKindRole).toInt();
        const std::uint32_t id = (*it)->data(0, kIdRole).toUInt();
        if ((kind == FrameRow && m_session.selected<FrameId>() == FrameId{id} && id) || (kind == ToolRow && m_session.selected<ToolId>() == ToolId{id})
            || (kind == PartRow && m_session.selected<PartId>() == PartId{id}))
            wanted = *it;
    }
    m_tree->setCurrentItem(wanted);
    m_filling = false;
}

}  // namespace topikos
