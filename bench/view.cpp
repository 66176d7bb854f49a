// What a person feels: frames, the verdict on a typed pose, start and memory. Needs a display (xvfb-run will do).
#include "app/session/memory.h"
#include "app/strip/custom_plot.h"
#include "app/theme/theme.h"
#include "app/view/surface.h"
#include "app/view/viewport.h"
#include "app/window/main_window.h"
#include "bench/long_cell.h"
#include "tests/wave.h"

#include <QAction>
#include <QApplication>
#include <QElapsedTimer>
#include <QFile>
#include <QLineEdit>
#include <QTest>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <vector>

using namespace topikos;

namespace {

double median(std::vector<double> v)
{
    std::sort(v.begin(), v.end());
    return v[v.size() / 2];
}

double residentMegabytes()
{
    QFile file("/proc/self/status");
    if (!file.open(QIODevice::ReadOnly)) return 0;
    for (const QByteArray& line : file.readAll().split('\n'))
        if (line.startsWith("VmRSS:")) return line.simplified().split(' ')[1].toDouble() / 1024;
    return 0;
}

/// Runs the event loop until the view has drawn `more` frames.
void awaitFrames(const Viewport& view, int more)
{
    const int until = view.frameCount() + more;
    while (view.frameCount() < until)
        QApplication::processEvents(QEventLoop::AllEvents, 50);
}

/// Milliseconds of frames while the arm is jogged, as long as `goesOn(frames so far)`.
template <class GoesOn> std::vector<double> joggedFrames(MainWindow& window, const GoesOn& goesOn)
{
    std::vector<double> out;
    QElapsedTimer clock;
    while (goesOn(out.size())) {
        clock.start();
        window.session().jogJoint(0, out.size() % 2 ? 0.02 : -0.02);
        awaitFrames(window.viewport(), 1);
        out.push_back(double(clock.nsecsElapsed()) * 1e-6);
    }
    return out;
}

/// Six curves of 20,000 points each, pen of one pixel, cursor on a layer of its own: milliseconds to draw all, and to
/// move the cursor.
std::pair<double, double> replotTimes()
{
    QCustomPlot plot;
    plot.resize(1000, 400);
    plot.setNotAntialiasedElements(QCP::aeAll);
    plot.addLayer("cursor", plot.layer("overlay"), QCustomPlot::limBelow);
    plot.layer("cursor")->setMode(QCPLayer::lmBuffered);
    for (int g = 0; g < 6; ++g) {
        QVector<double> x(20000), y(20000);
        for (int i = 0; i < x.size(); ++i) {
            x[i] = i * 1e-3;
            y[i] = std::sin(0.7 * x[i] + g) + 0.2 * std::sin(11 * x[i]);
        }
        plot.addGraph()->setData(x, y, true);
        plot.graph(g)->setPen(QPen(Qt::darkCyan, 1));
    }
    plot.rescaleAxes();
    auto* cursor = new QCPItemStraightLine(&plot);
    cursor->setLayer("cursor");
    plot.show();
    QApplication::processEvents();
    std::vector<double> whole, moved;
    for (int i = 0; i < 40; ++i) {
        QElapsedTimer clock;
        clock.start();
        plot.replot(QCustomPlot::rpImmediateRefresh);
        whole.push_back(double(clock.nsecsElapsed()) * 1e-6);
        clock.restart();
        cursor->point1->setCoords(0.4 * i, 0);
        cursor->point2->setCoords(0.4 * i, 1);
        plot.layer("cursor")->replot();
        moved.push_back(double(clock.nsecsElapsed()) * 1e-6);
    }
    return {median(whole), median(moved)};
}

}  // namespace

int main(int argc, char** argv)
{
    QElapsedTimer clock;
    clock.start();
    topikos::giveBackLargeBlocks();
    topikos::chooseOpenGl();
    QApplication app(argc, argv);
    QApplication::setOrganizationName("Topikos");
    QApplication::setApplicationName("topikos-bench");
    applyTheme(false);
    MainWindow window;
    window.resize(1520, 900);
    window.show();
    awaitFrames(window.viewport(), 1);
    std::printf("%-46s %8.0f ms   (goal 700)\n", "main() to first complete frame", double(clock.elapsed()));
    while (!window.session().checkIsFresh())
        QApplication::processEvents();
    std::printf("view of %d x %d pixels\n", window.viewport().width(), window.viewport().height());

    std::vector<double> frames = joggedFrames(window, [](size_t n) { return n < 60; });
    std::printf("%-46s %8.1f ms   (goal 60)\n", "frame while jogging, median", median(frames));

    std::vector<double> still;
    for (int i = 0; i < 10; ++i) {
        window.session().jogJoint(0, 0.01);
        awaitFrames(window.viewport(), 1);
        clock.restart();
        awaitFrames(window.viewport(), 1);
        still.push_back(double(clock.nsecsElapsed()) * 1e-6);
    }
    std::printf("%-46s %8.1f ms   (goal 150)\n", "refined picture after standing still, median", median(still));

    auto* z = window.findChild<QLineEdit*>("reading2");
    z->setFocus();
    std::vector<double> typed;
    for (int i = 0; i < 30; ++i) {
        z->selectAll();
        clock.restart();
        QTest::keyClicks(z, "9");
        typed.push_back(double(clock.nsecsElapsed()) * 1e-6);
    }
    std::printf("%-46s %8.2f ms   (goal one frame)\n", "key in a typed pose to verdict and ghost", median(typed));

    std::vector<double> edits;
    for (int i = 0; i < 20; ++i) {
        clock.restart();
        const TargetId id = window.session().cell().targets.back().id;
        const Pose pose = window.session().cell().targets.back().pose * translated({0, 0, i % 2 ? 0.001 : -0.001});
        window.session().edit("Move", [&](const Cell& cell) { return setTargetPose(cell, id, pose); });
        while (!window.session().checkIsFresh())
            QApplication::processEvents();
        edits.push_back(double(clock.nsecsElapsed()) * 1e-6);
    }
    std::printf("%-46s %8.1f ms\n", "edit of a demo target to fresh verdicts", median(edits));
    giveBackSmallBlocks();
    const double demo = residentMegabytes();
    std::printf("%-46s %8.0f MB   (goal 180)\n", "resident memory", demo);

    // A surface of 320,000 triangles on the rack: lighter while it moves, whole when it stands still. It goes before
    // memory is looked at again.
    {
        const ReadSurface read = test::waveSurface(400);
        const Solid large = solidOf(read, 1, false);
        const FrameId rack = window.session().cell().frames.back().id;
        clock.restart();
        window.session().edit("Wave", [&](const Cell& cell) { return setFrameSolids(cell, rack, {large}); });
        awaitFrames(window.viewport(), 1);
        std::printf("%-46s %8.0f ms\n", "320,000 triangles brought in to first frame", double(clock.elapsed()));
        frames = joggedFrames(window, [](size_t n) { return n < 30; });
        std::printf("%-46s %8.1f ms\n", "frame while jogging beside it, median", median(frames));
        clock.restart();
        awaitFrames(window.viewport(), 1);
        std::printf("%-46s %8.0f ms\n", "refined picture with it, still wait included", double(clock.elapsed()));
        std::printf("%-46s %8.0f MB\n", "resident memory with it", residentMegabytes());
    }

    // Large cells one after the other, and back to the first one.
    const auto settled = [&] {
        while (!window.session().checkIsFresh())
            QApplication::processEvents();
        QTest::qWait(500);  // moving and standing still
        giveBackSmallBlocks();
        return residentMegabytes();
    };
    for (int i = 0; i < 4; ++i) {
        Cell big = window.session().cell();
        const FrameId frame = big.frames.back().id;
        window.session().open(setFrameSolids(big, frame, {solidOf(test::waveSurface(400), 1, false)}).value(), {});
        settled();
        window.openExample("tile-glazing-line");
    }
    const double after = settled();
    std::printf("%-46s %8.0f MB, %.0f before (goal within 10 %%)\n", "resident memory after four large cells", after,
                demo);

    // 5,000 moves, eight in ten steps, checked in the background while the arm is jogged.
    window.session().open(longCell(window.session().cell(), 6250), {});
    awaitFrames(window.viewport(), 1);
    QElapsedTimer whole;
    whole.start();
    frames = joggedFrames(window, [&](size_t) {
        return !window.session().checkIsFresh() || !window.session().checked()->result.complete;
    });
    if (!frames.empty())
        std::printf("%-46s %8.1f ms, longest %.0f ms   (goal 60; %zu frames in %.1f s)\n",
                    "frame while 5,000 moves are checked, median", median(frames),
                    *std::max_element(frames.begin(), frames.end()), frames.size(), double(whole.elapsed()) * 1e-3);

    frames = joggedFrames(window, [](size_t n) { return n < 30; });
    std::printf("%-46s %8.1f ms\n", "frame with 5,000 moves that are checked, median", median(frames));

    // The same with 5,000 targets: what an edit, a key in a step and a selection cost the interface thread. The event
    // loop is not run in between, so nothing is drawn.
    Cell wide = window.session().cell();
    const Target model = wide.targets.back();
    while (wide.targets.size() < 5000) {
        Target next = model;
        next.id = {wide.nextId++};
        next.name = "Spot " + std::to_string(next.id.value);
        wide.targets.push_back(next);
    }
    window.session().open(wide, {});
    while (!window.session().checkIsFresh() || !window.session().checked()->result.complete)
        QApplication::processEvents();
    const auto timed = [&](const char* words, const auto& run) {
        std::vector<double> took;
        for (int i = 0; i < 12; ++i) {
            QElapsedTimer own;
            own.start();
            run(i);
            QCoreApplication::sendPostedEvents(nullptr, QEvent::MetaCall);
            took.push_back(double(own.nsecsElapsed()) * 1e-6);
            QApplication::processEvents();
        }
        std::printf("%-46s %8.1f ms   (goal 4)\n", words, median(took));
    };
    for (const char* face : {"Route face", "Targets face", "Cell face"}) {
        for (QAction* action : window.findChildren<QAction*>())
            if (action->text() == face) action->trigger();
        QApplication::processEvents();
        const TargetId id = window.session().cell().targets[2500].id;
        const Pose pose = window.session().cell().targets[2500].pose;
        timed(qPrintable(QString("edit at 5,000 x 5,000, ") + face), [&](int i) {
            window.session().edit("Move", [&](const Cell& cell) {
                return setTargetPose(cell, id, pose * translated({0, 0, -1e-4 * i}));
            });
        });
        timed(qPrintable(QString("selection there, ") + face),
              [&](int i) { window.session().select(window.session().cell().targets[size_t(2000 + i)].id); });
    }

    const auto [replot, cursor] = replotTimes();
    std::printf("curves, 6 x 20,000 points: replot %.2f ms, cursor %.2f ms\n", replot, cursor);
    return 0;
}
