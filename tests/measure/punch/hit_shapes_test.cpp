// Shapes of hits against their formulas.
#include "core/base/units.h"
#include "core/measure/punch/hit_shapes.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

constexpr double kEveryS = 0.5;

/// Bursts of a 1 kHz tone that fall by 60 dB in `decayS`, from kEveryS on; every third one is softer and a
/// ghost, and another drum sounds in the middle between.
HitMaterial played(double decayS, double otherDb = -40) {
    HitMaterial m;
    m.rateHz = kRate;
    m.sound.emplace_back(static_cast<std::size_t>(6 * kRate), 0.0F);
    const auto add = [&](double atS, double levelDb, double hz) {
        const auto from = static_cast<std::size_t>(std::lround(atS * kRate));
        for (std::size_t n = 0; from + n < m.sound[0].size() && n < static_cast<std::size_t>(kEveryS * kRate);
             ++n) {
            const double t = static_cast<double>(n) / kRate;
            m.sound[0][from + n] += static_cast<float>(dbToLinear(levelDb) * std::pow(10, -3 * t / decayS) *
                                                       std::sin(2 * kPi * hz * t));
        }
    };
    for (int i = 0; i < 10; ++i) {
        const double at = kEveryS * (i + 1);
        const bool isGhost = i % 3 == 2;
        add(at, isGhost ? -26 : -6, 1000);
        m.hits.push_back({at, true, isGhost ? HitClass::Ghost : HitClass::Normal, 0, 0});
        add(at + kEveryS / 2, otherDb, 3000);
        m.hits.push_back({at + kEveryS / 2, false, HitClass::Normal, 1, 0});
    }
    return m;
}

/// Energy of an exponential decay of a sine between two times, without its ripple.
double energyDb(double levelDb, double decayS, double from, double to) {
    const double k = 2 * 3 * std::log(10) / decayS;
    return 10 *
           std::log10(kRate * std::pow(10, levelDb / 10) / 2 / k * (std::exp(-k * from) - std::exp(-k * to)));
}

TEST(HitShapes, AreTheEnergiesOfTheirWindows) {
    const auto m = played(0.3, -200);
    const auto shapes = hitShapes(m, m.sound);
    ASSERT_EQ(shapes.size(), 10U);
    const auto& hit = shapes[0];
    EXPECT_EQ(hit.hit, 0);
    EXPECT_NEAR(hit.attackDb, energyDb(-6, 0.3, 0, 0.010), 0.05);
    EXPECT_NEAR(hit.bodyDb, energyDb(-6, 0.3, 0.010, 0.120), 0.05);
    EXPECT_NEAR(hit.tailDb, energyDb(-6, 0.3, 0.120, 0.400), 0.05);
    EXPECT_NEAR(hit.peakDb, -6, 0.1);
    EXPECT_NEAR(hit.decayMs, 100, 2); // 20 of 60 dB
    const double meanDb = energyDb(-6, 0.3, 0, 0.120) - 10 * std::log10(0.120 * kRate);
    EXPECT_NEAR(hit.crestDb, -6 - meanDb, 0.1);
}

TEST(HitShapes, WindowsEndAtTheNextOwnHit) {
    auto m = played(0.3, -200);
    m.hits.push_back({kEveryS + 0.060, true, HitClass::Normal, 0, 0});
    std::sort(m.hits.begin(), m.hits.end(), [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    const auto hit = hitShapes(m, m.sound)[0];
    EXPECT_NEAR(hit.bodyDb, energyDb(-6, 0.3, 0.010, 0.060), 0.05);
    EXPECT_EQ(hit.tailDb, kSilenceDb);
}

TEST(HitShapes, AGainAloneChangesNothingAtEqualLoudness) {
    const auto m = played(0.2);
    auto after = m.sound;
    for (float& x : after[0])
        x *= static_cast<float>(dbToLinear(-7));
    const auto change = measureShapes(m, after);
    EXPECT_EQ(change.hits, 10);
    EXPECT_NEAR(change.matchDb, 7, 0.05);
    EXPECT_NEAR(change.keptAttackDb, 0, 0.05);
    EXPECT_NEAR(change.sustainDb, 0, 0.05);
    EXPECT_NEAR(change.ghostsDb, 0, 0.05);
    EXPECT_NEAR(change.punchAfterDb, change.punchBeforeDb, 0.001);
    EXPECT_NEAR(change.rangeAfterDb, change.rangeBeforeDb, 0.001);
    ASSERT_EQ(change.spill.size(), 1U);
    EXPECT_EQ(change.spill[0].drum, 1);
    EXPECT_NEAR(change.spill[0].changeDb, 0, 0.05);
}

TEST(HitShapes, WhatIsTakenOffABeginningIsSaid) {
    // The first 10 ms of each own hit lose 6 dB; the hits of the other drum gain 3.
    const auto m = played(0.2);
    auto after = m.sound;
    for (const auto& hit : m.hits) {
        const auto from = static_cast<std::size_t>(std::lround(hit.timeS * kRate));
        for (std::size_t n = from; n < from + static_cast<std::size_t>((hit.isOwn ? 0.010 : 0.020) * kRate);
             ++n)
            after[0][n] *= static_cast<float>(dbToLinear(hit.isOwn ? -6 : 3));
    }
    const auto change = measureShapes(m, after);
    EXPECT_NEAR(change.keptAttackDb - change.matchDb, -6, 0.05);
    EXPECT_NEAR(change.punchAfterDb - change.punchBeforeDb, -6, 0.05);
    EXPECT_GT(change.sustainDb - change.matchDb, 1) << "the other drum sounds in the tails";
    EXPECT_NEAR(change.spill[0].changeDb - change.matchDb, 3, 0.1);
    EXPECT_GT(change.matchDb, 0); // it became softer
}

TEST(HitShapes, SaysNothingWithoutHitsOrOnceStopped) {
    auto m = played(0.2);
    CancelToken cancel;
    cancel.cancel();
    EXPECT_EQ(measureShapes(m, m.sound, cancel).hits, 0);
    m.hits.clear();
    EXPECT_EQ(measureShapes(m, m.sound).hits, 0);
}

} // namespace
} // namespace cask::measure
