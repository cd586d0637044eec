// Time and memory of the hit analysis for 16 tracks of 1, 5 and 20 minutes: a made-up take, repeated. usage:
// hit_bench [MINUTES ...]
#include "core/base/worker_pool.h"
#include "core/measure/hits/arrivals.h"
#include "core/measure/hits/spill_table.h"
#include "core/measure/hits/tempo.h"
#include "tests/support/random_take.h"

#include <fmt/format.h>

#include <chrono>
#include <cstdlib>
#include <mutex>
#include <sys/resource.h>

namespace {

using namespace cask;
using Clock = std::chrono::steady_clock;

double secondsSince(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

double peakMb() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return static_cast<double>(usage.ru_maxrss) / 1024;
}

} // namespace

int main(int argc, char** argv) {
    std::vector<double> lengths;
    for (int i = 1; i < argc; ++i)
        lengths.push_back(std::atof(argv[i]));
    if (lengths.empty())
        lengths = {1, 5, 20};
    test::TakeRecipe recipe;
    recipe.seed = 11;
    recipe.groove = "ghosts";
    const auto take = test::makeRandomTake(recipe);
    struct Track {
        const test::TakeMicrophone* mic;
        int channel;
    };
    std::vector<Track> tracks;
    while (tracks.size() < 16)
        for (const auto& mic : take.microphones)
            for (int c = 0; c < static_cast<int>(mic.channels.size()) && tracks.size() < 16; ++c)
                tracks.push_back({&mic, c});
    const double beforeMb = peakMb();
    for (const double minutes : lengths) {
        std::vector<measure::BandTrail> trails(tracks.size());
        std::vector<std::vector<measure::Arrival>> arrivals(tracks.size()); // kept, as the program does
        const auto start = Clock::now();
        double firstS = 0;
        {
            std::mutex mutex;
            WorkerPool pool(2);
            for (std::size_t t = 0; t < tracks.size(); ++t)
                pool.post([&, t] {
                    const auto& sound = tracks[t].mic->channels[static_cast<std::size_t>(tracks[t].channel)];
                    measure::BandTrailMeter meter(48000);
                    for (double done = 0; done < 60 * minutes; done += recipe.seconds)
                        meter.add(sound);
                    auto trail = meter.take();
                    const std::vector<const measure::BandTrail*> channels = {&trail};
                    auto found = measure::findArrivals(channels);
                    const std::lock_guard lock(mutex);
                    arrivals[t] = std::move(found);
                    trails[t] = std::move(trail);
                    if (firstS == 0)
                        firstS = secondsSince(start);
                });
            pool.waitIdle();
        }
        const double trailsS = secondsSince(start);
        std::vector<measure::HitInput> inputs;
        for (std::size_t t = 0; t < tracks.size(); ++t)
            inputs.push_back({tracks[t].mic->name + std::to_string(t),
                              tracks[t].mic->role,
                              {&trails[t]},
                              0,
                              &arrivals[t]});
        const auto joint = Clock::now();
        WorkerPool pool(2);
        const auto hits = measure::findKitHits(inputs, {}, parallelOn(pool));
        const auto table = measure::makeSpillTable(hits, inputs);
        const auto tempo = measure::findTempo(measure::playedNotes(hits));
        const auto timing = measure::measureTiming(hits, tempo);
        fmt::print("{:4.0f} min x {} tracks: first rises {:.2f} s, trails {:.2f} s, explained {:.2f} s ({} "
                   "hits), together {:.2f} s; "
                   "peak memory {:.0f} MB above the material\n",
                   minutes, tracks.size(), firstS, trailsS, secondsSince(joint), hits.strokes.size(),
                   trailsS + secondsSince(joint), peakMb() - beforeMb);
        std::fflush(stdout);
    }
}
