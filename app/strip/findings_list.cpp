#include "app/strip/findings_list.h"

#include "app/layout/layout_commands.h"
#include "app/session/text.h"
#include "app/theme/theme.h"

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
    m_list->setIconSize({14, 14});
    column->addWidget(m_list);
    m_empty = new QLabel("Nothing to report: every step can be done and keeps its margins.", this);
    m_empty->setAlignment(Qt::AlignCenter);
    m_empty->setProperty("class", "faint");
    column->addWidget(m_empty, 1);
    const auto go = [this](QListWidgetItem* item) {
        if (!item) return;
        const CheckedCell* checked = m_session.checked();
        const size_t i = item->data(Qt::UserRole).toUInt();
        if (!checked || i >= checked->result.findings.size()) return;
        const Finding& f = checked->result.findings[i];
        // The steps of an arm are shown while it is in hand.
        if (const Routine* routine = findRoutine(m_session.cell(), f.routine)) takeArmInHand(m_session, routine->arm);
        m_session.select(f.step ? Selection(f.step) : f.target ? Selection(f.target) : Selection(f.device));
    };
    connect(m_list, &QListWidget::itemClicked, this, go);
    connect(m_list, &QListWidget::currentItemChanged, this, go);
    connect(&session, &Session::checkedChanged, this, &FindingsList::fill);
    fill();
}

void FindingsList::fill()
{
    const QSignalBlocker block(m_list);
    const int row = m_list->currentRow();
    m_list->clear();
    const CheckedCell* checked = m_session.checked();
    if (checked)
        for (size_t i = 0; i < checked->result.findings.size(); ++i) {
            const Finding& f = checked->result.findings[i];
            const FindingText words = findingText(*checked->cell, f);
            auto* item =
                new QListWidgetItem(severityIcon(f.severity), text(words.headline + "  ·  " + words.detail), m_list);
            item->setData(Qt::UserRole, uint(i));
            item->setToolTip(text(words.headline + ". " + words.detail));
        }
    m_list->setCurrentRow(std::min(row, m_list->count() - 1));
    m_list->setVisible(m_list->count() > 0);
    m_empty->setVisible(m_list->count() == 0);
    m_empty->setText(checked ? "Nothing to report: every step can be done and keeps its margins." : "Checking …");
}

void FindingsList::selectNext(int by)
{
    if (m_list->count() == 0) return m_session.say("There are no findings.");
    const int row = m_list->currentRow();
    m_list->setCurrentRow(row < 0 ? 0 : (row + by + m_list->count()) % m_list->count());
}

}  // namespace topikos
