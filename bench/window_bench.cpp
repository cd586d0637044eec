// A session in the window until everything is measured: when each stage was done, how long the window stood
// still at the most, memory; then the time of an
// edit and of closing. With a number of seconds it closes after
// those, in the middle of measuring. usage: window_bench SESSION.cask [CLOSE_AFTER_S]
#include "app/theme/theme.h"
#include "app/window/main_window.h"
#include "core/session/edits.h"
#include "engine/device/simulated_device.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QThread>

#include <cstdio>
#include <cstdlib>
#include <memory>
#include <string>
#include <sys/resource.h>

int main(int argc, char** argv) {
    using namespace cask;
    if (argc < 2) {
        std::fprintf(stderr, "usage: window_bench SESSION.cask [CLOSE_AFTER_S]\n");
        return 2;
    }
    const double closeAfterS = argc > 2 ? std::atof(argv[2]) : 1e9;
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
    app::applyTheme(app, app::ThemeKind::Light);
    auto window = std::make_unique<app::MainWindow>(
        [](engine::AudioCallback& callback, const engine::DeviceSettings& s) {
            return engine::OpenedDevice{
                std::make_unique<engine::SimulatedDevice>(callback, s.sampleRateHz, s.blockFrames), {}};
        });
    window->resize(1280, 800);
    window->show();
    QElapsedTimer clock;
    clock.start();
    const auto tell = [&](const char* what) {
        rusage use{};
        ::getrusage(RUSAGE_SELF, &use);
        std::printf("%-28s %7.2f s, most memory %5ld MB\n", what, 1e-3 * static_cast<double>(clock.elapsed()),
                    use.ru_maxrss / 1024);
        std::fflush(stdout);
    };
    window->openSession(argv[1]);
    tell("opened");
    struct Stage {
        const char* name;
        bool (*isDone)(app::MainWindow&);
        bool isTold = false;
    };
    Stage stages[] = {
        {"ready to play", [](app::MainWindow& w) { return w.playback().engine().isReady(); }},
        {"files measured", [](app::MainWindow& w) { return !w.analyst().isBusy(); }},
        {"hits explained",
         [](app::MainWindow& w) { return w.hits().analysis() != nullptr && !w.hits().isBusy(); }},
        {"tones and tracks measured",
         [](app::MainWindow& w) { return w.tones().mix() != nullptr && !w.tones().isMeasuring(); }},
        {"everything measured",
         [](app::MainWindow& w) {
             return w.tones().mix() != nullptr && !w.tones().isBusy() && !w.findings().isBusy();
         }},
    };
    qint64 longest = 0;
    QElapsedTimer turn;
    while (1e-3 * static_cast<double>(clock.elapsed()) < closeAfterS) {
        turn.start();
        QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
        (void)window->grab();
        longest = std::max(longest, turn.elapsed());
        if (turn.elapsed() > 300)
            tell(("stood still " + std::to_string(turn.elapsed()) + " ms").c_str());
        bool isAll = true;
        for (auto& stage : stages) {
            if (!stage.isTold && stage.isDone(*window)) {
                stage.isTold = true;
                tell(stage.name);
            }
            isAll = isAll && stage.isTold;
        }
        if (isAll)
            break;
        QThread::msleep(10);
    }
    std::printf("longest turn of the window   %7.2f s\n", 1e-3 * static_cast<double>(longest));
    constexpr int kEdits = 30;
    clock.restart();
    for (int i = 1; i <= kEdits; ++i) {
        const auto& s = window->document().session();
        window->document().edit(
            session::withOutput(s, s.elements.front()->id, [&](auto& out) { out.levelDb = -0.1 * i; }),
            QStringLiteral("Level"));
        QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
    }
    std::printf("an edit and what follows      %7.3f s\n",
                1e-3 * static_cast<double>(clock.elapsed()) / kEdits);
    clock.restart();
    window.reset();
    tell("closing took");
    return 0;
}
