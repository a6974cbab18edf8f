// Tests that drive the real interface need an application around them.
#define CATCH_CONFIG_RUNNER
#include <QApplication>
#include <QStandardPaths>
#include <catch2/catch.hpp>

#include "theme/theme.h"

int main(int argc, char** argv) {
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    reed::ui::loadFonts();
    return Catch::Session().run(argc, argv);
}
