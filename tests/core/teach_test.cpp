#include "core/cell/teach.h"
#include "core/cell/typed_move.h"
#include "core/robot/forward.h"
#include "tests/core/support.h"
#include "tests/run.h"

using namespace topikos;
using namespace topikos::test;


/// Frames and tool centre points found from touched points.
class TeachTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void threePointsGiveTheFrame();
    void badPointsSayWhy_data();
    void badPointsSayWhy();
    void measuredPointsGiveThePlace();
    void noiseStaysWithinItsExpectation();
    void touchedPlaceGivesTheTcp();
    void poorOrientationsAreTold();
    void typedMovesAreRead_data();
    void typedMovesAreRead();
    void typedMovesAreRefusedWithTheirPlace_data();
    void typedMovesAreRefusedWithTheirPlace();
};

namespace {

Vec3 randomVector(std::mt19937_64& random, double size)
{
    std::normal_distribution<double> normal;
    return size * Vec3(normal(random), normal(random), normal(random));
}

Pose randomPose(std::mt19937_64& random)
{
    std::normal_distribution<double> normal;
    return {randomVector(random, 0.7),
            Quat(normal(random), normal(random), normal(random), normal(random)).normalized()};
}

/// Postures of an arm whose tool touches one place, tilted by up to `tilt` [rad].
std::vector<Pose> touching(const Vec3& tcp, const Vec3& place, size_t count, double tilt, std::mt19937_64& random)
{
    std::vector<Pose> out;
    const Quat middle = randomPose(random).rotation;
    std::uniform_real_distribution<double> angle(0.5 * tilt, tilt);
    for (size_t i = 0; i < count; ++i) {
        const Quat rotation =
            (Quat(Eigen::AngleAxisd(angle(random), randomVector(random, 1).normalized())) * middle).normalized();
        out.push_back({place - rotation * tcp, rotation});
    }
    return out;
}

}  // namespace

void TeachTest::threePointsGiveTheFrame()
{
    std::mt19937_64 random(4);
    std::uniform_real_distribution<double> far(0.05, 2), side(-2, 2);
    for (int n = 0; n < 1000; ++n) {
        const Pose planted = randomPose(random);
        const Result<Pose> found = frameFromThreePoints(planted.translation, planted * Vec3(far(random), 0, 0),
                                                        planted * Vec3(side(random), far(random), 0));
        QVERIFY(found.ok());
        QVERIFY(deviation(*found, planted).metres < 1e-9 && deviation(*found, planted).radians < 1e-9);
    }
}

void TeachTest::badPointsSayWhy_data()
{
    QTest::addColumn<Vec3>("a");
    QTest::addColumn<Vec3>("b");
    QTest::addColumn<Vec3>("c");
    QTest::addColumn<std::string>("code");
    QTest::newRow("the same point twice")
        << Vec3(1, 2, 3) << Vec3(1, 2, 3) << Vec3(0, 1, 0) << std::string("teach.near");
    QTest::newRow("on a line") << Vec3(0, 0, 0) << Vec3(0.2, 0, 0) << Vec3(0.5, 0.00002, 0)
                               << std::string("teach.line");
    QTest::newRow("not a number") << Vec3(0, NAN, 0) << Vec3(0.2, 0, 0) << Vec3(0, 0.2, 0)
                                  << std::string("teach.points");
}

void TeachTest::badPointsSayWhy()
{
    QFETCH(Vec3, a);
    QFETCH(Vec3, b);
    QFETCH(Vec3, c);
    QFETCH(std::string, code);
    const Result<Pose> frame = frameFromThreePoints(a, b, c);
    QVERIFY(!frame);
    QCOMPARE(frame.error().code, code);
    QVERIFY(!frame.error().remedy.empty());
    // Coinciding points span nothing for a fit either; the middle of them is on the line as well.
    QVERIFY(!fitPlace({a, b, 0.5 * (a + b)}, {a, b, 0.5 * (a + b)}));
    QCOMPARE(fitPlace({a, b}, {a, b}).error().code, std::string("teach.count"));
}

void TeachTest::measuredPointsGiveThePlace()
{
    std::mt19937_64 random(8);
    for (int n = 0; n < 500; ++n) {
        const Pose planted = randomPose(random);
        std::vector<Vec3> nominal, measured;
        for (int i = 0; i < 3 + n % 5; ++i) {
            nominal.push_back(randomVector(random, 0.5));
            measured.push_back(planted * nominal.back());
        }
        const PlaceFit fit = fitPlace(nominal, measured).value();
        QVERIFY(deviation(fit.place, planted).metres < 1e-9 && deviation(fit.place, planted).radians < 1e-9);
        QVERIFY(fit.rms < 1e-12);
    }
    // One point that was mistaken is named.
    std::vector<Vec3> nominal{{0, 0, 0}, {0.4, 0, 0}, {0, 0.3, 0}, {0.4, 0.3, 0}, {0.2, 0.1, 0.2}};
    std::vector<Vec3> measured = nominal;
    measured[3] += Vec3(0, 0, 0.01);
    const PlaceFit fit = fitPlace(nominal, measured).value();
    QCOMPARE(fit.worstPoint, size_t(3));
    QVERIFY(fit.worst > 0.003 && fit.worst < 0.01);
    // A mirrored measurement has no rigid placement without residual; it must not come out as a reflection.
    for (Vec3& p : measured)
        p[0] = -p[0];
    QVERIFY(std::abs(fitPlace(nominal, measured).value().place.matrix().determinant() - 1) < 1e-12);
}

void TeachTest::noiseStaysWithinItsExpectation()
{
    std::mt19937_64 random(15);
    constexpr double sigma = 2e-4;
    const std::vector<Vec3> nominal{{0, 0, 0}, {0.4, 0, 0}, {0, 0.3, 0}, {0.4, 0.3, 0.1}, {0.2, -0.1, 0.2}};
    Vec3 middle = Vec3::Zero();
    for (const Vec3& p : nominal)
        middle += p / double(nominal.size());
    double squares = 0, residuals = 0;
    constexpr int runs = 2000;
    for (int n = 0; n < runs; ++n) {
        const Pose planted = randomPose(random);
        std::vector<Vec3> measured;
        for (const Vec3& p : nominal)
            measured.push_back(planted * p + randomVector(random, sigma));
        const PlaceFit fit = fitPlace(nominal, measured).value();
        squares += (fit.place * middle - planted * middle).squaredNorm();
        residuals += fit.rms * fit.rms;
    }
    // The centroid is found to sigma * sqrt(3 / n); of 3 n coordinates six are used up by the placement.
    const double n = double(nominal.size());
    QVERIFY(std::abs(std::sqrt(squares / runs) / (sigma * std::sqrt(3 / n)) - 1) < 0.05);
    QVERIFY(std::abs(std::sqrt(residuals / runs) / (sigma * std::sqrt((3 * n - 6) / n)) - 1) < 0.05);
}

void TeachTest::touchedPlaceGivesTheTcp()
{
    std::mt19937_64 random(16);
    for (int n = 0; n < 500; ++n) {
        const Vec3 tcp = randomVector(random, 0.15), place = randomVector(random, 0.8);
        const TcpFit fit = fitTcp(touching(tcp, place, size_t(4 + n % 4), 1.0, random)).value();
        QVERIFY2((fit.flangeFromTcp - tcp).norm() < 1e-9,
                 qPrintable(QString::number((fit.flangeFromTcp - tcp).norm())));
        QVERIFY((fit.place - place).norm() < 1e-9);
        QVERIFY(fit.rms < 1e-10);
    }
    // With noise the error is what `gain` foretells.
    const Vec3 tcp(0.02, -0.03, 0.18), place(0.6, 0.1, 0.3);
    const std::vector<Pose> clean = touching(tcp, place, 6, 0.8, random);
    constexpr double sigma = 1e-4;
    Vec3 squares = Vec3::Zero();
    double gain = 0;
    for (int n = 0; n < 3000; ++n) {
        std::vector<Pose> noisy = clean;
        for (Pose& p : noisy)
            p.translation += randomVector(random, sigma);
        const TcpFit fit = fitTcp(noisy).value();
        squares += (fit.flangeFromTcp - tcp).cwiseAbs2() / 3000;
        gain = fit.gain;
    }
    const double worst = std::sqrt(squares.maxCoeff());
    QVERIFY2(worst <= 1.06 * sigma * gain, qPrintable(QString("%1 against %2").arg(worst).arg(sigma * gain)));
    QVERIFY2(worst >= 0.5 * sigma * gain, qPrintable(QString("%1 against %2").arg(worst).arg(sigma * gain)));
    // The posture that was touched badly is named.
    std::vector<Pose> bad = clean;
    bad[2].translation += Vec3(0.003, 0, 0);
    QCOMPARE(fitTcp(bad).value().worstPosture, size_t(2));
}

void TeachTest::poorOrientationsAreTold()
{
    std::mt19937_64 random(17);
    const Vec3 tcp(0.02, -0.03, 0.18), place(0.6, 0.1, 0.3);
    QVERIFY(fitTcp(touching(tcp, place, 6, 0.08, random)).value().poorSpread());
    QVERIFY(!fitTcp(touching(tcp, place, 6, 1.0, random)).value().poorSpread());
    // Turned about one axis only, the place along that axis cannot be told.
    std::vector<Pose> flat;
    for (int i = 0; i < 5; ++i) {
        const Quat rotation(Eigen::AngleAxisd(0.6 * i, Vec3::UnitZ()));
        flat.push_back({place - rotation * tcp, rotation});
    }
    QCOMPARE(fitTcp(flat).error().code, std::string("teach.orientations"));
    flat.resize(3);
    QCOMPARE(fitTcp(flat).error().code, std::string("teach.count"));
}

void TeachTest::typedMovesAreRead_data()
{
    // what (j, p, t), index, by, value [m or rad], two at most
    QTest::addColumn<QString>("line");
    QTest::addColumn<QString>("told");
    QTest::newRow("by along") << "Z +25"
                              << "p2 by 0.025";
    QTest::newRow("joint by") << "j4 -10"
                              << "j3 by -0.174533";
    QTest::newRow("to") << "x 350 y 0"
                        << "p0 to 0.35; p1 to 0";
    QTest::newRow("to a negative place") << "x = -350"
                                         << "p0 to -0.35";
    QTest::newRow("equals without blanks") << "y=12,5"
                                           << "p1 to 0.0125";
    QTest::newRow("no blanks") << "z-5"
                               << "p2 by -0.005";
    QTest::newRow("turn by") << "rz +90"
                             << "t2 by 1.5708";
    QTest::newRow("turn to") << "RX 180"
                             << "t0 to 3.14159";
    QTest::newRow("units") << "x +1 in; rz -0.5 rad"
                           << "p0 by 0.0254; t2 by -0.5";
    QTest::newRow("a degree sign") << "rz +5\u00b0" << "t2 by 0.0872665";
    QTest::newRow("sums") << "x 1200-45/2"
                          << "p0 to 1.1775";
    QTest::newRow("joints") << "Joint 1 = -30, j6 +5"
                            << "j0 to -0.523599; j5 by 0.0872665";
    QTest::newRow("mixed to and by") << "x 350 z +25"
                                     << "p0 to 0.35; p2 by 0.025";
}

void TeachTest::typedMovesAreRead()
{
    QFETCH(QString, line);
    QFETCH(QString, told);
    const auto read = readTypedMove(line.toStdString(), *catalogueArm("sixaxis-1400"), 1e-3, kDegree);
    QVERIFY2(bool(read), read ? "" : read.error().line().c_str());
    QStringList got;
    for (const TypedMove::Part& part : read->parts)
        got << QString("%1%2 %3 %4")
                   .arg(QChar("jpt"[int(part.what)]))
                   .arg(part.index)
                   .arg(part.by ? "by" : "to")
                   .arg(part.value, 0, 'g', 6);
    QCOMPARE(got.join("; "), told);
}

void TeachTest::typedMovesAreRefusedWithTheirPlace_data()
{
    QTest::addColumn<QString>("line");
    QTest::addColumn<int>("column");
    QTest::newRow("nothing") << "  " << 1;
    QTest::newRow("no axis") << "q 5" << 1;
    QTest::newRow("no axis behind one") << "x 5 w 3" << 3;
    QTest::newRow("no number") << "x" << 2;
    QTest::newRow("no number behind it") << "x +" << 3;
    QTest::newRow("no such joint") << "j9 +5" << 1;
    QTest::newRow("joint nought") << "j0 +5" << 1;
    QTest::newRow("twice") << "x 5 x 6" << 5;
    QTest::newRow("mixed") << "x 5 j1 6" << 5;
    QTest::newRow("an angle for a length") << "x 5 deg" << 3;
    QTest::newRow("a length for a turning joint") << "j1 +5 mm" << 4;
    QTest::newRow("letters of other scripts") << "\u00e4 5" << 1;
    QTest::newRow("a word") << "somewhere" << 1;
}

void TeachTest::typedMovesAreRefusedWithTheirPlace()
{
    QFETCH(QString, line);
    QFETCH(int, column);
    const auto read = readTypedMove(line.toStdString(), *catalogueArm("sixaxis-1400"), 1e-3, kDegree);
    QVERIFY(!read);
    QCOMPARE(QString::fromStdString(read.error().where), QString("column %1").arg(column));
    QVERIFY(!read.error().message.empty() && !read.error().remedy.empty());
}

TOPIKOS_TEST(TeachTest)
#include "teach_test.moc"
