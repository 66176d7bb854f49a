#include "app/draw/surface_draw.h"
#include "app/targets/target_commands.h"
#include "app/window/home_lamp.h"
#include "core/cell/drawing.h"
#include "core/cell/edit_targets.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QComboBox>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>

using namespace topikos;
using namespace topikos::test;

/// Process targets drawn on bodies in the view, and what their pages offer; relations and freedom of targets; home.
class DrawWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void tenTargetsOnTheSinkInAFewActions();
    void edgesAndSpotsAreDrawn();
    void whatIsDrawnCanBeGivenUp();
    void linesAreDraggedOverABody();
    void pointsAreDraggedOnTheSurface();
    void pageChangesTheGroup();
    void deleteTakesAPointOut();
    void groupIsFollowedByAButton();
    void groupsOnAKindAreOnEveryPart();
    void targetsAreTiedAndFreedOnTheirPage();
    void targetsAreShiftedMirroredAndCopied();
    void selectedTargetIsDraggedWithItsVerdict();
    void retakingSaysTheDifference();
    void lampTellsWhoIsNotAtHome();
    void homeIsBroughtOnlyWhereNothingIsTouched();
    void placesOfAPatternTellHowTheyFare();
    void theBenchRunsWithoutAFinding();

private:
    void bench()
    {
        m_window->openExample("glaze-edge-wiping-bench");
        fresh();
    }
    Pose sink()
    {
        return session().shownPlace(session().cell().parts.front().frame) * session().cell().parts.front().pose;
    }
    void clickAt(const Vec3& place) { QTest::mouseClick(&view(), Qt::LeftButton, {}, pixelOf(place)); }
    std::vector<const Target*> placesOf(PatternId id)
    {
        std::vector<const Target*> out;
        for (const Target& target : session().cell().targets)
            if (target.pattern == id) out.push_back(&target);
        return out;
    }
    PatternId groupNamed(const char* name)
    {
        for (const Pattern& p : session().cell().patterns)
            if (p.name == name) return p.id;
        return {};
    }
    /// A place on the flat of the sink's rim, on the side towards the eye.
    Vec3 rim(double x) { return sink() * Vec3(x, m_side * (0.20 - 0.0235), 0); }
    double m_side = -1;
};

void DrawWindowTest::tenTargetsOnTheSinkInAFewActions()
{
    bench();
    const size_t before = session().cell().targets.size();
    int actions = 0;
    const auto counted = [&](auto act) {
        act();
        ++actions;
    };
    counted([&] { action("Draw on a surface")->trigger(); });
    QVERIFY(view().draw().active());
    QVERIFY(child<QWidget>("drawBar")->isVisible());
    counted([&] { clickAt(rim(-0.1)); });
    QCOMPARE(view().draw().pointCount(), size_t(1));
    counted([&] { clickAt(rim(0.1)); });
    QVERIFY2(note().contains("points on Sink 1"), qPrintable(note()));
    counted([&] { QTest::keyClick(&view(), Qt::Key_Return); });
    QVERIFY(!view().draw().active());
    QVERIFY2(session().cell().targets.size() >= before + 10,
             qPrintable(QString::number(session().cell().targets.size() - before)));
    QVERIFY2(actions <= 6, qPrintable(QString::number(actions)));
    // They stand on the rim, every 20 mm, the tool into it.
    const PatternId made = session().selected<PatternId>();
    const Pattern& group = *findPattern(session().cell(), made);
    QCOMPARE(group.drawing.part, session().cell().parts.front().id);
    const auto& points = group.drawing.points;
    for (size_t i = 0; i < points.size(); ++i) {
        QVERIFY(std::abs(points[i].at.z()) < 1e-6);
        QVERIFY((points[i].normal - Vec3::UnitZ()).norm() < 1e-6);
        if (i > 0 && i + 1 < points.size())
            QVERIFY(std::abs((points[i].at - points[i - 1].at).norm() / 0.02 - 1) < 0.01);
    }
    // One edit, undone by one.
    session().undo();
    QCOMPARE(session().cell().targets.size(), before);
}

void DrawWindowTest::edgesAndSpotsAreDrawn()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    // Round the upper face of a tile, which is a box.
    const Part& tile = session().cell().parts.front();
    const Pose at = session().shownPlace(tile.frame) * tile.pose;
    const Solid& box = partSolids(session().cell(), tile).front();
    const Vec3 top = at * box.pose * Vec3(0.3 * box.size[0], 0.1 * box.size[1], 0.5 * box.size[2]);
    action("Draw on a surface")->trigger();
    click("drawEdge");
    clickAt(top);
    QVERIFY2(view().draw().pointCount() > 3, qPrintable(note()));
    QVERIFY2(note().contains("closed"), qPrintable(note()));
    click("drawKeep");
    const Pattern& group = *findPattern(session().cell(), session().selected<PatternId>());
    QVERIFY(group.drawing.closed && group.drawing.seam);
    // Spots: one at each click.
    action("Draw on a surface")->trigger();
    click("drawPoints");
    child<QComboBox>("drawKind")->setCurrentIndex(1);
    Q_EMIT child<QComboBox>("drawKind")->activated(1);
    clickAt(top);
    clickAt(at * box.pose * Vec3(-0.3 * box.size[0], 0.1 * box.size[1], 0.5 * box.size[2]));
    QCOMPARE(view().draw().pointCount(), size_t(2));
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_Backspace);
    QCOMPARE(view().draw().pointCount(), size_t(1));
    QTest::keyClick(&view(), Qt::Key_Return);
    const Pattern& spots = *findPattern(session().cell(), session().selected<PatternId>());
    QVERIFY(!spots.drawing.seam);
    QCOMPARE(spots.drawing.points.size(), size_t(1));
}

void DrawWindowTest::whatIsDrawnCanBeGivenUp()
{
    bench();
    const Cell before = session().cell();
    action("Draw on a surface")->trigger();
    // Nothing drawn: Enter says so and goes on.
    QTest::keyClick(&view(), Qt::Key_Return);
    QVERIFY2(note().contains("Nothing is drawn yet"), qPrintable(note()));
    QVERIFY(view().draw().active());
    clickAt(rim(-0.1));
    // Beside the body that was begun on.
    clickAt(session().shownPlace(frameNamed("Plinth")) * Vec3(-0.29, m_side * 0.29, 0));
    QVERIFY2(note().contains("The group is on Sink 1"), qPrintable(note()));
    QCOMPARE(view().draw().pointCount(), size_t(1));
    QTest::keyClick(&view(), Qt::Key_Escape);
    QVERIFY(!view().draw().active());
    QVERIFY(!child<QWidget>("drawBar")->isVisible());
    QVERIFY(session().cell() == before);
    QVERIFY(&session().shownCell() == &session().cell());
    // An open place with no body at all.
    action("Draw on a surface")->trigger();
    QTest::mouseClick(&view(), Qt::LeftButton, {}, QPoint(view().width() - 6, view().height() / 2));
    QVERIFY2(note().contains("no body to draw on"), qPrintable(note()));
    QTest::keyClick(&view(), Qt::Key_Escape);
}

void DrawWindowTest::linesAreDraggedOverABody()
{
    bench();
    action("Draw on a surface")->trigger();
    QTest::mousePress(&view(), Qt::LeftButton, {}, pixelOf(rim(-0.12)));
    for (int i = 1; i <= 12; ++i)
        QTest::mouseMove(&view(), pixelOf(rim(-0.12 + 0.02 * i)));
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, pixelOf(rim(0.12)));
    QVERIFY2(view().draw().pointCount() >= 10, qPrintable(note()));
    // The drag as a whole is taken back at once, the press before it stays.
    QTest::keyClick(&view(), Qt::Key_Backspace);
    QVERIFY(view().draw().pointCount() <= 1);
    QTest::keyClick(&view(), Qt::Key_Escape);
}

void DrawWindowTest::pointsAreDraggedOnTheSurface()
{
    bench();
    action("Draw on a surface")->trigger();
    clickAt(rim(-0.1));
    clickAt(rim(0.1));
    QTest::keyClick(&view(), Qt::Key_Return);
    fresh();
    const PatternId made = session().selected<PatternId>();
    const Drawing before = findPattern(session().cell(), made)->drawing;
    const QPoint from = view().pointPixel(4).toPoint();
    const QPoint to = pixelOf(sink() * (before.points[4].at + Vec3(0.006, 0, 0)));
    QTest::mousePress(&view(), Qt::LeftButton, {}, from);
    QTest::mouseMove(&view(), (from + to) / 2);
    QTest::mouseMove(&view(), to);
    QVERIFY2(note().contains("Point 5 on Sink 1"), qPrintable(note()));
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, to);
    const Drawing after = findPattern(session().cell(), made)->drawing;
    QVERIFY(std::abs(after.points[4].at.x() - before.points[4].at.x() - 0.006) < 0.003);
    QVERIFY(std::abs(after.points[4].at.z()) < 1e-6);
    for (size_t i = 0; i < before.points.size(); ++i)
        if (i != 4) QVERIFY(after.points[i] == before.points[i]);
    session().undo();
    QVERIFY(findPattern(session().cell(), made)->drawing == before);
    // A click alone selects the target of the point.
    QTest::mouseClick(&view(), Qt::LeftButton, {}, view().pointPixel(2).toPoint());
    QCOMPARE(findTarget(session().cell(), session().selected<TargetId>())->place, before.points[2].number);
}

void DrawWindowTest::pageChangesTheGroup()
{
    bench();
    const PatternId id = groupNamed("Glaze edge");
    session().select(id);
    QTRY_VERIFY(m_window->findChild<QWidget*>("drawnLead"));
    const Pose before = placesOf(id)[5]->pose;
    type("drawnLead", "10");
    QCOMPARE(findPattern(session().cell(), id)->drawing.lead, 10 * kDegree);
    QVERIFY(std::abs(deviation(placesOf(id)[5]->pose, before).radians - 10 * kDegree) < 1e-6);
    QVERIFY(deviation(placesOf(id)[5]->pose, before).metres < 1e-9);
    type("drawnOffset", "3");
    QVERIFY(std::abs(deviation(placesOf(id)[5]->pose, before).metres - 0.003) < 1e-9);
    const size_t many = placesOf(id).size();
    type("drawnSpacing", "40");
    QCOMPARE(placesOf(id).size(), many);
    click("groupSpace");
    QVERIFY(placesOf(id).size() < many && placesOf(id).size() > many / 3);
    click("groupReverse");
    click("groupMirrorX");
    // Each of them is one edit.
    QStringList undone;
    while (session().history().canUndo()) {
        undone << QString::fromStdString(session().history().undoLabel());
        session().undo();
    }
    QVERIFY2(undone.size() == 5, qPrintable(undone.join(" | ")));
    QVERIFY(placesOf(id)[5]->pose == before);
}

void DrawWindowTest::deleteTakesAPointOut()
{
    bench();
    const PatternId id = groupNamed("Glaze edge");
    const size_t many = placesOf(id).size();
    session().select(placesOf(id)[7]->id);
    view().setFocus();
    QTest::keyClick(&view(), Qt::Key_Delete);
    QCOMPARE(placesOf(id).size(), many - 1);
    session().select(placesOf(id)[7]->id);
    QTRY_VERIFY(m_window->findChild<QPushButton*>("pointInsert"));
    click("pointInsert");
    QCOMPARE(placesOf(id).size(), many);
    click("pointOut");
    QCOMPARE(placesOf(id).size(), many - 1);
}

void DrawWindowTest::groupIsFollowedByAButton()
{
    bench();
    const size_t steps = session().routine().steps.size();
    session().select(groupNamed("Glaze edge"));
    QTRY_VERIFY(m_window->findChild<QPushButton*>("groupFollow"));
    click("groupFollow");
    QCOMPARE(session().routine().steps.size(), steps + 1);
    const Step& step = session().routine().steps.back();
    QVERIFY(step.as<Follow>());
    QCOMPARE(step.as<Follow>()->pattern, groupNamed("Glaze edge"));
    QCOMPARE(session().selected<StepId>(), step.id);
    QTRY_VERIFY(m_window->findChild<QWidget*>("stepStandoff"));
    type("stepSpeed", "80");
    QCOMPARE(session().routine().steps.back().as<Follow>()->speed, 0.08);
}

void DrawWindowTest::groupsOnAKindAreOnEveryPart()
{
    bench();
    const PartId first = session().cell().parts.front().id;
    session().select(first);
    action("Copy selected thing")->trigger();
    QCOMPARE(session().cell().parts.size(), size_t(2));
    const size_t groups = session().cell().patterns.size();
    session().select(groupNamed("Glaze edge"));
    QTRY_VERIFY(m_window->findChild<QCheckBox*>("groupEvery"));
    child<QCheckBox>("groupEvery")->click();
    QCOMPARE(session().cell().patterns.size(), groups + 1);
    child<QCheckBox>("groupEvery")->click();
    QCOMPARE(session().cell().patterns.size(), groups + 1);
    for (const Pattern& p : session().cell().patterns)
        QCOMPARE(p.drawing.family, 0u);
}

void DrawWindowTest::targetsAreTiedAndFreedOnTheirPage()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    TargetId id;
    for (const Target& target : session().cell().targets)
        if (target.kind == Target::Kind::Pose) id = target.id;
    session().select(id);
    QTRY_VERIFY(m_window->findChild<QComboBox*>("targetTie"));
    const Pose before =
        session().shownPlace(findTarget(session().cell(), id)->frame) * findTarget(session().cell(), id)->pose;
    choose("targetTie", "part Tile 1");
    QVERIFY(findTarget(session().cell(), id)->tie.has_value());
    const auto world = [&] {
        return session().shownPlace(findTarget(session().cell(), id)->frame) * findTarget(session().cell(), id)->pose;
    };
    QVERIFY(deviation(world(), before).metres < 1e-9);
    const PartId tile = findTarget(session().cell(), id)->tie->part;
    QVERIFY(session().edit("Move", [&](const Cell& c) {
        return setPartPose(c, tile, findPart(c, tile)->pose * translated({0.0125, 0, 0}));
    }));
    QVERIFY(std::abs((world().translation - before.translation).norm() - 0.0125) < 1e-9);
    choose("targetFreedom", "leans in a cone");
    QCOMPARE(findTarget(session().cell(), id)->freedom.kind, Freedom::Kind::Cone);
    QTRY_VERIFY(m_window->findChild<QWidget*>("targetAngle"));
    type("targetAngle", "25");
    QCOMPARE(findTarget(session().cell(), id)->freedom.angle, 25 * kDegree);
    choose("targetFreedom", "any turn about the tool");
    QTRY_VERIFY(m_window->findChild<QPushButton*>("freeBest"));
    click("freeBest");
    QVERIFY2(note().contains("margin"), qPrintable(note()));
    type("targetGroup", "Rack work");
    type("targetNote", "checked on Monday");
    QCOMPARE(findTarget(session().cell(), id)->group, std::string("Rack work"));
    QCOMPARE(findTarget(session().cell(), id)->note, std::string("checked on Monday"));
}

void DrawWindowTest::targetsAreShiftedMirroredAndCopied()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    std::vector<Selection> poses;
    std::vector<TargetId> ids;
    for (const Target& target : session().cell().targets)
        if (target.kind == Target::Kind::Pose && !target.pattern && ids.size() < 2)
            poses.push_back(target.id), ids.push_back(target.id);
    session().selectMany(poses);
    QTRY_VERIFY(m_window->findChild<QLineEdit*>("targetShift"));
    const Pose before = findTarget(session().cell(), ids[0])->pose;
    type("targetShift", "x 12.5 rz 3");
    const Pose after = findTarget(session().cell(), ids[0])->pose;
    QVERIFY(std::abs(deviation(after, before).radians - 3 * kDegree) < 1e-9);
    QVERIFY(child<QLineEdit>("targetShift")->text().isEmpty());
    session().undo();
    QVERIFY(findTarget(session().cell(), ids[0])->pose == before);
    action("Mirror selected targets across Y")->trigger();
    QVERIFY(std::abs(findTarget(session().cell(), ids[0])->pose.translation.y() + before.translation.y()) < 1e-12);
    session().undo();
    const size_t many = session().cell().targets.size();
    action("Copy selected targets to a frame")->trigger();
    auto* menu = child<QMenu>("copyToMenu");
    for (QAction* entry : menu->actions())
        if (entry->text() == "Drying rack") entry->trigger();
    menu->close();
    QCOMPARE(session().cell().targets.size(), many + ids.size());
    QCOMPARE(session().allSelected<TargetId>().size(), ids.size());
    for (const TargetId made : session().allSelected<TargetId>())
        QCOMPARE(findTarget(session().cell(), made)->frame, frameNamed("Drying rack"));
}

void DrawWindowTest::selectedTargetIsDraggedWithItsVerdict()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    TargetId id;
    for (const Step& step : session().routine().steps)
        if (const Target* t = findTarget(session().cell(), targetOf(step)); t && t->kind == Target::Kind::Pose)
            id = t->id;
    session().select(id);
    const Target before = *findTarget(session().cell(), id);
    const Pose world = session().shownPlace(before.frame) * before.pose;
    const QPoint from = pixelOf(world.translation), to = from + QPoint(30, -12);
    QTest::mousePress(&view(), Qt::LeftButton, {}, from);
    QTest::mouseMove(&view(), from + QPoint(10, -4));
    QTest::mouseMove(&view(), to, -1);
    QVERIFY2(note().contains("changes step"), qPrintable(note()));
    QVERIFY(findTarget(session().cell(), id)->pose == before.pose);
    QTest::mouseRelease(&view(), Qt::LeftButton, {}, to);
    QVERIFY(!(findTarget(session().cell(), id)->pose == before.pose));
    session().undo();
    QVERIFY(findTarget(session().cell(), id)->pose == before.pose);
}

void DrawWindowTest::retakingSaysTheDifference()
{
    m_window->openExample("tile-glazing-line");
    fresh();
    TargetId id;
    for (const Target& target : session().cell().targets)
        if (target.kind == Target::Kind::Pose) id = target.id;
    QVERIFY(session().goToTarget(id));
    QVERIFY(session().moveTyped("z +10"));
    session().select(id);
    action("Re-take selected target")->trigger();
    QVERIFY2(note().contains("10.00 mm") && note().contains("it was off by"), qPrintable(note()));
}

void DrawWindowTest::lampTellsWhoIsNotAtHome()
{
    bench();
    auto* lamp = child<HomeLamp>("homeLamp");
    QVERIFY(lamp->allHome());
    QVERIFY(session().jogJoint(0, 1));
    QVERIFY(!lamp->allHome());
    QVERIFY2(lamp->toolTip().contains("Wiping arm is not at home"), qPrintable(lamp->toolTip()));
    QVERIFY(armsAwayFromHome(session()) == QStringList{"Wiping arm"});
    QTest::mouseClick(lamp, Qt::LeftButton);
    QVERIFY(lamp->allHome());
    // In the run as by hand.
    session().scrub(5);
    QVERIFY(!lamp->allHome());
    session().leaveRun();
    QVERIFY(lamp->allHome());
}

void DrawWindowTest::homeIsBroughtOnlyWhereNothingIsTouched()
{
    bench();
    // Below the table's plate; the straight way home goes through it.
    const JointVector home = session().posture();
    JointVector low = home;
    low[1] += 60 * kDegree;
    low[2] -= 20 * kDegree;
    low[0] = -40 * kDegree;
    session().setStopsAtContact(false);
    session().setPosture(low);
    session().setStopsAtContact(true);
    const bool came = bringHome(session());
    if (came) QVERIFY(armsAwayFromHome(session()).isEmpty());
    else QVERIFY2(note().contains("would touch"), qPrintable(note()));
}

void DrawWindowTest::placesOfAPatternTellHowTheyFare()
{
    m_window->openExample("rack-of-24");
    fresh();
    PatternId id;
    for (const Pattern& p : session().cell().patterns)
        if (p.content == Pattern::Content::Targets) id = p.id;
    const PlacesVerdict good = placesVerdict(session(), id);
    QCOMPARE(good.blocked, size_t(0));
    // So far apart that the last ones are out of reach.
    QVERIFY(session().edit("Spread", [id](const Cell& c) {
        Pattern next = *findPattern(c, id);
        next.pitch *= 8;
        return changePattern(c, next);
    }));
    fresh();
    const PlacesVerdict bad = placesVerdict(session(), id);
    QVERIFY(bad.blocked > 0 && bad.blocked < bad.places);
    size_t blocked = 0;
    for (const TargetVerdict& verdict : session().checked()->result.targets)
        for (const Target* member : placesOf(id))
            if (member->id == verdict.target
                && std::any_of(verdict.findings.begin(), verdict.findings.end(),
                               [](const Finding& f) { return f.severity == Severity::Blocked; }))
                ++blocked;
    QVERIFY(bad.blocked >= blocked);
    QVERIFY2(bad.words.startsWith(QString("%1 of %2 fail").arg(bad.blocked).arg(bad.places)), qPrintable(bad.words));
}

void DrawWindowTest::theBenchRunsWithoutAFinding()
{
    bench();
    QCOMPARE(session().checked()->result.count(Severity::Blocked), 0);
    QCOMPARE(session().checked()->result.count(Severity::Caution), 0);
    QVERIFY(!session().trace()->blocked());
    QVERIFY(session().trace()->duration > 20);
}

TOPIKOS_TEST(DrawWindowTest)
#include "draw_window_test.moc"
