#include "app/view/reading_strip.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/spatial/number_text.h"
#include "core/spatial/rotation.h"

#include <QApplication>
#include <QBoxLayout>
#include <QKeyEvent>
#include <QStyle>

#include <cmath>

namespace topikos {

ReadingStrip::ReadingStrip(Session& session, QWidget* parent) : QFrame(parent), m_session(session)
{
    setObjectName("readingStrip");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 4, 6, 4);
    column->setSpacing(2);
    m_lines = new QBoxLayout(QBoxLayout::LeftToRight);
    m_lines->setSpacing(2);
    column->addLayout(m_lines);
    auto* row = new QHBoxLayout;
    m_lines->addLayout(row);
    row->setSpacing(2);
    m_tool = new QLabel(this);
    m_tool->setFont(textFont(13, QFont::DemiBold));
    m_tool->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Preferred);
    row->addWidget(m_tool);
    row->addSpacing(3);
    auto* from = new QLabel("seen from", this);
    from->setProperty("class", "faint");
    row->addWidget(from);
    m_frame = new QComboBox(this);
    m_frame->setObjectName("readingFrame");
    m_frame->setAccessibleName("Frame from which the pose is read");
    m_frame->setToolTip("Frame from which the pose is read and in which targets are taken");
    m_frame->setFocusPolicy(Qt::ClickFocus);
    row->addWidget(m_frame);
    row->addStretch();
    m_numbers = new QBoxLayout(QBoxLayout::LeftToRight);
    m_numbers->setSpacing(2);
    m_lines->addLayout(m_numbers);
    static const char* names[] = {"X", "Y", "Z", "", "", ""};
    for (int i = 0; i < 6; ++i) {
        if (i % 3 == 0) {
            row = new QHBoxLayout;
            row->setSpacing(2);
            m_numbers->addLayout(row);
        }
        auto* name = new QLabel(names[i], this);
        name->setProperty("class", "faint");
        if (i > 0) row->addSpacing(7);
        row->addWidget(name);
        if (i >= 3) m_angleNames[i - 3] = name;
        m_values[i] = new QLineEdit(this);
        m_values[i]->setObjectName(QString("reading%1").arg(i));
        m_values[i]->setAccessibleName(i < 3 ? names[i] : "Angle");
        m_values[i]->setFont(figureFont(12));
        // Room for "-12345.6" and "-180.00" with the field's own margins.
        m_values[i]->setFixedWidth(QFontMetrics(figureFont(12)).horizontalAdvance(i < 3 ? "-12345.6" : "-180.00") + 14);
        m_values[i]->setAlignment(Qt::AlignRight);
        m_values[i]->setToolTip((i < 3 ? QString("%1, in the unit shown or with one behind it").arg(names[i])
                                       : QString("Angle; View > Angles chooses the convention"))
                                + ". Type a value: the verdict shows at once, Enter moves the arm.");
        m_values[i]->installEventFilter(this);
        connect(m_values[i], &QLineEdit::textEdited, this, &ReadingStrip::judge);
        connect(m_values[i], &QLineEdit::returnPressed, this, &ReadingStrip::go);
        row->addWidget(m_values[i]);
        if (i == 2 || i == 5) {
            QLabel*& unit = m_units[i == 5];
            unit = new QLabel(this);
            unit->setProperty("class", "faint");
            row->addWidget(unit);
            row->addStretch();
        }
    }
    m_verdict = new QLabel(this);
    m_verdict->setObjectName("readingVerdict");
    m_verdict->hide();
    column->addWidget(m_verdict);

    connect(m_frame, &QComboBox::activated, this,
            [this](int i) { m_session.setReadingFrame({m_frame->itemData(i).toUInt()}); });
    connect(&session, &Session::cellChanged, this, [this] {
        fillFrames();
        showPose();
    });
    connect(&session, &Session::jogChanged, this, &ReadingStrip::fillFrames);
    connect(&session, &Session::postureChanged, this, &ReadingStrip::showPose);
    fillFrames();
    showPose();
}

void ReadingStrip::fillFrames()
{
    const Cell& cell = m_session.cell();
    m_tool->setText(text(toolInForce(cell, m_session.station()).name));
    const auto told = [&](int row, const QString& name, std::uint32_t id) {
        return m_frame->itemText(row) == name && m_frame->itemData(row).toUInt() == id;
    };
    bool same = m_frame->count() == int(cell.frames.size()) + 1;
    for (int i = 0; same && i < int(cell.frames.size()); ++i)
        same = told(i + 1, text(cell.frames[size_t(i)].name), cell.frames[size_t(i)].id.value);
    if (!same) {
        m_frame->clear();
        m_frame->addItem("World", 0u);
        for (const Frame& f : cell.frames)
            m_frame->addItem(text(f.name), f.id.value);
    }
    m_frame->setCurrentIndex(std::max(0, m_frame->findData(m_session.readingFrame().value)));
    m_frame->setFixedWidth(QFontMetrics(textFont(13, QFont::DemiBold)).horizontalAdvance(m_frame->currentText()) + 27);
    Q_EMIT resized();
}

void ReadingStrip::fit(int width)
{
    // In one line, the numbers below the words, or the angles below the lengths as well.
    using Way = QBoxLayout::Direction;
    for (const auto& [lines, numbers] :
         {std::pair(Way::LeftToRight, Way::LeftToRight), std::pair(Way::TopToBottom, Way::LeftToRight),
          std::pair(Way::TopToBottom, Way::TopToBottom)}) {
        m_lines->setDirection(lines);
        m_numbers->setDirection(numbers);
        m_lines->invalidate();
        layout()->invalidate();  // each keeps the size of before
        if (sizeHint().width() <= width) break;
    }
    adjustSize();
    setGeometry(12, 12, std::min(width, sizeHint().width()), sizeHint().height());
}

void ReadingStrip::showPose()
{
    const Pose pose = inverse(m_session.shownPlace(m_session.readingFrame())) * m_session.shownTcp();
    const AngleOrder order = m_session.cell().angles;
    const Vec3 angles = anglesOf(order, pose.matrix());
    for (int i = 0; i < 2; ++i)
        m_units[i]->setText(i == 0 ? lengthUnit().symbol : angleUnit().symbol);
    for (int i = 0; i < 3; ++i) {
        m_angleNames[i]->setText(angleNames(order)[size_t(i)]);
        m_values[i + 3]->setAccessibleName(m_angleNames[i]->text());
    }
    for (int i = 0; i < 6; ++i) {
        if (m_values[i]->isModified()) continue;
        m_values[i]->setText(i < 3 ? placeFigure(pose.translation[i], 1) : turnFigure(angles[i - 3], 2));
        m_shown[i] = m_values[i]->text();
    }
}

std::optional<Pose> ReadingStrip::typedPose()
{
    // Fields that were not touched keep their full digits, so that a pose typed in part is exact.
    const Pose now = inverse(m_session.shownPlace(m_session.readingFrame())) * m_session.shownTcp();
    Vec3 position = now.translation, angles = anglesOf(m_session.cell().angles, now.matrix());
    bool good = true;
    for (int i = 0; i < 6; ++i) {
        const DisplayUnit& unit = i < 3 ? lengthUnit() : angleUnit();
        const std::optional<double> value =
            quantityOf(m_values[i]->text().toStdString(), i < 3 ? Quantity::Length : Quantity::Angle, unit.size);
        const bool fine = value && std::abs(*value) < 1e4;
        m_values[i]->setProperty("bad", !fine);
        m_values[i]->style()->unpolish(m_values[i]);
        m_values[i]->style()->polish(m_values[i]);
        good = good && fine;
        if (!fine || m_values[i]->text() == m_shown[i]) continue;
        (i < 3 ? position[i] : angles[i - 3]) = *value;
    }
    if (!good) return std::nullopt;
    return Pose{position, rotationFrom(m_session.cell().angles, angles)};
}

void ReadingStrip::judge()
{
    const auto pose = typedPose();
    QString words;
    bool bad = true;
    std::optional<JointVector> posture;
    if (!pose) {
        words = "Type a number.";
    } else {
        const Solutions found = m_session.lookAhead(
            inverse(m_session.shownBase()) * m_session.shownPlace(m_session.readingFrame()) * *pose, posture);
        bad = found.items.empty();
        if (bad) words = solutionsText(m_session.arm(), found);
        else
            words = QString("Reachable %1 · %2 from a range end · Enter moves")
                        .arg(found.items.size() == 1 ? "one way" : QString("%1 ways").arg(found.items.size()))
                        .arg(degreeText(rangeMargin(m_session.arm(), *posture).value));
    }
    m_session.setGhost(posture);
    m_verdict->setText(words);
    m_verdict->setStyleSheet(
        QString("color: %1; font-weight: 600;").arg((bad ? theme().blocked : theme().accent).name()));
    m_verdict->show();
    Q_EMIT resized();
}

void ReadingStrip::go()
{
    const auto pose = typedPose();
    if (!pose) return;
    std::optional<JointVector> posture;
    const Solutions found = m_session.lookAhead(
        inverse(m_session.shownBase()) * m_session.shownPlace(m_session.readingFrame()) * *pose, posture);
    if (!posture) return m_session.say(solutionsText(m_session.arm(), found), true);
    for (QLineEdit* v : m_values)
        v->setModified(false);
    m_session.setGhost({});
    m_verdict->hide();
    m_session.standIfFree(*posture);
    // The next key is meant for the arm again: T takes what was typed.
    parentWidget()->setFocus();
    Q_EMIT resized();
}

void ReadingStrip::dropTyped()
{
    for (QLineEdit* v : m_values) {
        v->setModified(false);
        v->setProperty("bad", false);
        v->style()->unpolish(v);
        v->style()->polish(v);
    }
    if (m_session.ghost()) m_session.setGhost({});
    m_verdict->hide();
    showPose();
    Q_EMIT resized();
}

bool ReadingStrip::eventFilter(QObject* object, QEvent* event)
{
    const bool escape = event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape;
    if (escape) {
        dropTyped();
        parentWidget()->setFocus();
    } else if (event->type() == QEvent::FocusOut) {
        // Going on to another field of the strip keeps what was typed.
        QMetaObject::invokeMethod(
            this,
            [this] {
                const QWidget* now = QApplication::focusWidget();
                if (!now || !isAncestorOf(now)) dropTyped();
            },
            Qt::QueuedConnection);
    } else if (event->type() == QEvent::FocusIn) {
        auto* edit = static_cast<QLineEdit*>(object);
        QMetaObject::invokeMethod(edit, &QLineEdit::selectAll, Qt::QueuedConnection);
    }
    return QFrame::eventFilter(object, event);
}

}  // namespace topikos
