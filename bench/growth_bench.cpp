// How the time and memory of measuring a session grow with its files: each step of the whole, for the first
// 8, 16, 32 ... elements. Caches are made anew for each. usage: growth_bench FOLDER_OF_FILES [COUNT...]
#include "core/advise/house_style_files.h"
#include "core/kit_measures/gates.h"
#include "core/kit_measures/mix.h"
#include "core/kit_measures/partners.h"
#include "core/kit_measures/same_audio.h"
#include "core/kit_measures/tones.h"
#include "core/project/intake_files.h"
#include "core/project/measured_files.h"
#include "core/project/offline_sources.h"
#include "core/session/session_store.h"

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

namespace {

using namespace cask;

class Steps {
  public:
    template <class Work> auto run(const char* name, Work work) {
        const auto begun = std::chrono::steady_clock::now();
        rusage before{};
        ::getrusage(RUSAGE_SELF, &before);
        auto result = work();
        rusage after{};
        ::getrusage(RUSAGE_SELF, &after);
        const double cpu = seconds(after) - seconds(before);
        std::printf("  %-10s %7.2f s  (%7.2f s of processor time), most memory %5ld MB\n", name,
                    std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count(), cpu,
                    after.ru_maxrss / 1024);
        std::fflush(stdout);
        return result;
    }

  private:
    static double seconds(const rusage& r) {
        return static_cast<double>(r.ru_utime.tv_sec + r.ru_stime.tv_sec) +
               1e-6 * static_cast<double>(r.ru_utime.tv_usec + r.ru_stime.tv_usec);
    }
};

int measureFirst(const std::filesystem::path& files, std::size_t count) {
    const auto begun = std::chrono::steady_clock::now();
    const std::filesystem::path folder = std::filesystem::temp_directory_path() / "cask-growth.cask";
    std::filesystem::remove_all(folder);
    std::filesystem::create_directories(folder);
    Steps steps;
    std::vector<std::filesystem::path> paths;
    for (const auto& entry : std::filesystem::directory_iterator(files))
        paths.push_back(entry.path());
    std::sort(paths.begin(), paths.end());
    paths.resize(std::min(count, paths.size()));
    const auto scan = steps.run("import", [&] { return project::scanIntake(paths); });
    const auto s = session::withFiles(session::emptySession(), scan.files);
    std::printf("  %zu elements, %.0f s\n", s.elements.size(),
                framesToSeconds(s.lengthFrames(), s.sampleRateHz));
    const auto opened = steps.run("open", [&] { return project::openOfflineSources(s, folder); });
    const auto trails = steps.run("trails", [&] { return project::measureTrails(s, folder); });
    const auto facts = steps.run("facts", [&] { return project::measureFiles(s, folder); });
    const auto hits = steps.run("hits", [&] { return kit::analyseHits(s, trails->lookup()); });
    const auto lookup = opened->lookup();
    (void)steps.run("pairs", [&] { return kit::alignPartners(s, **hits, lookup); });
    (void)steps.run("copies", [&] { return kit::findSameAudio(s, trails->lookup(), lookup); });
    (void)steps.run("gates", [&] { return kit::measureGates(s, **hits, lookup, advise::standardStyle()); });
    (void)steps.run("tones", [&] { return kit::measureTones(s, **hits, lookup); });
    const auto tracks = steps.run("tracks", [&] { return kit::measureTracks(s, lookup); });
    (void)steps.run("mix", [&] { return kit::measureMix(s, tracks->cells, hits->get()); });
    std::printf("  whole      %7.2f s\n",
                std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count());
    std::filesystem::remove_all(folder);
    return 0;
}

} // namespace

int main(int argc, char** argv) {
    if (argc < 2) {
        std::fprintf(stderr, "usage: growth_bench FOLDER_OF_FILES [COUNT...]\n");
        return 2;
    }
    std::vector<std::size_t> counts;
    for (int i = 2; i < argc; ++i)
        counts.push_back(std::strtoul(argv[i], nullptr, 10));
    if (counts.empty())
        counts = {8, 16, 32, 64};
    for (const std::size_t count : counts) {
        std::printf("%zu files\n", count);
        std::fflush(stdout);
        // Each in a process of its own, so that its most memory is its own.
        const pid_t child = ::fork();
        if (child == 0)
            return measureFirst(argv[1], count);
        ::waitpid(child, nullptr, 0);
    }
    return 0;
}
