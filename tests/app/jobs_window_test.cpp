#include "app/session/text.h"
#include "core/cell/edit_steps.h"
#include "core/program/step_text.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QAbstractSpinBox>
#include <QApplication>
#include <QComboBox>
#include <QLineEdit>
#include <QListView>
#include <QMenu>
#include <QPushButton>
#include <QTableWidget>
#include <QTreeWidget>

#include <set>

using namespace topikos;
using namespace topikos::test;

/// Four jobs from start to a running cycle, by keys and mouse alone. Each action of the person is counted: a press of a
/// button, a row or a field, a key or shortcut, and one run of typing with the key that ends it, are one each; a choice
/// from a list or a menu is two. Entries of menus and lists are taken through their objects, all else by events.
class JobsWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void pickAndPlaceFromTheDemoCell();
    void tableWithPatternFromAnEmptyCell();
    void beltWithSourceAndSensor();
    void handOverOfTwoArms();
    void rackOf24FromTheBelt();

private:
    int m_actions = 0;

    void settle() { QCoreApplication::processEvents(); }
    void press(Qt::Key key, Qt::KeyboardModifiers modifiers = {})
    {
        ++m_actions;
        QTest::keyClick(QApplication::focusWidget() ? QApplication::focusWidget() : m_window.get(), key, modifiers);
        settle();
    }
    /// Types where the keys go; the key at the end belongs to it.
    void typed(const QString& words, Qt::Key end = Qt::Key_Tab)
    {
        ++m_actions;
        typeThere(words, end);
    }
    /// A press into a field, which selects what is in it, and typing on from there, field by field.
    void fields(const QString& first, const QStringList& values, Qt::Key end = Qt::Key_Tab)
    {
        ++m_actions;
        settle();
        QTRY_VERIFY2(m_window->findChild<QWidget*>(first), qPrintable("there is no " + first));
        auto* field = child<QWidget>(first);
        field->setFocus(Qt::MouseFocusReason);
        if (auto* number = qobject_cast<QAbstractSpinBox*>(field)) number->selectAll();
        if (auto* line = qobject_cast<QLineEdit*>(field)) line->selectAll();
        for (int i = 0; i < values.size(); ++i)
            typed(values[i], i + 1 < values.size() ? Qt::Key_Tab : end);
    }
    void button(const QString& name)
    {
        ++m_actions;
        settle();
        QTest::mouseClick(child<QPushButton>(name), Qt::LeftButton);
        settle();
    }
    void chosen(const QString& box, const QString& words)
    {
        m_actions += 2;
        choose(box, words);
    }
    void row(const QString& name)
    {
        ++m_actions;
        pick(name);
    }
    /// From the menu of what can be added to the layout.
    void added(const QString& what)
    {
        m_actions += 2;
        for (QAction* a : child<QMenu>("addMoreMenu")->actions())
            if (a->text() == what) {
                a->trigger();
                return settle();
            }
        QFAIL(qPrintable("nothing is called " + what));
    }
    /// An entry of a menu, by its keys where it has some.
    void entry(const QString& words)
    {
        QAction* a = action(words);
        m_actions += a->shortcut().isEmpty() ? 2 : 1;
        a->trigger();
        settle();
    }
    void typeRoute(const QStringList& steps)
    {
        entry("Type a step");
        auto* line = child<QLineEdit>("typeStep");
        for (const QString& step : steps) {
            const size_t before = countSteps(session().routine().steps);
            ++m_actions;
            QTest::keyClicks(line, step);
            QTest::keyClick(line, Qt::Key_Delete);  // what the completer added
            QTest::keyClick(line, Qt::Key_Return);
            settle();
            QVERIFY2(countSteps(session().routine().steps) > before,
                     qPrintable(step + ": " + child<QLabel>("stepVerdict")->text()));
        }
    }
    /// From Target 1 to Target 2, and home.
    static QStringList pickAndPlace(const QString& over)
    {
        return {"joint over Target 1 " + over + " blend 20",
                "line to Target 1 at 150",
                "grip",
                "line over Target 1 " + over + " blend 20",
                "joint over Target 2 " + over + " blend 20",
                "line to Target 2 at 150",
                "release",
                "line over Target 2 " + over,
                "joint to Home"};
    }
    /// Types a place of the TCP into the strip and takes a target there.
    void take(const QStringList& place)
    {
        fields("reading0", place, Qt::Key_Return);
        QVERIFY2(!child<QLabel>("readingVerdict")->isVisible(),
                 qPrintable(place.join(' ') + ": " + child<QLabel>("readingVerdict")->text()));
        press(Qt::Key_T);
    }
    /// The cycle runs through, and the actions are at most half of what they were.
    void runs(int before)
    {
        fresh();
        QStringList words;
        for (const Finding& f : session().checked()->result.findings)
            if (f.severity != Severity::Advice) words << text(findingText(session().cell(), f).line());
        QVERIFY2(words.isEmpty(), qPrintable(words.join("; ")));
        press(Qt::Key_F5);
        QVERIFY(session().playing());
        session().scrub(1e9);
        qInfo("%d actions, %d before", m_actions, before);
        QVERIFY2(2 * m_actions <= before, qPrintable(QString("%1 actions").arg(m_actions)));
    }
    Vec3 placeOf(const char* part)
    {
        for (const PlacedPart& p : session().shownState().parts)
            if (const Part* known = findPart(session().cell(), p.part); known && known->name == part)
                return p.worldFromPart.translation;
        return Vec3::Constant(NAN);
    }
};

void JobsWindowTest::pickAndPlaceFromTheDemoCell()
{
    m_actions = 0;
    entry("Add routine");
    chosen("readingFrame", "Infeed belt");
    take({"0", "-280", "6"});
    chosen("readingFrame", "Drying rack");
    take({"-120", "150", "6"});
    typeRoute(pickAndPlace("120"));
    button("makeMain");
    runs(90);
    const Vec3 wanted = worldFromFrame(session().cell(), frameNamed("Drying rack")) * Vec3(-0.12, 0.15, 0.006);
    QVERIFY((placeOf("Tile 2") - wanted).norm() < 1e-6);
}

void JobsWindowTest::tableWithPatternFromAnEmptyCell()
{
    m_actions = 0;
    entry("New cell");
    typed("Glaze bench");
    fields("newCellHeight", {"450"});
    fields("newCellWidest", {"60"});
    button("newCellMake");
    entry("Cell face");
    added("Table");
    typed("Bench");
    for (const char* length : {"900", "700", "800"})
        typed(length);
    fields("pose0", {"700", "-250"});
    button("addPart");
    typed("Tile");
    fields("shapeSize0", {"60", "60", "20"});
    fields("pose0", {"-100", "100", "10"});
    button("addPattern");
    fields("patternColumns", {"3", "2"});
    fields("patternPitch0", {"160", "-160"});
    row("World");
    added("Pedestal");
    typed("Drying post");
    for (const char* length : {"300", "300", "800"})
        typed(length);
    fields("pose0", {"550", "550"});
    chosen("readingFrame", "Bench");
    take({"-100", "100", "10"});
    chosen("readingFrame", "Drying post");
    take({"0", "0", "10"});
    typeRoute(pickAndPlace("100"));
    QCOMPARE(session().cell().parts.size(), size_t(6));
    runs(200);
    QVERIFY((placeOf("Tile 1") - Vec3(0.55, 0.55, 0.81)).norm() < 1e-6);
    QVERIFY((placeOf("Tile 2") - Vec3(0.76, -0.15, 0.81)).norm() < 1e-6);
}

void JobsWindowTest::beltWithSourceAndSensor()
{
    m_actions = 0;
    entry("New cell");
    button("newCellMake");
    entry("Cell face");
    added("Belt");
    typed("Belt");
    fields("pose0", {"750", "-1400", "300"});
    fields("pose5", {"90"});
    added("Source");
    row("Belt");
    added("Presence sensor");
    chosen("readingFrame", "Belt");
    take({"1350", "0", "50"});
    fields("reading0", {"1100", "500"}, Qt::Key_Return);
    press(Qt::Key_T);
    typeRoute({"wait for Presence sensor part seen", "joint over Target 1 100", "line to Target 1 at 150", "grip",
               "line over Target 1 100", "joint to Target 2", "release", "joint to Home"});
    runs(80);
    const Trace& trace = *session().trace();
    QVERIFY(!trace.blocked() && trace.made.size() >= 1);
    // The first part that was made has left the belt.
    const CellState end = session().shownState();
    const auto first = std::find_if(end.parts.begin(), end.parts.end(),
                                    [&](const PlacedPart& p) { return p.part == trace.made.front().id; });
    QVERIFY(first != end.parts.end());
    const Vec3 inBelt =
        inverse(worldFromFrame(session().cell(), frameNamed("Belt"))) * first->worldFromPart.translation;
    QVERIFY(std::abs(inBelt[1]) > 0.3);
}

void JobsWindowTest::handOverOfTwoArms()
{
    m_actions = 0;
    // The first arm sets its tile into the rack; the second one takes it from there when it is told.
    entry("Signals");
    button("addSignal0");
    typed("Tile set", Qt::Key_Return);
    QCOMPARE(session().cell().signals.back().name, std::string("Tile set"));
    entry("Route face");
    auto* list = child<QListView>("routeList");
    ++m_actions;
    // When the arm is home again: before, the two would meet over the rack.
    list->scrollTo(list->model()->index(9, 0));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualRect(list->model()->index(9, 0)).center());
    typeRoute({"set Tile set on"});
    entry("Cell face");
    row("World");
    added("Arm");
    added("Jaw gripper");
    fields("gripperOpen", {"200", "150"});
    chosen("readingFrame", "Drying rack");
    take({"200", "150", "6"});
    fields("reading0", {"-100", "450"}, Qt::Key_Return);
    press(Qt::Key_T);
    typeRoute({"wait for Tile set", "joint over Target 1 150", "line to Target 1 at 150", "grip",
               "line over Target 1 150", "joint to Target 2", "release", "joint to Arm 2 home"});
    runs(75);
    QVERIFY(session().trace()->arms.size() == 2);
    const Vec3 wanted = worldFromFrame(session().cell(), frameNamed("Drying rack")) * Vec3(-0.1, 0.45, 0.006);
    QVERIFY2(
        (placeOf("Tile 1") - wanted).norm() < 1e-6,
        qPrintable(QString("%1 %2 %3").arg(placeOf("Tile 1")[0]).arg(placeOf("Tile 1")[1]).arg(placeOf("Tile 1")[2])));
}

void JobsWindowTest::rackOf24FromTheBelt()
{
    // The example with everything but its routine.
    m_window->openExample("rack-of-24");
    const RoutineId main = session().routine().id;
    QVERIFY(session().edit("Clear", [main](const Cell& c) {
        std::vector<StepId> all;
        for (const Step& s : findRoutine(c, main)->steps)
            all.push_back(s.id);
        return deleteSteps(c, main, all);
    }));
    settle();
    m_actions = 0;
    // Each step goes behind the one before, and behind the head of the loop into it.
    typeRoute({"joint to Home", "for each place of Rack", "joint over Tile pick 120 blend 20", "wait for Tile there",
               "line to Tile pick at 150", "grip", "line over Tile pick 120 blend 20", "pulse Next tile",
               "joint to Booth in", "line to Booth out at 200", "joint over place 120 blend 20", "line to place at 150",
               "release", "line over place 120 blend 20", "joint to Home"});
    // The way home comes after the loop.
    press(Qt::Key_Escape);
    press(Qt::Key_PageDown, Qt::AltModifier);
    QCOMPARE(session().routine().steps.size(), size_t(3));
    fresh();
    QStringList words;
    for (const Finding& f : session().checked()->result.findings)
        words << text(findingText(session().cell(), f).line());
    QVERIFY2(words.isEmpty(), qPrintable(words.join("; ")));
    press(Qt::Key_F5);
    QVERIFY(session().playing());
    session().scrub(1e9);
    // 24 tiles stand in the 24 places.
    const CellState end = session().shownState();
    std::set<int> filled;
    int place = 0;
    for (const Target& t : session().cell().targets) {
        if (!t.pattern) continue;
        ++place;
        const Vec3 wanted = (worldFromFrame(session().cell(), t.frame, end.axes) * t.pose).translation;
        for (const PlacedPart& part : end.parts)
            if ((part.worldFromPart.translation - wanted).norm() < 1e-3) filled.insert(place);
    }
    QCOMPARE(filled.size(), size_t(24));
    qInfo("%d actions", m_actions);
    QVERIFY2(m_actions <= 30, qPrintable(QString("%1 actions").arg(m_actions)));
}

TOPIKOS_TEST(JobsWindowTest)
#include "jobs_window_test.moc"
