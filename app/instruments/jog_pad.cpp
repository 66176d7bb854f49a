#include "app/instruments/jog_pad.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/program/step_text.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QVBoxLayout>

namespace topikos {

JogPad::JogPad(Session& session, HeldJog& held, QWidget* parent) : QWidget(parent), m_session(session), m_held(held)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* head = new QHBoxLayout;
    head->setSpacing(4);
    m_how = new QPushButton(this);
    m_how->setObjectName("jogHow");
    m_how->setCheckable(true);
    m_how->setFont(textFont(12, QFont::DemiBold));
    m_how->setStyleSheet("padding: 1px 4px;");
    m_how->setToolTip("By steps, or for as long as a key or button is held (H in the view)");
    connect(m_how, &QPushButton::clicked, this, [this](bool on) { m_held.setOn(on); });
    head->addWidget(m_how);
    m_pivot = new QLabel(this);
    m_pivot->setObjectName("jogPivot");
    m_pivot->setProperty("class", "faint");
    m_pivot->setStyleSheet("font-size: 11px;");
    m_pivot->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    head->addWidget(m_pivot, 1);
    const auto stepButton = [&](const char* words, int by, const char* tip) {
        auto* b = new QPushButton(words, this);
        b->setFixedSize(24, 22);
        b->setStyleSheet("padding: 0;");
        b->setToolTip(tip);
        b->setAutoRepeat(true);
        connect(b, &QPushButton::clicked, this, [this, by] {
            if (m_held.on()) m_held.changeSpeed(by);
            else m_session.changeJogStep(by);
        });
        head->addWidget(b);
        return b;
    };
    stepButton("‹", -1, "Smaller steps, or slower (<, - in the view)")->setObjectName("jogFiner");
    m_step = new QLabel(this);
    m_step->setObjectName("jogStep");
    m_step->setFont(figureFont(12));
    m_step->setMinimumWidth(88);
    m_step->setAlignment(Qt::AlignCenter);
    head->addWidget(m_step);
    stepButton("›", 1, "Larger steps, or faster (>, + in the view)")->setObjectName("jogCoarser");
    column->addLayout(head);

    auto* spaces = new QHBoxLayout;
    spaces->setSpacing(4);
    static const char* names[] = {"Joint", "World", "Tool", "Frame", "Base"};
    static const char* tips[] = {"Each joint by itself (J in the view)", "Along and about the world's axes (W)",
                                 "Along and about the tool's axes (O)",
                                 "Along and about the axes of the frame the pose is seen from (R)",
                                 "Along and about the axes of the arm's base (B)"};
    for (int i = 0; i < 5; ++i) {
        m_spaces[i] = new QPushButton(names[i], this);
        m_spaces[i]->setObjectName(QString("jog%1").arg(names[i]));
        m_spaces[i]->setCheckable(true);
        m_spaces[i]->setToolTip(tips[i]);
        m_spaces[i]->setStyleSheet("padding: 2px 0; min-width: 40px;");
        connect(m_spaces[i], &QPushButton::clicked, this, [this, i] { m_session.setJogSpace(JogSpace(i)); });
        spaces->addWidget(m_spaces[i]);
    }
    column->addLayout(spaces);

    auto* grid = new QGridLayout;
    grid->setSpacing(3);
    for (int i = 0; i < 6; ++i) {
        const auto button = [&](int sign) {
            auto* b = new QPushButton(this);
            b->setAutoRepeat(true);
            b->setAutoRepeatDelay(350);
            b->setAutoRepeatInterval(60);
            b->setStyleSheet("padding: 1px 0;");
            connect(b, &QPushButton::clicked, this, [this, i, sign] {
                if (!m_held.on()) jog(i, sign);
            });
            connect(b, &QPushButton::pressed, this, [this, i, sign] {
                if (m_held.on()) hold(i, sign);
            });
            // Its own repeats release and press again.
            connect(b, &QPushButton::released, this, [this, b] {
                if (!b->isDown()) m_held.release();
            });
            grid->addWidget(b, i % 3, (i / 3) * 2 + (sign > 0 ? 1 : 0));
            return b;
        };
        m_minus[i] = button(-1);
        m_plus[i] = button(1);
        m_minus[i]->setObjectName(QString("jogMinus%1").arg(i));
        m_plus[i]->setObjectName(QString("jogPlus%1").arg(i));
    }
    column->addLayout(grid);
    m_line = new QLineEdit(this);
    m_line->setObjectName("moveLine");
    m_line->setAccessibleName("Move by, or to");
    m_line->setPlaceholderText("Z +25   j4 -10   x 350 y 0");
    m_line->setToolTip("With a sign: by so much, along the axes jogged along. Without: to there, as the pose is read. "
                       "\"=\" goes to a negative place: x = -350. In the units shown, or with one behind the number. "
                       "Enter moves, and keeps the line for the next time.");
    connect(m_line, &QLineEdit::returnPressed, this, [this] {
        m_session.moveTyped(m_line->text());
        m_line->selectAll();
    });
    column->addWidget(m_line);
    connect(&session, &Session::jogChanged, this, &JogPad::refresh);
    connect(&session, &Session::cellChanged, this, &JogPad::refresh);
    connect(&held, &HeldJog::changed, this, &JogPad::refresh);
    refresh();
}

void JogPad::refresh()
{
    m_how->setChecked(m_held.on());
    m_how->setText(m_held.on() ? "Jog held" : "Jog steps");
    for (QPushButton* b : m_minus)
        b->setAutoRepeat(!m_held.on());
    for (QPushButton* b : m_plus)
        b->setAutoRepeat(!m_held.on());
    const QString step = m_held.on() ? m_held.speedText() : jogText(m_session.jogLength(), m_session.jogAngle());
    constexpr qsizetype fits = 14;
    m_step->setFont(step.size() > fits ? textFont(10) : figureFont(12));
    m_step->setText(step);
    const int space = int(m_session.jogSpace());
    for (int i = 0; i < 5; ++i)
        m_spaces[i]->setChecked(i == space);
    m_pivot->setText(m_session.pivotPlace() ? "about " + m_session.pivotName() : QString());
    m_pivot->setToolTip("Turns go about " + m_session.pivotName());
    const bool joints = m_session.jogSpace() == JogSpace::Joint;
    static const char* axes[] = {"X", "Y", "Z", "Rx", "Ry", "Rz"};
    for (int i = 0; i < 6; ++i) {
        const QString name = joints ? QString("J%1").arg(i + 1) : QString(axes[i]);
        const bool there = !joints || i < m_session.arm().jointCount();
        for (QPushButton* b : {m_minus[i], m_plus[i]}) {
            const bool plus = b == m_plus[i];
            b->setText(name + (plus ? " +" : " −"));
            b->setVisible(there);
            b->setToolTip(joints  ? QString("Turn joint %1").arg(i + 1)
                          : i < 3 ? QString("Move along %1").arg(axes[i])
                                  : QString("Turn about %1").arg(axes[i - 3]));
        }
    }
}

void JogPad::hold(int row, int sign)
{
    if (m_session.jogSpace() == JogSpace::Joint) m_session.setJogJointIndex(row);
    m_held.press(row, sign);
}

void JogPad::jog(int row, int sign)
{
    if (m_session.jogSpace() == JogSpace::Joint) {
        m_session.setJogJointIndex(row);
        m_session.jogJoint(row, sign);
    } else {
        m_session.jogAxis(m_session.jogSpace(), row, sign * (row < 3 ? m_session.jogLength() : m_session.jogAngle()));
    }
}

}  // namespace topikos
