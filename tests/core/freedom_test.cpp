#include "core/cell/drawing.h"
#include "core/cell/edit_layout.h"
#include "core/cell/edit_targets.h"
#include "core/cell/pattern.h"
#include "core/check/check.h"
#include "core/cell/margin.h"
#include "core/check/free_ways.h"
#include "core/mend/remedy.h"
#include "core/program/step_text.h"
#include "core/plan/free_turns.h"
#include "core/spatial/rotation.h"
#include "tests/core/drawn_cell.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// How the way to a target is free: ways within it, what the check and remedies make of it, turns along groups; and
/// steps that follow a group.
class FreedomTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void freeWaysStayWithinTheFreedom_data();
    void freeWaysStayWithinTheFreedom();
    void eachConfigurationHasItsBestPose_data();
    void eachConfigurationHasItsBestPose();
    void theCheckSaysWhatTheFreedomAllows();
    void remediesUseTheFreedom();
    void freeTurnsAreTheBestChain();
    void freeTurnsLookBetweenThePoints();
    void followingGoesFromPlaceToPlace();
    void followingIsTheSameAsItsSteps();
    void followingByApproachAndRetract();
    void followingIsTypedAndPrinted();
    void unreachablePointsAreNamed();
};

void FreedomTest::freeWaysStayWithinTheFreedom_data()
{
    QTest::addColumn<int>("kind");
    QTest::addColumn<double>("angle");
    QTest::addColumn<double>("length");
    QTest::newRow("fixed") << int(Freedom::Kind::Fixed) << 0.0 << 0.0;
    QTest::newRow("any turn") << int(Freedom::Kind::Turn) << 0.0 << 0.0;
    QTest::newRow("cone") << int(Freedom::Kind::Cone) << 0.3 << 0.0;
    QTest::newRow("slide") << int(Freedom::Kind::Slide) << 0.0 << 0.05;
    QTest::newRow("part of a turn") << int(Freedom::Kind::Within) << 0.4 << 0.0;
}
void FreedomTest::freeWaysStayWithinTheFreedom()
{
    QFETCH(int, kind);
    QFETCH(double, angle);
    QFETCH(double, length);
    Cell cell = drawnOnBench().cell;
    Target target = *placesOf(cell, cell.patterns.back().id)[3];
    target.freedom = {Freedom::Kind(kind), angle, length, 0};
    const std::vector<FreeWay> ways = freeWays(cell, target, {});
    QVERIFY(!ways.empty());
    double before = INFINITY, taught = -1;
    for (const FreeWay& way : ways) {
        QVERIFY(way.margin <= before + 1e-9);
        before = way.margin;
        const Pose off = inverse(target.pose) * way.frameFromTcp;
        const double lean = std::acos(std::clamp((off.rotation * Vec3::UnitZ())[2], -1.0, 1.0));
        const double turn = axisAngleOf(off.rotation).angle;
        switch (Freedom::Kind(kind)) {
        case Freedom::Kind::Fixed: QVERIFY(turn < 1e-9 && off.translation.norm() < 1e-12); break;
        case Freedom::Kind::Turn: QVERIFY(lean < 1e-7 && off.translation.norm() < 1e-12); break;
        case Freedom::Kind::Cone: QVERIFY(lean <= angle + 1e-9 && off.translation.norm() < 1e-12); break;
        case Freedom::Kind::Within: QVERIFY(turn <= angle + 1e-9 && lean < 1e-7); break;
        case Freedom::Kind::Slide:
            QVERIFY(std::abs(off.translation[0]) <= length + 1e-12 && turn < 1e-9);
            QVERIFY(off.translation.tail<2>().norm() < 1e-12);
            break;
        }
        if (turn < 1e-9 && off.translation.norm() < 1e-12) taught = way.margin;
        // Each can be gone to with that margin.
        Target own = target;
        own.pose = way.frameFromTcp;
        const ArmStation& arm = armOf(cell, own);
        const Pose is = frameFromTcp(cell, arm, own.frame, way.way.joints);
        QVERIFY(deviation(is, own.pose).metres < 1e-6);
        QVERIFY(std::abs(marginOf(cell, *arm.model, way.way.joints) - way.margin) < 1e-12);
    }
    QVERIFY(ways.front().margin >= taught);
}

void FreedomTest::eachConfigurationHasItsBestPose_data() { freeWaysStayWithinTheFreedom_data(); }
void FreedomTest::eachConfigurationHasItsBestPose()
{
    QFETCH(int, kind);
    QFETCH(double, angle);
    QFETCH(double, length);
    const Cell cell = drawnOnBench().cell;
    Target target = *placesOf(cell, cell.patterns.back().id)[3];
    target.freedom = {Freedom::Kind(kind), angle, length, 0};
    const Arm& arm = *armOf(cell, target).model;
    const std::vector<FreeWay> each = freeWayOfEach(cell, target, {});
    QVERIFY(!each.empty());
    // Against every pose and every way: the largest margin of each configuration, and no configuration is missing.
    std::vector<std::pair<Configuration, double>> best;
    for (const FreeWay& pose : posesWithin(target.freedom, target.pose)) {
        Target own = target;
        own.pose = pose.frameFromTcp;
        for (const Solution& way : waysTo(cell, own).items) {
            const double margin = marginOf(cell, arm, way.joints);
            const auto known =
                std::find_if(best.begin(), best.end(), [&](const auto& b) { return b.first == way.configuration; });
            if (known == best.end()) best.emplace_back(way.configuration, margin);
            else known->second = std::max(known->second, margin);
        }
    }
    QCOMPARE(each.size(), best.size());
    for (const FreeWay& way : each) {
        const auto known =
            std::find_if(best.begin(), best.end(), [&](const auto& b) { return b.first == way.way.configuration; });
        QVERIFY(known != best.end());
        QVERIFY(std::abs(known->second - way.margin) < 1e-8);
    }
}

void FreedomTest::theCheckSaysWhatTheFreedomAllows()
{
    // Turned about the tool until its own configuration does not reach it.
    Cell cell = drawnOnBench().cell;
    TargetId id;
    cell = *copyTarget(cell, placesOf(cell, cell.patterns.back().id)[3]->id, &id);
    const ArmStation& arm = armOf(cell, *findTarget(cell, id));
    Target bad = *findTarget(cell, id);
    bool found = false;
    for (int i = 1; i < 72 && !found; ++i) {
        bad.pose.rotation =
            findTarget(cell, id)->pose.rotation * Quat(Eigen::AngleAxisd(i * 5 * kDegree, Vec3::UnitZ()));
        const Solutions ways = waysTo(cell, bad);
        found = !chosenWay(*arm.model, bad, ways.items);
    }
    if (!found) {
        // Every turn is reached: move it away along its own x axis instead.
        bad = *findTarget(cell, id);
        for (double by = 0.05; by < 1.5 && chosenWay(*arm.model, bad, waysTo(cell, bad).items); by += 0.05)
            bad.pose = findTarget(cell, id)->pose * translated({by, 0, 0});
    }
    const auto detail = [&](const Freedom& freedom) {
        Target own = bad;
        own.freedom = freedom;
        const TargetVerdict verdict = checkTarget(cell, own);
        if (verdict.findings.empty()) return QString("no finding");
        // The words name the target of the cell, which is the same one.
        return QString::fromStdString(findingText(cell, verdict.findings.front()).detail);
    };
    QVERIFY(!detail({}).contains("freedom"));
    const Freedom wide = found ? Freedom{Freedom::Kind::Turn, 0, 0, 0} : Freedom{Freedom::Kind::Slide, 0, 1, 0};
    Target own = bad;
    own.freedom = wide;
    const TargetVerdict verdict = checkTarget(cell, own);
    QVERIFY(!verdict.findings.empty() && verdict.findings.front().free);
    const std::string words = verdict.findings.front().free->words;
    QVERIFY2(!words.empty(), qPrintable(detail(wide)));
    QVERIFY2(detail(wide).contains("Its freedom allows a pose that works: " + QString::fromStdString(words)),
             qPrintable(detail(wide)));
    // It is the smallest departure that works.
    double least = INFINITY;
    std::string leastWords;
    for (const FreeWay& pose : posesWithin(wide, bad.pose)) {
        Target there = bad;
        there.pose = pose.frameFromTcp;
        const TargetVerdict own2 = checkTarget(cell, there);
        const bool works = std::none_of(own2.findings.begin(), own2.findings.end(),
                                        [](const Finding& f) { return f.severity == Severity::Blocked; });
        if (works && pose.departure < least - 1e-9) least = pose.departure, leastWords = pose.words;
    }
    QCOMPARE(words, leastWords);
    // A freedom that is too small says how many poses were tried.
    const QString little = detail({Freedom::Kind::Slide, 0, 0.0001, 0});
    QVERIFY2(little.contains("None of 40 other poses that its freedom allows works."), qPrintable(little));
    // And of a step that goes there the finding says it, too.
    cell = *setTargetPose(cell, id, bad.pose);
    cell = *setFreedom(cell, {id}, wide);
    cell = mainWith(cell, "    joint to \"" + findTarget(cell, id)->name + "\"\n");
    const CheckResult checked = check(cell);
    const auto blocked = std::find_if(checked.findings.begin(), checked.findings.end(), [&](const Finding& f) {
        return f.step && f.target == id && f.severity == Severity::Blocked;
    });
    QVERIFY(blocked != checked.findings.end());
    QVERIFY(QString::fromStdString(findingText(cell, *blocked).detail).contains("Its freedom allows a pose"));
}

void FreedomTest::remediesUseTheFreedom()
{
    // A target that was moved along its own X until no posture reaches it.
    Cell cell = drawnOnBench().cell;
    TargetId id;
    cell = *copyTarget(cell, placesOf(cell, cell.patterns.back().id)[3]->id, &id);
    Target moved = *findTarget(cell, id);
    double by = 0;
    while (!waysTo(cell, moved).items.empty() && by < 0.9) {
        by += 0.05;
        moved.pose = findTarget(cell, id)->pose * translated({by, 0, 0});
    }
    QVERIFY(waysTo(cell, moved).items.empty());
    cell = *setTargetPose(cell, id, moved.pose);
    cell = mainWith(cell, "    joint to \"" + findTarget(cell, id)->name + "\"\n");
    const auto offers = [&](const Cell& of) {
        const CheckResult checked = check(of);
        for (const Finding& f : checked.findings)
            if (f.severity == Severity::Blocked && f.target == id) return remediesFor(of, checked, f).offers;
        return std::vector<Remedy>{};
    };
    const auto has = [](const std::vector<Remedy>& all, const char* change) {
        return std::any_of(all.begin(), all.end(), [&](const Remedy& r) { return r.change == change; });
    };
    const std::vector<Remedy> fixed = offers(cell);
    QVERIFY(!fixed.empty());
    QVERIFY(!has(fixed, "free-slide"));
    const Cell slides = *setFreedom(cell, {id}, {Freedom::Kind::Slide, 0, by, 0});
    const std::vector<Remedy> free = offers(slides);
    QVERIFY(has(free, "free-slide"));
    // It comes before what is not free, and stays within what is.
    QCOMPARE(free.front().change, std::string("free-slide"));
    const Cell mended = *patched(slides, free.front().patch);
    const Pose off = inverse(moved.pose) * findTarget(mended, id)->pose;
    QVERIFY(std::abs(off.translation[0]) <= by + 1e-9 && off.translation.tail<2>().norm() < 1e-9);
    QCOMPARE(free.front().blocked, 0);
}

void FreedomTest::freeTurnsAreTheBestChain()
{
    const Drawn d = drawnOnBench();
    const FreeTurns found = freeTurns(d.cell, *findPattern(d.cell, d.seam));
    QVERIFY(!found.unreached.has_value());
    QCOMPARE(found.turns.size(), size_t(9));
    const Cell cell = *withFreeTurns(d.cell, d.seam);
    const Arm& arm = *cell.arms.front().model;
    double margin = 1, travel = 0;
    JointVector before;
    for (const Target* target : placesOf(cell, d.seam)) {
        const Solutions ways = waysTo(cell, *target);
        const Solution* way = chosenWay(arm, *target, ways.items);
        QVERIFY(way);
        margin = std::min(margin, marginOf(cell, arm, way->joints));
        if (before.size() > 0) {
            double most = 0;
            for (int i = 0; i < before.size(); ++i)
                most = std::max(most, std::abs(before[i] - way->joints[i]) / arm.joints()[size_t(i)].speed);
            travel += most;
        }
        before = way->joints;
        QCOMPARE(target->freedom.kind, Freedom::Kind::Turn);
    }
    QVERIFY(std::abs(margin - found.margin) < 1e-9);
    QVERIFY(std::abs(travel - found.travel) < 1e-9);
    // No worse than any one turn kept all along.
    for (int k = 0; k < 24; k += 3) {
        Pattern same = *findPattern(d.cell, d.seam);
        same.drawing.turns = Drawing::Turn::Free;
        for (SurfacePoint& p : same.drawing.points)
            p.turn = wrapped(k * 15 * kDegree);
        const Cell other = *changePattern(d.cell, same);
        double otherMargin = 1;
        bool all = true;
        for (const Target* target : placesOf(other, d.seam)) {
            const Solutions ways = waysTo(other, *target);
            const Solution* way = chosenWay(arm, *target, ways.items);
            all = all && way;
            if (way) otherMargin = std::min(otherMargin, marginOf(other, arm, way->joints));
        }
        if (all && margin < 1.0 / 3) QVERIFY(otherMargin < margin + 0.34);
    }
}

void FreedomTest::freeTurnsLookBetweenThePoints()
{
    // Two points as far from the arm as it must be to fold to them, and the line between them comes nearer to it.
    const Cell cell = programCell(2, 1);
    const ArmStation& arm = cell.arms.front();
    const Pose base = worldFromBase(cell, arm);
    const auto group = [&](double radius, double height, double angle) {
        Pattern out;
        out.name = "Across";
        out.content = Pattern::Content::Targets;
        out.layout = Pattern::Layout::Drawn;
        out.arm = arm.id;
        out.tool = arm.tool;
        for (const double side : {-1.0, 1.0}) {
            SurfacePoint point;
            point.number = std::uint32_t(out.drawing.points.size());
            point.at = base * Vec3(radius * std::cos(angle), side * radius * std::sin(angle), height);
            out.drawing.points.push_back(point);
        }
        out.drawing.turns = Drawing::Turn::Free;
        return out;
    };
    const auto reachedAt = [&](const Vec3& place) {
        Target target;
        target.arm = arm.id;
        target.tool = arm.tool;
        for (int k = 0; k < 24; ++k) {
            target.pose = {place, Quat(0, 1, 0, 0) * Quat(Eigen::AngleAxisd(k * 15 * kDegree, Vec3::UnitZ()))};
            if (!waysTo(cell, target).items.empty()) return true;
        }
        return false;
    };
    size_t whole = 0, parted = 0;
    for (double height = 0.1; height < 1.0; height += 0.1)
        for (double radius = 0.25; radius < 1.2; radius += 0.05) {
            const Pattern across = group(radius, height, 40 * kDegree);
            const Vec3 a = across.drawing.points[0].at, b = across.drawing.points[1].at;
            if (!reachedAt(a) || !reachedAt(b)) continue;
            PatternId id;
            const Cell with = *addPattern(cell, across, &id);
            const FreeTurns found = freeTurns(with, *findPattern(with, id));
            const bool between =
                reachedAt(0.75 * a + 0.25 * b) && reachedAt(0.5 * (a + b)) && reachedAt(0.25 * a + 0.75 * b);
            if (!between) {
                QVERIFY(found.parted);
                ++parted;
            } else if (!found.parted) {
                // The step that follows it does not stop for reach or range.
                ++whole;
                const Result<Cell> turned = withTurns(with, id, found);
                QVERIFY(turned.ok());
                const CheckResult checked =
                    check(mainWith(*turned, "    follow Across over 20 mm at 50 mm/s\n"), {.contact = false});
                for (const StepOutcome& outcome : checked.trace.arms.front().outcomes)
                    if (outcome.target == placesOf(*turned, id).back()->id && outcome.move && outcome.move->stop)
                        QVERIFY(outcome.move->stop->why != LineStop::Why::OutOfReach);
            }
        }
    QVERIFY2(parted > 0 && whole > 5, qPrintable(QString("%1 parted, %2 whole").arg(parted).arg(whole)));
}

void FreedomTest::followingGoesFromPlaceToPlace()
{
    const Drawn d = drawnOnBench();
    const Cell cell = mainWith(d.cell, "    follow Rim over 30 mm with Spray at 50 mm/s\n");
    const CheckResult checked = check(cell);
    const ArmTrace& arm = checked.trace.arms.front();
    // Above, down, on, eight lines, off, up.
    QCOMPARE(arm.outcomes.size(), size_t(1 + 1 + 1 + 8 + 1 + 1));
    QVERIFY2(!arm.blockedAt.has_value(),
             checked.findings.empty()
                 ? ""
                 : qPrintable(QString::fromStdString(findingText(cell, checked.findings.front()).line())));
    const StepId step = cell.routines.back().steps.front().id;
    std::vector<TargetId> visited;
    for (const StepOutcome& outcome : arm.outcomes) {
        QCOMPARE(outcome.step, step);
        if (outcome.kind == StepKind::Line) visited.push_back(outcome.target);
    }
    const std::vector<const Target*> places = placesOf(cell, d.seam);
    for (size_t i = 0; i < places.size(); ++i)
        QCOMPARE(visited[i], places[i]->id);
    // The process is on from the first place to the last.
    const Process& process = cell.tools.front().processes.front();
    const auto at = [&](double t) { return signalAt(cell, checked.trace, process.signal, t); };
    QCOMPARE(at(arm.spans[1].end - 0.01), 0.0);
    QCOMPARE(at(arm.spans[3].end), 1.0);
    QCOMPARE(at(arm.spans[10].start + 0.001), 1.0);
    QCOMPARE(at(checked.trace.duration), 0.0);
    // At the speed asked for: eight lines of 20 mm.
    const double seam = arm.spans[10].end - arm.spans[3].start;
    QVERIFY(seam > 8 * 0.02 / 0.05);
}

void FreedomTest::followingIsTheSameAsItsSteps()
{
    const Drawn d = drawnOnBench();
    std::string body = "    line to \"Rim 1\" at 50 mm/s\n    process Spray on\n";
    for (int i = 2; i <= 9; ++i)
        body += "    line to \"Rim " + std::to_string(i) + "\" at 50 mm/s" + (i < 9 ? " blend 5 mm\n" : "\n");
    body += "    process Spray off\n";
    const CheckResult steps = check(mainWith(d.cell, body)),
                      follow = check(mainWith(d.cell, "    follow Rim with Spray at 50 mm/s blend 5 mm\n"));
    QVERIFY(!steps.trace.arms.front().blockedAt);
    QCOMPARE(follow.trace.duration, steps.trace.duration);
    const CheckResult back = check(mainWith(d.cell, "    follow Rim backwards with Spray at 50 mm/s blend 5 mm\n"));
    QCOMPARE(back.trace.arms.front().outcomes.front().target, placesOf(d.cell, d.seam).back()->id);
    // A closed one comes back to where it began.
    Pattern closed = *findPattern(d.cell, d.seam);
    closed.drawing.closed = true;
    const CheckResult round = check(mainWith(*changePattern(d.cell, closed), "    follow Rim at 50 mm/s\n"));
    QCOMPARE(round.trace.arms.front().outcomes.back().target, placesOf(d.cell, d.seam).front()->id);
}

void FreedomTest::followingByApproachAndRetract()
{
    Drawn d = drawnOnBench();
    Pattern rim = *findPattern(d.cell, d.seam);
    rim.approach = {Approach::Along::World, 2, false, 0.04, 0};
    rim.retract = {Approach::Along::Tool, 2, true, 0.07, 0};
    d.cell = *changePattern(d.cell, rim);
    const Cell cell = mainWith(d.cell, "    follow Rim from approach to retract at 50 mm/s\n");
    const CheckResult checked = check(cell);
    const ArmTrace& arm = checked.trace.arms.front();
    QVERIFY(!arm.blockedAt.has_value());
    QCOMPARE(arm.outcomes.size(), size_t(1 + 1 + 8 + 1));
    const std::vector<const Target*> places = placesOf(cell, d.seam);
    const ArmStation& station = cell.arms.front();
    const Vec3 first = worldFromTcp(cell, station, arm.outcomes.front().arrival).translation;
    QVERIFY((first - worldOf(cell, *places.front()).translation - Vec3(0, 0, 0.04)).norm() < 1e-6);
    const Vec3 last = worldFromTcp(cell, station, arm.outcomes.back().arrival).translation;
    const Pose end = worldOf(cell, *places.back());
    QVERIFY((last - end * Vec3(0, 0, -0.07)).norm() < 1e-6);
}

void FreedomTest::followingIsTypedAndPrinted()
{
    const Drawn d = drawnOnBench();
    for (const char* text :
         {"follow Rim at 50 mm/s", "follow Rim backwards over 30 mm with Spray at 40 mm/s blend 2 mm",
          "follow Rim from approach to retract with Spray at 40 mm/s",
          "follow Rim over 12.5 mm at 100 mm/s acceleration 50 %, may touch Bench"}) {
        const Result<Step> step = typedStep(d.cell, text);
        QVERIFY2(step.ok(), step.ok() ? "" : qPrintable(QString::fromStdString(step.error().line())));
        QCOMPARE(QString::fromStdString(stepText(d.cell, *step)), QString(text));
    }
    QVERIFY(QString::fromStdString(typedStep(d.cell, "follow Nothing").error().line()).contains("pattern"));
    QVERIFY(QString::fromStdString(typedStep(d.cell, "follow Rim with Nothing").error().line()).contains("process"));
    QVERIFY(!typedStep(d.cell, "follow Rim at 0 mm/s").ok());
}

void FreedomTest::unreachablePointsAreNamed()
{
    const Drawn d = drawnOnBench();
    const Cell far = *setFramePose(d.cell, d.bench, translated({9, 0, 0.5}));
    const Result<Cell> turns = withFreeTurns(far, d.seam);
    QVERIFY(!turns.ok());
    QVERIFY(QString::fromStdString(turns.error().line()).contains("point 1 of \"Rim\""));
    const Cell with = mainWith(far, "    follow Rim at 50 mm/s\n");
    const CheckResult checked = check(with);
    QVERIFY(checked.count(Severity::Blocked) > 0);
    QVERIFY2(QString::fromStdString(findingText(with, checked.findings.front()).line()).contains("Rim"),
             qPrintable(QString::fromStdString(findingText(with, checked.findings.front()).line())));
}

TOPIKOS_TEST(FreedomTest)
#include "freedom_test.moc"
