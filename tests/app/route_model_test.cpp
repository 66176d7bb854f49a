#include "app/route/route_model.h"
#include "app/session/text.h"
#include "core/files/cell_file.h"
#include "core/program/step_text.h"
#include "tests/run.h"

#include <QAbstractItemModelTester>
#include <QMimeData>
#include <QSignalSpy>

#include <memory>

using namespace topikos;

class RouteModelTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void init();
    void cleanup() { m_session.reset(); }
    void rowsShowTheSteps();
    void typedTextChangesTheStep();
    void badTextIsRefusedWithAReason();
    void droppedRowMovesTheStep();
    void numbersReadAsPeopleWriteThem_data();
    void numbersReadAsPeopleWriteThem();

private:
    std::unique_ptr<Session> m_session;
};

void RouteModelTest::init()
{
    m_session = std::make_unique<Session>(openCell(TOPIKOS_EXAMPLES "/tile-glazing-line.topikos").value());
}

void RouteModelTest::rowsShowTheSteps()
{
    RouteModel model(*m_session);
    QAbstractItemModelTester tester(&model, QAbstractItemModelTester::FailureReportingMode::QtTest);
    QCOMPARE(model.rowCount(), 10);
    QCOMPARE(model.index(1).data(RouteModel::MainRole).toString(), QString("over Tile pick"));
    QCOMPARE(model.index(1).data(RouteModel::MoreRole).toString(), QString("120 mm · blend 20 mm"));
    QCOMPARE(model.index(2).data(Qt::EditRole).toString(), QString("line to Tile pick at 150 mm/s"));
    QCOMPARE(model.index(2).data(RouteModel::FrameRole).toString(), QString("Infeed belt"));
    QVERIFY(model.index(0).data(RouteModel::HereRole).toBool());
    QVERIFY(!model.index(2).data(RouteModel::HereRole).toBool());
    QTRY_VERIFY(m_session->checked());
    // What the step takes in the run: it begins in the middle of a corner, so less than from rest to rest.
    const ArmTrace::Span& span = m_session->trace()->arms[0].spans[2];
    const double shown = model.index(2).data(RouteModel::SecondsRole).toDouble();
    QVERIFY(std::abs(shown - (span.end - span.start)) < 1e-9);
    QVERIFY(shown < 0.12 / 0.15 + 0.15 / 2 && shown > 0.1 / 0.15);
}

void RouteModelTest::typedTextChangesTheStep()
{
    RouteModel model(*m_session);
    const StepId id = model.idAt(2);
    QVERIFY(model.setData(model.index(2), "line over rack place 30 at 90", Qt::EditRole));
    QCOMPARE(stepText(m_session->cell(), m_session->routine().steps[2]),
             std::string("line over Rack place 30 mm at 90 mm/s"));
    QVERIFY(model.idAt(2) == id);
    m_session->undo();
    QCOMPARE(model.index(2).data(Qt::EditRole).toString(), QString("line to Tile pick at 150 mm/s"));
}

void RouteModelTest::badTextIsRefusedWithAReason()
{
    RouteModel model(*m_session);
    QSignalSpy said(m_session.get(), &Session::said);
    QVERIFY(!model.setData(model.index(2), "line to nowhere", Qt::EditRole));
    QCOMPARE(said.count(), 1);
    QVERIFY(said[0][0].toString().contains("no target called \"nowhere\""));
    QVERIFY(!m_session->history().canUndo());
}

void RouteModelTest::droppedRowMovesTheStep()
{
    RouteModel model(*m_session);
    const StepId grip = model.idAt(3);
    const std::unique_ptr<QMimeData> data(model.mimeData({model.index(3)}));
    model.dropMimeData(data.get(), Qt::MoveAction, 8, 0, {});
    QCOMPARE(model.rowOf(grip), 7);
    m_session->undo();
    QCOMPARE(model.rowOf(grip), 3);
    QVERIFY(!m_session->history().canUndo());
}

void RouteModelTest::numbersReadAsPeopleWriteThem_data()
{
    QTest::addColumn<QString>("shown");
    QTest::addColumn<QString>("wanted");
    QTest::newRow("millimetres") << lengthText(0.2124) << "212.4 mm";
    QTest::newRow("no minus zero") << lengthText(-1e-9) << "0.0 mm";
    QTest::newRow("degrees") << degreeText(1.6144295580947547) << "92.5°";
    QTest::newRow("offset without a turn")
        << offsetText(translated({0.72, -0.58, 0.7}), AngleOrder::FixedXyz) << "X 720.0  Y -580.0  Z 700.0 mm";
    QTest::newRow("offset with a turn") << offsetText({Vec3(0, 0, 0.19), Quat(0, 0, 1, 0)}, AngleOrder::FixedXyz)
                                        << "X 0.0  Y 0.0  Z 190.0 mm  Rx 180.0  Rz 180.0°";
    QTest::newRow("the same turn by other angles")
        << offsetText({Vec3(0, 0, 0.19), Quat(0, 0, 1, 0)}, AngleOrder::IntrinsicZyz)
        << "X 0.0  Y 0.0  Z 190.0 mm  Ry' 180.0°";
}

void RouteModelTest::numbersReadAsPeopleWriteThem()
{
    QFETCH(QString, shown);
    QFETCH(QString, wanted);
    QCOMPARE(shown, wanted);
}

TOPIKOS_TEST(RouteModelTest)
#include "route_model_test.moc"
