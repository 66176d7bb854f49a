#include "app/instruments/send_pad.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/spatial/units.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QSettings>

namespace topikos {

SendPad::SendPad(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(3);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel("Send", this);
    title->setFont(textFont(12, QFont::DemiBold));
    head->addWidget(title);
    m_what = new QLabel(this);
    m_what->setObjectName("sendWhat");
    m_what->setProperty("class", "faint");
    m_what->setStyleSheet("font-size: 11px;");
    m_what->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    m_what->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);  // long names are cut, whole in the tip
    head->addWidget(m_what, 1);
    m_turn = new QPushButton("↻", this);
    m_turn->setObjectName("sendTurn");
    m_turn->setAccessibleName("Next turn about the tool's axis");
    m_turn->setToolTip("The next turn about the tool's axis that reaches it, with less margin; round again at the end");
    m_turn->setFixedSize(24, 20);
    m_turn->setStyleSheet("padding: 0;");
    head->addWidget(m_turn);
    grid->addLayout(head, 0, 0, 1, 4);
    const auto button = [this](const char* name, const char* words, const char* tip) {
        auto* b = new QPushButton(words, this);
        b->setObjectName(name);
        b->setToolTip(tip);
        b->setStyleSheet("padding: 2px 0;");
        return b;
    };
    m_to = button("sendTo", "To it", "The tool point goes to what was clicked: the turn with the largest margin");
    m_above = button("sendAbove", "Above", "The same, so far before it along the tool's axis");
    m_grip = button(
        "strokeGrip", "Grip it",
        "Target and steps for the selected part, or for each part of the selected pattern: approach, down, grip, up");
    m_release = button("strokeRelease", "Set down", "Target and steps there: above, down, release, up");
    m_off = new NumberField(this, Quantity::Length, kMillimetre);
    m_off->setObjectName("sendOff");
    m_off->setAccessibleName("How far above");
    m_off->setToolTip("How far above");
    m_off->setRange(0, 2000);
    m_off->setDecimals(0);
    m_off->setSuffix(" mm");
    m_off->setValue(QSettings().value("send/off", 100).toDouble());
    m_axis = new QComboBox(this);
    m_axis->setObjectName("sendAxis");
    m_axis->setAccessibleName("Along what");
    m_axis->setToolTip("Where the tool's axis points: into the face, as it stands, or down the frame or the world");
    m_axis->addItems({"face", "tool", "frame", "world"});
    m_axis->setCurrentIndex(QSettings().value("send/axis", 0).toInt());
    // Narrow enough for the column, whatever the words, and wide enough for the longest length that can be typed.
    m_axis->setMinimumWidth(56);
    m_off->setMinimumWidth(m_off->fontMetrics().horizontalAdvance("2000 mm") + 16);
    m_axis->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    grid->addWidget(m_to, 1, 0);
    grid->addWidget(m_above, 1, 1);
    grid->addWidget(m_off, 1, 2);
    grid->addWidget(m_axis, 1, 3);
    grid->addWidget(m_grip, 2, 0, 1, 2);
    grid->addWidget(m_release, 2, 2, 1, 2);
    for (int column = 0; column < 4; ++column)
        grid->setColumnStretch(column, 1);
    const auto off = [this] { return m_off->value() * kMillimetre; };
    const auto axis = [this] { return SendAxis(m_axis->currentIndex()); };
    connect(m_to, &QPushButton::clicked, this, [=, this] { m_session.sendThere(axis(), 0); });
    connect(m_above, &QPushButton::clicked, this, [=, this] { m_session.sendThere(axis(), off()); });
    connect(m_grip, &QPushButton::clicked, this, [=, this] { m_session.addGripThere(off()); });
    connect(m_release, &QPushButton::clicked, this, [=, this] { m_session.addReleaseThere(axis(), off()); });
    connect(m_turn, &QPushButton::clicked, this, [this] { m_session.sendNextTurn(); });
    connect(&session, &Session::postureChanged, this, [this] { m_turn->setEnabled(m_session.sendTurns() > 1); });
    connect(m_off, &NumberField::valueChanged, this, [](double v) { QSettings().setValue("send/off", v); });
    connect(m_axis, &QComboBox::currentIndexChanged, this, [](int i) { QSettings().setValue("send/axis", i); });
    for (const auto signal : {&Session::selectionChanged, &Session::jogChanged, &Session::cellChanged})
        connect(&session, signal, this, &SendPad::refresh);
    refresh();
}

void SendPad::refresh()
{
    const std::optional<PickedPlace> place = m_session.sendPlace();
    m_what->setText(place ? "to " + place->words : QString("click a face, hole, part or frame"));
    m_what->setToolTip(m_what->text());
    for (QPushButton* b : {m_to, m_above})
        b->setEnabled(place.has_value());
    m_turn->setEnabled(m_session.sendTurns() > 1);
    const Pattern* pattern = findPattern(m_session.cell(), m_session.selected<PatternId>());
    m_grip->setEnabled(m_session.selected<PartId>() || (pattern && pattern->content == Pattern::Content::Parts));
    m_release->setEnabled(place && !m_session.selected<PartId>());
}

}  // namespace topikos
