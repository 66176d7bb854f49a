#include "app/strip/reach_panel.h"
#include "core/cell/edit_layout.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QPushButton>

using namespace topikos;
using namespace topikos::test;

/// The reach map in the real window.
class ReachWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void planeIsMadeAndPointedAt();
    void doubleClickMakesATarget();
    void mapFollowsEditsUntilGivenUp();
    void bodiesOfAFrame();
    void refusalNamesTheLimit();

private:
    ReachPanel* panel() { return m_window->findChild<ReachPanel*>(); }
    QString words() { return child<QLabel>("reachWords")->text(); }
    void openFace()
    {
        m_window->openExample("tile-glazing-line");
        fresh();
        action("Reach map")->trigger();
        QTRY_VERIFY(panel()->isVisible());
    }
    void make()
    {
        click("reachMake");
        await();
    }
    void await() { QTRY_VERIFY_WITH_TIMEOUT(!panel()->working() && panel()->map() && panel()->map()->complete, 20000); }
};

void ReachWindowTest::planeIsMadeAndPointedAt()
{
    openFace();
    make();
    const ReachMap& map = *panel()->map();
    QVERIFY(map.reached() > 100 && map.reached() < map.spots.size());
    QVERIFY2(words().contains(QString("%1 of %2 spots reached").arg(map.reached()).arg(map.spots.size())),
             qPrintable(words()));
    QVERIFY(session().overlay());
    QCOMPARE(session().overlay()->points.size(), map.spots.size());
    auto* picture = child<SpotMap>("reachPicture");
    // One that is reached, and one that is not.
    for (const bool reached : {true, false}) {
        // The nearest one to the middle of the picture.
        int at = -1;
        for (int i = 0; i < int(map.spots.size()); ++i) {
            const auto off = [&](int spot) {
                return std::hypot(spot % map.counts[0] - map.counts[0] / 2, spot / map.counts[0] - map.counts[1] / 2);
            };
            if (map.spots[size_t(i)].reached() == reached && (at < 0 || off(i) < off(at))) at = i;
        }
        QTest::mouseMove(picture, picture->pixelOf(at % map.counts[0], at / map.counts[0]).toPoint());
        QTRY_VERIFY2(words().contains(reached ? ", margin " : ": "), qPrintable(words()));
        QTRY_COMPARE(session().ghost().has_value(), reached);
    }
    // The pointer gone from the view, the ghost goes too.
    Q_EMIT session().overlayPointed(
        int(std::find_if(map.spots.begin(), map.spots.end(), [](const ReachSpot& s) { return s.reached(); })
            - map.spots.begin()));
    QVERIFY(session().ghost());
    Q_EMIT session().overlayPointed(-1);
    QVERIFY(!session().ghost());
    // Another colour tells another scale; the face left, nothing lies over the cell any more.
    child<QComboBox>("reachColour")->setCurrentIndex(1);
    QVERIFY(child<QLabel>("reachLegend")->text().contains("ways"));
    child<QComboBox>("reachColour")->setCurrentIndex(2);
    QVERIFY2(child<QLabel>("reachLegend")->text().contains("times"), qPrintable(child<QLabel>("reachLegend")->text()));
    action("Show findings")->trigger();
    QVERIFY(!session().overlay() && !session().ghost());
}

void ReachWindowTest::doubleClickMakesATarget()
{
    openFace();
    make();
    const ReachMap& map = *panel()->map();
    auto* picture = child<SpotMap>("reachPicture");
    const auto best = std::max_element(map.spots.begin(), map.spots.end(),
                                       [](const ReachSpot& a, const ReachSpot& b) { return a.margin < b.margin; });
    const ReachSpot spot = *best;
    const int at = int(best - map.spots.begin());
    const size_t before = session().cell().targets.size();
    QTest::mouseDClick(picture, Qt::LeftButton, {}, picture->pixelOf(at % map.counts[0], at / map.counts[0]).toPoint());
    QCOMPARE(session().cell().targets.size(), before + 1);
    const Target& made = session().cell().targets.back();
    QCOMPARE(session().selected<TargetId>(), made.id);
    const PoseDeviation off = deviation(worldFromFrame(session().cell(), made.frame) * made.pose, spot.frameFromTcp);
    QVERIFY(off.metres < 1e-9 && off.radians < 1e-9);
    QVERIFY(session().goToTarget(made.id));
    action("Undo")->trigger();
    QCOMPARE(session().cell().targets.size(), before);
}

void ReachWindowTest::mapFollowsEditsUntilGivenUp()
{
    openFace();
    make();
    const size_t reached = panel()->map()->reached();
    // The base goes up by half a metre: less is reached down there.
    const FrameId base = session().station().mount;
    QVERIFY(session().edit("Raise", [&](const Cell& c) {
        return setFramePose(c, base, translated({0, 0, 0.5}) * findFrame(c, base)->pose);
    }));
    QTRY_VERIFY_WITH_TIMEOUT(!panel()->working() && panel()->map()->complete && panel()->map()->reached() != reached,
                             20000);
    // Free turns reach more.
    const size_t fixed = panel()->map()->reached();
    child<QCheckBox>("reachFree")->setChecked(true);
    QVERIFY(panel()->working());
    await();
    QVERIFY(panel()->map()->reached() >= fixed);
    // Given up on the way: nothing breaks, nothing goes on.
    child<QDoubleSpinBox>("reachSpacing")->setValue(6);
    QVERIFY(panel()->working());
    click("reachMake");
    QVERIFY(!panel()->working());
    QVERIFY2(words().contains("Given up"), qPrintable(words()));
    // Nothing of other choices stays to be taken for these.
    QVERIFY(!panel()->map() || panel()->map()->spots.size() > 100000);
    QCOMPARE(bool(session().overlay()), bool(panel()->map()));
    QVERIFY(!child<QPushButton>("reachSave")->isEnabled());
    // It has ended: choices make no map of themselves any more.
    // A comma, and a unit of one's own, between the words that stand before and behind the number.
    auto* spacing = child<QDoubleSpinBox>("reachSpacing");
    QCOMPARE(spacing->prefix(), QString("every "));
    spacing->setFocus();
    spacing->selectAll();
    QTest::keyClicks(spacing, "7,5");
    QTest::keyClick(spacing, Qt::Key_Escape);
    QCOMPARE(spacing->text(), QString("every 6 mm"));
    QTest::keyClicks(spacing, "0,06 m");
    QTest::keyClick(spacing, Qt::Key_Tab);
    QCOMPARE(spacing->value(), 60.0);
    QVERIFY(!panel()->working());
    make();
    QVERIFY(panel()->map()->complete);
}

void ReachWindowTest::bodiesOfAFrame()
{
    openFace();
    child<QComboBox>("reachOver")->setCurrentIndex(2);
    child<QComboBox>("reachFrame")->setCurrentText("Drying rack");
    make();
    const ReachMap& map = *panel()->map();
    QVERIFY(map.counts[0] == 0 && map.spots.size() > 200);
    QVERIFY(map.reached() > 20);
    QCOMPARE(session().overlay()->frame, frameNamed("Drying rack"));
    // Back to a plane: the map goes along.
    child<QComboBox>("reachOver")->setCurrentIndex(0);
    await();
    QVERIFY(panel()->map()->counts[0] > 0);
}

void ReachWindowTest::refusalNamesTheLimit()
{
    openFace();
    child<QDoubleSpinBox>("reachSpacing")->setValue(1);
    click("reachMake");
    QVERIFY(!panel()->working());
    QVERIFY2(words().contains("the most are 250000"), qPrintable(words()));
}

TOPIKOS_TEST(ReachWindowTest)
#include "reach_window_test.moc"
