#include "core/cell/edit.h"
#include "core/cell/edit_layout.h"
#include "core/cell/step_tree.h"
#include "core/cell/margin.h"
#include "core/check/rule_help.h"
#include "core/collide/cache.h"
#include "core/mend/place_search.h"
#include "core/mend/remedy.h"
#include "core/robot/catalogue.h"
#include "core/simulate/state.h"
#include "tests/core/program_cells.h"
#include "tests/run.h"

#include <fmt/format.h>

#include <QFile>

#include <set>

using namespace topikos;
using namespace topikos::test;

/// Remedies do what they say, and best places are the best.
class MendTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void brokenCellsAreMended();
    void unreachableTargetIsBroughtBack();
    void lineThroughTheWristBecomesAJointMove();
    void blockInTheWayIsGoneRound();
    void postureIsTurnedBack();
    void lineIsSlowed();
    void nothingIsOfferedForAdvice();
    void manualSaysWhyEachRuleMatters();
    void stopEndsTheSearch();
    void stopBeforeAnEndlessWaitIsDisabled();
    void farTargetTakesAnotherArm();
    void sameFindingSameRemedies();
    void mapTellsWhereTheArmStandsInSomething();
    void placeFindsThePlantedBest_data();
    void placeFindsThePlantedBest();
    void placeKeepsToItsBox();
    void placeAgreesWithSingleChecks();

private:
    static const Finding* firstBlocked(const CheckResult& result)
    {
        for (const Finding& f : result.findings)
            if (f.severity == Severity::Blocked) return &f;
        return nullptr;
    }
    /// A remedy, applied, does what it said: in a check that shares nothing with the search.
    static bool keepsItsWord(const Cell& cell, const Remedy& remedy, const Finding& finding, QString& why)
    {
        const CheckResult after = check(*patched(cell, remedy.patch));
        const int blocked = after.count(Severity::Blocked), cautions = after.count(Severity::Caution);
        if (blocked != remedy.blocked || cautions != remedy.cautions) {
            why = QString("%1: %2 blocked and %3 cautions, said were %4 and %5")
                      .arg(remedy.text.c_str())
                      .arg(blocked)
                      .arg(cautions)
                      .arg(remedy.blocked)
                      .arg(remedy.cautions);
            return false;
        }
        const bool ends = !after.trace.blocked() && !after.trace.stuck;
        const double cycle = ends ? cyclesOf(after.trace).time : after.trace.duration;
        if (ends != remedy.runs || std::abs(cycle - remedy.cycleTime) > 1e-9) {
            why = QString("%1: %2 s, said were %3").arg(remedy.text.c_str()).arg(cycle).arg(remedy.cycleTime);
            return false;
        }
        for (const Finding* f : withFollowUps(after.findings))
            if (f->severity == Severity::Blocked && finding.step && f->step == finding.step
                && f->routine == finding.routine) {
                why = QString("%1: the step is still blocked").arg(remedy.text.c_str());
                return false;
            }
        if (!readCell(writeCell(*patched(cell, remedy.patch)), "mended")) {
            why = QString("%1: the cell cannot be read again").arg(remedy.text.c_str());
            return false;
        }
        return true;
    }
    /// The demo with something put wrong.
    static Cell broken(const Cell& whole, std::mt19937_64& random)
    {
        const auto real = [&](double low, double high) {
            return low + (high - low) * double(random() >> 11) * 0x1p-53;
        };
        Cell cell = whole;
        const Routine routine = routineOf(cell, cell.arms.front());
        std::vector<TargetId> poses;
        for (const Target& t : cell.targets)
            if (t.kind == Target::Kind::Pose && !t.pattern) poses.push_back(t.id);
        std::vector<StepId> moves;
        for (const Step& s : routine.steps)
            if (s.isMove()) moves.push_back(s.id);
        const Target target = *findTarget(cell, poses[random() % poses.size()]);
        switch (random() % 6) {
        case 0: {
            Pose pose = target.pose;
            pose.translation += Vec3(real(-0.7, 0.7), real(-0.7, 0.7), real(-0.1, 0.6));
            return setTargetPose(cell, target.id, pose).value();
        }
        case 1: {
            Pose pose = target.pose;
            pose.rotation =
                (pose.rotation
                 * Quat(Eigen::AngleAxisd(real(-1.6, 1.6), Vec3(real(-1, 1), real(-1, 1), real(-1, 1)).normalized())))
                    .normalized();
            return setTargetPose(cell, target.id, pose).value();
        }
        case 2: {
            const FrameId id = target.frame;
            if (!id) return cell;
            Pose pose = findFrame(cell, id)->pose;
            pose.translation += Vec3(real(-0.6, 0.6), real(-0.6, 0.6), real(-0.3, 0.3));
            return setFramePose(cell, id, pose).value();
        }
        case 3: {
            Step step = *findStep(routine.steps, moves[random() % moves.size()]);
            if (const JointMove* joint = step.as<JointMove>()) step.action = LineMove{joint->goal, 0.3, {}};
            return changeStep(cell, routine.id, step).value();
        }
        case 4: {
            const Solutions ways = waysTo(cell, target);
            if (ways.items.empty()) return cell;
            return setTargetWay(cell, target.id, ways.items[random() % ways.items.size()]).value();
        }
        default: {
            FrameId id;
            cell = addFrame(cell, "Crate", {}, translated({real(-0.9, 0.9), real(-0.9, 0.9), real(0.8, 1.5)}), &id)
                       .value();
            return setFrameSolids(cell, id,
                                  {{Solid::Kind::Box, {}, {real(0.05, 0.3), real(0.05, 0.3), real(0.05, 0.3)}, {}}})
                .value();
        }
        }
    }
};

void MendTest::brokenCellsAreMended()
{
    const int wanted = qEnvironmentVariableIsSet("TOPIKOS_MANY") ? 200 : 6;
    const Cell whole = example("tile-glazing-line");
    std::mt19937_64 random(2031);
    int cells = 0, findings = 0, mended = 0, offers = 0;
    std::map<Rule, std::pair<int, int>> byRule;
    PlanCache plans;
    ContactCache touched;
    while (cells < wanted) {
        const Cell cell = broken(whole, random);
        const CheckResult result = check(cell);
        if (!firstBlocked(result)) continue;
        ++cells;
        for (const Finding& f : result.findings) {
            if (f.severity != Severity::Blocked) continue;
            RemedyOptions options;
            options.plans = &plans;
            options.touched = &touched;
            options.most = 3;
            const Remedies found = remediesFor(cell, result, f, options);
            ++findings;
            ++byRule[f.rule].first;
            mended += !found.offers.empty();
            byRule[f.rule].second += !found.offers.empty();
            if (found.offers.empty() && qEnvironmentVariableIsSet("TOPIKOS_TELL"))
                qInfo("cell %d: %s (%d tried)", cells, findingText(cell, f).line().c_str(), found.tried);
            for (const Remedy& remedy : found.offers) {
                QString why;
                ++offers;
                QVERIFY2(keepsItsWord(cell, remedy, f, why), qPrintable(why));
            }
        }
    }
    QString words;
    for (const auto& [rule, counts] : byRule)
        words += QString("%1 %2 of %3, ").arg(ruleName(rule)).arg(counts.second).arg(counts.first);
    qInfo("%d cells, %d blocked findings, %d with a remedy, %d offers tried: %s", cells, findings, mended, offers,
          qPrintable(words));
    QVERIFY2(10 * mended >= 9 * findings, qPrintable(words));
}

void MendTest::unreachableTargetIsBroughtBack()
{
    Cell cell = example("tile-glazing-line");
    const auto target = std::find_if(cell.targets.begin(), cell.targets.end(),
                                     [](const Target& t) { return t.kind == Target::Kind::Pose; });
    const Target own = *target;
    // Out of reach by a known amount: along the way from the arm.
    const Pose base = worldFromBase(cell, cell.arms.front());
    const Pose tcp = worldFromFrame(cell, own.frame) * own.pose;
    Vec3 way = tcp.translation - base.translation;
    way.z() = 0;
    way = worldFromFrame(cell, own.frame).rotation.conjugate() * way.normalized();
    double planted = 0;
    Cell far = cell;
    while (!waysTo(far, *findTarget(far, own.id)).items.empty()) {
        planted += 0.02;
        Pose pose = own.pose;
        pose.translation += planted * way;
        far = setTargetPose(cell, own.id, pose).value();
    }
    const auto nearest = nearestPlace(far, *findTarget(far, own.id), {});
    QVERIFY(nearest.has_value());
    QVERIFY2(nearest->shift <= 0.0201, qPrintable(QString::number(nearest->shift)));
    Target at = *findTarget(far, own.id);
    at.pose = nearest->frameFromTcp;
    QVERIFY(!waysTo(far, at).items.empty());
    const CheckResult result = check(far);
    const Finding* blocked = firstBlocked(result);
    QVERIFY(blocked);
    bool told = false;
    RemedyOptions options;
    options.nearest = [&](const NearestPlace&) { told = true; };
    const Remedies found = remediesFor(far, result, *blocked, options);
    QVERIFY(told && found.nearest);
    QVERIFY(!found.offers.empty());
    for (size_t i = 1; i < found.offers.size(); ++i)
        QVERIFY(found.offers[i - 1].rank <= found.offers[i].rank);
}

void MendTest::lineThroughTheWristBecomesAJointMove()
{
    const Cell planted = example("planted-mistakes");
    const CheckResult result = check(planted);
    int tried = 0;
    for (const Finding& f : result.findings) {
        if (f.rule != Rule::Singularity || f.severity != Severity::Blocked) continue;
        ++tried;
        const Remedies found = remediesFor(planted, result, f);
        QVERIFY(std::any_of(found.offers.begin(), found.offers.end(),
                            [](const Remedy& r) { return r.change == "joint-move" && r.posture.size() > 0; }));
    }
    QVERIFY(tried >= 1);
}

void MendTest::blockInTheWayIsGoneRound()
{
    // Between two places, as high as the arm goes: over it, or the block aside.
    Cell cell = example("tile-glazing-line");
    const Trace trace = simulate(cell);
    const ArmTrace& arm = trace.arms.front();
    size_t longest = 0;
    for (size_t i = 0; i < arm.spans.size(); ++i)
        if (arm.spans[i].end - arm.spans[i].start > arm.spans[longest].end - arm.spans[longest].start) longest = i;
    const double middle = 0.5 * (arm.spans[longest].start + arm.spans[longest].end);
    const Pose tcp = worldFromTcp(cell, cell.arms.front(), stateAt(cell, trace, middle).arms.front().posture);
    FrameId id;
    cell = addFrame(cell, "Crate", {}, translated(tcp.translation), &id).value();
    cell = setFrameSolids(cell, id, {{Solid::Kind::Box, {}, {0.04, 0.04, 0.04}, {}}}).value();
    const CheckResult result = check(cell);
    const Finding* blocked = firstBlocked(result);
    QVERIFY(blocked && blocked->rule == Rule::Contact);
    const Remedies found = remediesFor(cell, result, *blocked);
    QVERIFY(!found.offers.empty());
    for (const Remedy& remedy : found.offers) {
        QString why;
        QVERIFY2(keepsItsWord(cell, remedy, *blocked, why), qPrintable(why));
    }
}

void MendTest::postureIsTurnedBack()
{
    Cell cell = programCell();
    const ArmStation arm = cell.arms.front();
    JointVector q = homePosture(cell, arm);
    TargetId id;
    cell = takePostureTarget(cell, arm.id, q, "Turned", &id).value();
    const Joint& joint = arm.model->joints()[5];
    cell.targets.edit(id)->posture[5] = joint.upper + 0.3;
    cell = withProgram(cell, "routine Main, run by Arm\n    joint to Turned\n");
    const CheckResult result = check(cell);
    const Finding* blocked = firstBlocked(result);
    QVERIFY(blocked);
    const Remedies found = remediesFor(cell, result, *blocked);
    QVERIFY(!found.offers.empty());
    const bool fits = joint.upper + 0.3 - 2 * std::numbers::pi >= joint.lower;
    QVERIFY(std::any_of(found.offers.begin(), found.offers.end(),
                        [&](const Remedy& r) { return r.change == (fits ? "full-turn" : "posture"); }));
    for (const Remedy& remedy : found.offers) {
        const double value = findTarget(*patched(cell, remedy.patch), id)->posture[5];
        QVERIFY(value <= joint.upper && value >= joint.lower);
    }
}

void MendTest::lineIsSlowed()
{
    // The demo with an arm whose joints are too slow for its lines.
    Cell cell = example("tile-glazing-line");
    ArmDescription slow = cell.arms.front().model->description();
    slow.id = "slow";
    for (Joint& joint : slow.joints)
        joint.speed *= 0.015;
    cell = setArmModel(cell, cell.arms.front().id, Arm::make(slow).value()).value();
    const CheckResult result = check(cell);
    int tried = 0;
    for (const Finding& f : result.findings) {
        if (!f.as<JointLimitFact>()) continue;
        ++tried;
        const Remedies found = remediesFor(cell, result, f);
        QVERIFY(
            std::any_of(found.offers.begin(), found.offers.end(), [](const Remedy& r) { return r.change == "speed"; }));
        for (const Remedy& remedy : found.offers) {
            QString why;
            QVERIFY2(keepsItsWord(cell, remedy, f, why), qPrintable(why));
        }
    }
    QVERIFY(tried >= 1);
}

void MendTest::nothingIsOfferedForAdvice()
{
    const Cell planted = example("planted-mistakes");
    const CheckResult result = check(planted);
    for (const Finding& f : result.findings)
        if (isAdvice(f.rule)) QVERIFY(remediesFor(planted, result, f).offers.empty());
}

void MendTest::manualSaysWhyEachRuleMatters()
{
    QFile file(QString(TOPIKOS_SOURCES) + "/docs/manual/findings.md");
    QVERIFY(file.open(QIODevice::ReadOnly));
    const QString manual = QString::fromUtf8(file.readAll());
    std::set<std::string> told;
    for (int i = 0; i < kRules; ++i) {
        const std::string why = whyItMatters(Rule(i));
        QVERIFY2(!why.empty() && told.insert(why).second, ruleName(Rule(i)));
        QVERIFY2(manual.contains(QString::fromStdString(why)), why.c_str());
    }
}

void MendTest::stopBeforeAnEndlessWaitIsDisabled()
{
    // What stands behind the stop was never run; that it blocks there is no reason to keep the stop.
    const Cell cell = mainWith(programCell(), "joint to Home\nstop\nwait for Go on\njoint to Home\n");
    const CheckResult result = check(cell);
    const Finding* stop = nullptr;
    for (const Finding& f : result.findings)
        if (f.rule == Rule::Stop) stop = &f;
    QVERIFY(stop);
    const Remedies found = remediesFor(cell, result, *stop);
    QCOMPARE(found.offers.size(), size_t(1));
    QCOMPARE(found.offers.front().change, std::string("step-off"));
    QVERIFY(found.offers.front().blocked > 0);  // the wait, and it says so
    QVERIFY(!found.offers.front().runs);
}

void MendTest::farTargetTakesAnotherArm()
{
    Cell cell = example("tile-glazing-line");
    cell = setArmModel(cell, cell.arms.front().id, catalogueArm("cobot-900")).value();
    const CheckResult result = check(cell);
    RemedyOptions options;
    options.most = 40;
    int arms = 0, reaches = 0;
    for (const Finding& f : result.findings) {
        if (f.rule != Rule::Reach || f.severity != Severity::Blocked || arms > 0) continue;
        ++reaches;
        for (const Remedy& offer : remediesFor(cell, result, f, options).offers)
            if (offer.change == "arm") {
                ++arms;
                QVERIFY(patched(cell, offer.patch)->arms.front().model->reach() > cell.arms.front().model->reach());
                QVERIFY(offer.text.starts_with("Take the arm "));
            }
    }
    QVERIFY(reaches > 0);
    QVERIFY(arms > 0);
}

void MendTest::stopEndsTheSearch()
{
    const Cell planted = example("planted-mistakes");
    const CheckResult result = check(planted);
    std::stop_source stop;
    stop.request_stop();
    RemedyOptions options;
    options.stop = stop.get_token();
    const Remedies found = remediesFor(planted, result, *firstBlocked(result), options);
    QVERIFY(found.offers.empty() && found.tried == 0);
}

void MendTest::sameFindingSameRemedies()
{
    const Cell planted = example("planted-mistakes");
    const CheckResult result = check(planted);
    const Finding& finding = *firstBlocked(result);
    RemedyOptions two;
    two.workers = 2;
    const Remedies a = remediesFor(planted, result, finding), b = remediesFor(planted, result, finding, two);
    QCOMPARE(a.offers.size(), b.offers.size());
    for (size_t i = 0; i < a.offers.size(); ++i) {
        QCOMPARE(a.offers[i].text, b.offers[i].text);
        QVERIFY(*patched(planted, a.offers[i].patch) == *patched(planted, b.offers[i].patch));
    }
}

namespace {

/// An arm on a foot, and targets on a ring about a place: by symmetry the best place for the ring is where its middle
/// is away from the arm by one certain distance, whatever the direction.
Cell ringCell(const Vec3& middle, FrameId* table)
{
    Cell cell = withProgram(programCell(), "routine Main, run by Arm\n    joint to Home\n");
    cell = addFrame(cell, "Ring table", {}, translated(middle), table).value();
    const ArmStation arm = cell.arms.front();
    std::string text = "routine Main, run by Arm\n    joint to Home\n";
    const Solutions ways = waysTo(cell, *std::find_if(cell.targets.begin(), cell.targets.end(),
                                                      [](const Target& t) { return t.kind == Target::Kind::Pose; }));
    for (int i = 0; i < 6; ++i) {
        const double angle = i * std::numbers::pi / 3;
        TargetId id;
        cell =
            takePoseTarget(cell, arm.id, *table, ways.items.front().joints, fmt::format("Ring {}", i + 1), &id).value();
        Pose pose{{0.15 * std::cos(angle), 0.15 * std::sin(angle), 0},
                  Quat(Eigen::AngleAxisd(std::numbers::pi, Vec3::UnitX()))};
        cell = setTargetPose(cell, id, pose).value();
        cell.targets.edit(id)->configuration = {};
        text += fmt::format("    joint to Ring {}\n", i + 1);
    }
    return withProgram(cell, text);
}

}  // namespace

void MendTest::mapTellsWhereTheArmStandsInSomething()
{
    // A wall beside the rack, which stays when the rack is moved.
    Cell cell = example("tile-glazing-line");
    const FrameId rack = frameNamed(cell, "Drying rack");
    FrameId wall;
    Vec3 at = worldFromFrame(cell, rack).translation;
    at += Vec3(0.2, 0.4, 0.3);
    cell = addFrame(cell, "Wall", {}, translated(at), &wall).value();
    cell = setFrameSolids(cell, wall, {{Solid::Kind::Box, {}, {0.02, 0.2, 0.8}, {}}}).value();
    PlaceQuery query;
    query.frame = rack;
    query.lowest = {-0.3, -0.3, 0, 0};
    query.highest = {0.3, 0.3, 0, 0};
    const auto found = searchPlace(cell, query);
    QVERIFY(found && found->best.front().works());
    int standing = 0, looked = 0;
    for (const TriedPlace& place : found->map) {
        if (place.unreached > 0) continue;
        const bool touches = place.blocked > 0;
        standing += touches;
        if (touches) QVERIFY2(place.reason.find("touch") != std::string::npos, place.reason.c_str());
        if (++looked % 7 != 0) continue;
        // A whole check finds contact where the map says so. Elsewhere it may find some along the moves.
        const CheckResult whole = check(placedAt(cell, rack, place.offset).value());
        const bool contact = std::any_of(whole.findings.begin(), whole.findings.end(),
                                         [](const Finding& f) { return f.rule == Rule::Contact; });
        if (touches) QVERIFY2(contact, place.reason.c_str());
    }
    QVERIFY2(standing > 10 && standing < looked, qPrintable(QString("%1 of %2").arg(standing).arg(looked)));
}

void MendTest::placeFindsThePlantedBest_data()
{
    QTest::addColumn<double>("x");
    QTest::addColumn<double>("y");
    QTest::addColumn<double>("z");
    QTest::newRow("far out") << 1.6 << 0.2 << 1.0;
    QTest::newRow("beside") << 0.2 << -1.3 << 1.1;
    QTest::newRow("too near") << 0.25 << 0.1 << 1.2;
}

void MendTest::placeFindsThePlantedBest()
{
    QFETCH(double, x);
    QFETCH(double, y);
    QFETCH(double, z);
    FrameId table;
    const Cell cell = ringCell({x, y, z}, &table);
    PlaceQuery query;
    query.frame = table;
    query.lowest = {-0.8, -0.8, 0, 0};
    query.highest = {0.8, 0.8, 0, 0};
    const auto found = searchPlace(cell, query);
    QVERIFY(found && !found->best.empty());
    const TriedPlace& best = found->best.front();
    QVERIFY2(best.works(), best.reason.c_str());
    // Every place of a grid, by a check of its own.
    double optimum = 0;
    constexpr int n = 17;
    for (int i = 0; i < n; ++i)
        for (int k = 0; k < n; ++k) {
            const PlaceOffset at{-0.8 + 1.6 * i / (n - 1), -0.8 + 1.6 * k / (n - 1), 0, 0};
            const Cell there = placedAt(cell, table, at).value();
            const CheckResult result = check(there, {.contact = false});
            if (result.count(Severity::Blocked)) continue;
            const ArmStation& arm = there.arms.front();
            double margin = 1;
            for (const StepOutcome& outcome : result.trace.arms.front().outcomes)
                for (int p = 1; outcome.move && p <= 8; ++p)
                    margin = std::min(margin, marginOf(there, *arm.model, outcome.move->at(*arm.model, p / 8.0)));
            optimum = std::max(optimum, margin);
        }
    QVERIFY(optimum > 0);
    QVERIFY2(best.margin >= 0.97 * optimum, qPrintable(QString("%1 of %2").arg(best.margin).arg(optimum)));
    QVERIFY(best.margin >= found->now.margin);
    // The same again with the same seed.
    const auto again = searchPlace(cell, query);
    QCOMPARE(again->tried, found->tried);
    QCOMPARE(again->best.size(), found->best.size());
    for (size_t i = 0; i < again->best.size(); ++i)
        QVERIFY(again->best[i].offset == found->best[i].offset && again->best[i].margin == found->best[i].margin);
}

void MendTest::placeKeepsToItsBox()
{
    FrameId table;
    const Cell cell = ringCell({0.9, 0.2, 1.0}, &table);
    PlaceQuery query;
    query.frame = table;
    query.lowest = {-0.1, 0, -0.05, -0.3};
    query.highest = {0.1, 0, 0.1, 0.3};
    const auto found = searchPlace(cell, query);
    QVERIFY(found && !found->best.empty());
    for (const TriedPlace& p : found->best)
        for (size_t i = 0; i < size_t(kPlaceAxes); ++i)
            QVERIFY(p.offset[i] >= query.lowest[i] - 1e-12 && p.offset[i] <= query.highest[i] + 1e-12);
    // Given up: nothing.
    query.keepOn = [](double) { return false; };
    QVERIFY(!searchPlace(cell, query));
}

/// What is said of a place is what a check of the cell says with the frame there.
void MendTest::placeAgreesWithSingleChecks()
{
    Cell cell = example("tile-glazing-line");
    PlaceQuery query;
    query.frame = cell.arms.front().mount;
    QVERIFY(query.frame);
    query.lowest = {-0.15, -0.15, 0, 0};
    query.highest = {0.15, 0.15, 0, 0};
    query.columns = 7;
    const auto found = searchPlace(cell, query);
    QVERIFY(found && !found->best.empty());
    QCOMPARE(found->map.size(), size_t(49));
    for (const TriedPlace& p : found->best) {
        const Cell there = placedAt(cell, query.frame, p.offset).value();
        const CheckResult result = check(there);
        int blocked = 0;
        for (const Finding& f : result.findings)
            blocked += f.severity == Severity::Blocked && f.step;
        QCOMPARE(p.blocked, blocked);
        if (!std::isnan(p.cycle)) QCOMPARE(p.cycle, cyclesOf(result.trace).time);
    }
    for (const TriedPlace& p : found->map) {
        const Cell there = placedAt(cell, query.frame, p.offset).value();
        int unreached = 0;
        for (const TargetVerdict& verdict : check(there, {.contact = false}).targets) {
            const Target& target = *findTarget(there, verdict.target);
            if (verdict.used && target.kind == Target::Kind::Pose)
                unreached += !chosenWay(*armOf(there, target).model, target, waysTo(there, target).items);
        }
        QCOMPARE(p.unreached, unreached);
    }
}

TOPIKOS_TEST(MendTest)
#include "mend_test.moc"
