#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/window/guide.h"
#include "core/cell/furniture.h"
#include "core/files/cell_file.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QAbstractSpinBox>
#include <QAccessible>
#include <QApplication>
#include <QComboBox>
#include <QDesktopServices>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QSettings>
#include <QTextBrowser>
#include <QTreeWidget>
#include <QUrl>

#include <cmath>

using namespace topikos;
using namespace topikos::test;

/// The first minutes: a new cell, the guide, the manual at the right place; and reach for everybody.
class BeginWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void newCellAsksAndShows();
    void newCellIsLeft();
    void hiddenCellIsNotChanged();
    void guideWatchesTenSteps();
    void guideIsLeftAtAnyTime();
    void findingsLeadToTheirPage();
    void emptyStatesLeadToTheManual();
    void speedIsChosen();
    void everyControlHasAName();
    void fitsSmallWindows();
    void looksKeepTheirContrast_data();
    void looksKeepTheirContrast();
    void sizeIsKeptForTheNextStart();
    void keysAloneFromStartToARunningCycle();

private:
    void typePose(int field, const QString& number)
    {
        auto* line = child<QLineEdit>(QString("reading%1").arg(field));
        line->setFocus();
        line->selectAll();
        QTest::keyClicks(line, number);
        QTest::keyClick(line, Qt::Key_Return);
        QCoreApplication::processEvents();
    }
    int guideStep() { return child<Guide>("guide")->step(); }
};

void BeginWindowTest::newCellAsksAndShows()
{
    action("New cell")->trigger();
    auto* page = child<QWidget>("newCell");
    QVERIFY(page->isVisible());
    QCOMPARE(QApplication::focusWidget()->objectName(), QString("newCellName"));
    typeThere("Glaze bench", Qt::Key_Tab);
    auto* arms = child<QComboBox>("newCellArm");
    const QString first = child<QLabel>("newCellFacts")->text();
    arms->setCurrentIndex(arms->findData("cobot-900"));
    QVERIFY(child<QLabel>("newCellFacts")->text() != first);
    auto* height = child<QAbstractSpinBox>("newCellHeight");
    height->setFocus();
    height->selectAll();
    typeThere("450", Qt::Key_Tab);
    auto* gripper = child<QComboBox>("newCellGripper");
    QVERIFY(child<QAbstractSpinBox>("newCellWidest")->isEnabled());
    gripper->setCurrentIndex(2);
    QVERIFY(!child<QAbstractSpinBox>("newCellWidest")->isEnabled());
    // The picture shows the cell before it is made.
    auto* bench = page->findChild<Viewport*>();
    QTRY_VERIFY(bench->frameCount() > 0);
    QCOMPARE(session().cell().name, std::string("Tile glazing line"));
    click("newCellMake");
    const Cell& cell = session().cell();
    QCOMPARE(cell.name, std::string("Glaze bench"));
    QCOMPARE(session().arm().description().id, std::string("cobot-900"));
    QVERIFY(std::abs(session().shownBase().translation[2] - 0.45) < 1e-9);
    const auto pedestal = furnitureOf(findFrame(cell, session().station().mount)->solids);
    QVERIFY(pedestal && pedestal->kind == Furniture::Kind::Pedestal && std::abs(pedestal->height - 0.45) < 1e-9);
    const Tool& tool = toolInForce(cell, session().station());
    QVERIFY(tool.gripper.kind == Gripper::Kind::Vacuum && tool.mass > 0.1 && tool.mass < 5);
    QVERIFY(!m_window->findChild<QWidget*>("newCell"));
    fresh();
    QCOMPARE(session().checked()->result.count(Severity::Blocked), 0);
}

void BeginWindowTest::newCellIsLeft()
{
    action("New cell")->trigger();
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Escape);
    QVERIFY(!m_window->findChild<QWidget*>("newCell"));
    QCOMPARE(session().cell().name, std::string("Tile glazing line"));
    // A name that no cell can have is said at the page.
    action("New cell")->trigger();
    child<QLineEdit>("newCellName")->setText(QString(80, 'x'));
    click("newCellMake");
    QVERIFY(child<QWidget>("newCell")->isVisible());
    QVERIFY(child<QLabel>("newCellProblem")->isVisible());
    QVERIFY(child<QLabel>("newCellProblem")->text().contains("60"));
}

void BeginWindowTest::hiddenCellIsNotChanged()
{
    action("Add frame")->trigger();
    const std::string before = writeCell(session().cell());
    for (const char* page : {"New cell", "Manual", "Arms and data sheets …"}) {
        action(page)->trigger();
        QCoreApplication::processEvents();
        QWidget* at = QApplication::focusWidget();
        for (const auto& [key, modifiers] : {std::pair(Qt::Key_Z, Qt::KeyboardModifiers(Qt::ControlModifier)),
                                             std::pair(Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier),
                                             std::pair(Qt::Key_Delete, Qt::KeyboardModifiers()),
                                             std::pair(Qt::Key_D, Qt::KeyboardModifiers(Qt::ControlModifier)),
                                             std::pair(Qt::Key_F5, Qt::KeyboardModifiers())})
            QTest::keyClick(at, key, modifiers);
        QVERIFY2(writeCell(session().cell()) == before && !session().inRun(), page);
        QVERIFY(!action("Add frame")->isEnabled() && !action("Run or pause")->isEnabled());
        m_window->showArms(false);
    }
    QVERIFY(action("Add frame")->isEnabled() && action("Undo")->isEnabled());
}

void BeginWindowTest::guideWatchesTenSteps()
{
    action("First cell, step by step")->trigger();
    QCOMPARE(guideStep(), 0);
    QVERIFY(child<QWidget>("guide")->isVisible());
    newCell();
    QCOMPARE(guideStep(), 1);
    action("Add table")->trigger();
    QCOMPARE(guideStep(), 2);
    QCoreApplication::processEvents();
    typeThere("", Qt::Key_Tab);  // its name stays
    for (const char* number : {"800", "600", "400"})
        typeThere(number, Qt::Key_Tab);
    QCOMPARE(guideStep(), 3);
    action("Cell face")->trigger();
    click("addPart");
    QCOMPARE(guideStep(), 4);
    auto* frame = child<QComboBox>("readingFrame");
    const int table = frame->findText("Table");
    QVERIFY(table >= 0);
    frame->setCurrentIndex(table);
    Q_EMIT frame->activated(table);
    QCOMPARE(guideStep(), 5);
    typePose(0, "0");
    typePose(1, "0");
    typePose(2, "250");
    QVERIFY2(guideStep() == 6, qPrintable(note()));
    QTest::keyClick(&view(), Qt::Key_T);
    QCOMPARE(guideStep(), 7);
    typePose(2, "50");
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_T);
    QCOMPARE(guideStep(), 8);
    typeSteps({"joint to Target 1", "line to Target 2", "grip"});
    QCOMPARE(guideStep(), 9);
    fresh();
    QVERIFY(!session().trace()->blocked());
    session().setPlaySpeed(10);
    action("Run or pause")->trigger();
    QTRY_COMPARE_WITH_TIMEOUT(guideStep(), 10, 20000);
    QVERIFY(child<QLabel>("guideWords")->text().contains("manual:"));
}

void BeginWindowTest::guideIsLeftAtAnyTime()
{
    action("First cell, step by step")->trigger();
    click("guideSkip");
    QVERIFY(guideStep() >= 1);
    const QString words = child<QLabel>("guideWords")->text();
    click("guideLeave");
    QVERIFY(!child<QWidget>("guide")->isVisible());
    action("Add table")->trigger();
    QCOMPARE(child<QLabel>("guideWords")->text(), words);
}

void BeginWindowTest::findingsLeadToTheirPage()
{
    QVERIFY(m_window->openExample("planted-mistakes"));
    fresh();
    action("Show findings")->trigger();
    auto* list = child<QListWidget>("findingsList");
    QVERIFY(list->count() >= 3);
    auto* link = child<QLabel>("explainFinding");
    QSet<QString> rules;
    for (int row = 0; row < list->count(); ++row) {
        list->setCurrentRow(row);
        const QString rule = link->text().section('#', 1).section('"', 0, 0);
        QVERIFY2(!rule.isEmpty(), qPrintable(link->text()));
        rules << rule;
        QVERIFY(QDesktopServices::openUrl(QUrl("manual:findings#" + rule)));
        auto* page = child<QTextBrowser>("manualPage");
        QVERIFY(page->isVisible());
        QCOMPARE(page->textCursor().block().text().toLower(), rule);
        QTest::keyClick(child<QWidget>("manual"), Qt::Key_Escape);
    }
    QVERIFY(rules.size() >= 3);
    // Every rule that there is has its section.
    QVERIFY(QDesktopServices::openUrl(QUrl("manual:findings")));
    const QString text = child<QTextBrowser>("manualPage")->toPlainText().toLower();
    for (int rule = 0; rule <= int(Rule::Belt); ++rule)
        QVERIFY2(text.contains("\n" + QString(ruleName(Rule(rule))).replace('-', ' ') + "\n"), ruleName(Rule(rule)));
}

void BeginWindowTest::emptyStatesLeadToTheManual()
{
    newCell();
    int links = 0;
    for (const QLabel* label : m_window->findChildren<QLabel*>()) {
        const QString place = label->text().section("manual:", 1).section('"', 0, 0);
        if (place.isEmpty()) continue;
        ++links;
        m_window->openManual(QUrl("manual:" + place));
        if (!place.contains('#')) continue;
        QCOMPARE(child<QTextBrowser>("manualPage")->textCursor().block().text().toLower(),
                 place.section('#', 1).toLower());
    }
    QVERIFY(links >= 4);
}

void BeginWindowTest::speedIsChosen()
{
    auto* menu = child<QMenu>("speedMenu");
    for (QAction* choice : menu->actions()) {
        choice->trigger();
        QCOMPARE(session().playSpeed(), choice->data().toDouble());
        QCOMPARE(child<QPushButton>("speedButton")->text(), choice->text());
    }
    QVERIFY(menu->actions().size() >= 4);
}

void BeginWindowTest::everyControlHasAName()
{
    QStringList nameless;
    const auto look = [&](const QString& where) {
        QCoreApplication::processEvents();
        for (QWidget* w : m_window->findChildren<QWidget*>()) {
            if (!w->isVisible() || !(w->focusPolicy() & Qt::TabFocus)) continue;
            if (!qobject_cast<QAbstractButton*>(w) && !qobject_cast<QAbstractSpinBox*>(w)
                && !qobject_cast<QLineEdit*>(w) && !qobject_cast<QComboBox*>(w) && !qobject_cast<QAbstractItemView*>(w)
                && !QString(w->metaObject()->className()).startsWith("topikos::"))
                continue;
            // The line inside a field goes by the field's name.
            if (qobject_cast<QAbstractSpinBox*>(w->parentWidget()) || qobject_cast<QComboBox*>(w->parentWidget()))
                continue;
            const QAccessibleInterface* told = QAccessible::queryAccessibleInterface(w);
            if (!told || told->text(QAccessible::Name).trimmed().isEmpty())
                nameless << where + ": " + w->metaObject()->className() + " " + w->objectName();
        }
    };
    for (const char* face : {"Cell face", "Route face", "Targets face"}) {
        action(face)->trigger();
        look(face);
    }
    std::vector<Selection> things{session().routine().steps[2].id,
                                  targetNamed("Rack place"),
                                  frameNamed("Drying rack"),
                                  session().cell().parts.front().id,
                                  session().station().tool,
                                  session().station().id,
                                  Selection()};
    for (const Selection& thing : things) {
        session().select(thing);
        look(QString("properties %1").arg(thing.index()));
    }
    for (const char* face : {"Show findings", "Contact pairs", "Signals"}) {
        action(face)->trigger();
        look(face);
    }
    action("New cell")->trigger();
    look("new cell");
    action("Manual")->trigger();
    look("manual");
    m_window->showArms(true);
    look("arms");
    nameless.removeDuplicates();
    for (const QString& control : nameless)
        qWarning("no name: %s", qPrintable(control));
    QVERIFY(nameless.isEmpty());
}

void BeginWindowTest::fitsSmallWindows()
{
    QVERIFY2(m_window->minimumSizeHint().width() <= 1000,
             qPrintable(QString::number(m_window->minimumSizeHint().width())));
    QVERIFY2(m_window->minimumSizeHint().height() <= 700,
             qPrintable(QString::number(m_window->minimumSizeHint().height())));
    m_window->resize(1024, 700);
    action("Restore layout")->trigger();
    QCoreApplication::processEvents();
    QCOMPARE(m_window->width(), 1024);
    QVERIFY(view().width() >= 400);
    // No button of the properties is cut, whatever width they were made at.
    auto* inner = child<QWidget>("propertiesInner");
    for (const char* frame : {"Drying rack", "Infeed belt"}) {
        session().select(frameNamed(frame));
        QTRY_VERIFY(m_window->findChild<QWidget*>("teachFrame"));
        for (const int width : {1280, 1024}) {
            m_window->resize(width, 700);
            QTRY_COMPARE(inner->width(), inner->parentWidget()->width());
            for (const char* name : {"teachFrame", "teachBuilt", "typeBuilt", "mountHere", "lookAlone"}) {
                const auto* button = child<QPushButton>(name);
                const QRect place(button->mapTo(inner, QPoint()), button->size());
                QVERIFY2(place.right() < inner->width() && button->width() >= button->sizeHint().width(), name);
            }
        }
    }
    // Of the list of steps there is something to be seen.
    action("Route face")->trigger();
    session().select(session().routine().steps[2].id);
    QCoreApplication::processEvents();
    const int rows = child<QWidget>("routeList")->height() / 28;
    QVERIFY2(rows >= 5, qPrintable(QString("%1 rows in %2").arg(rows).arg(child<QWidget>("leftPanel")->height())));
}

void BeginWindowTest::looksKeepTheirContrast_data()
{
    QTest::addColumn<bool>("dark");
    QTest::addColumn<bool>("contrast");
    for (const bool dark : {false, true})
        for (const bool contrast : {false, true})
            QTest::addRow("%s%s", dark ? "dark" : "light", contrast ? " high" : "") << dark << contrast;
}

void BeginWindowTest::looksKeepTheirContrast()
{
    QFETCH(bool, dark);
    QFETCH(bool, contrast);
    applyTheme(dark, contrast);
    const Theme& t = theme();
    // Relative luminance and contrast as WCAG 2.1 defines them.
    const auto luminance = [](const QColor& c) {
        const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
        return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
    };
    const auto ratio = [&](const QColor& a, const QColor& b) {
        const double la = luminance(a), lb = luminance(b);
        return (std::max(la, lb) + 0.05) / (std::min(la, lb) + 0.05);
    };
    for (const QColor& ground : {t.panel, t.paper, t.raised}) {
        QVERIFY2(ratio(t.ink, ground) >= (contrast ? 15 : 7), qPrintable(QString::number(ratio(t.ink, ground))));
        for (const QColor& words : {t.faint, t.accent, t.blocked})
            QVERIFY2(ratio(words, ground) >= (contrast ? 7 : 4.5),
                     qPrintable(words.name() + " on " + ground.name() + ": " + QString::number(ratio(words, ground))));
        QVERIFY(ratio(t.caution, ground) >= (contrast ? 7 : 3));
    }
    QVERIFY(ratio(t.accentText, t.accent) >= (contrast ? 7 : 4.5));
    QVERIFY(ratio(t.ink, t.accentSoft) >= (contrast ? 7 : 4.5));
    applyTheme(false);
}

void BeginWindowTest::sizeIsKeptForTheNextStart()
{
    action("Show everything at 150 %")->trigger();
    QCOMPARE(QSettings().value("look/size").toInt(), 150);
    QVERIFY(note().contains("150"));
}

void BeginWindowTest::keysAloneFromStartToARunningCycle()
{
    // What the keys reach from where they are; no mouse.
    const auto press = [](Qt::Key key, Qt::KeyboardModifiers modifiers = {}) {
        QTest::keyClick(QApplication::focusWidget(), key, modifiers);
        QCoreApplication::processEvents();
    };
    press(Qt::Key_N, Qt::ControlModifier);
    QVERIFY(child<QWidget>("newCell")->isVisible());
    press(Qt::Key_Return);
    QVERIFY(session().cell().parts.empty());
    QCOMPARE(QApplication::focusWidget(), static_cast<QWidget*>(&view()));
    press(Qt::Key_T);
    for (int i = 0; i < 20; ++i)
        press(Qt::Key_PageDown);
    press(Qt::Key_T);
    QVERIFY(targetNamed("Target 2"));
    press(Qt::Key_L, Qt::ControlModifier);
    for (const char* step : {"joint to Target 1", "line to Target 2 at 100", "joint to Home"}) {
        QTest::keyClicks(QApplication::focusWidget(), step);
        press(Qt::Key_Delete);  // what the completer added
        press(Qt::Key_Return);
    }
    QCOMPARE(session().routine().steps.size(), size_t(3));
    fresh();
    QVERIFY(session().trace() && !session().trace()->blocked());
    press(Qt::Key_F5);
    QVERIFY(session().playing());
}

TOPIKOS_TEST(BeginWindowTest)
#include "begin_window_test.moc"
