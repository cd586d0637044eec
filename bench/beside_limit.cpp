// What each stage of the standard kit costs, beside a hand-written program for the same load (the standard
// load's `limit`), in one run. Cycles of the time stamp counter per frame of all 16 elements.
#include "bench/kit_load.h"
#include "core/dsp/kernels.h"
#include "core/graph/offline_render.h"
#include "core/graph/runner.h"
#include "core/measure/loudness.h"

#include <algorithm>
#include <array>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <utility>
#include <vector>
#include <x86intrin.h>

namespace {

using namespace cask;
using Clock = std::chrono::steady_clock;

constexpr int kBlock = 512; // of an offline render
constexpr int kStretch = 5120;
constexpr int kRuns = 7;

/// Cycles per frame of the steps of all groups that read files, and nothing else: the least of any stretch of
/// kStretch frames, which is free of what else the machine does. The other program counts its own so.
double elementSteps(const bench::KitParts& parts, double seconds) {
    const auto load = bench::makeKitLoad(16, seconds, parts);
    const auto plan = *graph::compile(load.session, load.lookup);
    struct Group {
        std::vector<std::unique_ptr<graph::StepRun>> steps;
        dsp::LaneBuffer sound;
    };
    std::vector<Group> groups;
    for (const auto& from : plan->groups) {
        if (!from.isInput)
            continue;
        Group& group = groups.emplace_back();
        for (const auto& step : from.steps)
            group.steps.push_back(
                graph::makeStepRun(step, {plan->sampleRateHz, kBlock, plan->glideFrames, &dsp::kernels()}));
        group.sound.resize(static_cast<std::size_t>(load.frames) * dsp::kLanes);
        std::vector<float> channel(static_cast<std::size_t>(load.frames));
        for (std::size_t l = 0; l < dsp::kLanes; ++l)
            if (from.inputs[l].source) {
                (void)from.inputs[l].source->read(from.inputs[l].channel, 0, channel);
                for (std::size_t n = 0; n < channel.size(); ++n)
                    group.sound[n * dsp::kLanes + l] = channel[n];
            }
    }
    const dsp::DenormalGuard flush;
    dsp::LaneBuffer io(static_cast<std::size_t>(kBlock) * dsp::kLanes);
    auto best = ~0ULL;
    for (int run = 0; run < kRuns; ++run) {
        unsigned long long cycles = 0;
        for (Frames at = 0; at + kBlock <= load.frames; at += kBlock) {
            for (auto& group : groups) {
                std::copy_n(group.sound.data() + at * dsp::kLanes, io.size(), io.data());
                _mm_mfence(); // what comes out of memory is no stage's work
                graph::StepBlock block{io.data(), at, kBlock, nullptr, nullptr, 0};
                const auto begun = __rdtsc();
                for (auto& step : group.steps)
                    step->process(block);
                cycles += __rdtsc() - begun;
            }
            if ((at + kBlock) % kStretch == 0)
                best = std::min(best, std::exchange(cycles, 0));
        }
    }
    return static_cast<double>(best) / kStretch;
}

double renderSpeed(const bench::KitLoad& load, int threads) {
    double best = 1e9;
    for (int run = 0; run < kRuns; ++run) {
        const auto begun = Clock::now();
        measure::LoudnessMeter meter(48000, 2);
        graph::RenderOptions options;
        options.frames = load.frames;
        options.threads = threads;
        (void)graph::renderOffline(load.session, load.lookup, options,
                                   [&](int, std::span<const float> mix) -> Status {
                                       meter.add(mix);
                                       return Done{};
                                   });
        best = std::min(best, std::chrono::duration<double>(Clock::now() - begun).count());
    }
    return static_cast<double>(load.frames) / 48000 / best;
}

struct LimitLine {
    const char* words;
    double cycles = 0;
};

/// What the other program says of its stages; zeros when it can't be run.
struct Limit {
    std::array<LimitLine, 11> lines = {{{"input to lanes"},
                                        {"hp + 4 bells (16)"},
                                        {"gate (16)"},
                                        {"compressor (16)"},
                                        {"transient (16)"},
                                        {"4x saturator (16)"},
                                        {"pan/mix/send"},
                                        {"bus eq + K-weight"},
                                        {"bus compressors"},
                                        {"bus saturators"},
                                        {"true peak, out"}}};
    std::array<double, 2> speed{}; ///< of all of it on one thread and on two, times real time
    [[nodiscard]] double of(const std::string& words) const {
        for (const auto& line : lines)
            if (words == line.words)
                return line.cycles;
        return 0;
    }
};

Limit runLimit(const std::string& program, double seconds) {
    Limit limit;
    const std::string command = program + " --reps 5 --no-ref --seconds " + std::to_string(seconds);
    FILE* pipe = popen(command.c_str(), "r"); // NOLINT: the person at the keyboard names the program
    std::array<char, 512> text{};
    while (pipe != nullptr && std::fgets(text.data(), text.size(), pipe) != nullptr) {
        const std::string line = text.data();
        for (const int threads : {1, 2})
            if (line.starts_with("limit, " + std::to_string(threads) + " thread"))
                if (const auto best = line.find("best"); best != std::string::npos)
                    limit.speed[static_cast<std::size_t>(threads - 1)] = std::atof(line.c_str() + best + 4);
        for (auto& one : limit.lines)
            if (line.find(one.words) != std::string::npos)
                if (const auto percent = line.find('%'); percent != std::string::npos)
                    one.cycles = std::atof(line.c_str() + percent + 1);
    }
    if (pipe != nullptr)
        pclose(pipe);
    return limit;
}

void print(const char* what, double ours, double theirs) {
    if (theirs > 0)
        std::printf("  %-28s %7.1f  limit %7.1f  %4.1f times\n", what, ours, theirs, ours / theirs);
    else
        std::printf("  %-28s %7.1f\n", what, ours);
}

} // namespace

int main(int argc, char** argv) {
    const double seconds = argc > 2 ? std::atof(argv[2]) : 20;
    std::printf("kernels %s, %.0f s, best of %d; cycles per frame of 16 elements\n", dsp::kernels().name,
                seconds, kRuns);
    const auto limit = argc > 1 ? runLimit(argv[1], seconds) : Limit{};
    constexpr bench::KitParts kNone{false, false, false, false, false};
    auto one = kNone;
    one.elementEq = true;
    print("EQ: high-pass, 4 bells", elementSteps(one, seconds), limit.of("hp + 4 bells (16)"));
    one = kNone;
    one.gates = true;
    print("gates", elementSteps(one, seconds), limit.of("gate (16)"));
    one.gateExtras = true;
    print("gates, four with a filter", elementSteps(one, seconds), limit.of("gate (16)"));
    one = kNone;
    one.compressors = true;
    print("compressors", elementSteps(one, seconds), limit.of("compressor (16)"));
    one = kNone;
    one.shapers = true;
    print("transient shapers", elementSteps(one, seconds), limit.of("transient (16)"));
    one = kNone;
    one.saturations = true;
    print("saturations, 4 times", elementSteps(one, seconds), limit.of("4x saturator (16)"));
    one = kNone;
    one.dynamicBands = true;
    print("dynamic bands, one each", elementSteps(one, seconds), 0);

    // The whole kit, against the same stages there: all of them.
    double theirs = 0;
    for (const auto& line : limit.lines)
        theirs += line.cycles;
    const auto begun = Clock::now();
    const auto ticks = __rdtsc();
    while (Clock::now() - begun < std::chrono::milliseconds(200)) {
    }
    const double ticksPerSecond =
        static_cast<double>(__rdtsc() - ticks) / std::chrono::duration<double>(Clock::now() - begun).count();
    const auto printWhole = [&](const char* what, const bench::KitParts& parts) {
        const auto load = bench::makeKitLoad(16, seconds, parts);
        const double single = renderSpeed(load, 1);
        const double twice = renderSpeed(load, 2);
        std::printf("%s, loudness and true peak measured: %.0f x real time on one thread, %.0f on two (%.2f "
                    "times)\n",
                    what, single, twice, twice / single);
        print("one thread", ticksPerSecond / 48000 / single, theirs);
        if (limit.speed[0] > 0) {
            // Both complete and by the clock on the wall, the best of their runs.
            std::printf(
                "  by the clock: %.0f of %.0f x real time on one thread (%.2f), %.0f of %.0f on two (%.2f)\n",
                single, limit.speed[0], single / limit.speed[0], twice, limit.speed[1],
                twice / limit.speed[1]);
        }
    };
    bench::KitParts whole{.ceiling = false, .compressors = true, .shapers = true, .saturations = true};
    printWhole("the standard kit", whole);
    whole.ceiling = true; // the other program has none
    printWhole("with a limiter", whole);
    return 0;
}
