#include "app/draw/surface_draw.h"
#include "app/fields/number_field.h"
#include "app/session/text.h"
#include "app/strip/cycle_strip.h"
#include "app/targets/target_commands.h"
#include "core/cell/edit_targets.h"
#include "core/cell/step_tree.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QComboBox>
#include <QHelpEvent>
#include <QToolTip>
#include <QPushButton>
#include <QScrollArea>
#include <QAbstractItemView>

using namespace topikos;
using namespace topikos::test;

/// Approaches of targets on their page, in steps and in strokes; freedom in the cards of ways; what a re-take changes.
class ApproachWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void theTargetSaysHowItIsComeTo();
    void thePageSaysWhatIsNotReached();
    void stepsChooseAPointOfIt();
    void strokesGiveTheTargetItsWays();
    void patternsHaveTheSame();
    void aPatternOfPartsIsGrippedPartByPart();
    void cardsShowWhatTheFreedomAllows();
    void theDifferenceIsToldBeforeTheRetake();
    void followedGroupsDoNotStopAtEachPoint();
    void followedGroupsAreOneBlockOfTheStrip();

private:
    const Target& target(const char* name) { return *findTarget(session().cell(), targetNamed(name)); }
};

void ApproachWindowTest::theTargetSaysHowItIsComeTo()
{
    fresh();
    session().select(targetNamed("Tile pick"));
    QTRY_VERIFY(m_window->findChild<QWidget*>("approachFar"));
    type("approachFar", "80");
    QVERIFY(std::abs(target("Tile pick").approach.far - 0.08) < 1e-12);
    type("approachNear", "12");
    QVERIFY(std::abs(target("Tile pick").approach.near - 0.012) < 1e-12);
    choose("approachAlong", "+Z of the world");
    QCOMPARE(target("Tile pick").approach.along, Approach::Along::World);
    QVERIFY(!target("Tile pick").approach.negative);
    QCOMPARE(target("Tile pick").approach.axis, 2);
    // The near point gives way to the far one, and the other way keeps its own.
    type("approachFar", "5");
    QVERIFY(std::abs(target("Tile pick").approach.near - 0.005) < 1e-12);
    QVERIFY(target("Tile pick").retract == Approach());
    type("retractFar", "120 mm");
    QVERIFY(std::abs(target("Tile pick").retract.far - 0.12) < 1e-12);
    // What is refused leaves the page as the cell is.
    type("approachNear", "50");
    QVERIFY2(note().contains("farther off than its far one"), qPrintable(note()));
    QVERIFY(std::abs(target("Tile pick").approach.near - 0.005) < 1e-12);
    for (int i = 0; i < 5; ++i)
        action("Undo")->trigger();
    QVERIFY(target("Tile pick").approach == Approach() && target("Tile pick").retract == Approach());
}

void ApproachWindowTest::thePageSaysWhatIsNotReached()
{
    fresh();
    session().select(targetNamed("Tile pick"));
    const auto says = [&](const QString& words) {
        for (const QLabel* label : m_window->findChildren<QLabel*>())
            if (label->text().contains(words)) return true;
        return false;
    };
    QTRY_VERIFY(says("each point of both is reached"));
    choose("approachAlong", "+X of the world");
    type("approachFar", "1000");
    QTRY_VERIFY(says("approach: ") || says("not in this configuration"));
}

void ApproachWindowTest::stepsChooseAPointOfIt()
{
    fresh();
    typeSteps({"line to Tile pick at 100 mm/s"});
    const StepId id = session().selected<StepId>();
    QVERIFY(id);
    QTRY_VERIFY(m_window->findChild<QComboBox*>("stepStage"));
    const auto step = [&]() -> const Step& { return *findStep(session().routine().steps, id); };
    QVERIFY(m_window->findChild<QWidget*>("stepStandoff"));
    choose("stepStage", "its near approach");
    QCOMPARE(endOf(step())->stage, Stage::NearApproach);
    // A distance of its own has no place then.
    QTRY_VERIFY(!m_window->findChild<QWidget*>("stepStandoff")
                || !m_window->findChild<QWidget*>("stepStandoff")->isVisible());
    choose("stepStage", 0);
    QCOMPARE(endOf(step())->stage, Stage::Over);
    type("stepStandoff", "30");
    QVERIFY(std::abs(endOf(step())->over - 0.03) < 1e-12);
    // And back: the distance goes.
    choose("stepStage", "its retract");
    QCOMPARE(endOf(step())->over, 0.0);
    // The row of the route says it, with the distance.
    const auto* route = child<QAbstractItemView>("routeList");
    QString row;
    for (int i = 0; i < route->model()->rowCount(); ++i)
        row += route->model()->index(i, 0).data(Qt::DisplayRole).toString() + "\n";
    QVERIFY2(row.contains("retract of Tile pick"), qPrintable(row));
}

void ApproachWindowTest::strokesGiveTheTargetItsWays()
{
    fresh();
    session().select(session().cell().parts.front().id);
    QTRY_VERIFY(child<QPushButton>("strokeGrip")->isEnabled());
    const size_t steps = session().routine().steps.size();
    click("strokeGrip");
    QVERIFY2(session().routine().steps.size() == steps + 4, qPrintable(note()));
    const Steps& all = session().routine().steps;
    const AtPlace* first = endOf(all[steps]);
    QCOMPARE(first->stage, Stage::Approach);
    QCOMPARE(endOf(all[steps + 3])->stage, Stage::Retract);
    const TargetId made = std::get<TargetId>(first->place);
    const double over = findTarget(session().cell(), made)->approach.far;
    QVERIFY(over > 0);
    // Longer at the target, and the steps go there: nothing is changed at them.
    session().select(made);
    type("approachFar", "150");
    fresh();
    const StepId id = session().routine().steps[steps].id;
    for (const StepOutcome& outcome : session().armTrace()->outcomes)
        if (outcome.step == id) {
            const Target& target = *findTarget(session().cell(), made);
            const Vec3 there = worldFromTcp(session().cell(), session().station(), outcome.arrival).translation;
            const Vec3 at = (session().shownPlace(target.frame) * target.pose).translation;
            QVERIFY(std::abs((there - at).norm() - 0.15) < 1e-6);
            return;
        }
    QFAIL("the step was not run");
}

void ApproachWindowTest::patternsHaveTheSame()
{
    m_window->openExample("rack-of-24");
    fresh();
    PatternId rack;
    for (const Pattern& p : session().cell().patterns)
        if (p.content == Pattern::Content::Targets) rack = p.id;
    session().select(rack);
    QTRY_VERIFY(m_window->findChild<QWidget*>("approachFar"));
    type("approachFar", "65");
    size_t places = 0;
    for (const Target& t : session().cell().targets)
        if (t.pattern == rack) {
            ++places;
            QVERIFY(std::abs(t.approach.far - 0.065) < 1e-12);
        }
    QCOMPARE(places, size_t(24));
}

void ApproachWindowTest::aPatternOfPartsIsGrippedPartByPart()
{
    fresh();
    PatternId tiles;
    QVERIFY(session().edit("Pattern", [&](const Cell& c) {
        Pattern p;
        p.name = "Wet tiles";
        p.frame = frameNamed("Drying rack");
        p.kind = c.parts.front().kind;
        p.first = translated({0.1, 0.1, 0.006});
        p.columns = 2, p.rows = 2;
        p.pitch = {0.16, 0.17, 0};
        return addPattern(c, p, &tiles);
    }));
    session().select(tiles);
    QTRY_VERIFY(child<QPushButton>("strokeGrip")->isEnabled());
    const size_t steps = session().routine().steps.size();
    const Cell before = session().cell();
    click("strokeGrip");
    QVERIFY2(session().routine().steps.size() == steps + 1, qPrintable(note()));
    QVERIFY2(note().contains("all 4 parts"), qPrintable(note()));
    const Step& block = session().routine().steps[steps];
    QVERIFY(block.as<ForEach>());
    QCOMPARE(block.body.size(), size_t(4));
    const PatternId picks = block.as<ForEach>()->pattern;
    QCOMPARE(findPattern(session().cell(), picks)->follows, tiles);
    // Its page says so, and offers no places of its own.
    session().select(picks);
    QTRY_VERIFY(m_window->findChild<QPushButton*>("followNone"));
    QVERIFY(!m_window->findChild<QWidget*>("patternColumns")
            || !m_window->findChild<QWidget*>("patternColumns")->isVisible());
    QVERIFY(m_window->findChild<QWidget*>("inPlace0"));
    type("inPlace2", "15");
    QVERIFY2(std::abs(findPattern(session().cell(), picks)->inPlace.translation[2] - 0.015) < 1e-12,
             qPrintable(note()));
    // More parts, and their targets come along.
    session().select(tiles);
    type("patternRows", "3");
    size_t targets = 0;
    for (const Target& target : session().cell().targets)
        targets += target.pattern == picks;
    QCOMPARE(targets, size_t(6));
    for (int i = 0; i < 3; ++i)
        action("Undo")->trigger();
    QVERIFY(session().cell() == before);
}

void ApproachWindowTest::cardsShowWhatTheFreedomAllows()
{
    fresh();
    const TargetId id = targetNamed("Rack place");
    session().select(id);
    const auto cards = [&] {
        int shown = 0;
        for (int i = 0; i < 16; ++i)
            shown += child<QPushButton>(QString("way%1").arg(i))->isVisibleTo(m_window.get());
        return shown;
    };
    const int plain = cards();
    const int width = child<QScrollArea>("instruments")->widget()->minimumSizeHint().width();
    QVERIFY(plain > 0);
    QVERIFY(session().edit("Free", [&](const Cell& c) {
        return setFreedom(c, {id}, {Freedom::Kind::Slide, 0, 0.05, 0});
    }));
    QTRY_VERIFY(cards() > plain);
    auto* card = child<QPushButton>(QString("way%1").arg(plain));
    QVERIFY2(card->text().contains(" mm X"), qPrintable(card->text()));
    // However long the words, the panel keeps its width.
    QCOMPARE(child<QScrollArea>("instruments")->widget()->minimumSizeHint().width(), width);
    QVERIFY2(card->toolTip().contains("Within its freedom"), qPrintable(card->toolTip()));
    const Pose before = findTarget(session().cell(), id)->pose;
    card->click();
    const Pose after = findTarget(session().cell(), id)->pose;
    const Pose off = inverse(before) * after;
    QVERIFY(off.rotation.angularDistance(Quat::Identity()) < 1e-9);
    QVERIFY(std::abs(off.translation[0]) > 1e-3 && std::abs(off.translation[0]) <= 0.05 + 1e-9);
    QVERIFY(off.translation.tail<2>().norm() < 1e-12);
    // Now it stands there: its own way is that one.
    const Solutions ways = waysTo(session().cell(), *findTarget(session().cell(), id));
    QVERIFY(chosenWay(session().arm(), *findTarget(session().cell(), id), ways.items));
    action("Undo")->trigger();
    QVERIFY(findTarget(session().cell(), id)->pose == before);
    // Where a group says the places there is nothing to choose.
    m_window->openExample("glaze-edge-wiping-bench");
    fresh();
    session().select(targetNamed("Glaze edge 12"));
    QCOMPARE(target("Glaze edge 12").freedom.kind, Freedom::Kind::Turn);
    QVERIFY(cards() > 0);
    for (int i = 0; i < 16; ++i)
        QVERIFY(!child<QPushButton>(QString("way%1").arg(i))->isVisibleTo(m_window.get())
                || !child<QPushButton>(QString("way%1").arg(i))->text().contains("\n"));
}

void ApproachWindowTest::theDifferenceIsToldBeforeTheRetake()
{
    fresh();
    action("Targets face")->trigger();
    const TargetId id = targetNamed("Tile pick");
    session().select(id);
    QVERIFY(session().goToTarget(id));
    auto* label = child<QLabel>("retakeDifference");
    QTRY_COMPARE(label->text(), QString("The tool is there"));
    const int height = label->height();
    QVERIFY2(session().moveTyped("z +12.5"), qPrintable(note()));
    QTRY_VERIFY2(label->text().startsWith("Tool off by 12.50 mm, 0.00°"), qPrintable(label->text()));
    QCOMPARE(label->height(), height);
    const QString before = label->toolTip();
    const Pose was = findTarget(session().cell(), id)->pose;
    action("Re-take selected target")->trigger();
    QVERIFY2(note().contains("12.50 mm"), qPrintable(note()));
    QVERIFY(std::abs(deviation(was, findTarget(session().cell(), id)->pose).metres - 0.0125) < 1e-6);
    QTRY_VERIFY(label->toolTip() != before);
    // Without a target there is nothing to say, and nothing moves.
    session().select({});
    QTRY_VERIFY(label->text().isEmpty());
    QCOMPARE(label->height(), height);
    // Of a posture it is the joint that is farthest off.
    session().select(session().station().home);
    QTRY_VERIFY2(label->toolTip().contains("joint"), qPrintable(label->toolTip()));
}

void ApproachWindowTest::followedGroupsDoNotStopAtEachPoint()
{
    m_window->openExample("glaze-edge-wiping-bench");
    fresh();
    PatternId seam;
    for (const Pattern& p : session().cell().patterns)
        if (p.drawing.seam && p.layout == Pattern::Layout::Drawn) seam = p.id;
    session().takeInHand(findPattern(session().cell(), seam)->arm);
    addFollow(session(), seam);
    const Step& step = session().routine().steps[session().routine().steps.size() - 1];
    QVERIFY(step.as<Follow>());
    const double blend = step.as<Follow>()->pace.blend;
    QVERIFY2(blend > 0 && blend <= 0.005, qPrintable(QString::number(blend)));
    // Both corners of the shortest way have room.
    double least = INFINITY;
    const std::vector<PatternPlace> places = placesOf(*findPattern(session().cell(), seam));
    for (size_t i = 1; i < places.size(); ++i)
        least = std::min(least, (places[i].pose.translation - places[i - 1].pose.translation).norm());
    QVERIFY(2 * blend < least);
}

void ApproachWindowTest::followedGroupsAreOneBlockOfTheStrip()
{
    m_window->openExample("glaze-edge-wiping-bench");
    fresh();
    const ArmTrace* trace = nullptr;
    StepId follow;
    for (const ArmTrace& arm : session().trace()->arms)
        for (const StepOutcome& outcome : arm.outcomes)
            if (findStep(findRoutine(session().cell(), outcome.routine)->steps, outcome.step)->as<Follow>())
                trace = &arm, follow = outcome.step;
    QVERIFY(trace);
    double from = INFINITY, to = 0;
    size_t moves = 0;
    for (const ArmTrace::Span& span : trace->spans)
        if (trace->outcomes[span.outcome].step == follow) {
            from = std::min(from, span.start), to = std::max(to, span.end);
            ++moves;
        }
    QVERIFY(moves > 60);
    // Wherever the pointer is over it, it tells of the whole of it.
    auto* strip = child<CycleStrip>("cycleStrip");
    for (const double share : {0.1, 0.5, 0.9}) {
        const QPoint at(int(strip->xOf(from + share * (to - from))), 36);
        QHelpEvent help(QEvent::ToolTip, at, strip->mapToGlobal(at));
        QApplication::sendEvent(strip, &help);
        const QString tip = QToolTip::text();
        QVERIFY2(tip.contains(QString("%1 s to %2 s").arg(from, 0, 'f', 3).arg(to, 0, 'f', 3)), qPrintable(tip));
    }
    QToolTip::hideText();
}

TOPIKOS_TEST(ApproachWindowTest)
#include "approach_window_test.moc"
