#include "app/window/new_cell_page.h"

#include "app/fields/number_field.h"
#include "app/session/session.h"
#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/theme.h"
#include "app/view/reading_strip.h"
#include "app/view/viewport.h"
#include "core/robot/catalogue.h"
#include "core/spatial/limits.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QKeyEvent>

namespace topikos {

namespace {

constexpr std::optional<Gripper::Kind> kGrippers[] = {Gripper::Kind::Parallel, Gripper::Kind::Angular,
                                                      Gripper::Kind::Vacuum, std::nullopt};

NumberField* lengthField(QWidget* parent, const QString& name, double low, double high, double value)
{
    auto* field = new NumberField(parent, Quantity::Length, kMillimetre);
    field->setObjectName(name);
    field->limit(millimetres(low), millimetres(high), 1, " mm");
    field->setValue(millimetres(value));
    return field;
}

}  // namespace

NewCellPage::NewCellPage(QWidget* parent) : QWidget(parent)
{
    setObjectName("newCell");
    setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(16, 14, 16, 14);
    row->setSpacing(16);
    auto* side = new QVBoxLayout;
    row->addLayout(side);
    auto* title = new QLabel("New cell", this);
    title->setFont(textFont(14, QFont::DemiBold));
    side->addWidget(title);
    auto* form = new QFormLayout;
    form->setVerticalSpacing(9);
    form->setLabelAlignment(Qt::AlignLeft);
    side->addLayout(form);
    m_name = new QLineEdit(this);
    m_name->setObjectName("newCellName");
    form->addRow("Name", m_name);
    m_arm = new QComboBox(this);
    m_arm->setObjectName("newCellArm");
    for (const std::string& id : catalogueIds())
        m_arm->addItem(text(catalogueArm(id)->description().name), text(id));
    form->addRow("Arm", m_arm);
    m_facts = new QLabel(this);
    m_facts->setObjectName("newCellFacts");
    m_facts->setProperty("class", "faint");
    form->addRow("", m_facts);
    m_height = lengthField(this, "newCellHeight", 0, 3, 0);
    m_height->setToolTip("Of the pedestal under the arm; 0 puts it on the floor");
    form->addRow("Base height", m_height);
    m_gripper = new QComboBox(this);
    m_gripper->setObjectName("newCellGripper");
    m_gripper->addItems({"parallel jaws", "angular jaws", "vacuum cup", "none, the bare flange"});
    form->addRow("Gripper", m_gripper);
    m_widest = lengthField(this, "newCellWidest", 0.001, 1, NewCell().widest);
    m_widest->setToolTip("Width of the part that the jaws close on; they open further by 46 mm");
    form->addRow("Grips a width of", m_widest);
    auto* note =
        new QLabel("Home, tool and base can be changed later,\nand another arm can take the place of this one.", this);
    note->setProperty("class", "faint");
    side->addSpacing(6);
    side->addWidget(note);
    side->addSpacing(10);
    m_problem = new QLabel(this);
    m_problem->setObjectName("newCellProblem");
    m_problem->setProperty("class", "bad");
    m_problem->setWordWrap(true);
    m_problem->hide();
    side->addWidget(m_problem);
    auto* buttons = new QHBoxLayout;
    side->addLayout(buttons);
    QPushButton* go = addButton(buttons, this, "newCellMake", "Make this cell", "Enter", [this] { make(); });
    go->setDefault(true);
    addButton(buttons, this, "newCellLeave", "Leave", "Back to the cell that is open (Esc)",
              [this] { Q_EMIT leaveRequested(); });
    buttons->addStretch();
    side->addStretch();
    m_bench = new Session(newCell(wanted()).value(), this);
    m_view = new Viewport(*m_bench, this);
    m_view->readingStrip().hide();
    m_view->setHints("<b>Drag</b> turns the view");
    row->addWidget(m_view, 1);
    for (QComboBox* box : {m_arm, m_gripper})
        connect(box, &QComboBox::currentIndexChanged, this, &NewCellPage::showWanted);
    for (NumberField* field : {m_height, m_widest})
        connect(field, &NumberField::valueChanged, this, &NewCellPage::showWanted);
}

void NewCellPage::start()
{
    m_name->setText("New cell");
    m_arm->setCurrentIndex(0);
    showWanted();
    m_name->setFocus(Qt::TabFocusReason);
    m_name->selectAll();
}

NewCell NewCellPage::wanted() const
{
    NewCell out;
    out.name = m_name->text().trimmed().isEmpty() ? out.name : m_name->text().trimmed().toStdString();
    out.arm = catalogueArm(m_arm->currentData().toString().toStdString());
    out.baseHeight = m_height->value() * kMillimetre;
    out.gripper = kGrippers[size_t(m_gripper->currentIndex())];
    out.widest = m_widest->value() * kMillimetre;
    return out;
}

void NewCellPage::showWanted()
{
    const NewCell now = wanted();
    m_widest->setEnabled(now.gripper && *now.gripper != Gripper::Kind::Vacuum);
    m_facts->setText(QString("%1 axes · reaches %2 · carries %3 kg")
                         .arg(now.arm->jointCount())
                         .arg(lengthText(now.arm->reach(), 0))
                         .arg(now.arm->description().payload));
    Result<Cell> cell = newCell(now);
    if (!cell) return;
    m_problem->hide();
    m_bench->open(std::move(cell).value(), {});
    m_view->fitAll();
}

void NewCellPage::make()
{
    const Result<Cell> cell = newCell(wanted());
    if (cell) return Q_EMIT made(*cell);
    m_problem->setText(text(cell.error().line()));
    m_problem->show();
}

void NewCellPage::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape) Q_EMIT leaveRequested();
    else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)) make();
    else QWidget::keyPressEvent(event);
}

}  // namespace topikos
