#include "core/cell/validate.h"
#include "tests/app/window_fixture.h"
#include "tests/run.h"

#include <QApplication>
#include <QDialog>
#include <QElapsedTimer>
#include <QMenu>
#include <QTimer>
#include <QWheelEvent>

#include <random>

using namespace topikos;
using namespace topikos::test;

/// Random keys, clicks, drags and wheels over everything that can be seen: nothing breaks, nothing hangs, and the cell
/// stays one that could be saved.
class MonkeyTest : public WindowFixture {
    Q_OBJECT
private Q_SLOTS:
    void nothingBreaks_data();
    void nothingBreaks();

private:
    std::mt19937_64 m_random;
    QString m_last;  ///< what was done
    size_t below(size_t n) { return n == 0 ? 0 : size_t(m_random() % n); }
    template <class List> auto& oneOf(const List& list) { return list[below(size_t(list.size()))]; }

    QWidget* somewhere()
    {
        QList<QWidget*> all;
        if (QWidget* popup = QApplication::activePopupWidget()) return popup;
        for (QWidget* widget : m_window->findChildren<QWidget*>())
            if (widget->isVisible() && widget->width() > 1 && widget->height() > 1) all << widget;
        // The view and the lists are where most is done.
        if (below(4) == 0) return &view();
        return all.isEmpty() ? m_window.get() : oneOf(all);
    }
    static QPoint inside(QWidget* widget, std::mt19937_64& random)
    {
        return {int(random() % size_t(widget->width())), int(random() % size_t(widget->height()))};
    }
    void key()
    {
        static const std::vector<Qt::Key> keys{
            Qt::Key_A,      Qt::Key_B,        Qt::Key_C,         Qt::Key_E,         Qt::Key_F,      Qt::Key_H,
            Qt::Key_J,      Qt::Key_L,        Qt::Key_M,         Qt::Key_O,         Qt::Key_R,      Qt::Key_S,
            Qt::Key_T,      Qt::Key_V,        Qt::Key_W,         Qt::Key_X,         Qt::Key_Z,      Qt::Key_0,
            Qt::Key_1,      Qt::Key_3,        Qt::Key_9,         Qt::Key_Comma,     Qt::Key_Period, Qt::Key_Minus,
            Qt::Key_Space,  Qt::Key_Return,   Qt::Key_Tab,       Qt::Key_Backspace, Qt::Key_Delete, Qt::Key_Escape,
            Qt::Key_Up,     Qt::Key_Down,     Qt::Key_Left,      Qt::Key_Right,     Qt::Key_Home,   Qt::Key_End,
            Qt::Key_PageUp, Qt::Key_PageDown, Qt::Key_F2,        Qt::Key_F5,        Qt::Key_F6,     Qt::Key_F7,
            Qt::Key_F8,     Qt::Key_Less,     Qt::Key_NumberSign};
        static const std::vector<Qt::KeyboardModifiers> with{
            Qt::NoModifier,    Qt::NoModifier,      Qt::NoModifier,
            Qt::ShiftModifier, Qt::ControlModifier, Qt::ControlModifier | Qt::ShiftModifier,
            Qt::AltModifier};
        QWidget* to = QApplication::activePopupWidget();
        if (!to) to = QApplication::focusWidget();
        const Qt::Key pressed = oneOf(keys);
        const Qt::KeyboardModifiers held = oneOf(with);
        m_last = "key " + QKeySequence(QKeyCombination(held, pressed)).toString() + " in "
                 + (to ? to : m_window.get())->objectName();
        QTest::keyClick(to ? to : m_window.get(), pressed, held);
    }
    void mouse()
    {
        QPointer<QWidget> on = somewhere();
        m_last = "mouse on " + on->objectName();
        const Qt::MouseButton button = below(6) == 0 ? Qt::RightButton : Qt::LeftButton;
        const Qt::KeyboardModifiers with = below(5) == 0 ? Qt::ControlModifier : Qt::NoModifier;
        const QPoint from = inside(on, m_random), to = inside(on, m_random);
        if (below(8) == 0) return QTest::mouseDClick(on, button, with, from);
        QTest::mousePress(on, button, with, from);
        if (on && below(2) == 0)
            for (int i = 1; on && i <= 4; ++i)
                QTest::mouseMove(on, from + (to - from) * i / 4);
        if (on) QTest::mouseRelease(on, button, with, to);
    }
    void wheel()
    {
        QWidget* on = somewhere();
        m_last = "wheel on " + on->objectName();
        const QPointF at = inside(on, m_random);
        QWheelEvent event(at, on->mapToGlobal(at), {}, {0, below(2) ? 120 : -120}, Qt::NoButton,
                          below(4) ? Qt::NoModifier : Qt::ControlModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(on, &event);
    }
    void command()
    {
        QList<QAction*> all;
        for (QAction* own : m_window->actions())
            if (own->isEnabled() && own->text() != "Quit") all << own;
        if (all.isEmpty()) return;
        QAction* chosen = oneOf(all);
        m_last = "command " + chosen->text();
        chosen->trigger();
    }
};

void MonkeyTest::nothingBreaks_data()
{
    QTest::addColumn<int>("seed");
    QTest::addColumn<int>("events");
    const bool many = qEnvironmentVariableIsSet("TOPIKOS_MANY");
    for (int seed = 1; seed <= (many ? 5 : 2); ++seed)
        QTest::addRow("seed %d", seed) << seed << (many ? 20000 : 5000);
}
void MonkeyTest::nothingBreaks()
{
    QFETCH(int, seed);
    QFETCH(int, events);
    m_random.seed(std::uint64_t(seed));
    // What asks something is given up, and is no reason to wait.
    QTimer closes;
    connect(&closes, &QTimer::timeout, this, [] {
        if (QWidget* popup = QApplication::activePopupWidget()) popup->close();
        if (auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget())) dialog->reject();
    });
    closes.start(40);
    QElapsedTimer clock;
    qint64 longest = 0;
    QString longestWas;
    for (int n = 0; n < events; ++n) {
        clock.start();
        switch (below(10)) {
        case 0: wheel(); break;
        case 1: command(); break;
        case 2:
        case 3:
        case 4:
        case 5: mouse(); break;
        default: key(); break;
        }
        if (n % 8 == 0) QCoreApplication::processEvents();
        if (const qint64 took = clock.elapsed(); took > longest) {
            longest = took;
            longestWas = m_last;
        }
        const Cell& cell = session().cell();
        QVERIFY2(session().isThere(session().selection()), qPrintable(QString("event %1").arg(n)));
        QCOMPARE(session().posture().size(), session().arm().jointCount());
        QVERIFY(session().posture().allFinite());
        QVERIFY(!cell.arms.empty());
        if (n % 50 == 0)
            if (const Status bad = validate(cell))
                QFAIL(qPrintable(QString("event %1: ").arg(n) + bad->line().c_str()));
        if (!m_window->isVisible()) m_window->show();
    }
    qInfo("the longest of %d events took %lld ms: %s", events, longest, qPrintable(longestWas));
}

TOPIKOS_TEST(MonkeyTest)
#include "monkey_test.moc"
