#include "app/strip/findings_list.h"
#include "app/strip/place_panel.h"
#include "app/strip/remedy_panel.h"
#include "core/cell/edit_layout.h"
#include "core/cell/step_tree.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QListWidget>
#include <QTableWidget>

using namespace topikos;
using namespace topikos::test;

/// Findings with what takes them away, contact by hand, best places, in the real window.
class MendWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void findingsAreFilteredSearchedAndSorted();
    void remedyIsShownAndApplied();
    void cautionIsLetStandUntilItChanges();
    void contactIsSaidToBeMeant();
    void armStopsAtContactAndSlides();
    void downToContactTellsWhere();
    void bestPlaceIsFoundAndApplied();
    void dragTellsOfTheTargets();
    void dragTellsWhatTheArmWouldTouch();
    void pairsAndPaddingAreSet();

private:
    QListWidget* findings() { return child<QListWidget>("findingsList"); }
    QListWidget* remedies() { return child<QListWidget>("remediesList"); }
    void openFindings(const char* example)
    {
        m_window->openExample(example);
        fresh();
        action("Show findings")->trigger();
        QTRY_VERIFY(child<QComboBox>("findingsFilter")->isVisible());
    }
    /// A block in the way of the demo's longest move.
    FrameId withCrate()
    {
        const Cell cell = session().cell();
        const Trace trace = simulate(cell);
        const ArmTrace& arm = trace.arms.front();
        const ArmTrace::Span& span = arm.spans[5];
        const double middle = 0.5 * (span.start + span.end);
        const Pose tcp = worldFromTcp(cell, cell.arms.front(), stateAt(cell, trace, middle).arms.front().posture);
        FrameId id;
        Cell next = addFrame(cell, "Crate", {}, translated(tcp.translation), &id).value();
        next = setFrameSolids(next, id, {{Solid::Kind::Box, {}, {0.05, 0.05, 0.05}, {}}}).value();
        session().edit("Crate", [&](const Cell&) { return Result<Cell>(next); });
        return id;
    }
};

void MendWindowTest::findingsAreFilteredSearchedAndSorted()
{
    openFindings("planted-mistakes");
    const int all = findings()->count();
    QVERIFY(all >= 3);
    auto* filter = child<QComboBox>("findingsFilter");
    filter->setCurrentText("advice");
    QCOMPARE(findings()->count(), 0);
    filter->setCurrentText("blocked");
    QCOMPARE(findings()->count(), all);
    auto* search = child<QLineEdit>("findingsSearch");
    search->setFocus();
    QTest::keyClicks(search, "wrist singularity");
    QCOMPARE(findings()->count(), 1);
    QVERIFY(findings()->item(0)->text().contains("Wrist singularity"));
    search->clear();
    QCOMPARE(findings()->count(), all);
    child<QComboBox>("findingsOrder")->setCurrentText("by rule");
    // Under the heads of their rules, of which each folds by a click or by Enter.
    const auto rowsWith = [this](const QString& what) { return findings()->findItems(what, Qt::MatchContains).size(); };
    const auto heads = rowsWith(QChar(0x25be));
    QVERIFY(heads >= 3);
    QCOMPARE(findings()->count(), all + heads);
    QVERIFY(findings()->item(0)->text().contains("Reach  ·  1"));
    QVERIFY(findings()->item(1)->text().contains("cannot reach"));
    QTest::mouseClick(findings()->viewport(), Qt::LeftButton, {},
                      findings()->visualItemRect(findings()->item(0)).center());
    QCOMPARE(findings()->count(), all + heads - 1);
    QCOMPARE(rowsWith("cannot reach"), 0);
    findings()->setFocus();
    QTest::keyClick(findings(), Qt::Key_Return);
    QCOMPARE(rowsWith("cannot reach"), 1);
    // Next goes past heads.
    m_window->findChild<FindingsList*>()->selectNext(1);
    QVERIFY(findings()->currentItem()->text().contains("cannot reach"));
    child<QComboBox>("findingsOrder")->setCurrentText("by step");
    QVERIFY(findings()->item(0)->text().contains("Three mistakes, step 3: line to Tile close"));
    child<QComboBox>("findingsOrder")->setCurrentText("as they come");
    // What was there when it was opened is not new; what an edit brings is.
    filter->setCurrentText("new since saved");
    QCOMPARE(findings()->count(), 0);
    QVERIFY(session().edit("Another", [](const Cell& c) {
        return insertStep(c, c.arms.front().main, 1,
                          jointTo(std::find_if(c.targets.begin(), c.targets.end(), [](const Target& t) {
                                      return t.name == "Far shelf";
                                  })->id));
    }));
    fresh();
    QTRY_VERIFY(findings()->count() >= 1);
    filter->setCurrentText("all");
}

void MendWindowTest::remedyIsShownAndApplied()
{
    openFindings("planted-mistakes");
    const Cell before = session().cell();
    int at = -1;
    for (int i = 0; i < findings()->count(); ++i)
        if (findings()->item(i)->text().contains("Wrist singularity")) at = i;
    QVERIFY(at >= 0);
    QTest::mouseClick(findings()->viewport(), Qt::LeftButton, {},
                      findings()->visualItemRect(findings()->item(at)).center());
    QVERIFY(!child<QLabel>("findingWhy")->text().isEmpty());
    QVERIFY(child<QLabel>("findingDetail")->text().contains("Measured"));
    // The first one comes soon, and more behind it.
    QTRY_VERIFY_WITH_TIMEOUT(remedies()->count() >= 1, 10000);
    auto* panel = m_window->findChild<RemedyPanel*>();
    QTRY_VERIFY_WITH_TIMEOUT(!panel->searching(), 60000);
    // Pointing shows it and changes nothing; leaving takes it back.
    remedies()->setFocus();
    remedies()->setCurrentRow(0);
    QTRY_VERIFY(!(session().shownCell() == before));
    QVERIFY(session().cell() == before);
    findings()->setFocus();
    QTRY_VERIFY(session().shownCell() == before);
    const int blocked = session().checked()->result.count(Severity::Blocked);
    remedies()->setFocus();
    QTest::keyClick(remedies(), Qt::Key_Return);
    QVERIFY(!(session().cell() == before));
    fresh();
    QVERIFY(session().checked()->result.count(Severity::Blocked) < blocked);
    action("Undo")->trigger();
    QVERIFY(session().cell() == before);
}

void MendWindowTest::cautionIsLetStandUntilItChanges()
{
    openFindings("tile-glazing-line");
    Thresholds t = session().cell().thresholds;
    t.jointMargin = 1.2;
    QVERIFY(session().edit("Wider", [=](const Cell& c) { return setThresholds(c, t); }));
    fresh();
    QTRY_VERIFY(findings()->count() >= 1);
    const int cautions = session().checked()->result.count(Severity::Caution);
    QVERIFY(cautions >= 1);
    findings()->setCurrentRow(0);
    auto* reason = child<QLineEdit>("adviceReason");
    QVERIFY(reason->isVisible());
    reason->setFocus();
    QTest::keyClicks(reason, "it is slow there");
    QTest::keyClick(reason, Qt::Key_Return);
    fresh();
    QTRY_COMPARE(session().checked()->result.count(Severity::Caution), cautions - 1);
    QVERIFY(findings()->item(findings()->count() - 1)->text().startsWith("stands: it is slow there"));
}

void MendWindowTest::contactIsSaidToBeMeant()
{
    openFindings("tile-glazing-line");
    withCrate();
    fresh();
    QTRY_VERIFY(findings()->count() >= 1);
    const auto contacts = [&] {
        int out = 0;
        for (const Finding& f : session().checked()->result.findings)
            out += f.rule == Rule::Contact;
        return out;
    };
    const int before = contacts();
    QVERIFY(before >= 1);
    findings()->setCurrentRow(0);
    QVERIFY(child<QPushButton>("contactMeant")->isVisible());
    QVERIFY(!child<QPushButton>("adviceAccept")->isVisible());
    click("contactMeant");
    fresh();
    QTRY_VERIFY(contacts() < before);
    bool said = false;
    eachStep(session().routine().steps, [&](const Step& s, size_t) { said = said || !s.mayTouch.empty(); });
    QVERIFY(said);
}

void MendWindowTest::armStopsAtContactAndSlides()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    // A wall beside the tool, along the world's x; the arm goes at it along y.
    const Vec3 tcp = session().shownTcp().translation;
    QVERIFY(session().edit("Wall", [&](const Cell& c) {
        FrameId id;
        const Cell next = addFrame(c, "Wall", {}, translated(tcp + Vec3(0, 0.35, 0)), &id).value();
        return setFrameSolids(next, id, {{Solid::Kind::Box, {}, {1.2, 0.02, 0.3}, {}}});
    }));
    action("Jog in the world")->trigger();
    const auto go = [&](const Vec3& by) {
        Pose wanted = session().shownTcp();
        wanted.translation += by;
        return session().moveTcp(inverse(session().shownBase()) * wanted);
    };
    bool stopped = false;
    for (int i = 0; i < 20 && !stopped; ++i)
        stopped = !go({0, 0.03, 0});
    QVERIFY(stopped);
    QVERIFY2(note().contains("would touch Wall"), qPrintable(note()));
    const Vec3 there = session().shownTcp().translation;
    QVERIFY(there.y() < tcp.y() + 0.35);
    // On along and into it: it slides along.
    for (int i = 0; i < 4; ++i)
        go({0.02, 0.02, 0});
    QVERIFY2(session().shownTcp().translation.x() > there.x() + 0.03,
             qPrintable(QString::number(session().shownTcp().translation.x() - there.x())));
    QVERIFY(session().shownTcp().translation.y() < there.y() + 0.002);
    // Switched off, it goes through.
    action("Stop at contact")->trigger();
    QVERIFY(!action("Stop at contact")->isChecked());
    QVERIFY(go({0, 0.03, 0}));
}

void MendWindowTest::downToContactTellsWhere()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    const Vec3 tcp = session().shownTcp().translation;
    QVERIFY(session().edit("Plate", [&](const Cell& c) {
        FrameId id;
        const Cell next = addFrame(c, "Plate", {}, translated(tcp - Vec3(0, 0, 0.2)), &id).value();
        return setFrameSolids(next, id, {{Solid::Kind::Box, {}, {0.5, 0.5, 0.02}, {}}});
    }));
    action("Down to contact")->trigger();
    QVERIFY2(note().contains("touches Plate"), qPrintable(note()));
    QVERIFY(note().contains("mm in World"));
    QVERIFY(session().shownTcp().translation.z() < tcp.z() - 0.05);
    const JointVector there = session().posture();
    QVERIFY(session().standBack());
    QVERIFY(!sameValues(session().posture(), there));
}

void MendWindowTest::bestPlaceIsFoundAndApplied()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    action("Find the best place")->trigger();
    auto* panel = m_window->findChild<PlacePanel*>();
    QTRY_VERIFY(panel->isVisible());
    child<QDoubleSpinBox>("placeReach0")->setValue(100);
    child<QDoubleSpinBox>("placeReach1")->setValue(100);
    const Cell before = session().cell();
    click("placeFind");
    QVERIFY(panel->searching());
    auto* list = child<QListWidget>("placeList");
    QTRY_VERIFY_WITH_TIMEOUT(!panel->searching() && list->count() >= 1, 60000);
    // The map says what is at a point.
    auto* map = child<SpotMap>("placeMap");
    QTest::mouseMove(map, map->pixelOf(0, 0).toPoint());
    const auto told = [&] { return child<QLabel>("placeWords")->text(); };
    QTRY_VERIFY2(told().contains("X ") && !told().contains("places tried"), qPrintable(told()));
    list->setFocus();
    list->setCurrentRow(0);
    QTRY_VERIFY(!(session().shownCell() == before));
    QTest::keyClick(list, Qt::Key_Return);
    QVERIFY(!(session().cell() == before));
    QVERIFY(session().shownCell() == session().cell());
    action("Undo")->trigger();
    QVERIFY(session().cell() == before);
    // Given up: nothing has changed.
    child<QDoubleSpinBox>("placeReach2")->setValue(100);
    child<QDoubleSpinBox>("placeReach3")->setValue(20);
    click("placeFind");
    QVERIFY(panel->searching());
    click("placeFind");
    QVERIFY(!panel->searching());
    QVERIFY(session().cell() == before);
}

void MendWindowTest::dragTellsOfTheTargets()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    const FrameId rack = frameNamed("Drying rack");
    session().select(rack);
    QCoreApplication::processEvents();
    const Cell cell = session().cell();
    const Pose before = worldFromFrame(cell, rack);
    const double metres = view().camera().metresPerPixel(before.translation, view().size());
    const Vec3 axis = before.rotation * Vec3::UnitX();
    const Vec3 grab = before.translation + 70 * metres * axis;
    QTest::mouseMove(&view(), pixelOf(grab));
    QTest::mousePress(&view(), Qt::LeftButton, {}, pixelOf(grab));
    QTest::mouseMove(&view(), pixelOf(grab + 0.05 * axis));
    QVERIFY2(note().contains("targets can be reached"), qPrintable(note()));
    QTest::mouseMove(&view(), pixelOf(grab + 1.2 * axis));
    QVERIFY2(note().contains("1 of 2 targets out of reach. Target Rack place"), qPrintable(note()));
    QTest::keyClick(&view(), Qt::Key_Escape);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, pixelOf(grab + 1.2 * axis));
    QVERIFY(session().cell() == cell);
}

void MendWindowTest::dragTellsWhatTheArmWouldTouch()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    const Cell& first = session().cell();
    const Target& pick = *std::find_if(first.targets.begin(), first.targets.end(),
                                       [](const Target& t) { return t.name == "Tile pick"; });
    const Vec3 place = (worldFromFrame(first, pick.frame) * pick.pose).translation;
    FrameId post;
    QVERIFY(session().edit("Post", [&](const Cell& c) {
        const Cell next = addFrame(c, "Post", {}, translated(place + Vec3(0.5, 0, 0.12)), &post).value();
        return setFrameSolids(next, post, {{Solid::Kind::Box, {}, {0.04, 0.04, 0.1}, {}}});
    }));
    fresh();
    session().select(post);
    QCoreApplication::processEvents();
    const Vec3 stands = worldFromFrame(session().cell(), post).translation;
    const double metres = view().camera().metresPerPixel(stands, view().size());
    const Vec3 grab = stands + 70 * metres * Vec3::UnitX();
    QTest::mouseMove(&view(), pixelOf(grab));
    QTest::mousePress(&view(), Qt::LeftButton, {}, pixelOf(grab));
    QTest::mouseMove(&view(), pixelOf(grab - 0.1 * Vec3::UnitX()));
    QVERIFY2(note().endsWith("all 2 targets can be reached"), qPrintable(note()));
    QTest::mouseMove(&view(), pixelOf(grab - 0.5 * Vec3::UnitX()));
    QVERIFY2(note().contains("all 2 targets can be reached, but at Tile pick") && note().contains("Post would touch"),
             qPrintable(note()));
    QTest::keyClick(&view(), Qt::Key_Escape);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, pixelOf(grab));
}

void MendWindowTest::pairsAndPaddingAreSet()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    session().select(session().station().id);
    QTRY_VERIFY(m_window->findChild<QWidget*>("armPadding"));
    type("armPadding", "12");
    QVERIFY(std::abs(session().station().padding - 0.012) < 1e-12);
    action("Contact pairs")->trigger();
    click("contactFind");
    QTRY_VERIFY_WITH_TIMEOUT(!session().cell().contact.pairs.empty(), 30000);
    auto* table = child<QTableWidget>("contactTable");
    QTRY_VERIFY(table->isVisible() && table->rowCount() > 3);
    int row = -1, column = -1;
    for (int r = 0; r < table->rowCount() && row < 0; ++r)
        for (int c = r + 1; c < table->columnCount() && row < 0; ++c)
            if (table->item(r, c)) row = r, column = c;
    QVERIFY(row >= 0);
    table->setCurrentCell(row, column);
    auto* caution = child<QDoubleSpinBox>("contactCaution");
    QVERIFY(caution->isEnabled());
    caution->setFocus();
    caution->selectAll();
    QTest::keyClicks(caution, "25,5");
    QTest::keyClick(caution, Qt::Key_Return);
    const auto& pairs = session().cell().contact.pairs;
    QTRY_VERIFY(std::any_of(pairs.begin(), pairs.end(),
                            [](const ContactPair& p) { return p.caution && std::abs(*p.caution - 0.0255) < 1e-12; }));
}

TOPIKOS_TEST(MendWindowTest)
#include "mend_window_test.moc"
