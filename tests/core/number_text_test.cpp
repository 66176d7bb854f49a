#include "core/spatial/number_text.h"
#include "tests/run.h"

#include <QTest>

using namespace topikos;

class NumberTextTest : public QObject {
    Q_OBJECT
private slots:
    void sumsHaveTheirValue_data();
    void sumsHaveTheirValue();
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

void NumberTextTest::nonsenseHasNone_data()
{
    QTest::addColumn<QString>("typed");
    for (const char* typed : {"", " ", "twelve", "12mm", "1 2", "(1", "1)", "1+", "*2", "1/0", "nan", "inf", "1e999", "()", "--"}) QTest::newRow(qPrintable(QString("“%1”").arg(typed))) << QString(typed);
    QTest::newRow("deep") << QString(10000, '(');
}

void NumberTextTest::nonsenseHasNone()
{
    QFETCH(QString, typed);
    QVERIFY(!numberOf(typed.toStdString()));
}

TOPIKOS_TEST(NumberTextTest)
#include "number_text_test.moc"
