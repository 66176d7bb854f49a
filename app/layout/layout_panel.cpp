#include "app/layout/layout_panel.h"

#include "app/layout/layout_commands.h"
#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "app/theme/typed_delegate.h"
#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/diff.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QVBoxLayout>

namespace topikos {

namespace {

enum Role { kKindRole = Qt::UserRole, kIdRole, kOffsetRole, kFadedRole, kMarkRole };
enum Kind { WorldRow, FrameRow, ArmRow, ToolRow, PartRow, PatternRow, DeviceRow, AxisRow };

/// Two lines: the name and, below it in figures, the offset from the parent.
class LayoutDelegate : public TypedDelegate {
public:
    using TypedDelegate::TypedDelegate;

    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override
    {
        return {120, index.data(kOffsetRole).toString().isEmpty() ? 26 : 40};
    }

    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        p->save();
        const QRect r = option.rect;
        if (option.state & QStyle::State_Selected) p->fillRect(r, theme().accentSoft);
        static const char* glyphs[] = {"frame", "frame", "arm", "tool", "part", "pattern", "device", "axis"};
        const QString offset = index.data(kOffsetRole).toString();
        drawGlyph(*p, QRectF(r.left() + 2, r.top() + (offset.isEmpty() ? 5 : 4), 15, 15),
                  glyphs[index.data(kKindRole).toInt()], theme().accent);
        p->setFont(textFont(13));
        p->setPen(index.data(kFadedRole).toBool() ? theme().faint : theme().ink);
        const QString mark = index.data(kMarkRole).toString();
        const QRect words = r.adjusted(23, offset.isEmpty() ? 0 : 2, mark.isEmpty() ? -6 : -60, 0);
        const int alignment = offset.isEmpty() ? int(Qt::AlignVCenter) : int(Qt::AlignTop);
        p->drawText(
            words, alignment,
            QFontMetrics(p->font()).elidedText(index.data(Qt::DisplayRole).toString(), Qt::ElideRight, words.width()));
        p->setPen(theme().faint);
        p->setFont(textFont(11));
        if (!mark.isEmpty()) p->drawText(r.adjusted(0, 3, -6, 0), Qt::AlignTop | Qt::AlignRight, mark);
        p->setFont(figureFont(11));
        p->drawText(r.adjusted(23, 20, -4, 0), Qt::AlignTop,
                    QFontMetrics(p->font()).elidedText(offset, Qt::ElideRight, r.width() - 27));
        p->restore();
    }
    void updateEditorGeometry(QWidget* editor, const QStyleOptionViewItem& option, const QModelIndex&) const override
    {
        editor->setGeometry(option.rect.adjusted(20, 0, -2, 0));
    }
};

Selection thingOf(const QTreeWidgetItem* item)
{
    const std::uint32_t id = item->data(0, kIdRole).toUInt();
    switch (item->data(0, kKindRole).toInt()) {
    case FrameRow:
    case DeviceRow:
    case AxisRow: return FrameId{id};
    case ArmRow: return ArmId{id};
    case ToolRow: return ToolId{id};
    case PartRow: return PartId{id};
    case PatternRow: return PatternId{id};
    default: return {};
    }
}

}  // namespace

LayoutPanel::LayoutPanel(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(6, 6, 6, 6);
    m_search = new QLineEdit(this);
    m_search->setObjectName("layoutSearch");
    m_search->setAccessibleName("Find in the layout");
    m_search->setPlaceholderText("Find in the layout …");
    m_search->setClearButtonEnabled(true);
    connect(m_search, &QLineEdit::textChanged, this, &LayoutPanel::filter);
    column->addWidget(m_search);
    m_tree = new QTreeWidget(this);
    m_tree->setObjectName("layoutTree");
    m_tree->setAccessibleName("Layout of the cell");
    m_tree->setHeaderHidden(true);
    m_tree->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_tree->setIndentation(14);
    m_tree->setItemDelegate(new LayoutDelegate(this));
    m_tree->setEditTriggers(QAbstractItemView::EditKeyPressed);
    m_tree->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(m_tree);
    m_tree->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(m_tree, &QWidget::customContextMenuRequested, this,
            [this](const QPoint& at) { showMenu(m_tree->viewport()->mapToGlobal(at)); });
    auto* buttons = new QHBoxLayout;
    const std::tuple<const char*, const char*, const char*, void (*)(Session&)> adds[] = {
        {"addFrame", "Frame", "Add a frame below the selected one", addFrameHere},
        {"addPart", "Part", "Add a part in the selected frame", addPartHere},
        {"addPattern", "Pattern", "Repeat the selected part or target in rows and columns", addPatternHere},
        {"addTool", "Tool", "Add a tool for the arm", addToolHere}};
    buttons->setSpacing(4);
    auto* plus = new QLabel("Add", this);
    plus->setProperty("class", "faint");
    buttons->addWidget(plus);
    for (const auto& [name, words, tip, run] : adds) {
        addButton(buttons, this, name, words, tip, [this, run = run] {
            run(m_session);
        })->setStyleSheet("padding: 3px 6px; font-size: 12px;");
    }
    QPushButton* more =
        addButton(buttons, this, "addMore", "More …", "Devices, tables and the like, or another arm", [] {});
    more->setStyleSheet(
        "QPushButton { padding: 3px 6px; font-size: 12px; } QPushButton::menu-indicator { image: none; width: 0; }");
    auto* menu = new QMenu(more);
    menu->setObjectName("addMoreMenu");
    for (int k = 0; k <= int(Device::Kind::LightBarrier); ++k)
        menu->addAction(text(deviceTitle(Device::Kind(k))), this,
                        [this, k] { addDeviceHere(m_session, Device::Kind(k)); });
    menu->addSeparator();
    for (const Furniture::Kind kind : kFurnitureKinds)
        menu->addAction(furnitureTitle(kind), this, [this, kind] { addFurnitureHere(m_session, kind); });
    menu->addSeparator();
    menu->addAction("Jaw gripper", this, [this] { addGripperHere(m_session, Gripper::Kind::Parallel); });
    menu->addAction("Vacuum gripper", this, [this] { addGripperHere(m_session, Gripper::Kind::Vacuum); });
    menu->addAction("Arm", this, [this] { addArmHere(m_session); });
    more->setMenu(menu);
    buttons->addStretch();
    column->addLayout(buttons);

    connect(m_tree, &QTreeWidget::itemSelectionChanged, this, [this] {
        if (m_filling) return;
        std::vector<Selection> chosen;
        for (const QTreeWidgetItem* item : m_tree->selectedItems())
            if (item != m_tree->currentItem()) chosen.push_back(thingOf(item));
        // The one that was reached last is the one whose properties are shown.
        if (const QTreeWidgetItem* item = m_tree->currentItem(); item && item->isSelected())
            chosen.push_back(thingOf(item));
        std::erase(chosen, Selection());
        m_session.selectMany(chosen);
    });
    connect(m_tree, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item) {
        if (m_filling) return;
        const std::uint32_t id = item->data(0, kIdRole).toUInt();
        const std::string name = item->text(0).trimmed().toStdString();
        bool done = false;
        switch (item->data(0, kKindRole).toInt()) {
        case ArmRow:
            done = m_session.edit("Rename arm", [&](const Cell& c) { return renameArm(c, {id}, name); });
            break;
        case FrameRow:
        case DeviceRow:
        case AxisRow:
            done = m_session.edit("Rename frame", [&](const Cell& c) { return renameFrame(c, {id}, name); });
            break;
        case ToolRow:
            done = m_session.edit("Rename tool", [&](const Cell& c) { return renameTool(c, {id}, name); });
            break;
        case PatternRow:
            done = m_session.edit("Rename pattern", [&](const Cell& c) { return renamePattern(c, {id}, name); });
            break;
        case PartRow:
            done = m_session.edit("Rename part", [&](const Cell& c) { return renamePart(c, {id}, name); });
            break;
        default: break;
        }
        if (done) return;
        m_filled.reset();
        fill();
    });
    connect(&session, &Session::opened, this, [this] { m_filled.reset(); });
    connect(&session, &Session::cellChanged, this, &LayoutPanel::fill, Qt::QueuedConnection);
    connect(&session, &Session::selectionChanged, this, &LayoutPanel::showSelection);
    fill();
}

void LayoutPanel::fill()
{
    // Steps, targets and signals stand in other lists.
    const CellPtr now = m_session.history().current();
    const QString as = QString("%1 %2 %3 %4")
                           .arg(lengthUnit().symbol, angleUnit().symbol)
                           .arg(m_session.station().id.value)
                           .arg(2 * theme().dark + theme().contrast);
    if (m_filled && m_filledFor == as) {
        const CellDiff diff = differences(*m_filled, *now);
        const bool same = diff.arms.empty() && diff.frames.empty() && diff.tools.empty() && diff.parts.empty()
                          && diff.patterns.empty() && !diff.order && !diff.rest;
        if (same) {
            m_filled = now;
            return;
        }
    }
    m_filled = now;
    m_filledFor = as;
    m_filling = true;
    // What was folded stays folded.
    std::set<std::pair<int, std::uint32_t>> folded;
    for (QTreeWidgetItemIterator it(m_tree); *it; ++it)
        if ((*it)->childCount() && !(*it)->isExpanded())
            folded.insert({(*it)->data(0, kKindRole).toInt(), (*it)->data(0, kIdRole).toUInt()});
    std::set<std::uint32_t> knownPatterns = m_patterns;
    m_patterns.clear();
    m_tree->clear();
    const Cell& cell = m_session.cell();
    const auto row = [&](QTreeWidgetItem* parent, Kind kind, std::uint32_t id, const std::string& name,
                         const QString& offset) {
        auto* item = parent ? new QTreeWidgetItem(parent) : new QTreeWidgetItem(m_tree);
        item->setText(0, text(name));
        item->setData(0, kKindRole, kind);
        item->setData(0, kIdRole, id);
        item->setData(0, kOffsetRole, offset);
        item->setToolTip(0, offset.isEmpty()
                                ? text(name)
                                : text(name) + ": " + offset + " from " + (parent ? parent->text(0) : QString()));
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable
                       | (kind == WorldRow ? Qt::NoItemFlags : Qt::ItemIsEditable));
        return item;
    };
    const auto branch = [&](auto&& self, QTreeWidgetItem* parent, FrameId frame) -> void {
        for (const ArmStation& station : cell.arms) {
            if (station.mount != frame) continue;
            QTreeWidgetItem* arm = row(parent, ArmRow, station.id.value, station.name, {});
            arm->setToolTip(0, text(station.model->description().name));
            if (cell.arms.size() > 1 && station.id == m_session.station().id) arm->setData(0, kMarkRole, "in hand");
            for (const Tool& tool : cell.tools) {
                // Tools that no arm carries wait with the one in hand.
                const bool carried = station.tool == tool.id;
                const bool free = std::none_of(cell.arms.begin(), cell.arms.end(),
                                               [&](const ArmStation& a) { return a.tool == tool.id; });
                if (!carried && !(free && station.id == m_session.station().id)) continue;
                QTreeWidgetItem* item =
                    row(arm, ToolRow, tool.id.value, tool.name,
                        "TCP " + offsetText(flangeFromTcp(tool, carried ? station.tcp : TcpId{}), cell.angles));
                if (cell.tools.size() > cell.arms.size()) item->setData(0, kMarkRole, carried ? "in force" : "");
                item->setData(0, kFadedRole, !carried);
            }
        }
        const auto marks = [](const Look& look, bool measured) {
            QStringList words;
            if (measured) words << "as built";
            if (look.hidden) words << "hidden";
            if (look.locked) words << "locked";
            return words.join(" · ");
        };
        for (const Frame& f : cell.frames)
            if (f.parent == frame) {
                QTreeWidgetItem* item = row(parent,
                                            f.device ? DeviceRow
                                            : f.axis ? AxisRow
                                                     : FrameRow,
                                            f.id.value, f.name, offsetText(placeInForce(cell, f), cell.angles));
                QString words = marks(f.look, cell.asBuilt && f.measured);
                if (f.device && words.isEmpty()) words = deviceWord(f.device->kind);
                item->setData(0, kMarkRole, words);
                item->setData(0, kFadedRole, f.look.hidden);
                self(self, item, f.id);
            }
        const auto addPart = [&](QTreeWidgetItem* below, const Part& p) {
            QTreeWidgetItem* item = row(below, PartRow, p.id.value, p.name, offsetText(p.pose, cell.angles));
            item->setData(0, kMarkRole, marks(p.look, false));
            item->setData(0, kFadedRole, p.look.hidden);
            if (p.pattern) item->setFlags(item->flags() & ~Qt::ItemIsEditable);
        };
        for (const Pattern& p : cell.patterns)
            if (p.frame == frame) {
                QTreeWidgetItem* item = row(parent, PatternRow, p.id.value, p.name, offsetText(p.first, cell.angles));
                item->setData(0, kMarkRole,
                              QString("%1 %2")
                                  .arg(membersOf(cell, p).size())
                                  .arg(p.content == Pattern::Content::Parts ? "parts" : "targets"));
                for (const Part& part : cell.parts)
                    if (part.pattern == p.id) addPart(item, part);
                m_patterns.insert(p.id.value);
                if (!knownPatterns.contains(p.id.value)) folded.insert({PatternRow, p.id.value});
            }
        for (const Part& p : cell.parts)
            if (p.frame == frame && !p.pattern) addPart(parent, p);
    };
    branch(branch, row(nullptr, WorldRow, 0, "World", {}), {});
    for (QTreeWidgetItemIterator it(m_tree); *it; ++it)
        (*it)->setExpanded(!folded.contains({(*it)->data(0, kKindRole).toInt(), (*it)->data(0, kIdRole).toUInt()}));
    m_filling = false;
    filter();
    showSelection();
}

void LayoutPanel::filter()
{
    const QString wanted = m_search->text().trimmed();
    const auto visit = [&](auto&& self, QTreeWidgetItem* item) -> bool {
        bool shown = wanted.isEmpty() || item->text(0).contains(wanted, Qt::CaseInsensitive);
        for (int i = 0; i < item->childCount(); ++i)
            shown = self(self, item->child(i)) || shown;
        item->setHidden(!shown);
        if (shown && !wanted.isEmpty() && item->childCount()) item->setExpanded(true);
        return shown;
    };
    for (int i = 0; i < m_tree->topLevelItemCount(); ++i)
        visit(visit, m_tree->topLevelItem(i));
}

void LayoutPanel::showMenu(const QPoint& globalPosition)
{
    QMenu menu(this);
    const bool some = !std::holds_alternative<std::monostate>(m_session.selection());
    const auto entry = [&](const char* words, void (*run)(Session&)) {
        menu.addAction(words, this, [this, run] { run(m_session); });
    };
    entry("Add frame", addFrameHere);
    entry("Add part", addPartHere);
    entry("Add pattern", addPatternHere);
    if (some) {
        menu.addSeparator();
        entry("Copy", copySelected);
        entry("Delete", deleteSelected);
        menu.addSeparator();
        entry("Hide or show", hideSelected);
        entry("Lock or unlock", lockSelected);
        entry("Show alone", isolateSelected);
    }
    if (const ArmId arm = m_session.selected<ArmId>())
        menu.addAction("Take in hand", this, [this, arm] { takeArmInHand(m_session, arm); });
    if (m_session.selected<FrameId>()) entry("Put the arm here", mountArmHere);
    menu.addSeparator();
    entry("Show everything", showEverything);
    menu.exec(globalPosition);
}

void LayoutPanel::showSelection()
{
    m_filling = true;
    m_tree->clearSelection();
    QTreeWidgetItem* wanted = nullptr;
    for (QTreeWidgetItemIterator it(m_tree); *it; ++it) {
        const Selection thing = thingOf(*it);
        if (thing == Selection()) continue;
        if (thing == m_session.selection()) wanted = *it;
        (*it)->setSelected(m_session.isSelected(thing));
    }
    m_tree->setCurrentItem(wanted, 0, QItemSelectionModel::NoUpdate);
    if (wanted) m_tree->scrollToItem(wanted);
    m_filling = false;
}

}  // namespace topikos
