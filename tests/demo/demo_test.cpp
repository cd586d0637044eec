// The demo kit must sound like drums: decay, rise and spectra in the ranges of real ones.
#include "core/demo/demo_kit.h"
#include "core/measure/spectrum.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::demo {
namespace {

const DemoTake& take() {
    static const DemoTake made = makeDemoTake();
    return made;
}

const DemoTrack& track(std::string_view name) {
    return *std::find_if(take().tracks.begin(), take().tracks.end(),
                         [&](const DemoTrack& t) { return t.name == name; });
}

struct Shape {
    double riseMs;
    double decay20Ms;
};

/// Of a single stroke: 1 ms envelope, time to the peak from 10 to 90 %, time to fall by 20 dB.
Shape shapeOf(Drum drum) {
    Random random(5);
    const auto sound = synthesise({drum, 0, 0.9, "accent"}, Tuning{}, 48000, random).top;
    std::vector<double> envelope;
    for (std::size_t i = 0; i + 480 <= sound.size();
         i += 48) // 10 ms long, so that a low drum's half waves join
        envelope.push_back(test::peakOf(std::span(sound).subspan(i, 480)));
    const auto peak = std::max_element(envelope.begin(), envelope.end());
    auto end = peak;
    while (end != envelope.end() && *end > 0.1 * *peak)
        ++end;
    double top = test::peakOf(sound);
    std::size_t from = 0;
    while (std::abs(sound[from]) < 0.1 * top)
        ++from;
    std::size_t to = from;
    while (std::abs(sound[to]) < 0.9 * top)
        ++to;
    return {static_cast<double>(to - from) / 48, static_cast<double>(end - peak)};
}

TEST(DemoKit, StrokesRiseAndDecayLikeDrums) {
    const auto within = [](Drum drum, double riseMost, double decayLeast, double decayMost) {
        const Shape s = shapeOf(drum);
        EXPECT_LE(s.riseMs, riseMost) << drumName(drum);
        EXPECT_GE(s.decay20Ms, decayLeast) << drumName(drum);
        EXPECT_LE(s.decay20Ms, decayMost) << drumName(drum);
    };
    within(Drum::Kick, 12, 50, 350);
    within(Drum::Snare, 10, 30, 250);
    within(Drum::Hat, 6, 10, 120);
    within(Drum::RackTom, 12, 100, 600);
    within(Drum::FloorTom, 15, 150, 900);
    within(Drum::Crash, 40, 300, 2500);
}

TEST(DemoKit, StrongestPartialsLieWhereTheDrumsAreTuned) {
    const auto loudest = [](std::string_view name, double from, double to) {
        measure::SpectrumMeter meter(48000, 1);
        meter.add(track(name).channels[0]);
        const auto s = meter.result();
        double best = -300;
        double at = 0;
        for (int i = 0; i < measure::kSpectrumPoints; ++i) {
            const double hz = measure::Spectrum::pointHz(i);
            if (hz > from && hz < to && s.bandDb[static_cast<std::size_t>(i)] > best) {
                best = s.bandDb[static_cast<std::size_t>(i)];
                at = hz;
            }
        }
        return at;
    };
    EXPECT_NEAR(loudest("Kick In", 20, 300), take().tuning.kickHz, 8);
    EXPECT_NEAR(loudest("Snare Top", 120, 1000), take().tuning.snareHz, 15);
    EXPECT_NEAR(loudest("Snare Top", 380, 480), take().tuning.snareRingHz, 12);
    EXPECT_NEAR(loudest("Rack Tom", 90, 200), take().tuning.rackHz, 12);
    EXPECT_GT(loudest("Hat", 1000, 20000), 3000); // below lies what spills in from the shells
}

TEST(DemoKit, SoundStandsWhereTheTruthSaysIt) {
    // Correlate nothing: the first kick's energy must begin at its stroke plus the way through the air.
    const auto& strokes = take().performance.strokes;
    const auto kick =
        std::find_if(strokes.begin(), strokes.end(), [](const Stroke& s) { return s.drum == Drum::Kick; });
    const auto& sound = track("Kick In").channels[0];
    const auto at = static_cast<std::size_t>(kick->timeS * 48000);
    EXPECT_LT(test::peakOf(std::span(sound).subspan(at - 480, 470)), 0.03);
    EXPECT_GT(test::peakOf(std::span(sound).subspan(at, 1440)), 0.2);
}

TEST(DemoKit, GhostsAreThereAndSoft) {
    int ghosts = 0;
    for (const auto& s : take().performance.strokes) {
        ghosts += s.kind == "ghost";
        if (s.kind == "ghost") {
            EXPECT_LT(20 * std::log10(s.velocity), -14);
        }
    }
    EXPECT_GE(ghosts, 15);
}

TEST(DemoKit, FaultsArePlanted) {
    EXPECT_EQ(test::peakOf(track("Floor Tom").channels[0]), 1);
    const auto& top = track("Snare Top").channels[0];
    const auto& bottom = track("Snare Bottom").channels[0];
    // Around loud backbeats the lower microphone moves against the upper one.
    double same = 0;
    for (const auto& s : take().performance.strokes) {
        if (s.drum != Drum::Snare || s.kind != "accent")
            continue;
        const auto at = static_cast<std::size_t>(s.timeS * 48000);
        for (std::size_t i = at; i < at + 2400; ++i)
            same += static_cast<double>(top[i]) * bottom[i];
    }
    EXPECT_LT(same, 0);
    EXPECT_EQ(take().faults.size(), 6U);
}

TEST(DemoKit, IsTheSameEveryTimeAndLongEnough) {
    const auto again = makeDemoTake();
    EXPECT_EQ(again.tracks[2].channels[0], take().tracks[2].channels[0]);
    const double seconds = static_cast<double>(take().tracks[0].channels[0].size()) / 48000;
    EXPECT_GE(seconds, 32);
    EXPECT_LE(seconds, 48);
    EXPECT_EQ(take().tracks.size(), 10U);
}

} // namespace
} // namespace cask::demo
