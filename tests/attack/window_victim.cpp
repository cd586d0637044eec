// A window that is worked on by keys until somebody kills it. usage: window_victim SESSION SEED
// Prints a line per edit, when it is made: "edit LEVEL_DB".
#include "app/bench/balance/balance_bench.h"
#include "app/bench/bench.h"
#include "app/theme/theme.h"
#include "app/widgets/value_bar.h"
#include "app/window/main_window.h"
#include "engine/device/simulated_device.h"

#include <QApplication>
#include <QTest>

#include <cstdio>
#include <cstdlib>
#include <random>

int main(int argc, char** argv) {
    using namespace cask;
    if (argc != 3)
        return 2;
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
    QCoreApplication::setOrganizationName(QStringLiteral("Ember Cask"));
    QCoreApplication::setApplicationName(QStringLiteral("Ember Cask"));
    app::applyTheme(app, app::ThemeKind::Light);
    app::MainWindow window([](engine::AudioCallback& callback, const engine::DeviceSettings& s) {
        return engine::OpenedDevice{
            std::make_unique<engine::SimulatedDevice>(callback, s.sampleRateHz, s.blockFrames), {}};
    });
    window.resize(1280, 800);
    window.show();
    if (!window.openSession(argv[1]))
        return 1;
    window.document().setStage(Stage::Balance);
    window.document().select(window.document().session().elements.front()->id);
    auto* level = window.bench().balance().bar(QStringLiteral("level_db"));
    std::mt19937 random(static_cast<unsigned>(std::atoi(argv[2])));
    for (int n = 0;; ++n) {
        // Down and up again, so that the range never ends; values are not repeated next to each other.
        level->setFocus();
        QTest::keyClick(level, n / 40 % 2 == 0 ? Qt::Key_Down : Qt::Key_Up);
        std::printf("edit %.6f\n", window.document().session().elements.front()->out.levelDb);
        std::fflush(stdout);
        QTest::qWait(100 + static_cast<int>(random() % 1400));
    }
}
