#include "app/strip/findings_list.h"

#include "app/layout/layout_commands.h"
#include "app/session/text.h"
#include "app/theme/theme.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

namespace topikos {

FindingsList::FindingsList(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(6, 4, 6, 4);
    m_list = new QListWidget(this);
    m_list->setObjectName("findingsList");
    m_list->setAccessibleName("Findings");
    m_list->setIconSize({14, 14});
    m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);  // long ones are cut, whole in their tips
    column->addWidget(m_list);
    m_empty = new QLabel("Nothing to report: every step can be done and keeps its margins.", this);
    m_empty->setAlignment(Qt::AlignCenter);
    m_empty->setProperty("class", "faint");
    column->addWidget(m_empty, 1);
    m_looked = new QLabel(this);
    m_looked->setObjectName("lookedAt");
    m_looked->setProperty("class", "faint");
    auto* foot = new QHBoxLayout;
    foot->addWidget(m_looked, 1);
    m_reason = new QLineEdit(this);
    m_reason->setObjectName("adviceReason");
    m_reason->setAccessibleName("Why the advice may stand");
    m_reason->setPlaceholderText("why it may stand");
    m_reason->setMaximumWidth(220);
    m_reason->setMaxLength(120);
    m_accept = new QPushButton("Let it stand", this);
    m_accept->setObjectName("adviceAccept");
    m_accept->setToolTip("The advice counts no more, with this reason, until what it is about changes");
    connect(m_accept, &QPushButton::clicked, this, &FindingsList::accept);
    connect(m_reason, &QLineEdit::returnPressed, this, &FindingsList::accept);
    foot->addWidget(m_reason);
    foot->addWidget(m_accept);
    // The part of the manual about the selected finding, or about all of them.
    m_explain = new QLabel(this);
    m_explain->setObjectName("explainFinding");
    m_explain->setOpenExternalLinks(true);
    m_explain->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    foot->addWidget(m_explain);
    column->addLayout(foot);
    const auto go = [this](QListWidgetItem* item) {
        const CheckedCell* checked = m_session.checked();
        if (!item || !checked) return;
        const std::vector<const Finding*> all = listed();
        const size_t i = item->data(Qt::UserRole).toUInt();
        if (i >= all.size()) return;
        const Finding& f = *all[i];
        explain(&f);
        const ArmId before = m_session.station().id;
        if (const Routine* routine = findRoutine(m_session.cell(), f.routine)) m_session.showRoutine(routine->id);
        const BeltFact* belt = f.as<BeltFact>();
        m_session.select(f.step     ? Selection(f.step)
                         : f.target ? Selection(f.target)
                         : belt     ? Selection(belt->belt)
                                    : Selection());
        // Contact is seen where things stand then.
        const auto* contact = f.as<ContactFact>();
        const Trace& run = checked->result.trace;
        if (contact && contact->time <= run.duration
            && (!f.routine || reachedRoutines(*checked->cell).contains(f.routine)))
            m_session.scrub(contact->time);
        // Who jogs next has to know which arm will move.
        if (m_session.station().id != before)
            m_session.say(text(m_session.station().name) + " is in hand now: the finding is about it.");
    };
    connect(m_list, &QListWidget::itemClicked, this, go);
    connect(m_list, &QListWidget::currentItemChanged, this, go);
    connect(&session, &Session::checkedChanged, this, &FindingsList::fill);
    fill();
}

void FindingsList::explain(const Finding* finding)
{
    const QString rule = finding ? QString(ruleName(finding->rule)).replace('-', ' ') : QString();
    const bool advice = finding && isAdvice(finding->rule);
    const bool stands = advice && !finding->accepted.empty();
    m_reason->setVisible(advice && !stands);
    m_accept->setVisible(advice);
    m_accept->setText(stands ? "Raise again" : "Let it stand");
    m_explain->setText(finding ? QString("<a href=\"manual:findings#%1\">What “%1” means, and what helps</a>").arg(rule)
                               : "<a href=\"manual:findings\">What is checked</a>");
}

void FindingsList::fill()
{
    const QSignalBlocker block(m_list);
    const int row = m_list->currentRow();
    m_list->clear();
    const CheckedCell* checked = m_session.checked();
    uint i = 0;
    const auto add = [&](const Finding& f, bool follows) {
        const FindingText words = findingText(*checked->cell, f);
        const QString lead = follows ? QString(6, QChar(0x2002)) + "follows: " : QString();
        auto* item =
            new QListWidgetItem(severityIcon(f.severity), lead + text(words.headline + "  ·  " + words.detail), m_list);
        item->setData(Qt::UserRole, i++);
        item->setToolTip(text(words.line()));
    };
    if (checked) {
        for (const Finding& f : checked->result.findings) {
            add(f, false);
            for (const Finding& follows : f.followUps)
                add(follows, true);
        }
        for (const Finding& f : checked->result.accepted) {
            add(f, false);
            QListWidgetItem* item = m_list->item(m_list->count() - 1);
            item->setText("stands: " + text(f.accepted) + "  ·  " + item->text());
            item->setForeground(theme().faint);
        }
    }
    m_list->setCurrentRow(std::min(row, m_list->count() - 1));
    const std::vector<const Finding*> all = listed();
    explain(m_list->currentRow() >= 0 ? all[size_t(m_list->currentRow())] : nullptr);
    m_list->setVisible(m_list->count() > 0);
    m_empty->setVisible(m_list->count() == 0);
    m_empty->setText(checked ? "Nothing to report: every step can be done and keeps its margins." : "Checking …");
    m_looked->setText(!checked                   ? QString()
                      : checked->result.complete ? "Looked at: " + text(lookedAt(checked->result)) + "."
                                                 : "Looked at so far: " + text(lookedAt(checked->result)) + " …");
}

std::vector<const Finding*> FindingsList::listed() const
{
    const CheckedCell* checked = m_session.checked();
    if (!checked) return {};
    std::vector<const Finding*> all = withFollowUps(checked->result.findings);
    for (const Finding& f : checked->result.accepted)
        all.push_back(&f);
    return all;
}

void FindingsList::accept()
{
    const std::vector<const Finding*> all = listed();
    const int row = m_list->currentRow();
    if (row < 0 || row >= int(all.size()) || !isAdvice(all[size_t(row)]->rule)) return;
    const Finding finding = *all[size_t(row)];
    const bool stands = !finding.accepted.empty();
    const std::string reason = m_reason->text().trimmed().toStdString();
    if (!stands && reason.empty()) {
        m_session.say("Type why it may stand first.", true);
        return m_reason->setFocus();
    }
    m_session.edit(stands ? "Raise an advice again" : "Let an advice stand",
                   [&](const Cell& cell) { return acceptAdvice(cell, finding, stands ? "" : reason); });
    m_reason->clear();
    m_list->setFocus();
}

void FindingsList::selectNext(int by)
{
    if (m_list->count() == 0) return m_session.say("There are no findings.");
    const int row = m_list->currentRow();
    m_list->setCurrentRow(row < 0 ? 0 : (row + by + m_list->count()) % m_list->count());
}

}  // namespace topikos
