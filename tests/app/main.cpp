// The application is made first: the window's tests need one.
#include <QApplication>
#include <QStandardPaths>

#include "app/look/theme.h"
#include "tests/support/runner.h"

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    nutatio::look::setSurfaceFormat();
    QApplication app(argc, argv);
    nutatio::look::dress(app);
    return nutatio::test::run(argc, argv);
}
