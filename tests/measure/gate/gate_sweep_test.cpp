// Gains of whole takes: stretches side by side and settings side by side against the law, frame by frame.
#include "core/measure/gate/gate_sweep.h"
#include "tests/support/gate_law.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::measure {
namespace {

constexpr double kCellsPerS = 2000;

/// Hits over hiss; `heldDb`: from 60 s on, besides, a level that is there throughout.
GateTrack takeOf(double seconds, double heldDb) {
    GateTrack track;
    track.rateHz = kCellsPerS;
    const auto cells = static_cast<std::size_t>(seconds * kCellsPerS);
    const auto hiss = test::noise(0.003, cells, 3);
    const auto held = static_cast<float>(std::pow(10.0, heldDb / 20));
    for (std::size_t n = 0; n < cells; ++n) {
        const double sinceS = static_cast<double>(n % 1370) / kCellsPerS;
        const float hit = static_cast<float>(0.5 * std::exp(-sinceS / 0.05));
        const bool isHeld = static_cast<double>(n) > 60 * kCellsPerS;
        track.detector.push_back(std::max({hit, std::abs(hiss[n]), isHeld ? held : 0.0F}));
    }
    track.energy = track.detector;
    return track;
}

std::vector<float> byTheLaw(const GateTrack& track, const dsp::GateSettings& settings) {
    test::GateLaw law;
    law.prepare(track.rateHz, settings);
    std::vector<float> gains;
    for (const float x : track.detector)
        gains.push_back(law.next(x));
    return gains;
}

void expectAlike(const std::vector<float>& gains, const std::vector<float>& law) {
    ASSERT_EQ(gains.size(), law.size());
    for (std::size_t n = 0; n < gains.size(); ++n)
        ASSERT_NEAR(gains[n], law[n], 1e-6 + 1e-3 * law[n]) << n;
}

TEST(GateSweep, StretchesSideBySideAreTheWholeTake) {
    dsp::GateSettings rms;
    rms.detector = dsp::GateDetector::Rms;
    dsp::GateSettings expander;
    expander.ratio = 2.5;
    for (const auto& s : {dsp::GateSettings{}, rms, expander}) {
        const auto track = takeOf(150, -90);
        expectAlike(gateGain(track, s, {}, {}), byTheLaw(track, s));
    }
}

/// A level between the closing and the opening threshold holds open what a hit opened a minute ago: a stretch
/// that begins in it can't know.
TEST(GateSweep, WhatAStretchCannotKnowIsWorkedOutFromTheBeginning) {
    dsp::GateSettings s;
    s.openDb = -10;
    s.closeDb = -30;
    auto track = takeOf(150, -20);
    for (std::size_t n = static_cast<std::size_t>(61 * kCellsPerS); n < track.cells(); ++n)
        track.detector[n] = 0.1F;
    const auto gains = gateGain(track, s, {}, {});
    expectAlike(gains, byTheLaw(track, s));
    EXPECT_GT(gains.back(), 0.99F);
}

TEST(GateSweep, SettingsSideBySideAreEachTheirOwn) {
    const auto track = takeOf(70, -34);
    std::vector<dsp::GateSettings> all(6);
    all[1].openDb = -12;
    all[1].closeDb = -36;
    all[2].openDb = -60;
    all[2].closeDb = -70;
    all[3].holdMs = 400;
    all[4].releaseMs = 900;
    all[5].isInverted = true;
    const auto gains = gateGains(track, all, 0, track.cells(), {}, {});
    for (std::size_t i = 0; i < all.size(); ++i) {
        SCOPED_TRACE(i);
        expectAlike(gains[i], byTheLaw(track, all[i]));
    }
}

} // namespace
} // namespace cask::measure
