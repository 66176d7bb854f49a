#pragma once
#include "app/view/viewport.h"
#include "app/window/main_window.h"

#include <QAction>
#include <QApplication>
#include <QLabel>
#include <QTest>
#include <QTimer>

#include <functional>
#include <memory>

namespace topikos::test {

/// A real window, new for every test, with settings of its own.
class WindowFixture : public QObject {
    Q_OBJECT
protected Q_SLOTS:
    void init();
    void cleanup();

protected:
    Session& session() { return m_window->session(); }
    Viewport& view() { return m_window->viewport(); }
    template <class T> T* child(const QString& name)
    {
        T* found = m_window->findChild<T*>(name);
        if (!found) qFatal("there is no %s", qPrintable(name));
        return found;
    }
    QAction* action(const QString& words);
    /// What the foot of the view says.
    QString note() { return child<QLabel>("viewNote")->property("plain").toString(); }
    void fresh() { QTRY_VERIFY_WITH_TIMEOUT(session().checkIsFresh() && session().checked()->result.complete, 20000); }
    /// An empty cell with what is offered first.
    void newCell();
    TargetId targetNamed(const char* name);
    FrameId frameNamed(const char* name);
    /// Types into a field of the properties and leaves it with Return.
    void type(const QString& field, const QString& words);
    /// Types where the keys go, and presses a key at the end.
    void typeThere(const QString& words, Qt::Key end);
    void click(const QString& button);
    /// Chooses an entry of a box of the properties.
    void choose(const QString& box, int index);
    void choose(const QString& box, const QString& words);
    /// Clicks a row of the layout.
    void pick(const QString& row);
    /// The rows of the layout that are not hidden.
    QStringList shownRows();
    QPoint pixelOf(const Vec3& place) { return view().camera().pixel(place, view().size()).toPoint(); }
    /// Types steps in the route, each after the one before.
    void typeSteps(const QStringList& steps);

    /// Answers the next dialog of a name, once it is there.
    template <class Dialog> void answer(const QString& name, std::function<void(Dialog*)> how)
    {
        auto* timer = new QTimer(this);
        connect(timer, &QTimer::timeout, this, [=] {
            for (QWidget* top : QApplication::topLevelWidgets())
                if (auto* dialog = qobject_cast<Dialog*>(top);
                    dialog && top->objectName() == name && top->isVisible()) {
                    timer->deleteLater();
                    timer->stop();
                    how(dialog);
                    return;
                }
        });
        timer->start(10);
    }
    /// Leaves a cell of that name behind as a window does that ended with unsaved changes; the path of its copy.
    QString loseCell(const QString& name);

    std::unique_ptr<MainWindow> m_window;
};

}  // namespace topikos::test
