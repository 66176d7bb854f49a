#include "app/targets/targets_panel.h"

#include "app/layout/layout_commands.h"
#include "app/targets/targets_mime.h"
#include "app/session/text.h"
#include "app/targets/target_commands.h"
#include "app/theme/empty_note.h"
#include "app/theme/theme.h"
#include "app/theme/typed_delegate.h"
#include "core/cell/diff.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QHelpEvent>
#include <QMimeData>
#include <QPushButton>
#include <QScrollBar>
#include <QToolTip>
#include <QVBoxLayout>

#include <algorithm>
#include <tuple>

namespace topikos {

namespace {

constexpr int kIdRole = Qt::UserRole, kShownRole = Qt::UserRole + 1;

/// Its targets can be dragged into the route.
class TargetTree : public QTreeWidget {
public:
    using QTreeWidget::QTreeWidget;

protected:
    QMimeData* mimeData(const QList<QTreeWidgetItem*>& items) const override
    {
        QByteArrayList ids;
        const QSet<QTreeWidgetItem*> wanted(items.begin(), items.end());
        // In the order in which they stand, which `items` is not.
        for (QTreeWidgetItemIterator it(const_cast<TargetTree*>(this)); *it; ++it)
            if (wanted.contains(*it) && (*it)->data(0, kIdRole).isValid())
                ids << QByteArray::number((*it)->data(0, kIdRole).toUInt());
        if (ids.isEmpty()) return nullptr;
        auto* dragged = new QMimeData;
        dragged->setData(kTargetsMime, ids.join(' '));
        return dragged;
    }
};

TargetId idOf(const QTreeWidgetItem* item) { return {item->data(0, kIdRole).toUInt()}; }

}  // namespace

TargetsPanel::TargetsPanel(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 6, 0, 8);
    column->setSpacing(6);
    m_tree = new TargetTree(this);
    m_tree->setObjectName("targetsTree");
    m_tree->setAccessibleName("Targets by frame");
    m_tree->setColumnCount(2);
    m_tree->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_tree->setDragDropMode(QAbstractItemView::DragOnly);
    m_tree->setHeaderHidden(true);
    m_tree->header()->setStretchLastSection(false);
    m_tree->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_tree->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    m_tree->setIndentation(14);
    m_tree->setEditTriggers(QAbstractItemView::EditKeyPressed);
    m_tree->setIconSize({14, 14});
    m_tree->setItemDelegate(new TypedDelegate(this));
    m_tree->viewport()->installEventFilter(this);
    column->addWidget(m_tree, 1);
    m_empty =
        emptyNote(this, "No targets yet.\nMove the arm where it is to go\nand press T in the view.", "teach#targets");
    column->addWidget(m_empty, 1);
    // What a re-take would change, before it does.
    m_away = new QLabel(this);
    m_away->setObjectName("retakeDifference");
    m_away->setProperty("class", "faint");
    m_away->setFont(textFont(11));
    m_away->setContentsMargins(10, 0, 10, 0);
    m_away->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    m_away->setFixedHeight(m_away->fontMetrics().height() + 2);
    column->addWidget(m_away);
    auto* row = new QHBoxLayout;
    row->setContentsMargins(10, 0, 10, 0);
    row->setSpacing(5);
    const auto button = [&](const char* words, const char* tip, auto action) {
        auto* b = new QPushButton(words, this);
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, action);
        row->addWidget(b);
        return b;
    };
    button("Take", "Take a pose target where the arm stands, in the frame that the foot of the view names (T)", [this] {
        takePose();
    })->setObjectName("takeTarget");
    button("Re-take", "Take the selected target anew where the arm stands (Ctrl+T)", [this] { retakeSelected(); });
    button("Move there", "Move the arm to the selected target (M in the view)", [this] {
        if (const TargetId id = m_session.selected<TargetId>()) m_session.goToTarget(id);
        else m_session.say("Select a target to move to.", true);
    });
    row->addStretch();
    column->addLayout(row);

    connect(m_tree, &QTreeWidget::itemSelectionChanged, this, [this] {
        if (m_filling) return;
        std::vector<Selection> chosen;
        for (QTreeWidgetItem* item : m_tree->selectedItems())
            if (item->data(0, kIdRole).isValid() && item != m_tree->currentItem()) chosen.push_back(idOf(item));
        // The one that was reached last is the one whose properties are shown.
        if (QTreeWidgetItem* item = m_tree->currentItem();
            item && item->isSelected() && item->data(0, kIdRole).isValid())
            chosen.push_back(idOf(item));
        if (!chosen.empty()) m_session.selectMany(chosen);
    });
    connect(m_tree, &QTreeWidget::itemDoubleClicked, this, [this](QTreeWidgetItem* item) {
        if (item->data(0, kIdRole).isValid()) m_session.goToTarget({item->data(0, kIdRole).toUInt()});
    });
    connect(m_tree, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item, int column_) {
        if (m_filling || column_ != 0 || !item->data(0, kIdRole).isValid()) return;
        const TargetId id{item->data(0, kIdRole).toUInt()};
        const std::string name = item->text(0).trimmed().toStdString();
        if (const Target* t = findTarget(m_session.cell(), id); t && t->name != name)
            if (!m_session.edit("Rename target", [&](const Cell& cell) { return renameTarget(cell, id, name); })) {
                m_filled.reset();
                fill();
            }
    });
    connect(&session, &Session::opened, this, [this] {
        const QSignalBlocker quiet(m_tree);
        m_filled.reset();
        m_items.clear();
        m_tree->clear();
    });
    connect(&session, &Session::cellChanged, this, &TargetsPanel::fill, Qt::QueuedConnection);
    connect(&session, &Session::checkedChanged, this, &TargetsPanel::showVerdicts);
    connect(&session, &Session::selectionChanged, this, &TargetsPanel::showSelection);
    for (const auto signal : {&Session::selectionChanged, &Session::jogChanged, &Session::cellChanged})
        connect(&session, signal, this, &TargetsPanel::followSelection);
    for (const auto signal : {&Session::selectionChanged, &Session::postureChanged, &Session::cellChanged})
        connect(&session, signal, this, &TargetsPanel::showAway);
    fill();
}

void TargetsPanel::fill()
{
    const CellPtr now = m_session.history().current();
    const FilledFor as{m_session.station().id, m_session.station().home, theme().dark, theme().contrast};
    if (m_filled && m_filledFor == as && refreshRows(*now)) {
        m_filled = now;
        return;
    }
    m_filled = now;
    m_filledFor = as;
    m_items.clear();
    m_filling = true;
    const int scroll = m_tree->verticalScrollBar() ? m_tree->verticalScrollBar()->value() : 0;
    // What was folded stays folded.
    QStringList folded;
    for (int i = 0; i < m_tree->topLevelItemCount(); ++i)
        if (!m_tree->topLevelItem(i)->isExpanded()) folded << m_tree->topLevelItem(i)->text(0);
    m_tree->clear();
    const Cell& cell = m_session.cell();
    const auto group = [&](const QString& name, const QString& glyph, auto belongs) {
        QTreeWidgetItem* head = nullptr;
        for (const Target& t : cell.targets) {
            if (t.arm != m_session.station().id || !belongs(t)) continue;
            if (!head) {
                head = new QTreeWidgetItem(m_tree, {name});
                head->setFlags(Qt::ItemIsEnabled);
                head->setIcon(0, glyphIcon(glyph));
                head->setFont(0, textFont(12, QFont::DemiBold));
            }
            auto* item = new QTreeWidgetItem(head);
            item->setData(0, kIdRole, t.id.value);
            item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsEditable | Qt::ItemIsDragEnabled);
            item->setFont(1, textFont(11));
            item->setForeground(1, theme().faint);
            fillRow(item, t);
            m_items[t.id.value] = item;
        }
        if (head) head->setExpanded(!folded.contains(name));
    };
    // Groups of their own first, then by the frame they are in.
    std::vector<std::string> groups;
    for (const Target& t : cell.targets)
        if (!t.group.empty() && std::find(groups.begin(), groups.end(), t.group) == groups.end())
            groups.push_back(t.group);
    for (const std::string& own : groups)
        group(text(own), "pattern", [&](const Target& t) { return t.group == own; });
    group("Postures", "posture", [](const Target& t) { return t.kind == Target::Kind::Posture && t.group.empty(); });
    group("World", "frame",
          [](const Target& t) { return t.kind == Target::Kind::Pose && !t.frame && t.group.empty(); });
    for (const Frame& f : cell.frames)
        group(text(f.name), "frame",
              [&](const Target& t) { return t.kind == Target::Kind::Pose && t.frame == f.id && t.group.empty(); });
    m_tree->setVisible(!cell.targets.empty());
    m_empty->setVisible(cell.targets.empty());
    m_tree->verticalScrollBar()->setValue(scroll);
    m_filling = false;
    showVerdicts();
    showSelection();
}

void TargetsPanel::fillRow(QTreeWidgetItem* item, const Target& t) const
{
    const Configuration& way = t.configuration;
    QString words;
    if (t.id == m_session.station().home) words = "home";
    else if (t.kind == Target::Kind::Pose)
        words = QString("%1 · %2 · %3")
                    .arg(way.shoulderBack ? "back" : "front", way.elbowDown ? "down" : "up",
                         way.wristTurned ? "turned" : "plain");
    item->setText(0, text(t.name));
    item->setText(1, words);
    item->setToolTip(1, t.kind == Target::Kind::Pose ? "Configuration: shoulder · elbow · wrist"
                                                     : "A posture: one value per joint");
}

bool TargetsPanel::refreshRows(const Cell& now)
{
    const CellDiff diff = differences(*m_filled, now);
    if (diff.order || !diff.frames.empty()) return false;
    const auto place = [](const Target& t) { return std::tie(t.arm, t.kind, t.frame, t.group); };
    for (const TargetId id : diff.targets) {
        const Target *before = findTarget(*m_filled, id), *after = findTarget(now, id);
        if (!before || !after || place(*before) != place(*after)) return false;
    }
    m_filling = true;
    for (const TargetId id : diff.targets)
        if (const auto row = m_items.find(id.value); row != m_items.end()) fillRow(row->second, *findTarget(now, id));
    m_filling = false;
    return true;
}

void TargetsPanel::showVerdicts()
{
    const CheckedCell* checked = m_session.checked();
    if (!checked) return;
    m_filling = true;
    for (const TargetVerdict& v : checked->result.targets) {
        const auto own = m_items.find(v.target.value);
        const Target* t = own == m_items.end() ? nullptr : findTarget(*checked->cell, v.target);
        if (!t) continue;
        // Setting an icon lays the row out anew, so only another one is set.
        const int shown = v.findings.empty() ? 10 + int(t->kind) : int(v.findings.front().severity);
        QTreeWidgetItem* item = own->second;
        if (const QVariant before = item->data(0, kShownRole); before.isValid() && before.toInt() == shown) continue;
        item->setData(0, kShownRole, shown);
        item->setIcon(0, !v.findings.empty()                ? severityIcon(v.findings.front().severity)
                         : t->kind == Target::Kind::Posture ? glyphIcon("posture")
                                                            : glyphIcon("pose"));
    }
    m_filling = false;
}

QString TargetsPanel::verdictWords(TargetId id) const
{
    const CheckedCell* checked = m_session.checked();
    const Target* target = findTarget(m_session.cell(), id);
    if (!target) return {};
    QString words = "Being checked";
    if (checked && m_session.isJudged(id))
        for (const TargetVerdict& v : checked->result.targets)
            if (v.target == id) {
                words = target->kind == Target::Kind::Pose
                            ? QString("Reachable in %1 configurations").arg(v.ways.items.size())
                            : QString("Posture in range");
                if (v.findings.empty()) break;
                const FindingText finding = findingText(*checked->cell, v.findings.front());
                words = text(finding.headline + ". " + finding.detail);
            }
    return target->note.empty() ? words : text(target->note) + "\n" + words;
}

bool TargetsPanel::eventFilter(QObject* object, QEvent* event)
{
    if (event->type() != QEvent::ToolTip) return QWidget::eventFilter(object, event);
    const auto* help = static_cast<QHelpEvent*>(event);
    const QTreeWidgetItem* item = m_tree->itemAt(help->pos());
    if (!item || !item->data(0, kIdRole).isValid() || m_tree->columnAt(help->pos().x()) != 0) return false;
    QToolTip::showText(help->globalPos(), verdictWords(idOf(item)), m_tree->viewport());
    return true;
}

void TargetsPanel::showSelection()
{
    m_filling = true;
    m_tree->clearSelection();
    const auto row = [this](TargetId id) {
        const auto own = m_items.find(id.value);
        return own == m_items.end() ? nullptr : own->second;
    };
    m_tree->setCurrentItem(row(m_session.selected<TargetId>()), 0, QItemSelectionModel::NoUpdate);
    for (const TargetId id : m_session.allSelected<TargetId>())
        if (QTreeWidgetItem* item = row(id)) item->setSelected(true);
    m_filling = false;
}

FrameId TargetsPanel::takingFrame() const
{
    return findFrame(m_session.cell(), m_taking) ? m_taking : m_session.readingFrame();
}

void TargetsPanel::followSelection()
{
    if (const FrameId reading = m_session.readingFrame(); reading != m_reading) {
        m_reading = m_taking = reading;
    } else if (const Selection& selected = m_session.selection(); selected == Selection()) {
        m_taking = {};
    } else if (std::holds_alternative<FrameId>(selected) || std::holds_alternative<PartId>(selected)
               || std::holds_alternative<PatternId>(selected)) {
        m_taking = frameForNew(m_session);
    }
    // Another cell may have another frame by the same number, and frames get other names.
    if (const QString name = text(frameName(m_session.cell(), takingFrame())); name != m_said) {
        m_said = name;
        Q_EMIT takingFrameChanged();
    }
}

void TargetsPanel::takePose()
{
    TargetId created;
    const std::string name = freeTargetName(m_session.cell(), "Target");
    const FrameId frame = takingFrame();
    const JointVector posture = m_session.shownPosture();
    const AxisValues axes = m_session.shownAxes();
    if (m_session.edit("Take target", [&](const Cell& cell) {
            return takePoseTarget(cell, m_session.station().id, frame, posture, name, &created, axes);
        })) {
        m_session.select(created);
        m_session.say(QString("Took %1 in %2").arg(text(name), text(frameName(m_session.cell(), frame))));
    }
}

void TargetsPanel::takePosture()
{
    TargetId created;
    const std::string name = freeTargetName(m_session.cell(), "Posture");
    const JointVector posture = m_session.shownPosture();
    if (m_session.edit("Take posture", [&](const Cell& cell) {
            return takePostureTarget(cell, m_session.station().id, posture, name, &created);
        })) {
        m_session.select(created);
        m_session.say("Took " + text(name));
    }
}

void TargetsPanel::retakeSelected()
{
    const TargetId id = m_session.selected<TargetId>();
    if (!id) return m_session.say("Select the target to take again.", true);
    const JointVector posture = m_session.shownPosture();
    const AxisValues axes = m_session.shownAxes();
    const Target before = *findTarget(m_session.cell(), id);
    const QString name = text(before.name), away = awayFrom(m_session, before);
    if (m_session.edit("Re-take " + name, [=](const Cell& cell) { return retakeTarget(cell, id, posture, axes); }))
        m_session.say("Re-took " + name + (away.isEmpty() ? " where it was." : "; it was off by " + away + "."));
}

void TargetsPanel::showAway()
{
    const Target* target = findTarget(m_session.cell(), m_session.selected<TargetId>());
    const bool own = target && target->arm == m_session.station().id;
    const QString away = own ? awayFrom(m_session, *target) : QString();
    const QString words = !own ? QString() : away.isEmpty() ? QString("The tool is there") : "Tool off by " + away;
    m_away->setToolTip(away.isEmpty() ? words : words + ", seen from its frame. A re-take would shift it by that.");
    m_away->setText(m_away->fontMetrics().elidedText(words, Qt::ElideRight, m_away->width() - 20));
}

void TargetsPanel::setMenu(const QList<QAction*>& actions)
{
    m_tree->setContextMenuPolicy(Qt::ActionsContextMenu);
    m_tree->addActions(actions);
}

void TargetsPanel::makeSelectedHome()
{
    const TargetId id = m_session.selected<TargetId>();
    if (!id) return m_session.say("Select the posture that is to be home.", true);
    m_session.edit("Set home", [id](const Cell& cell) { return setHome(cell, id); });
}

void TargetsPanel::renameSelected()
{
    if (!m_session.selected<TargetId>() || !m_tree->currentItem())
        return m_session.say("Select the target to rename.", true);
    m_tree->setFocus();
    m_tree->editItem(m_tree->currentItem(), 0);
}

}  // namespace topikos
