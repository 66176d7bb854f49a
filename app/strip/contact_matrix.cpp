#include "app/strip/contact_matrix.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/spatial/limits.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QTimer>
#include <QVBoxLayout>

namespace topikos {

namespace {

const char* reasonText(ContactPair::Reason reason)
{
    switch (reason) {
    case ContactPair::Reason::Sometimes: return "touch in some postures";
    case ContactPair::Reason::Adjacent: return "neighbours that always touch at their joint";
    case ContactPair::Reason::Always: return "touched in every sample";
    case ContactPair::Reason::Never: return "touched in no sample";
    case ContactPair::Reason::ByHand: return "set by hand";
    }
    return "";
}

}  // namespace

ContactMatrix::ContactMatrix(Session& session, QWidget* parent) :
    QWidget(parent), m_session(session), m_search(session, "The search for contact pairs")
{
    setObjectName("contactFace");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 6, 8, 6);
    auto* left = new QVBoxLayout;
    row->addLayout(left);
    const auto number = [&](const char* name, const char* label, int low, int high, int value, const char* tip) {
        auto* line = new QHBoxLayout;
        line->addWidget(new QLabel(label, this));
        auto* spin = new NumberField(this);
        spin->setDecimals(0);
        spin->setObjectName(name);
        spin->setAccessibleName(label);
        spin->setRange(low, high);
        spin->setValue(value);
        spin->setToolTip(tip);
        line->addWidget(spin);
        left->addLayout(line);
        return spin;
    };
    m_samples = number("contactSamples", "Samples", 10, 1000000, 1000, "Random postures inside all ranges");
    m_seed = number("contactSeed", "Seed", 0, 999999, 1, "The same seed gives the same postures");
    m_find = new QPushButton("Find pairs", this);
    m_find->setObjectName("contactFind");
    m_find->setToolTip("Try random postures and see which bodies touch; what was set by hand stays");
    left->addWidget(m_find);
    left->addStretch();
    auto* right = new QVBoxLayout;
    row->addLayout(right, 1);
    m_counts = new QLabel(this);
    m_counts->setObjectName("contactCounts");
    m_counts->setWordWrap(true);
    m_counts->setToolTip("Click a pair in the table to mark it or to leave it out");
    auto* top = new QHBoxLayout;
    top->addWidget(m_counts, 1);
    right->addLayout(top);
    m_pair = new QLabel(this);
    m_pair->setObjectName("contactPair");
    top->addWidget(m_pair);
    m_caution = new NumberField(this, Quantity::Length, kMillimetre);
    m_caution->setObjectName("contactCaution");
    m_caution->setAccessibleName("Clearance asked of the pair");
    m_caution->setRange(-0.1, limits::kClearance.most / kMillimetre);
    m_caution->setDecimals(1);
    m_caution->setSuffix(" mm");
    m_caution->setSpecialValueText("as the cell");
    m_caution->setToolTip("Caution when these two come nearer to each other; below 0 mm: as the cell asks for all");
    top->addWidget(m_caution);
    connect(m_caution, &NumberField::editingFinished, this, &ContactMatrix::setCaution);
    m_table = new QTableWidget(this);
    m_table->setObjectName("contactTable");
    m_table->setAccessibleName("Pairs of bodies");
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->horizontalHeader()->setDefaultSectionSize(90);
    m_table->verticalHeader()->setDefaultSectionSize(22);
    m_table->setFont(textFont(11));
    right->addWidget(m_table, 1);

    connect(m_find, &QPushButton::clicked, this, &ContactMatrix::search);
    connect(&m_search, &Background::ended, this, &ContactMatrix::rest);
    const auto flip = [this](int r, int c) {
        if (size_t(std::max(r, c)) >= m_members.size()) return;
        const ContactMember a = m_members[size_t(std::min(r, c))], b = m_members[size_t(std::max(r, c))];
        for (const ContactPair& p : m_session.cell().contact.pairs)
            if (p.a == a && p.b == b) {
                const bool checked = !p.checked;
                m_session.edit(QString(checked ? "Mark %1 against %2" : "Leave %1 against %2 out")
                                   .arg(text(memberName(m_session.cell(), a)), text(memberName(m_session.cell(), b))),
                               [=](const Cell& cell) { return setPairChecked(cell, a, b, checked); });
                return;
            }
    };
    connect(m_table, &QTableWidget::currentCellChanged, this, [this](int r, int c) {
        m_current = {r, c};
        showPair();
    });
    connect(m_table, &QTableWidget::cellActivated, this, flip);
    connect(m_table, &QTableWidget::cellClicked, this, flip);
    connect(&session, &Session::cellChanged, this, &ContactMatrix::fill, Qt::QueuedConnection);
    fill();
}

void ContactMatrix::search()
{
    if (m_search.isWorking()) {
        m_search.giveUp();
        return rest();
    }
    const SamplingOptions options{std::uint32_t(m_samples->value()), std::uint32_t(m_seed->value())};
    m_find->setText("Cancel");
    m_search.start(
        [this, cell = m_session.history().current(), options](const Background::Task& task) {
            int shown = -1;
            return std::pair(cell, sampleContactPairs(*cell, options, [&](double part) {
                                 if (const int percent = int(100 * part); percent > std::exchange(shown, percent))
                                     task.tell([this, percent] {
                                         m_counts->setText(QString("Trying postures … %1 %").arg(percent));
                                     });
                                 return task.goesOn();
                             }));
        },
        [this](const std::pair<CellPtr, std::optional<ContactPairs>>& found) {
            rest();
            if (found.first != m_session.history().current())
                m_session.say("The cell changed while its pairs were being found; find them again.", true);
            else if (found.second)
                m_session.edit("Find contact pairs",
                               [&](const Cell& cell) { return setContactPairs(cell, *found.second); });
        });
}

void ContactMatrix::rest()
{
    m_find->setText("Find pairs");
    fill();
}

const ContactPair* ContactMatrix::currentPair() const
{
    const auto [r, c] = m_current;
    if (r < 0 || c < 0 || size_t(std::max(r, c)) >= m_members.size()) return nullptr;
    const ContactMember &a = m_members[size_t(std::min(r, c))], &b = m_members[size_t(std::max(r, c))];
    for (const ContactPair& p : m_session.cell().contact.pairs)
        if (p.a == a && p.b == b) return &p;
    return nullptr;
}

void ContactMatrix::showPair()
{
    const ContactPair* pair = currentPair();
    const Cell& cell = m_session.cell();
    m_pair->setText(!pair ? "A pair's own clearance:"
                          : text(memberName(cell, pair->a) + " and " + memberName(cell, pair->b)) + ":");
    const QSignalBlocker block(m_caution);
    m_caution->setEnabled(pair);
    m_caution->setValue(pair && pair->caution ? millimetres(*pair->caution) : m_caution->minimum());
}

void ContactMatrix::setCaution()
{
    const ContactPair* pair = currentPair();
    if (!pair) return;
    const double shown = m_caution->value();
    const std::optional<double> wanted = shown < 0 ? std::nullopt : std::optional(shown * kMillimetre);
    const bool same = wanted ? pair->caution && std::abs(*pair->caution - *wanted) < 1e-9 : !pair->caution;
    if (same) return;
    m_session.edit("Clearance of a pair",
                   [a = pair->a, b = pair->b, wanted](const Cell& c) { return setPairCaution(c, a, b, wanted); });
}

void ContactMatrix::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    fill();
}

void ContactMatrix::fill()
{
    if (!isVisible()) return;  // a table of many fixtures is not made anew behind another face
    const Cell& cell = m_session.cell();
    const ContactPairs& contact = cell.contact;
    m_members = contact.pairs.empty() ? std::vector<ContactMember>() : contactMembers(cell);
    if (contact.pairs.empty()) {
        m_counts->setText(
            "<b>All pairs are checked</b> but neighbours and what the arm touches in every posture. Find pairs tries "
            "random postures and sorts the pairs; then single ones can be left out.");
    } else {
        const auto checked =
            std::count_if(contact.pairs.begin(), contact.pairs.end(), [](const ContactPair& p) { return p.checked; });
        m_counts->setText(
            QString("<b>%1 of %2 pairs are checked:</b> %3; %4 samples, seed %5. Parts are checked as well.")
                .arg(checked)
                .arg(contact.pairs.size())
                .arg(text(pairCounts(contact)))
                .arg(contact.samples)
                .arg(contact.seed));
    }
    m_table->setVisible(!contact.pairs.empty());
    const auto [row, column] = m_current;
    const QSignalBlocker still(m_table);
    m_table->clear();
    const int n = int(m_members.size());
    m_table->setRowCount(n);
    m_table->setColumnCount(n);
    QStringList names;
    for (const ContactMember& m : m_members)
        names << text(memberName(cell, m));
    m_table->setHorizontalHeaderLabels(names);
    m_table->setVerticalHeaderLabels(names);
    const auto indexOf = [&](const ContactMember& m) {
        return int(std::find(m_members.begin(), m_members.end(), m) - m_members.begin());
    };
    for (const ContactPair& p : contact.pairs) {
        const int i = indexOf(p.a), k = indexOf(p.b);
        if (i >= n || k >= n) continue;
        static const char* words[] = {"sometimes", "adjacent", "always", "never", "by hand"};
        for (const auto& [r, c] : {std::pair{i, k}, {k, i}}) {
            auto* item = new QTableWidgetItem((p.checked ? "✓ " : "– ") + QString(words[int(p.reason)]));
            item->setTextAlignment(Qt::AlignCenter);
            item->setBackground(p.checked ? QBrush(theme().accentSoft) : QBrush());
            item->setForeground(p.checked ? theme().ink : theme().faint);
            item->setToolTip(QString("%1 and %2: %3; touched in %4 of %5 samples. %6")
                                 .arg(names[i], names[k], reasonText(p.reason))
                                 .arg(p.touched)
                                 .arg(contact.samples)
                                 .arg(p.checked ? "Checked." : "Left out."));
            if (p.caution) item->setText(item->text() + " " + lengthText(*p.caution));
            m_table->setItem(r, c, item);
        }
    }
    if (row >= 0 && row < n && column >= 0 && column < n) m_table->setCurrentCell(row, column);
    showPair();
}

}  // namespace topikos
