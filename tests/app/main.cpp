#include "app/theme/theme.h"
#include "app/view/surface.h"
#include "tests/run.h"

#include <QApplication>
#include <QStandardPaths>

int main(int argc, char** argv)
{
    topikos::chooseOpenGl();
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    QApplication::setOrganizationName("Topikos");
    QApplication::setApplicationName("topikos-test");
    QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    topikos::applyTheme(false);
    return runRegisteredTests(argc, argv);
}
