// Start-up: time from main() to the first picture of the empty window, and for a session of 16 files of 5
// minutes to its first picture, to the moment it can play, and to the end of measuring. usage: open_bench
// FOLDER (made when empty)
#include "app/theme/theme.h"
#include "app/window/main_window.h"
#include "bench/kit_load.h"
#include "core/media/audio_writer.h"
#include "core/project/intake_files.h"
#include "core/session/session_store.h"
#include "engine/device/simulated_device.h"

#include <QApplication>
#include <QElapsedTimer>

#include <cstdio>

int main(int argc, char** argv) {
    using namespace cask;
    if (argc < 2) {
        std::fprintf(stderr, "usage: open_bench FOLDER\n");
        return 2;
    }
    const std::filesystem::path folder(argv[1]);
    if (!std::filesystem::exists(folder / "Long.cask")) {
        std::filesystem::create_directories(folder / "files");
        for (int i = 0; i < 16; ++i) {
            // Sixteen different files: equal ones would share their cached measures.
            const auto sound = bench::material(static_cast<unsigned>(i) + 1, 48000 * 300);
            auto writer = media::AudioWriter::create(
                (folder / "files") / ("Snare " + std::to_string(i) + ".wav"), 48000, 1, {});
            if (!writer || !writer->write(sound) || !writer->commit())
                return 1;
        }
        const std::vector<std::filesystem::path> paths{folder / "files"};
        const auto scan = project::scanIntake(paths);
        (void)session::SessionStore(diskFileSystem(), folder / "Long.cask")
            .save(session::withFiles(session::emptySession(), scan.files));
    }
    std::filesystem::remove_all((folder / "Long.cask") / "cache");
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QElapsedTimer clock;
    clock.start();
    QApplication app(argc, argv);
    app::applyTheme(app, app::ThemeKind::Light);
    app::MainWindow window([](engine::AudioCallback& callback, const engine::DeviceSettings& s) {
        return engine::OpenedDevice{
            std::make_unique<engine::SimulatedDevice>(callback, s.sampleRateHz, s.blockFrames), {}};
    });
    window.resize(1280, 800);
    window.show();
    (void)window.grab();
    std::printf("empty window, first picture: %lld ms\n", clock.restart());
    window.openSession(folder / "Long.cask");
    (void)window.grab();
    std::printf("16 x 5 min opened, first picture: %lld ms\n", clock.elapsed());
    bool hasPlayed = false;
    bool hasRises = false;
    bool hasHits = false;
    while (window.analyst().isBusy() || window.hits().isBusy()) {
        QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
        bool all = true;
        bool allRises = true;
        for (const auto& f : window.document().session().files) {
            const auto* state = window.analyst().file(f->id);
            const bool mine = state != nullptr && state->trails != nullptr;
            allRises = allRises && mine;
            if (mine && !hasRises) {
                hasRises = true;
                std::printf("first rises on the strip: %lld ms\n", clock.elapsed());
            }
            all = all && state != nullptr && state->source != nullptr;
        }
        if (allRises && !hasHits && !window.hits().isBusy()) {
            hasHits = true;
            std::printf("all hits explained: %lld ms\n", clock.elapsed());
        }
        if (all && !hasPlayed && window.playback().engine().isReady()) {
            hasPlayed = true;
            std::printf("everything ready to play: %lld ms\n", clock.elapsed());
        }
    }
    std::printf("all measured: %lld ms\n", clock.elapsed());
    return 0;
}
