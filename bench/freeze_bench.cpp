// What freezing spares: the whole standard kit rendered as it is, with elements frozen, and with a bus
// frozen; and what it costs an edit to know that a render is still right. usage: freeze_bench [SECONDS]
#include "bench/kit_load.h"
#include "core/graph/offline_render.h"
#include "core/project/freeze.h"

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>

namespace {

using namespace cask;
using Clock = std::chrono::steady_clock;

double secondsOf(const std::function<void()>& work) {
    double best = 1e9;
    for (int round = 0; round < 3; ++round) {
        const auto begun = Clock::now();
        work();
        best = std::min(best, std::chrono::duration<double>(Clock::now() - begun).count());
    }
    return best;
}

} // namespace

int main(int argc, char** argv) {
    const double seconds = argc > 1 ? std::atof(argv[1]) : 20;
    bench::KitParts all;
    all.compressors = all.shapers = all.saturations = true;
    const auto load = bench::makeKitLoad(16, seconds, all);
    const auto folder = std::filesystem::temp_directory_path() / "cask-freeze-bench";
    std::filesystem::remove_all(folder);
    const auto speedOf = [&](const std::vector<session::Id>& which) {
        project::FrozenSounds frozen;
        std::map<session::Id, std::shared_ptr<AudioSource>> sources;
        for (const auto what : which) {
            const auto file = project::freeze(load.session, what, load.lookup, folder);
            const auto source = *media::OfflineSource::open(*file);
            sources[project::frozenFileId(what)] = source;
            frozen[what] = {project::freezeKey(load.session, what), source->channels(), source->frames()};
        }
        const auto played = project::withFrozen(load.session, frozen);
        const double took = secondsOf([&] {
            graph::RenderOptions options;
            options.threads = 1;
            (void)graph::renderOffline(
                played,
                [&](session::Id file) {
                    const auto found = sources.find(file);
                    return found == sources.end() ? load.lookup(file) : found->second;
                },
                options, [](int, std::span<const float>) -> Status { return Done{}; });
        });
        return seconds / took;
    };
    const double plain = speedOf({});
    std::printf("standard kit, one thread: %.0f times real time\n", plain);
    std::vector<session::Id> elements;
    for (const auto& e : load.session.elements)
        elements.push_back(e->id);
    std::printf("all 16 elements frozen: %.0f times real time (%.1f times)\n", speedOf(elements),
                speedOf(elements) / plain);
    session::Id shells = session::kNoId;
    for (const auto& bus : load.session.buses)
        if (bus->name == "Shells")
            shells = bus->id;
    const double key = secondsOf([&] { (void)project::freezeKey(load.session, elements.front()); });
    const double busKey = secondsOf([&] { (void)project::freezeKey(load.session, shells); });
    std::printf("Shells frozen: %.0f times real time\n", speedOf({shells}));
    std::printf("to know that a render is right: element %.2f ms, bus %.2f ms\n", 1000 * key, 1000 * busKey);
    std::filesystem::remove_all(folder);
    return 0;
}
