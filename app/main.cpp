// nutatio: the desktop application.
#include <QApplication>
#include <QStandardPaths>
#include <QSurfaceFormat>

#include "app/bench/bench.h"
#include "app/look/theme.h"

int main(int argc, char** argv) {
    nutatio::look::setSurfaceFormat();
    QApplication app(argc, argv);
    QApplication::setApplicationName(QStringLiteral("nutatio"));
    QApplication::setApplicationDisplayName(QStringLiteral("Nutatio"));
    nutatio::look::dress(app);
    nutatio::app::Bench bench(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/unsaved"));
    bench.show();
    const QStringList files = QApplication::arguments().mid(1);
    if (!files.isEmpty()) bench.open(files.front());
    return QApplication::exec();
}
