#include "app/strip/remedy_panel.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/check/rule_help.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

namespace topikos {

namespace {

constexpr int kWait = 200;  // before a search begins, so that who goes through the list starts none [ms]

}  // namespace

RemedyPanel::RemedyPanel(Session& session, QWidget* parent) :
    QWidget(parent), m_session(session), m_search(session, "The search for remedies")
{
    setObjectName("remedyPanel");
    setMinimumWidth(300);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(6, 0, 0, 0);
    column->setSpacing(3);
    const auto label = [&](const char* name, bool faint) {
        auto* l = new QLabel(this);
        l->setObjectName(name);
        l->setWordWrap(true);
        if (faint) l->setProperty("class", "faint");
        column->addWidget(l);
        return l;
    };
    m_head = label("findingHead", false);
    m_head->setFont(textFont(13, QFont::DemiBold));
    m_detail = label("findingDetail", false);
    m_why = label("findingWhy", true);
    m_list = new OfferList("remediesList", "Remedies: Enter applies one", this);
    column->addWidget(m_list, 1);
    auto* foot = new QHBoxLayout;
    m_state = new QLabel(this);
    m_state->setObjectName("remediesState");
    m_state->setProperty("class", "faint");
    m_state->setWordWrap(true);
    foot->addWidget(m_state, 1);
    m_apply = new QPushButton("Apply", this);
    m_apply->setObjectName("remedyApply");
    m_apply->setToolTip("Make the change of the chosen remedy; one step of undo");
    connect(m_apply, &QPushButton::clicked, this, &RemedyPanel::apply);
    foot->addWidget(m_apply);
    column->addLayout(foot);
    connect(m_list, &OfferList::pointed, this, &RemedyPanel::point);
    connect(m_list, &OfferList::taken, this, &RemedyPanel::apply);
    connect(m_list, &QListWidget::currentRowChanged, this, [this](int row) { m_apply->setEnabled(row >= 0); });
    m_later.setSingleShot(true);
    connect(&m_later, &QTimer::timeout, this, &RemedyPanel::startSearch);
    connect(&m_search, &Background::ended, this, &RemedyPanel::finished);
    showFinding(nullptr);
}

void RemedyPanel::showFinding(const Finding* finding)
{
    const CheckedCell* checked = m_session.checked();
    // The same one again, as after a save: what was found for it stays.
    const bool same = finding && m_finding && checked && checked->cell == m_cell && keyOf(*finding) == keyOf(*m_finding)
                      && finding->accepted == m_finding->accepted;
    if (same && (searching() || m_done)) return;
    stopSearch();
    point(-1);
    m_finding = finding && checked ? std::optional(*finding) : std::nullopt;
    m_cell = m_finding ? checked->cell : nullptr;
    m_remedies.clear();
    m_nearest.reset();
    m_list->clear();
    m_done = false;
    for (QLabel* l : {m_head, m_detail, m_why})
        l->setVisible(m_finding.has_value());
    if (m_finding) {
        const FindingText words = findingText(*m_cell, *m_finding);
        m_head->setText(text(words.headline));
        const QString measured = text(measureText(*m_cell, *m_finding));
        m_detail->setText(text(words.detail) + (measured.isEmpty() ? "" : " " + measured));
        m_why->setText(text(whyItMatters(m_finding->rule)));
        if (!isAdvice(m_finding->rule) && m_finding->accepted.empty()) m_later.start(kWait);
    }
    say();
}

void RemedyPanel::startSearch()
{
    if (!isVisible() || !m_finding || !m_session.checkIsFresh() || !m_session.checked()->result.complete) return;
    m_search.start(
        [this, checked = m_session.checkedPointer(), finding = *m_finding, plans = &m_session.plans(),
         touched = &m_session.touched()](const Background::Task& task) {
            RemedyOptions options;
            options.plans = plans;
            options.touched = touched;
            options.workers = kCheckWorkers;
            options.stop = task.stop;
            options.found = [&](const Remedy& remedy) {
                task.tell([this, own = std::make_shared<const Remedy>(remedy)] { addRemedy(own); });
            };
            options.nearest = [&](const NearestPlace& nearest) {
                task.tell([this, nearest] {
                    m_nearest = nearest;
                    say();
                });
            };
            remediesFor(*checked->cell, checked->result, finding, options);
            return true;
        },
        [this](bool) { finished(); });
    say();
}

void RemedyPanel::finished()
{
    m_done = true;
    say();
}

void RemedyPanel::stopSearch()
{
    m_later.stop();
    m_search.giveUp();
}

void RemedyPanel::addRemedy(std::shared_ptr<const Remedy> remedy)
{
    const Trace* run = m_session.checked() ? &m_session.checked()->result.trace : nullptr;
    QString comes = remedy->blocked ? QString("%1 still blocked").arg(remedy->blocked) : QString("nothing blocked");
    if (remedy->cautions) comes += QString(", %1 caution%2").arg(remedy->cautions).arg(remedy->cautions > 1 ? "s" : "");
    if (remedy->runs) {
        comes += QString(", %1 s").arg(remedy->cycleTime, 0, 'f', 2);
        if (run && !run->blocked() && !run->stuck)
            comes += QString(" (%1%2 s)")
                         .arg(remedy->cycleTime >= cyclesOf(*run).time ? "+" : "")
                         .arg(remedy->cycleTime - cyclesOf(*run).time, 0, 'f', 2);
    }
    // In the order in which they come, so that nothing moves under the pointer; one that changes less takes the row of
    // the one of its kind.
    const auto known =
        std::find_if(m_remedies.begin(), m_remedies.end(), [&](const auto& own) { return own->kind == remedy->kind; });
    const int row = int(known - m_remedies.begin());
    if (known == m_remedies.end()) {
        m_remedies.push_back(remedy);
        m_list->addItem(QString());
    } else {
        *known = remedy;
    }
    m_list->item(row)->setText(text(remedy->text) + "\n    " + comes);
    m_list->item(row)->setToolTip(text(remedy->text) + ": " + comes + ". Tried on the whole cell.");
    if (m_pointed == row) point(row);
    say();
}

void RemedyPanel::say()
{
    const bool none = m_remedies.empty();
    m_list->setVisible(m_finding && !none);
    m_apply->setVisible(m_finding && !none);
    m_apply->setEnabled(m_list->currentRow() >= 0);
    QString words;
    if (!m_finding) words = "Choose a finding: here stands why it matters, and what takes it away.";
    else if (isAdvice(m_finding->rule)) words = "An advice is for you to judge; there is nothing to try.";
    else if (!m_finding->accepted.empty()) words = "It stands: " + text(m_finding->accepted);
    else if (searching()) words = none ? "Trying remedies on the whole cell …" : "Trying more …";
    else if (m_done && none) words = "No remedy was found that takes it away and blocks nothing else.";
    else if (m_done) words = "Point at one to see it. Each was tried on the whole cell.";
    else if (!m_session.checkIsFresh() || !m_session.checked()->result.complete) words = "Remedies follow the check …";
    if (m_nearest && m_finding && m_cell)
        if (const std::string where = nearestText(*m_cell, *m_nearest); !where.empty())
            words += QString(" The nearest place that can be reached: %1.").arg(text(where));
    m_state->setText(words);
}

void RemedyPanel::point(int row)
{
    if (row < 0 || row >= int(m_remedies.size())) {
        if (std::exchange(m_pointed, -1) < 0) return;
        m_session.endPreview();
        m_session.setGhost(std::nullopt);
        return;
    }
    const std::shared_ptr<const Remedy> remedy = m_remedies[size_t(row)];
    m_pointed = row;
    m_session.preview([remedy](const Cell& cell) { return patched(cell, remedy->patch); });
    if (remedy->arm == m_session.station().id && remedy->posture.size() == m_session.arm().jointCount())
        m_session.setGhost(remedy->posture, remedy->axes);
}

void RemedyPanel::apply()
{
    const int row = m_list->currentRow();
    if (row < 0 || row >= int(m_remedies.size())) return m_session.say("Choose a remedy first.", true);
    const std::shared_ptr<const Remedy> remedy = m_remedies[size_t(row)];
    if (m_session.history().current() != m_cell)
        return m_session.say("The cell has changed since; the remedies are looked for anew.", true);
    point(-1);
    m_session.edit(text(remedy->text), [&](const Cell& cell) { return patched(cell, remedy->patch); });
    m_session.say(text(remedy->text) + ". Undo takes it back.");
}

void RemedyPanel::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    if (m_finding && !m_done && !searching() && !isAdvice(m_finding->rule)) m_later.start(kWait);
}

void RemedyPanel::hideEvent(QHideEvent* event)
{
    QWidget::hideEvent(event);
    point(-1);
    stopSearch();
}

}  // namespace topikos
