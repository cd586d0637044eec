// Tops of hits before and after what holds them.
#include "core/base/units.h"
#include "core/measure/punch/compression.h"
#include "core/measure/punch/tops.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

/// A stick and a decaying tone, three times a second, every fourth a ghost.
HitMaterial drum(double hz, double decayS, double stick) {
    HitMaterial m;
    m.rateHz = kRate;
    auto& x = m.sound.emplace_back(static_cast<std::size_t>(8 * kRate), 0.0F);
    for (int i = 0; i < 22; ++i) {
        const double atS = 0.2 + i / 3.0;
        const bool isGhost = i % 4 == 3;
        const double level = isGhost ? 0.05 : 0.4 + 0.01 * (i % 5);
        for (std::size_t n = 0; n < static_cast<std::size_t>(0.3 * kRate); ++n) {
            const double t = static_cast<double>(n) / kRate;
            x[static_cast<std::size_t>(atS * kRate) + n] +=
                static_cast<float>(level * (std::pow(10, -3 * t / decayS) * std::sin(2 * kPi * hz * t) +
                                            stick * std::exp(-t / 0.002) * std::sin(2 * kPi * 3100 * t)));
        }
        m.hits.push_back({atS, true, isGhost ? HitClass::Ghost : HitClass::Normal, 0, 0});
    }
    return m;
}

HitMaterial through(HitMaterial m, const std::function<double(double)>& law) {
    for (auto& channel : m.sound)
        for (float& x : channel)
            x = static_cast<float>(law(static_cast<double>(x)));
    return m;
}

TEST(HitTops, ASineHasThoseOfASineAndACutOneIsFlat) {
    auto m = drum(200, 1000, 0); // does not fall
    const auto sine = measureTops(m);
    EXPECT_EQ(sine.hits, 9) << "the louder half of 17 that are no ghosts";
    EXPECT_NEAR(sine.flatShare, std::acos(dbToLinear(-1)) / std::acos(0.5), 0.02);
    EXPECT_NEAR(sine.crestDb, linearToDb(std::sqrt(2.0)), 0.1);
    const auto cut = measureTops(through(m, [](double x) { return std::clamp(x, -0.05, 0.05); }));
    EXPECT_GT(cut.flatShare, 0.95);
    EXPECT_LT(cut.crestDb, 1);
}

TEST(HitTops, WhatWasLimitedOrSaturatedIsToldAndWhatWasNotIsNot) {
    const auto snare = drum(190, 0.25, 1.5);
    EXPECT_FALSE(areHeld(measureTops(snare), Role::SnareTop)) << measureTops(snare).heldMs;
    dsp::LimiterSettings limiter;
    limiter.ceilingDb = -20;
    limiter.releaseMs = 8;
    auto limited = snare;
    limited.sound = limitedSound(snare, limiter);
    EXPECT_TRUE(areHeld(measureTops(limited), Role::SnareTop)) << measureTops(limited).heldMs;
    EXPECT_TRUE(
        areHeld(measureTops(through(snare, [](double x) { return std::tanh(8 * x); })), Role::SnareTop));
    EXPECT_FALSE(areHeld(measureTops(limited), Role::Bass)) << "only drums are judged";
    // A long kick holds its tops by itself; only flat ones tell of more.
    const auto kick = drum(52, 1.2, 0.3);
    EXPECT_FALSE(areHeld(measureTops(kick), Role::KickIn));
    EXPECT_TRUE(areHeld(measureTops(through(kick, [](double x) { return std::tanh(9 * x); })), Role::KickIn));
    EXPECT_EQ(measureTops({}).hits, 0);
}

} // namespace
} // namespace cask::measure
