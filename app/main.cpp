#include "app/session/memory.h"
#include "app/theme/theme.h"
#include "app/view/surface.h"
#include "app/window/main_window.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QSettings>
#include <QTimer>

#include <algorithm>

int main(int argc, char** argv)
{
    topikos::giveBackLargeBlocks();
    topikos::chooseOpenGl();

    QCoreApplication::setOrganizationName("Topikos");
    QCoreApplication::setApplicationName("topikos");
    // The size of everything is fixed before the first window; what the person's desktop says goes first.
    if (const int percent = QSettings().value("look/size", 100).toInt();
        percent > 100 && percent <= 300 && !qEnvironmentVariableIsSet("QT_SCALE_FACTOR"))
        qputenv("QT_SCALE_FACTOR", QByteArray::number(percent / 100.0));

    // Questions and files are asked in the look of the rest.
    QCoreApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
    QApplication app(argc, argv);
    QApplication::setApplicationVersion(TOPIKOS_VERSION);

    QCommandLineParser parser;
    parser.setApplicationDescription("Programs robot cells offline, and says what the arm can do.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("cell", "Cell file to open; without one the demo cell opens.", "[cell]");
    const QCommandLineOption picture("picture", "Write a picture of the window to FILE and quit.", "FILE");
    const QCommandLineOption example("example",
                                     "Open a shipped example: tile-glazing-line, glazing-line-on-a-rail, rack-of-24, "
                                     "glaze-edge-wiping-bench, planted-mistakes or one-mistake-of-every-rule.",
                                     "NAME");
    const QCommandLineOption size("size", "Size of that picture, 1280x800 without it.", "WIDTHxHEIGHT", "1280x800");
    parser.addOptions({picture, size, example});
    parser.process(app);

    topikos::applyTheme(QSettings().value("look/dark", false).toBool(),
                        QSettings().value("look/contrast", false).toBool());
    topikos::MainWindow window;
    if (parser.isSet(picture)) {
        const QStringList sides = parser.value(size).split('x');
        window.resize(std::clamp(sides.value(0).toInt(), 640, 4096), std::clamp(sides.value(1).toInt(), 480, 4096));
    }
    window.show();
    bool opened = true;
    if (parser.isSet(example)) opened = window.openExample(parser.value(example));
    if (!parser.positionalArguments().isEmpty()) opened = window.openFile(parser.positionalArguments().front());
    if (parser.isSet(picture)) {
        if (!opened) return 2;
        window.pictureWhenSettled(parser.value(picture), [](bool written) { QCoreApplication::exit(written ? 0 : 2); });
    }
    // Compiling shaders takes much memory once; the C library keeps it unless it is asked.
    QTimer::singleShot(3000, [] { topikos::giveBackSmallBlocks(); });
    return QApplication::exec();
}
