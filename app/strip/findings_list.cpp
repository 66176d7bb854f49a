#include "app/strip/findings_list.h"

#include "app/layout/layout_commands.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/edit.h"
#include "core/cell/step_check.h"
#include "core/cell/step_tree.h"
#include "core/program/step_text.h"

#include <QHBoxLayout>
#include <QSettings>
#include <QShortcut>
#include <QSplitter>
#include <QVBoxLayout>

#include <map>

namespace topikos {

namespace {

enum Filter { All, BlockedOnly, CautionsOnly, AdviceOnly, NewOnly };
enum Order { AsTheyCome, BySeverity, ByRule, ByStep };

constexpr int kRow = Qt::UserRole, kGroup = Qt::UserRole + 1;

}  // namespace

FindingsList::FindingsList(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* whole = new QHBoxLayout(this);
    whole->setContentsMargins(6, 4, 6, 4);
    auto* split = new QSplitter(Qt::Horizontal, this);
    split->setObjectName("findingsSplit");
    split->setChildrenCollapsible(false);
    whole->addWidget(split);
    auto* left = new QWidget(split);
    auto* column = new QVBoxLayout(left);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(3);
    auto* head = new QHBoxLayout;
    m_filter = new QComboBox(this);
    m_filter->setObjectName("findingsFilter");
    m_filter->setAccessibleName("Which findings are listed");
    m_filter->addItems({"all", "blocked", "cautions", "advice", "new since saved"});
    m_order = new QComboBox(this);
    m_order->setObjectName("findingsOrder");
    m_order->setAccessibleName("Order of the findings");
    m_order->addItems({"as they come", "worst first", "by rule", "by step"});
    m_order->setCurrentIndex(QSettings().value("findings/order", 0).toInt());
    m_search = new QLineEdit(this);
    m_search->setObjectName("findingsSearch");
    m_search->setAccessibleName("Words that findings have to have");
    m_search->setPlaceholderText("search");
    m_search->setClearButtonEnabled(true);
    m_search->setMaximumWidth(200);
    m_looked = new QLabel(this);
    m_looked->setObjectName("lookedAt");
    m_looked->setProperty("class", "faint");
    m_looked->setMinimumWidth(40);
    head->addWidget(m_filter);
    head->addWidget(m_order);
    head->addWidget(m_search);
    head->addWidget(m_looked, 1);
    column->addLayout(head);
    m_list = new QListWidget(this);
    m_list->setObjectName("findingsList");
    m_list->setMinimumHeight(28);
    m_list->setAccessibleName("Findings");
    m_list->setIconSize({14, 14});
    m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);  // long ones are cut, whole in their tips
    column->addWidget(m_list, 1);
    m_empty = new QLabel(this);
    m_empty->setAlignment(Qt::AlignCenter);
    m_empty->setProperty("class", "faint");
    column->addWidget(m_empty, 1);
    auto* foot = new QHBoxLayout;
    // The part of the manual about the selected finding, or about all of them.
    m_explain = new QLabel(this);
    m_explain->setObjectName("explainFinding");
    m_explain->setOpenExternalLinks(true);
    m_explain->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    foot->addWidget(m_explain, 1);
    m_reason = new QLineEdit(this);
    m_reason->setObjectName("adviceReason");
    m_reason->setAccessibleName("Why it may stand");
    m_reason->setPlaceholderText("why it may stand");
    m_reason->setMaximumWidth(220);
    m_reason->setMaxLength(120);
    m_accept = new QPushButton("Let it stand", this);
    m_accept->setObjectName("adviceAccept");
    m_accept->setToolTip("The finding counts no more, with this reason, until what it is about changes");
    connect(m_accept, &QPushButton::clicked, this, &FindingsList::accept);
    connect(m_reason, &QLineEdit::returnPressed, this, &FindingsList::accept);
    m_meant = new QPushButton("It is meant", this);
    m_meant->setObjectName("contactMeant");
    connect(m_meant, &QPushButton::clicked, this, &FindingsList::letTouch);
    foot->addWidget(m_meant);
    foot->addWidget(m_reason);
    foot->addWidget(m_accept);
    column->addLayout(foot);
    m_remedies = new RemedyPanel(session, split);
    split->addWidget(left);
    split->addWidget(m_remedies);
    split->setStretchFactor(0, 3);
    split->setStretchFactor(1, 2);
    connect(m_list, &QListWidget::itemClicked, this, &FindingsList::go);
    connect(m_list, &QListWidget::itemClicked, this, &FindingsList::fold);
    for (const int key : {Qt::Key_Return, Qt::Key_Enter}) {
        auto* enter = new QShortcut(QKeySequence(key), m_list);
        enter->setContext(Qt::WidgetShortcut);
        connect(enter, &QShortcut::activated, this, [this] { fold(m_list->currentItem()); });
    }
    connect(m_list, &QListWidget::currentItemChanged, this, &FindingsList::go);
    for (QComboBox* box : {m_filter, m_order})
        connect(box, &QComboBox::currentIndexChanged, this, [this] {
            QSettings().setValue("findings/order", m_order->currentIndex());
            fill();
        });
    connect(m_search, &QLineEdit::textChanged, this, &FindingsList::fill);
    connect(&session, &Session::checkedChanged, this, &FindingsList::fill);
    connect(&session, &Session::opened, this, [this] {
        m_savedKnown = false;
        m_saved.clear();
    });
    // What is new since then is told when the cell is saved.
    connect(&session, &Session::saveStateChanged, this, [this] {
        if (m_session.isSaved()) fill();
    });
    fill();
}

void FindingsList::noteSaved()
{
    const CheckedCell* checked = m_session.checked();
    if (!checked || !m_session.isSaved() || !m_session.checkIsFresh() || !checked->result.complete) return;
    m_savedKnown = true;
    m_saved.clear();
    for (const Finding* f : withFollowUps(checked->result.findings))
        m_saved.insert({f->severity, keyOf(*f)});
}

const Finding* FindingsList::findingAt(int row) const
{
    const QListWidgetItem* item = m_list->item(row);
    const QVariant i = item ? item->data(kRow) : QVariant();
    return i.isValid() && i.toUInt() < m_rows.size() ? m_rows[i.toUInt()].finding : nullptr;
}

QString FindingsList::groupOf(const Finding& f, const Vocabulary& words) const
{
    if (!f.accepted.empty()) return {};
    if (m_order->currentIndex() == ByRule) {
        QString rule = QString(ruleName(f.rule)).replace('-', ' ');
        rule[0] = rule[0].toUpper();
        return rule;
    }
    const Routine* routine = findRoutine(*m_shown->cell, f.routine);
    const Step* step = routine ? findStep(routine->steps, f.step) : nullptr;
    if (!step) return "Not of a step";
    const StepScope scope{*routine};
    return QString("%1, step %2: %3")
        .arg(text(routine->name))
        .arg(f.stepIndex + 1)
        .arg(text(stepText(words, *step, &scope)));
}

void FindingsList::fold(const QListWidgetItem* item)
{
    const QString group = item ? item->data(kGroup).toString() : QString();
    if (group.isEmpty()) return;
    if (!m_folded.removeOne(group)) m_folded.append(group);
    fill();
}

void FindingsList::go()
{
    const Finding* finding = current();
    if (!finding) return;
    const Finding f = *finding;
    explain(&f);
    m_remedies->showFinding(&f);
    const ArmId before = m_session.station().id;
    if (const Routine* routine = findRoutine(m_session.cell(), f.routine)) m_session.showRoutine(routine->id);
    const BeltFact* belt = f.as<BeltFact>();
    m_session.select(f.step     ? Selection(f.step)
                     : f.target ? Selection(f.target)
                     : belt     ? Selection(belt->belt)
                                : Selection());
    // Contact is seen where things stand then.
    const auto* contact = f.as<ContactFact>();
    const CheckedCell* checked = m_session.checked();
    if (contact && checked && contact->time <= checked->result.trace.duration
        && (!f.routine || reachedRoutines(*checked->cell).contains(f.routine)))
        m_session.scrub(contact->time);
    // Who jogs next has to know which arm will move.
    if (m_session.station().id != before)
        m_session.say(text(m_session.station().name) + " is in hand now: the finding is about it.");
}

void FindingsList::explain(const Finding* finding)
{
    const QString rule = finding ? QString(ruleName(finding->rule)).replace('-', ' ') : QString();
    const bool may = finding && finding->severity != Severity::Blocked;
    const bool stands = may && !finding->accepted.empty();
    m_reason->setVisible(may && !stands);
    m_accept->setVisible(may);
    const auto touched = finding ? touchableOf(*finding) : std::nullopt;
    m_meant->setVisible(touched.has_value());
    if (touched)
        m_meant->setToolTip(QString("Step %1 may touch %2 from now on; it stands in the step")
                                .arg(finding->stepIndex + 1)
                                .arg(text(touchableName(*m_shown->cell, *touched))));
    m_accept->setText(stands ? "Raise again" : "Let it stand");
    m_explain->setText(finding ? QString("<a href=\"manual:findings#%1\">What “%1” means, and what helps</a>").arg(rule)
                               : "<a href=\"manual:findings\">What is checked</a>");
}

std::vector<FindingsList::Listed> FindingsList::toList() const
{
    std::vector<Listed> out;
    if (!m_shown) return out;
    const QString wanted = m_search->text().trimmed();
    const auto passes = [&](const Finding& f) {
        switch (m_filter->currentIndex()) {
        case BlockedOnly:
            if (f.severity != Severity::Blocked) return false;
            break;
        case CautionsOnly:
            if (f.severity != Severity::Caution) return false;
            break;
        case AdviceOnly:
            if (f.severity != Severity::Advice) return false;
            break;
        case NewOnly:
            if (!m_savedKnown || m_saved.contains({f.severity, keyOf(f)})) return false;
            break;
        default: break;
        }
        return wanted.isEmpty() || text(findingText(*m_shown->cell, f).line()).contains(wanted, Qt::CaseInsensitive)
               || QString(ruleName(f.rule)).contains(wanted, Qt::CaseInsensitive);
    };
    const int order = m_order->currentIndex();
    for (const Finding& f : m_shown->result.findings) {
        if (passes(f)) out.push_back({&f, false});
        for (const Finding& follows : f.followUps)
            if (passes(follows)) out.push_back({&follows, order == AsTheyCome});
    }
    if (order != AsTheyCome)
        std::stable_sort(out.begin(), out.end(), [&](const Listed& a, const Listed& b) {
            const Finding &x = *a.finding, &y = *b.finding;
            if (order == BySeverity) return x.severity > y.severity;
            if (order == ByRule) return x.rule < y.rule;
            return std::tuple(!x.step, x.routine, x.stepIndex) < std::tuple(!y.step, y.routine, y.stepIndex);
        });
    for (const Finding& f : m_shown->result.accepted)
        if (passes(f)) out.push_back({&f, false});
    if (order < ByRule) return out;
    const Vocabulary words(*m_shown->cell);
    for (Listed& listed : out)
        listed.group = groupOf(*listed.finding, words);
    return out;
}

void FindingsList::fill()
{
    // The one chosen stays chosen, wherever it comes to stand; so does the head of a group.
    const Finding* chosen = current();
    const FindingKey key = chosen ? keyOf(*chosen) : FindingKey();
    const QString head = m_list->currentItem() ? m_list->currentItem()->data(kGroup).toString() : QString();
    const int row = m_list->currentRow();
    const QSignalBlocker block(m_list);
    m_shown = m_session.checkedPointer();
    noteSaved();
    m_list->clear();
    m_rows = toList();
    std::map<QString, int> sizes;
    for (const Listed& listed : m_rows)
        ++sizes[listed.group];
    int now = -1;
    QString last;
    for (size_t i = 0; i < m_rows.size(); ++i) {
        const auto& [f, follows, group] = m_rows[i];
        const bool folded = m_folded.contains(group);
        if (!group.isEmpty() && group != last) {
            auto* item = new QListWidgetItem(
                QString("%1  %2  ·  %3").arg(QChar(folded ? 0x25b8 : 0x25be), group).arg(sizes[group]), m_list);
            item->setData(kGroup, group);
            item->setFont(textFont(12, QFont::DemiBold));
            item->setForeground(theme().faint);
            item->setToolTip(folded ? "Click or Enter shows these findings" : "Click or Enter folds these findings");
            if (!chosen && group == head) now = m_list->count() - 1;
        }
        last = group;
        if (folded && !group.isEmpty()) continue;
        const FindingText words = findingText(*m_shown->cell, *f);
        const bool isNew = m_savedKnown && f->accepted.empty() && !m_saved.contains({f->severity, keyOf(*f)});
        QString lead = follows ? QString(6, QChar(0x2002)) + "follows: " : QString();
        if (!f->accepted.empty()) lead += "stands: " + text(f->accepted) + "  ·  ";
        auto* item = new QListWidgetItem(severityIcon(f->severity),
                                         lead + text(words.headline + "  ·  " + words.detail), m_list);
        item->setData(kRow, uint(i));
        item->setToolTip(text(words.line()) + (isNew ? " New since the cell was saved." : ""));
        if (isNew) item->setFont(textFont(13, QFont::DemiBold));
        if (!f->accepted.empty()) item->setForeground(theme().faint);
        if (chosen && now < 0 && keyOf(*f) == key) now = m_list->count() - 1;
    }
    if (now < 0 && row >= 0) now = std::min(row, m_list->count() - 1);
    m_list->setCurrentRow(now);
    explain(current());
    m_remedies->showFinding(current());
    m_list->setVisible(m_list->count() > 0);
    m_empty->setVisible(m_list->count() == 0);
    const bool filtered = m_filter->currentIndex() != All || !m_search->text().trimmed().isEmpty();
    m_empty->setText(!m_shown   ? "Checking …"
                     : filtered ? "Nothing of that kind. “all” and an empty search show every finding."
                                : "Nothing to report: every step can be done and keeps its margins.");
    m_looked->setText(!m_shown                   ? QString()
                      : m_shown->result.complete ? "Looked at: " + text(lookedAt(m_shown->result)) + "."
                                                 : "Looked at so far: " + text(lookedAt(m_shown->result)) + " …");
    m_looked->setToolTip(m_looked->text());
}

/// What the step of a contact could be said to be meant to touch.
std::optional<Touchable> FindingsList::touchableOf(const Finding& f) const
{
    const ContactFact* contact = f.as<ContactFact>();
    if (!contact || !f.step || !m_shown) return std::nullopt;
    const Cell& cell = *m_shown->cell;
    // The one that the arm does not move: a frame, else a part.
    for (const ContactSide* side : {&contact->b, &contact->a})
        if (side->member && side->member->kind == ContactMember::Kind::Frame) return FrameId{side->member->id};
    for (const ContactSide* side : {&contact->b, &contact->a}) {
        const Part* part = findPart(cell, side->part);
        for (const Part& made : m_shown->result.trace.made)
            if (made.id == side->part) part = &made;
        if (part) return part->kind;
    }
    return std::nullopt;
}

void FindingsList::letTouch()
{
    const Finding* chosen = current();
    const auto touched = chosen ? touchableOf(*chosen) : std::nullopt;
    const Routine* routine = chosen ? findRoutine(m_session.cell(), chosen->routine) : nullptr;
    const Step* step = routine ? findStep(routine->steps, chosen->step) : nullptr;
    if (!touched || !step) return;
    Step changed = *step;
    if (std::find(changed.mayTouch.begin(), changed.mayTouch.end(), *touched) != changed.mayTouch.end()) return;
    changed.mayTouch.push_back(*touched);
    m_session.edit("Let a step touch something",
                   [&, id = routine->id](const Cell& cell) { return changeStep(cell, id, changed); });
}

void FindingsList::accept()
{
    const Finding* chosen = current();
    if (!chosen || chosen->severity == Severity::Blocked) return;
    const Finding finding = *chosen;
    const bool stands = !finding.accepted.empty();
    const std::string reason = m_reason->text().trimmed().toStdString();
    if (!stands && reason.empty()) {
        m_session.say("Type why it may stand first.", true);
        return m_reason->setFocus();
    }
    m_session.edit(stands ? "Raise a finding again" : "Let a finding stand",
                   [&](const Cell& cell) { return acceptFinding(cell, finding, stands ? "" : reason); });
    m_reason->clear();
    m_list->setFocus();
}

void FindingsList::selectNext(int by)
{
    if (m_list->count() == 0) return m_session.say("There are no findings.");
    // From cause to cause: heads, and what follows from one, are passed over.
    int row = m_list->currentRow();
    for (int n = 0; n < m_list->count(); ++n) {
        row = row < 0 ? (by > 0 ? 0 : m_list->count() - 1) : (row + by + m_list->count()) % m_list->count();
        const QVariant i = m_list->item(row)->data(kRow);
        if (i.isValid() && !m_rows[i.toUInt()].follows) return m_list->setCurrentRow(row);
    }
}

}  // namespace topikos
