#include "app/arms/arms_page.h"

#include "app/arms/arm_picture.h"
#include "app/instruments/travel_bars.h"
#include "app/session/export.h"
#include "app/session/text.h"
#include "app/theme/button.h"
#include "app/theme/empty_note.h"
#include "app/theme/theme.h"
#include "app/theme/typed_delegate.h"
#include "app/view/reading_strip.h"
#include "app/view/viewport.h"
#include "core/cell/new_cell.h"
#include "core/files/arm_file.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "core/spatial/limits.h"
#include "core/spatial/number_text.h"
#include "core/spatial/units.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QHeaderView>
#include <QKeyEvent>
#include <QSettings>
#include <QSplitter>
#include <QVBoxLayout>

namespace topikos {

namespace {

constexpr int kSweepInterval = 33;  // [ms]

/// The arm on the floor with nothing around it.
Cell benchCell(const ArmPtr& arm) { return newCell({"Arm", arm, 0, std::nullopt, 0}).value(); }

DataSheet emptySheet()
{
    DataSheet sheet;
    sheet.name = "New arm";
    sheet.flange = translated({0, 0, 0.5});
    return sheet;
}

QString factsOf(const Arm& arm)
{
    return QString("%1 axes · %2%3")
        .arg(arm.jointCount())
        .arg(lengthText(arm.reach(), 0),
             arm.description().payload > 0 ? QString(" · %1 kg").arg(arm.description().payload) : "");
}

}  // namespace

ArmsPage::ArmsPage(Session& session, QWidget* parent) :
    QWidget(parent), m_session(session), m_arm(session.station().model)
{
    setObjectName("armsPage");
    setAttribute(Qt::WA_StyledBackground);
    m_model = new SheetModel(sheetOf(session.station().model->description()), this);
    m_bench = new Session(benchCell(session.station().model), this);
    m_bench->setJogSpace(JogSpace::Joint);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(buildBar());
    auto* rows = new QSplitter(Qt::Vertical, this);
    auto* columns = new QSplitter(Qt::Horizontal, rows);
    for (QSplitter* s : {rows, columns}) {
        s->setChildrenCollapsible(false);
        s->setHandleWidth(1);
    }
    columns->addWidget(buildGallery());
    m_view = new Viewport(*m_bench, columns);
    m_view->setMinimumSize(300, 220);
    m_view->readingStrip().hide();
    m_view->setHints("<b>Drag</b> turns the view &nbsp;·&nbsp; <b>1</b> to <b>9</b> choose an axis &nbsp;·&nbsp; "
                     "<b>Left, Right</b> move it");
    // In place of the picture while there is nothing to be drawn.
    m_picture = new QStackedWidget(columns);
    m_picture->addWidget(m_view);
    QLabel* note =
        emptyNote(this, "This sheet has no axes yet.\nAdd the first one below, and one more for each axis of the arm.",
                  "arms#from a data sheet");
    note->setObjectName("sheetEmpty");
    m_picture->addWidget(note);
    columns->addWidget(m_picture);
    columns->addWidget(buildFacts());
    columns->setStretchFactor(1, 1);
    columns->setSizes({252, 764, 264});
    rows->addWidget(columns);
    rows->addWidget(buildSheet());
    rows->setStretchFactor(0, 1);
    rows->setSizes({430, 290});
    column->addWidget(rows, 1);

    connect(m_model, &SheetModel::sheetChanged, this, &ArmsPage::sheetChanged);
    connect(m_model, &SheetModel::refused, this, [this](const QString& words) { say(words, true); });
    m_sweepTimer.setInterval(kSweepInterval);
    connect(&m_sweepTimer, &QTimer::timeout, this, [this] {
        const int joint = m_bench->jogJointIndex();
        if (joint >= m_sweepStart.size() || m_sweepStart.size() != m_bench->arm().jointCount())
            return m_sweepTimer.stop();
        // Both ends are always shown, however slow the picture is.
        const double now = double(m_sweepClock.elapsed()) / (1000 * m_sweepSeconds);
        double next = std::min(1.0, now);
        for (const double end : {0.25, 0.75})
            if (m_sweepPlace < end && next > end) {
                next = end;
                break;
            }
        m_sweepPlace = next;
        const Joint& j = m_bench->arm().joints()[size_t(joint)];
        const double start = m_sweepStart[joint];
        // From where it stands to the lower end, to the upper end, and back.
        const double s = 4 * m_sweepPlace;
        JointVector q = m_sweepStart;
        q[joint] = s < 1   ? start + s * (j.lower - start)
                   : s < 3 ? j.lower + (s - 1) / 2 * (j.upper - j.lower)
                           : j.upper + (s - 3) * (start - j.upper);
        m_bench->setPosture(q);
        say(QString("Axis %1 at %2%3, from %4 to %5")
                .arg(joint + 1)
                .arg(q[joint] > 0 ? "+" : "", jointText(j, q[joint]), jointText(j, j.lower), jointText(j, j.upper)));
        if (m_sweepPlace >= 1) m_sweepTimer.stop();
    });
    sheetChanged();
}

QWidget* ArmsPage::buildBar()
{
    auto* bar = new QWidget(this);
    bar->setObjectName("head");
    bar->setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(bar);
    column->setContentsMargins(12, 6, 12, 6);
    column->setSpacing(6);
    auto* row = new QHBoxLayout;
    row->setSpacing(7);
    column->addLayout(row);
    const auto button = [&](const char* name, const QString& words, const QString& tip, auto run) {
        return addButton(row, bar, name, words, tip, run);
    };
    const auto label = [&](const QString& words) {
        auto* l = new QLabel(words, bar);
        l->setProperty("class", "faint");
        row->addWidget(l);
    };
    button("armsBack", "Back to the cell", "The cell is as it was (Esc)", [this] { Q_EMIT leaveRequested(); });
    row->addSpacing(8);
    m_name = new QLineEdit(bar);
    m_name->setObjectName("armName");
    m_name->setAccessibleName("Name of the arm");
    m_name->setFixedWidth(172);
    m_name->setToolTip("Name of the arm");
    connect(m_name, &QLineEdit::editingFinished, this, [this] {
        const std::string typed = m_name->text().trimmed().toStdString();
        if (typed.empty() || typed == m_model->sheet().name) return m_name->setText(text(m_model->sheet().name));
        changeWhole([&](DataSheet& s) { s.name = typed; });
    });
    row->addWidget(m_name);
    label("placed by");
    m_placement = new QComboBox(bar);
    m_placement->setObjectName("armPlacement");
    m_placement->setAccessibleName("How axes are placed");
    m_placement->addItems({"Positions", "DH rows, classic", "DH rows, modified"});
    m_placement->setToolTip("How the sheet gives the place of each axis: position and direction in the drawing, or "
                            "Denavit-Hartenberg rows");
    connect(m_placement, &QComboBox::activated, this,
            [this](int i) { changeWhole([i](DataSheet& s) { s.placement = DataSheet::Placement(i); }); });
    row->addWidget(m_placement);
    label("angles");
    m_angles = new QComboBox(bar);
    m_angles->setObjectName("armAngles");
    m_angles->setAccessibleName("Convention of angles");
    for (const AngleOrder order :
         {AngleOrder::FixedXyz, AngleOrder::IntrinsicZyx, AngleOrder::IntrinsicZyz, AngleOrder::IntrinsicXyz})
        m_angles->addItem(angleOrderText(order));
    m_angles->setToolTip("Convention in which this arm's orientations are shown and exported");
    connect(m_angles, &QComboBox::activated, this,
            [this](int i) { changeWhole([i](DataSheet& s) { s.orientation = AngleOrder(i); }); });
    row->addWidget(m_angles);
    label("payload kg");
    m_payload = new QLineEdit(bar);
    m_payload->setObjectName("armPayload");
    m_payload->setAccessibleName("Payload");
    m_payload->setFixedWidth(56);
    connect(m_payload, &QLineEdit::editingFinished, this, [this] {
        const auto number = numberOf(m_payload->text().toStdString());
        if (!number || *number < 0) say("The payload must be a number from 0.", true);
        else if (*number != m_model->sheet().payload) return changeWhole([&](DataSheet& s) { s.payload = *number; });
        m_payload->setText(QString::number(m_model->sheet().payload));
    });
    row->addWidget(m_payload);
    label("reach mm");
    m_reach = new QLineEdit(bar);
    m_reach->setObjectName("armReach");
    m_reach->setAccessibleName("Reach as the maker gives it");
    m_reach->setToolTip(
        "As the maker gives it, from axis 1 or 2 to the wrist or the flange; compared with what the axes "
        "come to. Empty: not given");
    m_reach->setFixedWidth(56);
    connect(m_reach, &QLineEdit::editingFinished, this, [this] {
        const QString words = m_reach->text().trimmed();
        const auto number = words.isEmpty() ? 0.0 : numberOf(words.toStdString());
        const double metres = number.value_or(0) * kMillimetre;
        if (!number) say("The reach must be a number of millimetres.", true);
        else if (Status bad = checkLimit(limits::kArmReach, metres, "arm.limit")) say(text(bad->line()), true);
        else if (metres != m_model->sheet().reach) return changeWhole([&](DataSheet& s) { s.reach = metres; });
        showReach();
    });
    row->addWidget(m_reach);
    row->addStretch();
    button("armOpen", "Open …", "Open a .topikos-arm or URDF file", [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, "Open an arm", {}, "Arms (*.topikos-arm *.urdf);;All files (*)");
        if (!path.isEmpty()) openFile(path);
    });
    button("armSave", "Save as …", "Save as .topikos-arm, or write .urdf or .srdf", [this] {
        const QString path = askForOutput(this, "Save the arm", idFrom(text(m_model->sheet().name)) + ".topikos-arm",
                                          {"Arm (*.topikos-arm)", "URDF (*.urdf)", "SRDF (*.srdf)"});
        if (!path.isEmpty()) saveTo(path);
    });
    m_use = button("runButton", "Use in the cell",
                   "Targets stay and are checked anew; one undo brings the former arm back", [this] { useInCell(); });

    m_chain = new QWidget(bar);
    auto* chain = new QHBoxLayout(m_chain);
    chain->setContentsMargins(0, 0, 0, 0);
    m_base = new QComboBox(m_chain);
    m_base->setObjectName("chainBase");
    m_base->setAccessibleName("First link of the chain");
    m_tip = new QComboBox(m_chain);
    m_tip->setObjectName("chainTip");
    m_tip->setAccessibleName("Last link of the chain");
    chain->addWidget(new QLabel("This file holds several chains. From", m_chain));
    chain->addWidget(m_base);
    chain->addWidget(new QLabel("to", m_chain));
    chain->addWidget(m_tip);
    chain->addStretch();
    for (QComboBox* box : {m_base, m_tip})
        connect(box, &QComboBox::activated, this, &ArmsPage::chooseChain);
    column->addWidget(m_chain);
    m_chain->hide();
    return bar;
}

QWidget* ArmsPage::buildGallery()
{
    auto* face = new QWidget(this);
    face->setObjectName("face");
    face->setAttribute(Qt::WA_StyledBackground);
    face->setMinimumWidth(200);
    auto* column = new QVBoxLayout(face);
    column->setContentsMargins(8, 8, 8, 0);
    m_search = new QLineEdit(face);
    m_search->setObjectName("armSearch");
    m_search->setAccessibleName("Find an arm");
    m_search->setPlaceholderText("Find: name, axes, family …");
    m_search->setClearButtonEnabled(true);
    connect(m_search, &QLineEdit::textChanged, this, &ArmsPage::filter);
    column->addWidget(m_search);
    m_gallery = new QListWidget(face);
    m_gallery->setObjectName("armGallery");
    m_gallery->setAccessibleName("Arms");
    m_gallery->setIconSize({56, 56});
    m_gallery->setFont(textFont(12));
    m_gallery->setStyleSheet("font-size: 12px;");
    m_gallery->setWordWrap(true);
    m_gallery->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    for (const std::string& id : catalogueIds()) {
        const ArmPtr arm = catalogueArm(id);
        auto* item = new QListWidgetItem(QIcon(QPixmap::fromImage(armPicture(*arm, {56, 56}))),
                                         text(arm->description().name) + "\n" + factsOf(*arm), m_gallery);
        item->setData(Qt::UserRole, text(id));
        item->setToolTip(familyText(*arm) + QString(". Reach %1").arg(lengthText(arm->reach(), 0)));
    }
    auto* own = new QListWidgetItem(glyphIcon("arm"), "Empty sheet\nenter an arm from its data sheet", m_gallery);
    own->setData(Qt::UserRole, QString());
    connect(m_gallery, &QListWidget::itemActivated, this, [this](QListWidgetItem* item) {
        if (!mayDropSheet()) return;
        const ArmPtr arm = catalogueArm(item->data(Qt::UserRole).toString().toStdString());
        m_model->change(arm ? sheetOf(arm->description()) : emptySheet());
        m_model->markKept();  // nothing has been entered yet
        m_view->fitAll();
    });
    connect(m_gallery, &QListWidget::itemClicked, m_gallery, &QListWidget::itemActivated);
    column->addWidget(m_gallery, 1);
    return face;
}

QWidget* ArmsPage::buildFacts()
{
    auto* face = new QWidget(this);
    face->setObjectName("face");
    face->setAttribute(Qt::WA_StyledBackground);
    face->setMinimumWidth(230);
    auto* column = new QVBoxLayout(face);
    column->setContentsMargins(12, 10, 12, 8);
    column->setSpacing(5);
    m_family = new QLabel(face);
    m_family->setObjectName("armFamily");
    m_family->setWordWrap(true);
    column->addWidget(m_family);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel("Axes", face);
    title->setFont(textFont(12, QFont::DemiBold));
    auto* hint = new QLabel("drag to try", face);
    hint->setProperty("class", "faint");
    head->addWidget(title);
    head->addStretch();
    head->addWidget(hint);
    column->addLayout(head);
    column->addWidget(new TravelBars(*m_bench, face));
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(4);
    const auto button = [&](const char* name, const QString& words, const QString& tip, auto run) {
        return addButton(buttons, face, name, words, tip, run);
    };
    m_sweep = button("armSweep", "Sweep", "Move the selected axis from its home to both ends and back (F6)",
                     [this] { sweep(); });
    button("armHome", "Home", "Show the home posture", [this] { m_bench->setPosture(armHome(m_bench->arm())); });
    button("armDrawn", "Drawing", "Show the posture of the drawing", [this] {
        if (m_model->sheet().axes.size() == size_t(m_bench->arm().jointCount()))
            m_bench->setPosture(drawnPosture(m_model->sheet()));
    });
    column->addLayout(buttons);
    auto* notes = new QLabel("Looks like a mistake", face);
    notes->setFont(textFont(12, QFont::DemiBold));
    column->addSpacing(4);
    column->addWidget(notes);
    m_warnings = new QListWidget(face);
    m_warnings->setObjectName("armWarnings");
    m_warnings->setAccessibleName("What is probably a mistake");
    m_warnings->setWordWrap(true);
    m_warnings->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    connect(m_warnings, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) {
        if (const int axis = item->data(Qt::UserRole).toInt(); axis >= 0) m_table->selectRow(axis);
    });
    column->addWidget(m_warnings, 1);
    return face;
}

void ArmsPage::say(const QString& words, bool alert) { m_bench->say(words, alert); }

void ArmsPage::changeWhole(const std::function<void(DataSheet&)>& change)
{
    DataSheet next = m_model->sheet();
    change(next);
    m_model->change(std::move(next));
}

void ArmsPage::show(const ArmDescription& arm)
{
    // A sheet that was left half entered is still there.
    if (!m_model->isChanged()) m_model->open(sheetOf(arm));
    m_view->fitAll();
}

void ArmsPage::showReach()
{
    const double reach = m_model->sheet().reach;
    m_reach->setText(reach > 0 ? QString::number(millimetres(reach)) : QString());
}

void ArmsPage::sheetChanged()
{
    const DataSheet& sheet = m_model->sheet();
    m_name->setText(text(sheet.name));
    m_name->setCursorPosition(0);
    m_placement->setCurrentIndex(int(sheet.placement));
    m_angles->setCurrentIndex(int(sheet.orientation));
    m_payload->setText(QString::number(sheet.payload));
    showReach();
    fillFlange();
    m_sweepTimer.stop();
    m_arm = armOf(sheet);
    m_picture->setCurrentIndex(sheet.axes.empty() ? 1 : 0);
    if (m_arm) {
        const JointVector posture = m_bench->posture();
        const int joint = m_bench->jogJointIndex();
        const bool same = posture.size() == (*m_arm)->jointCount();
        m_bench->open(benchCell(*m_arm), {});
        m_bench->setJogSpace(JogSpace::Joint);
        if (same) m_bench->setPosture(posture);
        m_bench->setJogJointIndex(std::min(joint, (*m_arm)->jointCount() - 1));
    }
    showFacts();
}

void ArmsPage::showFacts()
{
    m_warnings->clear();
    const auto add = [&](const QString& words, const QString& remedy, Severity severity, int axis) {
        auto* item = new QListWidgetItem(severityIcon(severity), words + "\n" + remedy, m_warnings);
        item->setData(Qt::UserRole, axis);
    };
    m_use->setEnabled(m_arm.ok());
    if (m_arm) m_family->setText(QString("<b>%1</b><br>%2").arg(familyText(**m_arm), factsOf(**m_arm)));
    else if (m_model->sheet().axes.empty()) m_family->setText("No axes yet");
    else
        add(text(m_arm.error().where + ": " + m_arm.error().message), text(m_arm.error().remedy), Severity::Blocked,
            -1);
    for (const SheetWarning& w : sheetWarnings(m_model->sheet()))
        add(text(w.message), text(w.remedy), Severity::Caution, w.axis);
    if (m_warnings->count() == 0) {
        auto* item = new QListWidgetItem("Nothing does.", m_warnings);
        item->setData(Qt::UserRole, -1);
        item->setForeground(theme().faint);
    }
}

bool ArmsPage::mayDropSheet()
{
    setFocus();  // what is being typed is entered first
    if (!m_model->isChanged()) return true;
    QMessageBox box(
        QMessageBox::Question, "Data sheet not kept",
        QString("The data sheet “%1” is neither saved nor used in the cell.").arg(text(m_model->sheet().name)),
        QMessageBox::Discard | QMessageBox::Cancel, this);
    box.setObjectName("sheetBox");
    return box.exec() == QMessageBox::Discard;
}

void ArmsPage::filter(const QString& words)
{
    for (int i = 0; i < m_gallery->count(); ++i) {
        QListWidgetItem* item = m_gallery->item(i);
        const QString all = item->text() + " " + item->toolTip();
        bool fits = true;
        for (const QString& word : words.split(' ', Qt::SkipEmptyParts))
            fits = fits && all.contains(word, Qt::CaseInsensitive);
        item->setHidden(!fits);
    }
}

void ArmsPage::sweep()
{
    if (row() >= 0 && row() < m_bench->arm().jointCount()) m_bench->setJogJointIndex(row());
    m_sweepStart = armHome(m_bench->arm());
    m_sweepPlace = 0;
    m_sweepClock.start();
    m_sweepTimer.start();
}

void ArmsPage::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape) Q_EMIT leaveRequested();
    else if (event->key() == Qt::Key_F6) sweep();
    else if (event->key() == Qt::Key_Return && event->modifiers() == Qt::ControlModifier)
        findChild<QPushButton*>("addAxis")->click();
    else if (event->key() == Qt::Key_Delete && event->modifiers() == Qt::ControlModifier)
        findChild<QPushButton*>("removeAxis")->click();
    else QWidget::keyPressEvent(event);
}

}  // namespace topikos
