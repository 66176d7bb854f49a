#include "app/strip/breakdown_panel.h"
#include "app/strip/curves_panel.h"
#include "app/strip/custom_plot.h"
#include "core/cell/edit.h"
#include "core/files/cell_file.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QApplication>
#include <QPushButton>
#include <QTableWidget>
#include <QTabWidget>
#include <QTreeWidget>

using namespace topikos;
using namespace topikos::test;

/// The faces of the strip that say where the time goes and how joints and tool move, in the real window.
class CurvesWindowTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void breakdownHasABarForEachStep();
    void breakdownByArmsAndWaiting();
    void keptRunIsComparedWith();
    void curvesAreChosenAndRead();
    void cursorIsTheTimeOfTheRun();
    void wheelAndKeysZoom();
    void shareOfTheLimitAndKeptRun();
    void nothingChosenSaysWhatToDo();

private:
    BreakdownPanel* breakdown() { return m_window->findChild<BreakdownPanel*>(); }
    CurvesPanel* curves() { return m_window->findChild<CurvesPanel*>(); }
    QTableWidget* table() { return child<QTableWidget>("breakdownTable"); }
    void openFace(const char* words)
    {
        fresh();
        action(words)->trigger();
        QCoreApplication::processEvents();
        if (const Trace* run = session().trace(); run && run->duration > 0 && QString(words) == "Breakdown")
            QTRY_VERIFY(table()->rowCount() > 0);
    }
    QTreeWidgetItem* entry(const QString& words)
    {
        const auto found = child<QTreeWidget>("curvesList")->findItems(words, Qt::MatchExactly | Qt::MatchRecursive);
        if (found.isEmpty()) qFatal("there is no curve %s", qPrintable(words));
        return found[0];
    }
    std::pair<double, double> seen()
    {
        const QCPRange range = curves()->plot()->axisRect(0)->axis(QCPAxis::atBottom)->range();
        return {range.lower, range.upper};
    }
};

void CurvesWindowTest::breakdownHasABarForEachStep()
{
    openFace("Breakdown");
    QVERIFY(breakdown()->isVisible());
    const Trace& trace = *session().trace();
    QCOMPARE(table()->rowCount(), int(trace.arms[0].spans.size()));
    double sum = 0;
    for (int r = 0; r < table()->rowCount(); ++r)
        sum += table()->item(r, 2)->text().toDouble();
    QVERIFY(std::abs(sum - trace.duration) < 0.01);
    QVERIFY(child<QLabel>("breakdownSummary")->text().contains("parts per hour"));
    // A row is a step: choosing it chooses the step everywhere.
    QTest::mouseClick(table()->viewport(), Qt::LeftButton, {}, table()->visualItemRect(table()->item(2, 0)).center());
    QCOMPARE(session().selected<StepId>(), trace.arms[0].outcomes[2].step);
    QVERIFY(table()->item(2, 0)->text().contains("line to Tile pick"));
    QVERIFY(table()->item(2, 7)->text().contains("speed of the tool"));
    // An edit makes it anew.
    const double before = table()->item(2, 2)->text().toDouble();
    Step step = session().routine().steps[2];
    step.as<LineMove>()->speed *= 0.5;
    const RoutineId routine = session().routine().id;
    QVERIFY(session().edit("Slow", [&](const Cell& c) { return changeStep(c, routine, step); }));
    fresh();
    QTRY_VERIFY(table()->item(2, 2)->text().toDouble() > 1.5 * before);
}

void CurvesWindowTest::breakdownByArmsAndWaiting()
{
    QVERIFY(m_window->openExample("rack-of-24"));
    openFace("Breakdown");
    auto* by = child<QComboBox>("breakdownBy");
    by->setCurrentIndex(2);
    QStringList names;
    for (int r = 0; r < table()->rowCount(); ++r)
        names << table()->item(r, 0)->text();
    QVERIFY2(names.filter("moves").size() >= 1 && names.filter("grips").size() == 1, qPrintable(names.join(", ")));
    by->setCurrentIndex(3);
    QVERIFY(table()->rowCount() >= 1 && table()->item(0, 0)->text().contains(" for "));
    by->setCurrentIndex(1);
    double sum = 0;
    for (int r = 0; r < table()->rowCount(); ++r)
        sum += table()->item(r, 2)->text().toDouble();
    QVERIFY(std::abs(sum - breakdown()->breakdown().seconds()) < 0.01);
}

void CurvesWindowTest::keptRunIsComparedWith()
{
    openFace("Breakdown");
    QVERIFY(table()->isColumnHidden(6));
    click("keepRun");
    QTRY_VERIFY(!table()->isColumnHidden(6));
    QCOMPARE(table()->item(2, 6)->text(), QString("="));
    Step step = session().routine().steps[2];
    step.as<LineMove>()->speed *= 0.5;
    const RoutineId routine = session().routine().id;
    QVERIFY(session().edit("Slow", [&](const Cell& c) { return changeStep(c, routine, step); }));
    fresh();
    QTRY_VERIFY(table()->item(2, 6)->text().startsWith("+0."));
    QVERIFY(child<QLabel>("breakdownSummary")->text().contains("against the kept run"));
    click("keepRun");
    QVERIFY(!session().keptRun());
    QTRY_VERIFY(table()->isColumnHidden(6));
}

void CurvesWindowTest::curvesAreChosenAndRead()
{
    openFace("Curves");
    QVERIFY(curves()->plot()->isVisible());
    QCOMPARE(curves()->chosen().size(), size_t(1));
    QCOMPARE(curves()->plot()->axisRectCount(), 1);
    entry("Joint speeds")->setCheckState(0, Qt::Checked);
    QCOMPARE(curves()->chosen().size(), size_t(7));
    QCOMPARE(curves()->plot()->axisRectCount(), 2);
    session().scrub(3.2);
    const QStringList words = curves()->readOut();
    QCOMPARE(words.size(), 2);
    const double speed = curveValues(session().cell(), *session().trace(), {curves()->chosen().back()}, {3.2})[0][0];
    const QString figure = QString::number(1000 * speed, 'f', 1);
    QVERIFY2(words.join("|").contains("TCP speed " + figure), qPrintable(words.join("|")));
    // What is drawn is the run: at any place the value there.
    QCPGraph* graph = curves()->plot()->graph(curves()->plot()->graphCount() - 1);
    QVERIFY(graph->data()->size() > 400);
    const auto point = graph->data()->constBegin() + 200;
    const double there =
        curveValues(session().cell(), *session().trace(), {curves()->chosen().back()}, {point->key})[0][0];
    QVERIFY(std::abs(point->value - 1000 * there) < 1e-6 || std::abs(point->value - degrees(there)) < 1e-6);
}

void CurvesWindowTest::cursorIsTheTimeOfTheRun()
{
    openFace("Curves");
    QCustomPlot* plot = curves()->plot();
    QCPAxis* x = plot->axisRect(0)->axis(QCPAxis::atBottom);
    const QPoint place(int(x->coordToPixel(2.5)), plot->height() / 2);
    QTest::mouseClick(plot, Qt::LeftButton, {}, place);
    QVERIFY(session().inRun());
    QVERIFY(std::abs(session().time() - x->pixelToCoord(place.x())) < 1e-9);
    const double before = session().time();
    QTest::keyClick(plot, Qt::Key_Right);
    QVERIFY(session().time() > before);
    // The same cursor as that of the strip and the view.
    action("Back to the authored cell")->trigger();
    QVERIFY(!session().inRun());
}

void CurvesWindowTest::wheelAndKeysZoom()
{
    openFace("Curves");
    QCustomPlot* plot = curves()->plot();
    const auto whole = seen();
    QCOMPARE(whole.first, 0.0);
    QVERIFY(std::abs(whole.second - session().trace()->duration) < 1e-9);
    const QPointF place(plot->width() / 2, plot->height() / 2);
    const double at = plot->axisRect(0)->axis(QCPAxis::atBottom)->pixelToCoord(place.x());
    QWheelEvent wheel(place, plot->mapToGlobal(place), {}, {0, 240}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                      false);
    QApplication::sendEvent(plot, &wheel);
    const auto near = seen();
    QVERIFY(near.second - near.first < 0.8 * (whole.second - whole.first));
    QVERIFY(std::abs(plot->axisRect(0)->axis(QCPAxis::atBottom)->pixelToCoord(place.x()) - at) < 1e-6);
    // Drawn anew as finely as before.
    QVERIFY(plot->graph(0)->data()->constBegin()->key == near.first);
    QTest::keyClick(plot, Qt::Key_0);
    QCOMPARE(seen(), whole);
    QTest::keyClick(plot, Qt::Key_Plus);
    QVERIFY(seen().second - seen().first < whole.second);
    QTest::mouseDClick(plot, Qt::LeftButton, {}, place.toPoint());
    QCOMPARE(seen(), whole);
}

void CurvesWindowTest::shareOfTheLimitAndKeptRun()
{
    openFace("Curves");
    entry("TCP speed")->setCheckState(0, Qt::Unchecked);
    entry("Joint speeds")->setCheckState(0, Qt::Checked);
    child<QCheckBox>("curvesShare")->setChecked(true);
    const QCPRange range = curves()->plot()->axisRect(0)->axis(QCPAxis::atLeft)->range();
    QVERIFY2(range.upper > 20 && range.upper < 120 && range.lower > -120, qPrintable(QString::number(range.upper)));
    QVERIFY(curves()->readOut()[0].contains("% of limit"));
    const int graphs = curves()->plot()->graphCount();
    action("Keep this run or let it go")->trigger();
    QCOMPARE(curves()->plot()->graphCount(), 2 * graphs);
}

void CurvesWindowTest::nothingChosenSaysWhatToDo()
{
    openFace("Curves");
    curves()->choose({});
    QVERIFY(!curves()->plot()->isVisible());
    newCell();
    openFace("Breakdown");
    QVERIFY(!table()->isVisible());
}

TOPIKOS_TEST(CurvesWindowTest)
#include "curves_window_test.moc"
