// Renders the standard kit load and times the audio callback. Prints what exists of the load.
#include "bench/kit_load.h"
#include "core/dsp/kernels.h"
#include "core/graph/offline_render.h"
#include "core/measure/loudness.h"
#include "engine/transport/player.h"

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <functional>
#include <memory>
#include <sys/resource.h>
#include <vector>

namespace {

using namespace cask;
using Clock = std::chrono::steady_clock;

double secondsOf(const std::function<void()>& work) {
    const auto begun = Clock::now();
    work();
    return std::chrono::duration<double>(Clock::now() - begun).count();
}

struct Speed {
    double median;
    double best;
};

Speed renderSpeed(const bench::KitLoad& load, int threads, bool meters) {
    std::vector<double> times;
    for (int run = 0; run < 5; ++run)
        times.push_back(secondsOf([&] {
            measure::LoudnessMeter meter(48000, 2);
            graph::RenderOptions options;
            options.frames = load.frames;
            options.threads = threads;
            (void)graph::renderOffline(load.session, load.lookup, options,
                                       [&](int, std::span<const float> mix) -> Status {
                                           if (meters)
                                               meter.add(mix);
                                           return Done{};
                                       });
        }));
    std::sort(times.begin(), times.end());
    const double sound = static_cast<double>(load.frames) / 48000;
    return {sound / times[2], sound / times[0]};
}

void timeCallback(const bench::KitLoad& load, int frames) {
    engine::Player player(48000);
    auto plan = std::make_unique<engine::PlayerPlan>();
    plan->runner =
        std::make_unique<graph::Runner>(*graph::compile(load.session, load.lookup), engine::kPlayerBlock);
    player.setPlan(std::move(plan));
    player.play();
    std::vector<float> out(static_cast<std::size_t>(2 * frames));
    std::vector<double> microseconds;
    std::array<float, engine::Player::kTapFloats> tap{};
    for (Frames at = 0; at < load.frames; at += frames) {
        microseconds.push_back(1e6 * secondsOf([&] { player.fill(out.data(), frames); }));
        while (player.takeMix(tap)) {
        }
    }
    std::sort(microseconds.begin(), microseconds.end());
    const double period = 1e6 * frames / 48000;
    const auto at = [&](double share) {
        return microseconds[static_cast<std::size_t>(share * static_cast<double>(microseconds.size() - 1))];
    };
    std::printf("callback %4d frames: period %7.0f us, median %6.1f us (%.1f %%), 99.9th %6.1f us, worst "
                "%7.1f us (%.1f %%)\n",
                frames, period, at(0.5), 100 * at(0.5) / period, at(0.999), at(1), 100 * at(1) / period);
}

/// What a drag of a value costs: compiling, and then other values for the runner that plays, or a new one.
void timeDrag(const bench::KitLoad& load) {
    std::vector<double> compiling;
    std::vector<double> making;
    std::vector<double> adopting;
    std::vector<double> retargeting;
    auto runner =
        std::make_unique<graph::Runner>(*graph::compile(load.session, load.lookup), engine::kPlayerBlock);
    auto session = load.session;
    const auto id = session.elements.front()->id;
    session::Id band = session::kNoId;
    for (const auto& module : session.elements.front()->chain)
        if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings))
            band = eq->bands.front().id;
    Frames at = 0;
    for (int i = 0; i < 200; ++i) {
        session = session::withBand(session, id, band, [&](dsp::EqBand& b) { b.frequencyHz = 40 + 0.1 * i; });
        std::shared_ptr<const graph::Plan> plan;
        compiling.push_back(1e6 * secondsOf([&] { plan = *graph::compile(session, load.lookup); }));
        if (plan->layout != runner->plan().layout) {
            std::printf("a drag changed the layout\n");
            return;
        }
        std::unique_ptr<graph::Runner> next;
        making.push_back(
            1e6 * secondsOf([&] { next = std::make_unique<graph::Runner>(plan, engine::kPlayerBlock); }));
        if (i % 2 == 0) {
            retargeting.push_back(1e6 * secondsOf([&] { runner->retarget(plan); }));
        } else {
            adopting.push_back(1e6 * secondsOf([&] { next->adopt(*runner); }));
            runner = std::move(next);
        }
        runner->process(at, engine::kPlayerBlock);
        at += engine::kPlayerBlock;
    }
    const auto median = [](std::vector<double>& times) {
        std::sort(times.begin(), times.end());
        return times[times.size() / 2];
    };
    std::printf(
        "a drag: compiling %.0f us, other values for what plays %.1f us on the audio thread; a new runner "
        "would take %.0f us to make and %.1f us to take over\n",
        median(compiling), median(retargeting), median(making), median(adopting));
}

} // namespace

int main(int argc, char** argv) {
    const double seconds = argc > 1 ? std::atof(argv[1]) : 60;
    std::printf("standard kit, %.0f s at 48 kHz, kernels: %s\n", seconds, dsp::kernels().name);
    std::printf(
        "EQ, gates, compressors, shapers, saturations at 4 times, pan, level, send, buses, limiter, loudness "
        "and true-peak metering\n"
        "(EMBER_CASK_KERNELS=scalar runs the same chain in plain scalar form)\n");
    constexpr bench::KitParts kAll{.compressors = true, .shapers = true, .saturations = true};
    const auto load = bench::makeKitLoad(16, seconds, kAll);
    for (const int threads : {1, 2}) {
        const Speed bare = renderSpeed(load, threads, false);
        const Speed metered = renderSpeed(load, threads, true);
        std::printf("%d thread(s): %.0f x real time (best %.0f); with metering %.0f (best %.0f)\n", threads,
                    bare.median, bare.best, metered.median, metered.best);
    }
    const double whole = 1 / renderSpeed(load, 1, false).best;
    const auto shareOf = [&](const char* name, bool bench::KitParts::*part) {
        auto parts = kAll;
        parts.*part = false;
        const double without = 1 / renderSpeed(bench::makeKitLoad(16, seconds, parts), 1, false).best;
        std::printf("  %-12s %4.1f %% of the time of one thread\n", name, 100 * (whole - without) / whole);
    };
    shareOf("element EQ", &bench::KitParts::elementEq);
    shareOf("gates", &bench::KitParts::gates);
    shareOf("bus EQ", &bench::KitParts::busEq);
    shareOf("sends", &bench::KitParts::sends);
    shareOf("ceiling", &bench::KitParts::ceiling);
    shareOf("compressors", &bench::KitParts::compressors);
    shareOf("shapers", &bench::KitParts::shapers);
    shareOf("saturations", &bench::KitParts::saturations);
    for (const int elements : {8, 16, 32, 64}) {
        const auto grown = bench::makeKitLoad(elements, std::min(seconds, 20.0), kAll);
        std::printf("%2d elements, 1 thread: %.0f x real time\n", elements,
                    renderSpeed(grown, 1, false).median);
    }
    for (const int frames : {64, 128, 512})
        timeCallback(load, frames);
    std::printf("full chains (the same with a dynamic band and a filter on every fourth gate):\n");
    const auto full = bench::makeKitLoad(16, seconds,
                                         {.compressors = true,
                                          .shapers = true,
                                          .saturations = true,
                                          .gateExtras = true,
                                          .dynamicBands = true});
    timeCallback(full, 64);
    timeDrag(full);
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    std::printf("peak memory: %.0f MB\n", static_cast<double>(usage.ru_maxrss) / 1024);
    return 0;
}
