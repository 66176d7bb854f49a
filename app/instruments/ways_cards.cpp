#include "app/instruments/ways_cards.h"

#include "app/session/text.h"
#include "app/targets/target_commands.h"
#include "app/theme/theme.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QPushButton>
#include <QSettings>
#include <QVBoxLayout>

namespace topikos {

namespace {

/// A departure in few words: "+30°", "-50.0 mm X", "lean 10°, +30°".
QString shortWords(QString words)
{
    for (const auto& [from, to] :
         {std::pair("turned by ", ""), {"moved by ", ""}, {" along ", " "}, {"leaning by ", "lean "}})
        words.replace(from, to);
    return words;
}

}  // namespace

WaysCards::WaysCards(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* head = new QHBoxLayout;
    m_title = new QLabel(this);
    m_title->setFont(textFont(12, QFont::DemiBold));
    m_title->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);  // a long name must not widen the panel
    m_count = new QLabel(this);
    m_count->setFont(textFont(12, QFont::DemiBold));
    m_count->setProperty("class", "faint");
    m_ghosts = new QToolButton(this);
    m_ghosts->setObjectName("wayGhosts");
    m_ghosts->setText("Ghosts");
    m_ghosts->setFont(textFont(11));
    m_ghosts->setStyleSheet("padding: 0 4px; font-size: 11px;");
    m_ghosts->setCheckable(true);
    m_ghosts->setChecked(QSettings().value("ways/ghosts", true).toBool());
    m_ghosts->setToolTip("Show every way to reach the selected target in the view");
    connect(m_ghosts, &QToolButton::toggled, this, [this](bool on) {
        QSettings().setValue("ways/ghosts", on);
        showGhosts();
    });
    head->addWidget(m_title, 1);
    head->addWidget(m_ghosts);
    head->addWidget(m_count);
    column->addLayout(head);
    m_grid = new QGridLayout;
    m_grid->setSpacing(3);
    for (const int side : {0, 1})
        m_grid->setColumnStretch(side, 1);
    column->addLayout(m_grid);
    for (int i = 0; i < 16; ++i) {
        auto* card = new QPushButton(this);
        card->setObjectName(QString("way%1").arg(i));
        card->setCheckable(true);
        card->setFont(textFont(11));
        card->setStyleSheet("padding: 1px 2px; font-size: 11px;");
        card->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);  // long words must not widen the panel
        card->installEventFilter(this);
        connect(card, &QPushButton::clicked, this, [this, i] {
            if (i >= int(m_ways.size())) return;
            const Solution way = m_ways[size_t(i)];
            const TargetId id = m_session.selected<TargetId>();
            if (id && size_t(i) >= m_plain) {
                const FreeWay free = m_free[size_t(i) - m_plain];  // the edit fills them anew
                takeWithin(m_session, id, free);
            } else if (id) {
                const Target& target = *findTarget(m_session.cell(), id);
                const bool changes = keepsPosture(m_session.arm())
                                         ? target.posture.size() != way.joints.size() || target.posture != way.joints
                                         : !(target.configuration == way.configuration);
                if (changes)
                    m_session.edit("Choose way for " + text(target.name),
                                   [=](const Cell& cell) { return setTargetWay(cell, id, way); });
            } else {
                m_session.setPosture(way.joints);
            }
            m_waysOf = {};  // the click has toggled the card
            fill();
        });
        m_cards.push_back(card);
        m_grid->addWidget(card, i / 2, i % 2);
    }
    for (const auto signal : {&Session::postureChanged, &Session::selectionChanged, &Session::cellChanged})
        connect(&session, signal, this, &WaysCards::fill);
    fill();
}

void WaysCards::fill()
{
    const Cell& cell = m_session.cell();
    const Target* target = findTarget(cell, m_session.selected<TargetId>());
    const bool ofTarget = target && target->kind == Target::Kind::Pose && target->arm == m_session.station().id;
    const AxisValues axes = ofTarget ? overlaid(m_session.shownAxes(), target->axes) : AxisValues();
    const std::pair<CellPtr, TargetId> wanted{ofTarget ? m_session.history().current() : nullptr,
                                              ofTarget ? target->id : TargetId()};
    if (ofTarget && wanted == m_waysOf && axes == m_axes) return;
    m_waysOf = wanted;
    m_axes = axes;
    const JointVector now = m_session.shownPosture();
    Solutions found;
    JointVector chosenJoints;
    Configuration chosen = configurationOf(m_session.arm(), now);
    if (ofTarget) {
        found = inverseKinematics(m_session.arm(), baseFromFlange(cell, *target, 0, axes));
        chosen = target->configuration;
        const Solution* own = chosenWay(m_session.arm(), *target, found.items);
        chosenJoints = own ? own->joints : JointVector();
        m_title->setText("Ways to " + text(target->name));
        m_title->setToolTip("Ways to reach " + text(target->name));
    } else {
        // Of seven axes each way is shown with its best swivel, not with the one nearest to the present.
        found = inverseKinematics(m_session.arm(), forward(m_session.arm(), now),
                                  m_session.arm().as<SevenAxis>() ? nullptr : &now);
        if (const Solution* own = nearestTo(found.items, now)) chosenJoints = own->joints;
        m_title->setText("Ways to hold this pose");
        m_title->setToolTip({});
    }
    m_ways = found.items;
    m_plain = m_ways.size();
    m_free.clear();
    // Places of patterns are where these say.
    if (ofTarget && !target->pattern && target->freedom.kind != Freedom::Kind::Fixed)
        for (FreeWay& free : freeWayOfEach(cell, *target, axes)) {
            // As taught it is among the others.
            if (free.departure == 0 || m_ways.size() == m_cards.size()) continue;
            m_ways.push_back(free.way);
            m_free.push_back(std::move(free));
        }
    m_ghosts->setVisible(ofTarget);
    showGhosts();
    m_count->setText(m_plain == 0 ? QString("none")
                                  : QString("%1 of %2").arg(m_plain).arg(m_plain + found.outOfRange.size()));
    m_count->setToolTip(m_plain == 0 ? solutionsText(m_session.arm(), found)
                                     : QString("Ways inside all joint ranges, of all the geometry allows"));
    for (size_t i = 0; i < m_cards.size(); ++i) {
        auto* card = static_cast<QPushButton*>(m_cards[i]);
        card->setVisible(i < m_ways.size());
        if (i >= m_ways.size()) continue;
        const Configuration& c = m_ways[i].configuration;
        const Closest margin = rangeMargin(m_session.arm(), m_ways[i].joints);
        const bool named = m_session.arm().hasConfigurations();
        const Joint& tight = m_session.arm().joints()[size_t(std::max(0, margin.joint))];
        const QString left =
            tight.kind == JointKind::Revolute ? degreeText(margin.value, 0) : lengthText(margin.value, 0);
        const QString which = named
                                  ? QString("%1 %2%3").arg(c.shoulderBack ? "Back" : "Front",
                                                           c.elbowDown ? "down" : "up", c.wristTurned ? " turned" : "")
                                  : QString("Way %1").arg(i + 1);
        const QString line = which + "  " + left;
        constexpr qsizetype fits = 19, fitsSmall = 22;
        card->setStyleSheet(QString("padding: 1px 2px; font-size: %1px;")
                                .arg(i >= m_plain || line.size() <= fits ? 11
                                     : line.size() <= fitsSmall          ? 10
                                                                         : 9));
        card->setText(line);
        if (i >= m_plain) {
            // In that configuration, where its freedom has the most margin.
            const FreeWay& free = m_free[i - m_plain];
            card->setText(which + "\n" + shortWords(text(free.words)) + "  " + left);
            card->setChecked(false);
            card->setToolTip(QString("Within its freedom, %1: margin %2 %, %3 left to the range end of joint %4. Click "
                                     "to choose it for the target.")
                                 .arg(text(free.words))
                                 .arg(100 * free.margin, 0, 'f', 0)
                                 .arg(jointText(tight, margin.value))
                                 .arg(margin.joint + 1));
            continue;
        }
        card->setChecked(named ? c == chosen
                               : chosenJoints.size() == m_ways[i].joints.size()
                                     && (chosenJoints - m_ways[i].joints).cwiseAbs().maxCoeff() < 1e-9);
        card->setToolTip(
            QString("%1%2 left to the range end of joint %3. %4")
                .arg(named ? "Shoulder " + configurationShort(c) + ", " : QString(), jointText(tight, margin.value))
                .arg(margin.joint + 1)
                .arg(target ? "Click to choose it for the target." : "Click to move the arm into it."));
    }
}

void WaysCards::showGhosts()
{
    std::vector<JointVector> ways;
    if (m_ghosts->isChecked() && m_waysOf.second)
        for (size_t i = 0; i < m_plain; ++i)
            ways.push_back(m_ways[i].joints);
    m_session.setWays(std::move(ways), m_axes);
}

bool WaysCards::eventFilter(QObject* object, QEvent* event)
{
    if (event->type() == QEvent::Enter) {
        for (size_t i = 0; i < m_cards.size() && i < m_ways.size(); ++i)
            if (m_cards[i] == object) m_session.setGhost(m_ways[i].joints, m_axes);
    } else if (event->type() == QEvent::Leave || event->type() == QEvent::Hide) {
        if (m_session.ghost()) m_session.setGhost({});
    }
    return QWidget::eventFilter(object, event);
}

}  // namespace topikos
