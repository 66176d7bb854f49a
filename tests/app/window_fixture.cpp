#include "tests/app/window_fixture.h"

#include "app/session/text.h"

#include <QAbstractSpinBox>
#include <QLineEdit>
#include <QSettings>

namespace topikos::test {

void WindowFixture::init()
{
    QSettings().clear();
    chooseUnits(0, 0);
    m_window = std::make_unique<MainWindow>();
    m_window->resize(1280, 800);
    m_window->show();
    QVERIFY(QTest::qWaitForWindowExposed(m_window.get()));
    m_window->activateWindow();
    fresh();
    QTRY_VERIFY(view().frameCount() > 0);
}

void WindowFixture::cleanup()
{
    m_window.reset();
    QSettings().clear();
}

QAction* WindowFixture::action(const QString& words)
{
    for (QAction* a : m_window->actions())
        if (a->text() == words || a->text().startsWith(words + ":")) return a;
    qFatal("there is no action %s", qPrintable(words));
}

TargetId WindowFixture::targetNamed(const char* name)
{
    for (const Target& t : session().cell().targets)
        if (t.name == name) return t.id;
    return {};
}

FrameId WindowFixture::frameNamed(const char* name)
{
    for (const Frame& f : session().cell().frames)
        if (f.name == name) return f.id;
    return {};
}

void WindowFixture::type(const QString& field, const QString& words)
{
    QCoreApplication::processEvents();  // the properties are made anew after the present event
    QTRY_VERIFY2(m_window->findChild<QWidget*>(field), qPrintable("there is no " + field));
    auto* widget = child<QWidget>(field);
    widget->setFocus();
    QLineEdit* edit = qobject_cast<QLineEdit*>(widget);
    if (!edit) edit = widget->findChild<QLineEdit*>();
    QVERIFY(edit);
    edit->selectAll();
    QTest::keyClicks(edit, words);
    QTest::keyClick(edit, Qt::Key_Return);
    QCoreApplication::processEvents();
}

}  // namespace topikos::test
