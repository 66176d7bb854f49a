#include "core/cell/edit_layout.h"
#include "core/collide/pairs.h"
#include "core/contact/bodies.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;

/// Bodies that touch, and which pairs can.
class ContactTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void boxesTouchWhenTheyOverlap();
    void roundBodiesTouchAtTheirDistance();
    void aBodyInsideAnotherTouchesIt();
    void pairsAreSortedByWhatTheyDo();
    void samplingIsTheSameEveryTime();
    void whatWasSetByHandStays();
    void cancelledSamplingGivesNothing();
    void pairsSurviveFileAndEdits();
};

void ContactTest::boxesTouchWhenTheyOverlap()
{
    std::mt19937_64 random(5);
    std::uniform_real_distribution<double> place(-0.22, 0.22), size(0.05, 0.4);
    const auto vector = [&](auto& d) { return Vec3(d(random), d(random), d(random)); };
    int touching = 0, clear = 0;
    for (int n = 0; n < 3000; ++n) {
        // Boxes along the same axes, in a turned world: overlap is told by their intervals.
        const Pose world{vector(place), Quat(Eigen::AngleAxisd(place(random) * 7, vector(place).normalized()))};
        const Vec3 sizeA = vector(size), sizeB = vector(size), a = vector(place), b = vector(place);
        const double gap = ((a - b).cwiseAbs() - 0.5 * (sizeA + sizeB)).maxCoeff();
        if (std::abs(gap) < 1e-6) continue;
        const ContactBody bodyA = ContactBody::of({{Solid::Kind::Box, {}, sizeA, {}}}),
                          bodyB = ContactBody::of({{Solid::Kind::Box, {}, sizeB, {}}});
        const bool touches = bodyA.touches(world * translated(a), bodyB, world * translated(b));
        QCOMPARE(touches, gap < 0);
        QCOMPARE(bodyB.touches(world * translated(b), bodyA, world * translated(a)), touches);
        ++(touches ? touching : clear);
    }
    QVERIFY(touching > 500 && clear > 500);
}

void ContactTest::roundBodiesTouchAtTheirDistance()
{
    const ContactBody ball = ContactBody::of({{Solid::Kind::Sphere, {}, Vec3::Constant(0.2), {}}}),
                      rod = ContactBody::of({{Solid::Kind::Cylinder, {}, {0.1, 0.1, 0.6}, {}}});
    std::mt19937_64 random(6);
    std::uniform_real_distribution<double> angle(0, 6.283), height(-0.2, 0.2);
    for (int n = 0; n < 300; ++n) {
        const double t = angle(random);
        const Vec3 out(std::cos(t), std::sin(t), 0);
        QVERIFY(ball.touches(translated((0.15 - 1e-9) * out + Vec3(0, 0, height(random))), rod, {}));
        QVERIFY(!ball.touches(translated((0.15 + 1e-9) * out + Vec3(0, 0, height(random))), rod, {}));
    }
}

void ContactTest::aBodyInsideAnotherTouchesIt()
{
    const ContactBody large = ContactBody::of({{Solid::Kind::Box, {}, Vec3::Constant(1), {}}}),
                      small = ContactBody::of({{Solid::Kind::Sphere, {}, Vec3::Constant(0.1), {}}});
    QVERIFY(small.touches(translated({0.2, 0.1, -0.3}), large, {}));
    QVERIFY(large.touches({}, small, translated({0.2, 0.1, -0.3})));
    QVERIFY(!small.touches(translated({0.2, 0.1, -0.7}), large, {}));
    // In the hollow of an angle it does not.
    const ContactBody angle =
        ContactBody::of({{Solid::Kind::Extrusion,
                          {},
                          Vec3::Constant(1),
                          {},
                          {{-0.5, -0.5}, {0.5, -0.5}, {0.5, -0.4}, {-0.4, -0.4}, {-0.4, 0.5}, {-0.5, 0.5}}}});
    QVERIFY(!small.touches({}, angle, {}));
    QVERIFY(small.touches(translated({-0.42, 0, 0}), angle, {}));
}

void ContactTest::pairsAreSortedByWhatTheyDo()
{
    Cell cell = example("tile-glazing-line");
    FrameId post, far;
    cell = addFrame(cell, "Far away", {}, translated({50, 0, 0}), &far).value();
    cell = setFrameSolids(cell, far, {Solid{}}).value();
    // A block that the first link cannot leave.
    cell = addFrame(cell, "Block", cell.arms.front().mount, translated({0, 0, 0.25}), &post).value();
    cell = setFrameSolids(cell, post, {{Solid::Kind::Box, {}, Vec3::Constant(0.3), {}}}).value();
    const ContactPairs found = sampleContactPairs(cell, {200, 7}).value();
    const auto pair = [&](ContactMember a, ContactMember b) {
        for (const ContactPair& p : found.pairs)
            if (p.a == a && p.b == b) return p;
        qFatal("no such pair");
    };
    const auto link = [&](std::uint32_t i) {
        return ContactMember{ContactMember::Kind::Link, i, cell.arms.front().id};
    };
    const auto frame = [](FrameId id) { return ContactMember{ContactMember::Kind::Frame, id.value}; };
    for (std::uint32_t i = 0; i < 6; ++i) {
        QCOMPARE(int(pair(link(i), link(i + 1)).reason), int(ContactPair::Reason::Adjacent));
        QVERIFY(!pair(link(i), link(i + 1)).checked);
    }
    QCOMPARE(int(pair(link(1), frame(post)).reason), int(ContactPair::Reason::Always));
    QCOMPARE(pair(link(1), frame(post)).touched, 200u);
    QVERIFY(!pair(link(1), frame(post)).checked);
    QCOMPARE(int(pair(link(6), frame(far)).reason), int(ContactPair::Reason::Never));
    QVERIFY(pair(link(6), frame(far)).checked);  // samples prove nothing about the cell
    // The arm can hit its own base and the belt.
    QCOMPARE(int(pair(link(0), {ContactMember::Kind::Tool, 0, cell.arms.front().id}).reason),
             int(ContactPair::Reason::Sometimes));
    // What stands still is no pair with what stands still.
    for (const ContactPair& p : found.pairs)
        QVERIFY(p.a.kind != ContactMember::Kind::Frame && !(p.a == link(0) && p.b.kind == ContactMember::Kind::Frame));
    QVERIFY(QString::fromStdString(pairCounts(found)).startsWith("7 adjacent, "));
}

void ContactTest::samplingIsTheSameEveryTime()
{
    const Cell cell = example("tile-glazing-line");
    const ContactPairs a = sampleContactPairs(cell, {60, 3}).value(), b = sampleContactPairs(cell, {60, 3}).value(),
                       c = sampleContactPairs(cell, {60, 4}).value();
    const auto counts = [](const ContactPairs& p) {
        std::vector<std::uint32_t> out;
        for (const ContactPair& pair : p.pairs)
            out.push_back(pair.touched);
        return out;
    };
    QVERIFY(counts(a) == counts(b));
    QVERIFY(counts(a) != counts(c));
}

void ContactTest::whatWasSetByHandStays()
{
    Cell cell = example("tile-glazing-line");
    cell = setContactPairs(cell, sampleContactPairs(cell, {20, 3}).value()).value();
    const ContactPair first = cell.contact.pairs.front();
    cell = setPairChecked(cell, first.a, first.b, !first.checked).value();
    const ContactPairs again = sampleContactPairs(cell, {40, 9}).value();
    QCOMPARE(again.pairs.front().checked, !first.checked);
    QCOMPARE(int(again.pairs.front().reason), int(ContactPair::Reason::ByHand));
    QVERIFY(!setPairChecked(cell, first.a, first.a, true));
}

void ContactTest::cancelledSamplingGivesNothing()
{
    int asked = 0;
    QVERIFY(!sampleContactPairs(example("tile-glazing-line"), {100000, 3}, [&](double) { return ++asked < 3; }));
    QCOMPARE(asked, 3);
}

void ContactTest::pairsSurviveFileAndEdits()
{
    Cell cell = example("tile-glazing-line");
    FrameId lamp;
    cell = addFrame(cell, "Lamp", {}, translated({0.5, 0.5, 1}), &lamp).value();
    cell = setFrameSolids(cell, lamp, {Solid{}}).value();
    cell = setContactPairs(cell, sampleContactPairs(cell, {20, 3}).value()).value();
    const std::string text = writeCell(cell);
    const Result<Cell> read = readCell(text, "pairs");
    QVERIFY2(read.ok(), read.ok() ? "" : read.error().line().c_str());
    QCOMPARE(writeCell(*read), text);
    const Json schema =
        Json::parse(readFile(std::string(TOPIKOS_SOURCES) + "/docs/format/cell.schema.json", 1 << 20).value());
    QCOMPARE(QString::fromStdString(schemaOffence(Json::parse(text), schema, schema, "")), QString());
    // A frame that goes takes its pairs along; another arm has other links.
    const Cell less = deleteFrame(cell, lamp).value();
    for (const ContactPair& p : less.contact.pairs)
        QVERIFY(p.b != (ContactMember{ContactMember::Kind::Frame, lamp.value}));
    QVERIFY(readCell(writeCell(less), "less").ok());
    QVERIFY(setArmModel(cell, cell.arms.front().id, catalogueArm("scara-600")).value().contact.pairs.empty());
}

TOPIKOS_TEST(ContactTest)
#include "contact_test.moc"
