#include "app/theme/theme.h"
#include "tests/run.h"

#include <QApplication>
#include <QStandardPaths>
#include <QSurfaceFormat>

int main(int argc, char** argv)
{
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    QSurfaceFormat::setDefaultFormat(format);
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    QApplication::setOrganizationName("Topikos");
    QApplication::setApplicationName("topikos-test");
    QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    topikos::applyTheme(false);
    return runRegisteredTests(argc, argv);
}
