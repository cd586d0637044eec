// What each curve of the saturation costs and how much of it folds back, by rate and factor: one table. Then
// what the figures take that are shown while a value is dragged.
//
// usage: drive_bench [live]: the latter alone
#include "core/dsp/saturation.h"
#include "core/measure/drive/drive_change.h"
#include "tests/support/aliases.h"
#include "tests/support/signals.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>

namespace {

using namespace cask;

constexpr std::array kShapeNames = {"soft", "warm", "tape", "hard", "fold"};

std::vector<float> behind(const dsp::SaturationSettings& settings, const std::vector<float>& x, double rate) {
    dsp::SaturationLanes lanes(rate);
    lanes.place(0, 1, settings, true, 0);
    lanes.prepare();
    dsp::LaneBuffer io(x.size() * dsp::kLanes);
    for (std::size_t n = 0; n < x.size(); ++n)
        io[n * dsp::kLanes] = x[n];
    lanes.process(io.data(), io.data(), static_cast<int>(x.size()));
    std::vector<float> y;
    for (std::size_t n = 0; n < x.size(); ++n)
        y.push_back(io[n * dsp::kLanes]);
    return y;
}

/// Nanoseconds a frame of eight channels, the best of five.
double cost(const dsp::SaturationSettings& settings, double rate) {
    constexpr int kFrames = 1 << 15;
    dsp::SaturationLanes lanes(rate);
    for (int l = 0; l < dsp::kLanes; ++l)
        lanes.place(l, 1, settings, true, 0);
    lanes.prepare();
    const auto noise = test::noise(0.3, kFrames * dsp::kLanes, 1);
    double best = 1e9;
    for (int run = 0; run < 5; ++run) {
        dsp::LaneBuffer io(noise.begin(), noise.end());
        const auto begin = std::chrono::steady_clock::now();
        for (int at = 0; at < kFrames; at += 512)
            lanes.process(io.data() + at * dsp::kLanes, io.data() + at * dsp::kLanes, 512);
        const std::chrono::duration<double, std::nano> took = std::chrono::steady_clock::now() - begin;
        best = std::min(best, took.count() / kFrames);
    }
    return best;
}

/// Five minutes with 1200 hits of a snare-like note, as the Drive bench has them.
measure::HitMaterial fiveMinutes(int channels) {
    constexpr double kEveryS = 0.25;
    constexpr double kLengthS = 300;
    measure::HitMaterial m;
    m.rateHz = 48000;
    for (int c = 0; c < channels; ++c) {
        auto x =
            test::noise(0.01, static_cast<std::size_t>(kLengthS * m.rateHz), static_cast<unsigned>(c + 1));
        const auto stroke = test::bursts(190, kLengthS, 0, 0.08, kEveryS);
        for (double t = 0.1; t + kEveryS < kLengthS; t += kEveryS)
            std::transform(stroke.begin(), stroke.end(), x.begin() + std::lround(t * m.rateHz),
                           x.begin() + std::lround(t * m.rateHz), std::plus<>());
        m.sound.push_back(std::move(x));
    }
    for (double t = 0.1; t < kLengthS; t += kEveryS)
        m.hits.push_back({t, true, measure::HitClass::Normal, 0, -6});
    return m;
}

/// Milliseconds from a new value to its figures: median and worst of thirty.
std::pair<double, double> liveMs(const measure::HitMaterial& sample, const measure::DriveSettings& settings) {
    std::vector<double> took;
    const auto before = measure::measureBefore(sample, 190);
    for (int run = 0; run < 30; ++run) {
        const auto begin = std::chrono::steady_clock::now();
        (void)measure::measureDrive(sample, before, measure::drivenSound(sample, settings));
        took.push_back(
            std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - begin).count());
    }
    std::sort(took.begin(), took.end());
    return {took[took.size() / 2], took.back()};
}

void printLive() {
    constexpr int kSampleHits = 12; // as DriveModel has them
    fmt::print("\n| while it is dragged, 5 min, 1200 hits | one channel, ms (worst) | two, ms (worst) |\n"
               "|---|---|---|\n");
    dsp::SaturationSettings tape;
    tape.shape = dsp::Shape::Tape;
    tape.driveDb = 12;
    dsp::SaturationSettings soft;
    soft.driveDb = 12;
    soft.oversampling = dsp::Oversampling::Eight;
    const std::array<std::pair<const char*, measure::DriveSettings>, 5> all{
        {{"saturation, tape, 4 times", tape},
         {"saturation, soft, 8 times", soft},
         {"clipper", dsp::ClipperSettings{}},
         {"crush", dsp::CrushSettings{}},
         {"resonator", dsp::BodySettings{}}}};
    const auto one = measure::sampleOf(fiveMinutes(1), kSampleHits);
    const auto two = measure::sampleOf(fiveMinutes(2), kSampleHits);
    for (const auto& [words, settings] : all) {
        const auto [mono, monoWorst] = liveMs(one, settings);
        const auto [stereo, stereoWorst] = liveMs(two, settings);
        fmt::print("| {} | {:.1f} ({:.1f}) | {:.1f} ({:.1f}) |\n", words, mono, monoWorst, stereo,
                   stereoWorst);
    }
}

void printCurves() {
    fmt::print("-6 dBFS, 18 dB of drive; aliases summed to 20 kHz, dBFS; ns a frame of eight channels\n\n"
               "| shape | rate | times | aliases of 997 Hz | of 4999 Hz | ns | late, frames |\n"
               "|---|---|---|---|---|---|---|\n");
    for (int shape = 0; shape < static_cast<int>(kShapeNames.size()); ++shape)
        for (const int rate : {44100, 48000, 96000})
            for (const auto times :
                 {dsp::Oversampling::Twice, dsp::Oversampling::Four, dsp::Oversampling::Eight}) {
                const dsp::SaturationSettings s{18, 100, 0, times, static_cast<dsp::Shape>(shape)};
                std::array<double, 2> aliases{};
                for (std::size_t i = 0; i < 2; ++i) {
                    const int hz = i == 0 ? 997 : 4999;
                    aliases[i] = test::aliasesDb(behind(s, test::sine(hz, 0.5, 1.5, rate), rate), hz, rate);
                }
                fmt::print("| {} | {:.1f} kHz | {} | {:.1f} | {:.1f} | {:.1f} | {} |\n",
                           kShapeNames[static_cast<std::size_t>(shape)], rate / 1000.0, factorOf(times),
                           aliases[0], aliases[1], cost(s, rate),
                           dsp::SaturationLanes::latencyFrames(s, rate));
            }
}

} // namespace

int main(int argc, char**) {
    if (argc == 1)
        printCurves();
    printLive();
    return 0;
}
