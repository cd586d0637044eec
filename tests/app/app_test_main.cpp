// One QApplication for all tests of the window; the user's home is left alone.
#include "app/theme/theme.h"
#include "tests/app/sanitized_application.h"
#include "tests/support/temp_folder.h"

#include <QStandardPaths>
#include <gtest/gtest.h>

int main(int argc, char** argv) {
    const cask::test::TempFolder home;
    qputenv("HOME", home.path().c_str());
    qputenv("XDG_DATA_HOME", (home / "data").c_str());
    qputenv("XDG_CONFIG_HOME", (home / "config").c_str());
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    testing::InitGoogleTest(&argc, argv);
    cask::app::TestApplication app(argc, argv);
    QCoreApplication::setOrganizationName(QStringLiteral("Ember Cask"));
    QCoreApplication::setApplicationName(QStringLiteral("Ember Cask"));
    cask::app::applyTheme(app, cask::app::ThemeKind::Light);
    return RUN_ALL_TESTS();
}
