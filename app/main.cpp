// nutatio: the desktop application.
#include <QApplication>
#include <QCommandLineParser>
#include <QStandardPaths>
#include <QSurfaceFormat>

#include "app/bench/bench.h"
#include "app/look/theme.h"

int main(int argc, char** argv) {
    nutatio::look::setSurfaceFormat();
    QApplication app(argc, argv);
    QApplication::setApplicationName(QStringLiteral("nutatio"));
    QApplication::setApplicationDisplayName(QStringLiteral("Nutatio"));
    QApplication::setApplicationVersion(QStringLiteral(NUTATIO_VERSION));
    QCommandLineParser arguments;
    arguments.setApplicationDescription(QStringLiteral("Secondary motion on animated characters."));
    arguments.addPositionalArgument(QStringLiteral("FILE"),
                                    QStringLiteral("A character (.glb, .gltf, .bvh) or a scene (.nutatio)"));
    arguments.addHelpOption();
    arguments.addVersionOption();
    arguments.process(app);
    nutatio::look::dress(app);
    nutatio::app::Bench bench(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/unsaved"));
    bench.show();
    const QStringList files = arguments.positionalArguments();
    if (!files.isEmpty()) bench.open(files.front());
    return QApplication::exec();
}
