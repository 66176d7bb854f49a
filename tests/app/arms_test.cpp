#include "app/arms/arms_page.h"
#include "app/theme/theme.h"
#include "app/view/reading_strip.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"
#include "core/files/arm_file.h"
#include "core/files/cell_file.h"
#include "core/robot/catalogue.h"
#include "core/robot/forward.h"
#include "core/spatial/rotation.h"
#include "core/spatial/units.h"
#include "tests/run.h"

#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>

using namespace topikos;

/// The page of arms, driven in the real window by mouse and keys.
class ArmsTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void init();
    void cleanup();
    void armIsBuiltFromItsNumbers();
    void drawnValueMovesTheZeroOnly();
    void mistakesAreShownBeside();
    void reachOfTheMakerIsTyped();
    void catalogueIsSearched();
    void sumsAreTypedAndNonsenseIsRefused();
    void axesAreAddedRemovedAndUndone();
    void rowsAreEnteredByTheOtherConvention();
    void chainOfAFileIsChosen();
    void linkIsDrawnFromAFile();
    void badFileChangesNothing();
    void bestWaysAreOfferedAndUndone();
    void lockedAxisIsLeftOut();
    void anglesAreShownInTheChosenConvention();

private:
    /// Types into a cell of the sheet as a person does.
    void type(int row, const QString& heading, const QString& words);
    void typeInto(const char* name, const QString& words);
    void press(const char* name);
    QTableView& table() { return *m_page->findChild<QTableView*>("sheetTable"); }
    QListWidget& list(const char* name) { return *m_page->findChild<QListWidget*>(name); }
    void activate(const QString& words);

    std::unique_ptr<MainWindow> m_window;
    ArmsPage* m_page = nullptr;
};

void ArmsTest::init()
{
    QSettings().clear();
    applyTheme(false);
    m_window = std::make_unique<MainWindow>();
    m_window->resize(1280, 800);
    m_window->show();
    QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
    m_window->activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(m_window.get()));
    QTest::keyClick(m_window.get(), Qt::Key_A, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(m_window->armsShown());
    m_page = &m_window->armsPage();
}

void ArmsTest::cleanup() { m_window.reset(); }

void ArmsTest::type(int row, const QString& heading, const QString& words)
{
    const int column = m_page->model().columnOf(heading);
    QVERIFY2(column >= 0, qPrintable(heading));
    QTableView& t = table();
    t.setFocus();
    t.setCurrentIndex(m_page->model().index(row, column));
    QTest::keyClick(&t, Qt::Key_F2);
    auto* editor = t.findChild<QLineEdit*>();
    QVERIFY(editor);
    editor->selectAll();
    QTest::keyClicks(editor, words);
    QTest::keyClick(editor, Qt::Key_Return);
    // The editor goes with the next turn of the loop.
    QTRY_VERIFY(!t.findChild<QLineEdit*>());
}

void ArmsTest::typeInto(const char* name, const QString& words)
{
    auto* edit = m_page->findChild<QLineEdit*>(name);
    edit->setFocus();
    edit->selectAll();
    QTest::keyClicks(edit, words);
    QTest::keyClick(edit, Qt::Key_Return);
}

void ArmsTest::press(const char* name) { QTest::mouseClick(m_page->findChild<QPushButton*>(name), Qt::LeftButton); }

void ArmsTest::activate(const QString& words)
{
    QListWidget& gallery = list("armGallery");
    for (int i = 0; i < gallery.count(); ++i)
        if (gallery.item(i)->text().contains(words)) {
            gallery.scrollToItem(gallery.item(i));
            QTest::mouseClick(gallery.viewport(), Qt::LeftButton, {}, gallery.visualItemRect(gallery.item(i)).center());
            return;
        }
    QFAIL(qPrintable(words));
}

void ArmsTest::armIsBuiltFromItsNumbers()
{
    activate("Empty sheet");
    // Empty is empty: no arm is shown that nobody entered, and none can be used.
    QCOMPARE(m_page->model().rowCount(), 0);
    QVERIFY(m_page->findChild<QWidget*>("sheetEmpty")->isVisible() && !m_page->view().isVisible());
    typeInto("armName", "Five axes by hand");
    for (int i = 0; i < 5; ++i)
        press("addAxis");
    QVERIFY(!m_page->findChild<QWidget*>("sheetEmpty")->isVisible() && m_page->view().isVisible());
    QCOMPARE(m_page->model().rowCount(), 5);
    struct Row {
        const char *x, *z, *axis, *from, *to, *speed;
    };
    const Row rows[] = {{"0", "73", "dZ", "-165", "165", "149"},
                        {"23", "73+48", "dY", "-95", "110", "149"},
                        {"23", "340", "dY", "-155", "152", "160.4"},
                        {"210", "340", "dY", "-118", "118", "223.5"},
                        {"251", "340", "dX", "-340", "340", "298"}};
    for (int i = 0; i < 5; ++i) {
        type(i, "X", rows[i].x);
        type(i, "Z", rows[i].z);
        for (const char* axis : {"dX", "dY", "dZ"})
            type(i, axis, axis == QString(rows[i].axis) ? "1" : "0");
        type(i, "From", rows[i].from);
        type(i, "To", rows[i].to);
        type(i, "Speed", rows[i].speed);
    }
    typeInto("flange0", "304");
    typeInto("flange2", "340");
    typeInto("flange4", "90");
    QVERIFY(m_page->findChild<QLabel*>("armFamily")->text().contains("Five axes"));
    QCOMPARE(list("armWarnings").item(0)->text(), QString("Nothing does."));

    // It is the arm that the numbers mean.
    const ArmPtr arm = m_page->bench().station().model, reference = catalogueArm("fiveaxis-500");
    JointVector q(5);
    q << 0.4, -0.7, 1.1, 0.6, -1.3;
    QVERIFY(deviation(forward(*arm, q), forward(*reference, q)).metres < 1e-9);
    QVERIFY(deviation(forward(*arm, q), forward(*reference, q)).radians < 1e-7);

    m_page->setSweepTime(0.3);
    // Each axis goes from end to end and comes back, and says where it is.
    for (int i = 0; i < 5; ++i) {
        table().setCurrentIndex(m_page->model().index(i, 2));
        QCOMPARE(m_page->bench().jogJointIndex(), i);
        double least = 0, most = 0;
        QString said;
        const auto a = connect(&m_page->bench(), &Session::postureChanged, this, [&] {
            least = std::min(least, m_page->bench().posture()[i]);
            most = std::max(most, m_page->bench().posture()[i]);
        });
        const auto b = connect(&m_page->bench(), &Session::said, this, [&](const QString& words) { said = words; });
        press("armSweep");
        const Joint& joint = arm->joints()[size_t(i)];
        QTRY_VERIFY_WITH_TIMEOUT(least == joint.lower && most == joint.upper && m_page->bench().posture()[i] == 0,
                                 15000);
        QVERIFY2(said.startsWith(QString("Axis %1 at").arg(i + 1)) && said.contains("°"), qPrintable(said));
        disconnect(a);
        disconnect(b);
    }

    QTemporaryDir folder;
    const QString path = folder.filePath("by-hand.topikos-arm");
    QVERIFY(m_page->saveTo(path));
    QCOMPARE(findArm(path.toStdString()).value()->description().name, std::string("Five axes by hand"));

    const size_t targets = m_window->session().cell().targets.size();
    press("runButton");
    QVERIFY(!m_window->armsShown());
    const Cell& cell = m_window->session().cell();
    QCOMPARE(cell.arms.front().model->description().name, std::string("Five axes by hand"));
    QCOMPARE(cell.targets.size(), targets);
    QTRY_VERIFY(m_window->session().checkIsFresh());
    QVERIFY(m_window->session().checked()->result.count(Severity::Blocked) > 0);  // it is far too short for this cell
    QVERIFY(readCell(writeCell(cell), "cell").ok());
    m_window->session().undo();
    QCOMPARE(m_window->session().station().model->description().id, std::string("sixaxis-1400"));
}

void ArmsTest::drawnValueMovesTheZeroOnly()
{
    const Vec3 flange = forward(m_page->bench().arm(), JointVector::Zero(6)).translation;
    type(2, "Drawn", "30");
    JointVector drawn = JointVector::Zero(6);
    drawn[2] = 30 * kDegree;
    QVERIFY((forward(m_page->bench().arm(), drawn).translation - flange).norm() < 1e-12);
    QVERIFY((forward(m_page->bench().arm(), JointVector::Zero(6)).translation - flange).norm() > 0.1);
    press("armDrawn");
    QCOMPARE(m_page->bench().posture()[2], 30 * kDegree);
}

void ArmsTest::mistakesAreShownBeside()
{
    type(1, "Drawn", "-100");
    type(1, "To", "135");
    QListWidget& warnings = list("armWarnings");
    QVERIFY2(warnings.item(0)->text().contains("inverted"), qPrintable(warnings.item(0)->text()));
    QTest::mouseClick(warnings.viewport(), Qt::LeftButton, {}, warnings.visualItemRect(warnings.item(0)).center());
    QCOMPARE(table().currentIndex().row(), 1);
    // What is no arm at all cannot be used, and says why.
    type(1, "From", "150");
    QVERIFY(!m_page->findChild<QPushButton*>("runButton")->isEnabled());
    QVERIFY(warnings.item(0)->text().contains("range ends"));
    type(1, "From", "-98");
    QVERIFY(m_page->findChild<QPushButton*>("runButton")->isEnabled());
}

void ArmsTest::reachOfTheMakerIsTyped()
{
    const QListWidget& warnings = list("armWarnings");
    const auto* field = m_page->findChild<QLineEdit*>("armReach");
    QVERIFY(field && field->text().isEmpty());
    QVERIFY2(m_window->minimumSizeHint().width() <= 1280,
             qPrintable(QString::number(m_window->minimumSizeHint().width())));
    const auto told = [&] {
        return warnings.count() > 0 && warnings.item(0)->text().contains("The maker gives a reach");
    };
    QVERIFY(!told());
    typeInto("armReach", "2500");
    QVERIFY(told());
    QVERIFY2(warnings.item(0)->text().contains("2500 mm"), qPrintable(warnings.item(0)->text()));
    // What is no length leaves it as it was; nothing typed means that it is not given.
    typeInto("armReach", "-3");
    QCOMPARE(field->text(), QString("2500"));
    typeInto("armReach", " ");
    QVERIFY(!told());
}

void ArmsTest::catalogueIsSearched()
{
    QListWidget& gallery = list("armGallery");
    const auto shown = [&] {
        QStringList names;
        for (int i = 0; i < gallery.count(); ++i)
            if (!gallery.item(i)->isHidden()) names << gallery.item(i)->text().section('\n', 0, 0);
        return names;
    };
    QCOMPARE(shown().size(), 7);
    typeInto("armSearch", "6 axes parallel");
    QCOMPARE(shown(), QStringList{"Six-axis arm 900, three parallel axes"});
    typeInto("armSearch", "gantry");
    QCOMPARE(shown(), QStringList{"Gantry 2400 with wrist"});
    activate("Gantry");
    QCOMPARE(m_page->bench().arm().jointCount(), 6);
    QVERIFY(m_page->findChild<QLabel*>("armFamily")->text().contains("Gantry"));
    for (int i = 0; i < gallery.count(); ++i)
        QVERIFY(!gallery.item(i)->icon().isNull());
}

void ArmsTest::sumsAreTypedAndNonsenseIsRefused()
{
    type(0, "Z", "1200-45/2");
    QCOMPARE(m_page->model().sheet().axes[0].point[2], 1.1775);
    QString said;
    connect(&m_page->bench(), &Session::said, this, [&](const QString& words) { said = words; });
    type(0, "Z", "twelve");
    QVERIFY2(said.contains("“twelve” is not a number"), qPrintable(said));
    QCOMPARE(m_page->model().sheet().axes[0].point[2], 1.1775);
    type(0, "Kind", "slides");
    QCOMPARE(int(m_page->bench().arm().joints()[0].kind), int(JointKind::Prismatic));
}

void ArmsTest::axesAreAddedRemovedAndUndone()
{
    const std::string before = writeSheet(m_page->model().sheet());
    table().setCurrentIndex(m_page->model().index(5, 2));
    press("addAxis");
    QCOMPARE(m_page->bench().arm().jointCount(), 7);
    table().setCurrentIndex(m_page->model().index(2, 2));
    press("removeAxis");
    QCOMPARE(m_page->model().rowCount(), 6);
    m_page->setFocus();
    for (int i = 0; i < 2; ++i)
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(writeSheet(m_page->model().sheet()), before);
    QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(m_page->model().rowCount(), 7);
    QTest::keyClick(m_page, Qt::Key_Escape);
    QVERIFY(!m_window->armsShown());
    m_window->showArms(true);
    QCOMPARE(m_page->model().rowCount(), 7);  // what was entered is still there
    QVERIFY(m_window->session().isSaved());   // nothing of it has touched the cell
}

void ArmsTest::rowsAreEnteredByTheOtherConvention()
{
    auto* placement = m_page->findChild<QComboBox*>("armPlacement");
    QTest::keyClick(placement, Qt::Key_Down);
    QCOMPARE(int(m_page->model().sheet().placement), int(DataSheet::Placement::DhClassic));
    QCOMPARE(m_page->model().columnOf("X"), -1);
    type(0, "a", "150");
    type(0, "α", "-90");
    type(0, "θ", "10");
    QCOMPARE(m_page->model().sheet().axes[0].a, 0.15);
    QCOMPARE(m_page->model().sheet().axes[0].alpha, -90 * kDegree);
    QCOMPARE(m_page->bench().arm().description().joints[1].parentFromJoint.translation.norm(), 0.15);
}

void ArmsTest::chainOfAFileIsChosen()
{
    QTemporaryDir folder;
    const QString path = folder.filePath("two.urdf");
    std::string text = "<robot name=\"two\"><link name=\"world\"/>";
    for (const char* side : {"left", "right"})
        for (int i = 1; i <= (side[0] == 'l' ? 2 : 3); ++i) {
            const std::string own = std::string(side) + std::to_string(i),
                              parent = i == 1 ? "world" : std::string(side) + std::to_string(i - 1);
            text += "<link name=\"" + own + "\"/><joint name=\"j" + own
                    + "\" type=\"revolute\"><origin xyz=\"0 0 0.3\"/><parent link=\"" + parent + "\"/><child link=\""
                    + own
                    + "\"/><axis xyz=\"0 1 0\"/><limit lower=\"-1\" upper=\"1\" effort=\"1\" velocity=\"1\"/></joint>";
        }
    QVERIFY(!saveFile(path.toStdString(), text + "</robot>"));
    QVERIFY(m_page->openFile(path));
    auto* tip = m_page->findChild<QComboBox*>("chainTip");
    QVERIFY(tip->isVisible());
    QCOMPARE(tip->currentText(), QString("left2"));
    QCOMPARE(m_page->model().rowCount(), 2);
    for (int i = 0; i < 3; ++i)
        QTest::keyClick(tip, Qt::Key_Down);
    QCOMPARE(tip->currentText(), QString("right3"));
    QCOMPARE(m_page->model().rowCount(), 3);
    QVERIFY(m_page->saveTo(folder.filePath("right.urdf")));
    QCOMPARE(findArm(folder.filePath("right.urdf").toStdString()).value()->jointCount(), 3);
}

void ArmsTest::linkIsDrawnFromAFile()
{
    QTemporaryDir folder;
    const QString path = folder.filePath("link.obj");
    QVERIFY(!saveFile(path.toStdString(),
                      "v 0 0 0\nv 200 0 0\nv 0 300 0\nv 0 0 400\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n"));
    QString said;
    connect(&m_page->bench(), &Session::said, this, [&](const QString& words) { said = words; });
    QVERIFY(m_page->addSurface(2, path));
    QVERIFY2(said.contains("200 x 300 x 400 mm, taken as millimetres"), qPrintable(said));
    QCOMPARE(m_page->bench().arm().description().meshes.size(), size_t(1));
    QVERIFY(!m_page->addSurface(2, folder.filePath("gone.obj")));
    QVERIFY(said.contains("gone.obj"));
    m_window->activateWindow();  // the progress of reading was in front
    QVERIFY(QTest::qWaitForWindowActive(m_window.get()));
    QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(m_page->bench().arm().description().meshes.empty());
}

void ArmsTest::badFileChangesNothing()
{
    QTemporaryDir folder;
    const QString path = folder.filePath("bad.urdf");
    QVERIFY(!saveFile(path.toStdString(), "<robot name=\"x\">\n<link name=\"a\"/>\n<joint name=\"j\" "
                                          "type=\"revolute\"><parent link=\"a\"/><child link=\"b\"/></joint></robot>"));
    const std::string before = writeSheet(m_page->model().sheet());
    QString said;
    connect(&m_page->bench(), &Session::said, this, [&](const QString& words) { said = words; });
    QVERIFY(!m_page->openFile(path));
    QVERIFY2(said.contains("line 3") && said.contains("\"b\""), qPrintable(said));
    QCOMPARE(writeSheet(m_page->model().sheet()), before);
}

void ArmsTest::bestWaysAreOfferedAndUndone()
{
    m_window->showArms(false);
    Session& session = m_window->session();
    session.edit("Spoil", [](const Cell& c) {
        Cell next = c;
        for (Target& t : next.targets.edits())
            if (t.kind == Target::Kind::Pose) t.configuration.wristTurned = true;
        return Result<Cell>(next);
    });
    const std::string spoiled = writeCell(session.cell());
    auto* button = m_window->findChild<QPushButton*>("bestWays");
    QTest::mouseClick(button, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(button->text().startsWith("Apply to"), 20000);
    QVERIFY(m_window->findChild<QLabel*>("bestWaysWords")->text().contains("instead of"));
    QTest::mouseClick(button, Qt::LeftButton);
    QVERIFY(writeCell(session.cell()) != spoiled);
    QTRY_VERIFY(session.checkIsFresh());
    QCOMPARE(session.checked()->result.count(Severity::Blocked), 0);
    session.undo();
    QCOMPARE(writeCell(session.cell()), spoiled);
}

void ArmsTest::anglesAreShownInTheChosenConvention()
{
    m_window->showArms(false);
    Session& session = m_window->session();
    session.goToTarget(session.cell().targets.back().id);
    session.setStopsAtContact(false);
    QVERIFY(session.jogAxis(JogSpace::World, 3, 20 * kDegree));  // away from the lock of these angles
    const Pose before = frameFromTcp(session.cell(), session.cell().arms.front(), {}, session.posture());
    QVERIFY(session.edit("Angles", [](const Cell& c) { return setAngles(c, AngleOrder::IntrinsicZyz); }));
    const Vec3 angles = anglesOf(AngleOrder::IntrinsicZyz, before.matrix());
    for (int i = 0; i < 3; ++i) {
        auto* field = m_window->viewport().readingStrip().findChild<QLineEdit*>(QString("reading%1").arg(3 + i));
        QVERIFY2(std::abs(field->text().toDouble() - degrees(angles[i])) < 0.051,
                 qPrintable(QString("%1: %2 %3").arg(i).arg(field->text()).arg(degrees(angles[i]))));
    }
    // Typing one of them turns the tool by just that angle.
    auto* last = m_window->viewport().readingStrip().findChild<QLineEdit*>("reading5");
    last->setFocus();
    last->selectAll();
    QTest::keyClicks(last, QString::number(degrees(angles[2]) + 10, 'f', 6));
    QTest::keyClick(last, Qt::Key_Return);
    const Pose after = frameFromTcp(session.cell(), session.cell().arms.front(), {}, session.posture());
    QVERIFY(std::abs(deviation(before, after).radians - 10 * kDegree) < 1e-6);
}

void ArmsTest::lockedAxisIsLeftOut()
{
    m_window->showArms(false);
    Session& session = m_window->session();
    QVERIFY(session.edit("Lock", [](const Cell& c) { return setAxisLock(c, c.arms.front().id, 3, 0.0); }));
    const double before = session.posture()[3];
    QString said;
    connect(&session, &Session::said, this, [&](const QString& words) { said = words; });
    QVERIFY(!session.jogJoint(3, 1));
    QVERIFY2(said.contains("Axis 4 is locked at 0.0°"), qPrintable(said));
    QCOMPARE(session.posture()[3], before);
    QVERIFY(session.jogJoint(0, 1));
}

TOPIKOS_TEST(ArmsTest)
#include "arms_test.moc"
