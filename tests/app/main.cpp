// The application is made first: the window's tests need one.
#include <QApplication>
#include <QStandardPaths>
#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

#include "app/look/theme.h"

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    nutatio::look::setSurfaceFormat();
    QApplication app(argc, argv);
    nutatio::look::dress(app);
    return Catch::Session().run(argc, argv);
}
