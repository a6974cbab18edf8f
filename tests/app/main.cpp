// Tests that drive the real interface need an application around them.
#include <QApplication>
#include <QStandardPaths>

#include "support/runner.h"
#include "theme/theme.h"

int main(int argc, char** argv) {
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    reed::ui::loadFonts();
    return reed::test::run_tests(argc, argv);
}
