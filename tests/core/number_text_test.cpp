#include "core/spatial/number_text.h"
#include "tests/run.h"

#include <QTest>

#include <cmath>

using namespace topikos;

class NumberTextTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void sumsHaveTheirValue_data();
    void sumsHaveTheirValue();
    void unitsCount_data();
    void unitsCount();
    void nonsenseHasNone_data();
    void nonsenseHasNone();
};

void NumberTextTest::sumsHaveTheirValue_data()
{
    QTest::addColumn<QString>("typed");
    QTest::addColumn<double>("value");
    const auto row = [](const char* typed, double value) { QTest::newRow(typed) << QString(typed) << value; };
    row("12", 12);
    row(" -3.5 ", -3.5);
    row("1,25", 1.25);
    row("1200-45/2", 1177.5);
    row("2*(3+4)-1", 13);
    row("-(2-5)*2", 6);
    row("1e3", 1000);
    row("3--2", 5);
    row("10/4/5", 0.5);
    row("10-4-3", 3);
    row("+7", 7);
}

void NumberTextTest::sumsHaveTheirValue()
{
    QFETCH(QString, typed);
    QFETCH(double, value);
    const auto found = numberOf(typed.toStdString());
    QVERIFY(found);
    QCOMPARE(*found, value);
}

void NumberTextTest::unitsCount_data()
{
    QTest::addColumn<QString>("typed");
    QTest::addColumn<int>("quantity");
    QTest::addColumn<double>("value");  // in m or rad, as the field counts in mm and degrees
    const auto row = [](const char* typed, Quantity quantity, double value) {
        QTest::newRow(typed) << QString::fromUtf8(typed) << int(quantity) << value;
    };
    row("12", Quantity::Length, 0.012);
    row("12 mm", Quantity::Length, 0.012);
    row("1200-45/2 mm", Quantity::Length, 1.1775);
    row("0.5m", Quantity::Length, 0.5);
    row("3,5 cm", Quantity::Length, 0.035);
    row("12in", Quantity::Length, 0.3048);
    row("2\"", Quantity::Length, 0.0508);
    row("180", Quantity::Angle, 3.14159265358979);
    row("90°", Quantity::Angle, 1.5707963267949);
    row("90 deg", Quantity::Angle, 1.5707963267949);
    row("1.5 rad", Quantity::Angle, 1.5);
    row("250", Quantity::Speed, 0.25);
    row("4 in/s", Quantity::Speed, 0.1016);
    row("0,1 m/s", Quantity::Speed, 0.1);
    row("180°/s", Quantity::TurnSpeed, 3.14159265358979);
    row("1.5 rad/s", Quantity::TurnSpeed, 1.5);
}

void NumberTextTest::unitsCount()
{
    QFETCH(QString, typed);
    QFETCH(int, quantity);
    QFETCH(double, value);
    const bool isLength = Quantity(quantity) == Quantity::Length || Quantity(quantity) == Quantity::Speed;
    const double unit = isLength ? 1e-3 : 3.14159265358979323846 / 180;
    const auto found = quantityOf(typed.toStdString(), Quantity(quantity), unit);
    QVERIFY(found);
    QVERIFY(std::abs(*found - value) < 1e-12);
    // Units of the other kind are none of this one.
    if (typed.contains("m") || typed.contains("rad") || typed.contains("/s"))
        QVERIFY(!quantityOf(typed.toStdString(), isLength ? Quantity::Angle : Quantity::Length, unit));
    // A length is no speed, and the other way round.
    const bool isRate = typed.contains("/s");
    if (typed.contains("m") || isRate)
        QVERIFY(!quantityOf(typed.toStdString(), isRate == isLength ? Quantity::Length : Quantity::Speed, unit));
}

void NumberTextTest::nonsenseHasNone_data()
{
    QTest::addColumn<QString>("typed");
    for (const char* typed :
         {"", " ", "twelve", "12mm", "1 2", "(1", "1)", "1+", "*2", "1/0", "nan", "inf", "1e999", "()", "--"})
        QTest::newRow(qPrintable(QString("“%1”").arg(typed))) << QString(typed);
    QTest::newRow("deep") << QString(10000, '(');
}

void NumberTextTest::nonsenseHasNone()
{
    QFETCH(QString, typed);
    QVERIFY(!numberOf(typed.toStdString()));
}

TOPIKOS_TEST(NumberTextTest)
#include "number_text_test.moc"
