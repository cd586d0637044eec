// Times judging a compressor and a shaper on a long track: while a value is dragged, exactly, and the search
// for a wish. Argument: minutes (default 5).
#include "core/base/parallel.h"
#include "core/measure/punch/compression.h"
#include "core/measure/punch/wishes.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <random>

namespace {

using namespace cask;
using namespace cask::measure;

double msOf(const std::function<void()>& work) {
    double best = 1e9;
    for (int i = 0; i < 3; ++i) {
        const auto begun = std::chrono::steady_clock::now();
        work();
        best = std::min(
            best,
            std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begun).count());
    }
    return best;
}

/// Decaying strokes of a tone with noise, two a second with ghosts between.
HitMaterial performance(double seconds, std::size_t channels) {
    HitMaterial m;
    m.rateHz = 44100;
    m.sound.assign(channels, std::vector<float>(static_cast<std::size_t>(seconds * m.rateHz)));
    std::mt19937 random(7);
    std::normal_distribution<float> noise(0, 1);
    for (double atS = 0.2; atS + 0.5 < seconds; atS += 0.25) {
        const bool isGhost = static_cast<int>(std::lround(atS * 4)) % 2 == 0;
        const double level = (isGhost ? 0.05 : 0.5) * (0.8 + 0.02 * static_cast<double>(random() % 20));
        const auto from = static_cast<std::size_t>(atS * m.rateHz);
        for (std::size_t n = 0; n < static_cast<std::size_t>(0.24 * m.rateHz); ++n) {
            const double t = static_cast<double>(n) / m.rateHz;
            const double x = std::exp(-t / 0.08) * std::sin(2 * 3.14159265 * 190 * t) +
                             0.4 * std::exp(-t / 0.03) * static_cast<double>(noise(random));
            for (auto& channel : m.sound)
                channel[from + n] += static_cast<float>(level * x);
        }
        m.hits.push_back({atS, true, isGhost ? HitClass::Ghost : HitClass::Normal, 0, linearToDb(level)});
    }
    return m;
}

} // namespace

int main(int argc, char** argv) {
    const double seconds = 60 * (argc > 1 ? std::atof(argv[1]) : 5);
    const ParallelFor both = [](std::size_t count, const auto& run) { inParallel(count, run); };
    for (const std::size_t channels : {1U, 2U}) {
        const auto m = performance(seconds, channels);
        fmt::print("{} channel(s), {:.0f} s, {} hits\n", channels, seconds, m.hits.size());
        const auto powers = loudnessPowers(m);
        fmt::print("  once: what loudness is made of      {:7.1f} ms\n",
                   msOf([&] { (void)loudnessPowers(m); }));
        const dsp::CompressorSettings compressor{.thresholdDb = -24, .attackMs = 5, .releaseMs = 90};
        auto programme = compressor;
        programme.release = dsp::CompressorRelease::Programme;
        auto filtered = compressor;
        filtered.lowCutHz = 80;
        auto part = compressor;
        part.reach = dsp::GateReach::Above;
        const dsp::TransientSettings shaper{.attackPercent = 40, .sustainPercent = -20};
        const auto quick = [&](const char* name, const auto& settings) {
            fmt::print("  dragged: {:<26} {:7.1f} ms on one thread, {:7.1f} ms on two\n", name,
                       msOf([&] { (void)measureQuickly(m, powers, settings); }),
                       msOf([&] { (void)measureQuickly(m, powers, settings, {}, {}, both); }));
        };
        quick("compressor", compressor);
        quick("with a detector's cut", filtered);
        quick("of a part of the spectrum", part);
        quick("programme-dependent", programme);
        quick("shaper", shaper);
        fmt::print("  exact: gain of each millisecond     {:7.1f} ms\n",
                   msOf([&] { (void)reductionsDb(m, compressor); }));
        fmt::print("  exact: what it does                 {:7.1f} ms\n",
                   msOf([&] { (void)measureCompression(m, compressor); }));
        fmt::print("  exact: shapes at equal loudness     {:7.1f} ms\n",
                   msOf([&] { (void)measureShapes(m, compressedSound(m, compressor)); }));
        for (const Wish wish : {Wish::Snap, Wish::Control, Wish::DeHarsh}) {
            const auto begun = std::chrono::steady_clock::now();
            const auto answers = searchWish(wish, {}, m, {}, both);
            fmt::print("  wish: {:<29} {:7.2f} s, {} ways\n", wishWords(wish),
                       std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count(),
                       answers.size());
        }
    }
}
