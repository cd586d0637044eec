// Combing against filters whose response is known by formula.
#include "core/dsp/fractional_delay.h"
#include "core/measure/drive/comb.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

Sound noiseOf(double seconds) {
    return {test::noise(0.5, static_cast<std::size_t>(seconds * 48000), 11)};
}

Sound delayed(const Sound& x, std::size_t frames, float gain) {
    Sound y = x;
    for (std::size_t c = 0; c < x.size(); ++c)
        for (std::size_t n = 0; n < x[c].size(); ++n)
            y[c][n] = n < frames ? 0 : gain * x[c][n - frames];
    return y;
}

TEST(Comb, ADelayMakesHolesWhereItIsHalfAWaveAndIsNamedAsTheirCause) {
    const auto dry = noiseOf(6);
    const std::size_t frames = 48; // 1 ms: holes at 500, 1500 ... Hz
    const auto comb = combOf(dry, delayed(dry, frames, 0.7F), 48000);
    EXPECT_NEAR(comb.delayMs, 1, 0.003);
    EXPECT_FALSE(comb.isInverted);
    ASSERT_FALSE(comb.dips.empty());
    EXPECT_NEAR(comb.dips.front().hz, 500, 30);
    // |1 + 0.7 e^-jwT| over a sixth of an octave about the hole
    EXPECT_NEAR(comb.dips.front().depthDb, -20 * std::log10(0.3), 1.5);
    EXPECT_EQ(comb.dips.front().cause, CombCause::Delay);
    EXPECT_NEAR(comb.dipAt(500), comb.dips.front().depthDb, 1);
    EXPECT_EQ(comb.dipAt(1000), 0);
}

TEST(Comb, AnInvertedCopyTakesAwayEverywhereAndIsNamed) {
    const auto dry = noiseOf(6);
    const auto comb = combOf(dry, delayed(dry, 0, -0.5F), 48000);
    EXPECT_TRUE(comb.isInverted);
    EXPECT_NEAR(comb.delayMs, 0, 0.003);
    ASSERT_FALSE(comb.dips.empty());
    for (const auto& dip : comb.dips) {
        EXPECT_NEAR(dip.depthDb, 6.02, 0.3);
        EXPECT_EQ(dip.cause, CombCause::Polarity);
    }
}

TEST(Comb, TheWetGainCounts) {
    const auto dry = noiseOf(6);
    const auto comb = combOf(dry, delayed(dry, 0, -1), 48000, 0.25);
    EXPECT_NEAR(comb.dipAt(1000), -20 * std::log10(0.75), 0.2);
}

TEST(Comb, AGainUnderZeroInvertsAndSpectraAreThoseOfBothSounds) {
    const auto dry = noiseOf(6);
    const auto wet = delayed(dry, 0, 0.5F);
    const auto comb = combOf(dry, wet, 48000, -0.8);
    EXPECT_TRUE(comb.isInverted);
    ASSERT_FALSE(comb.dips.empty());
    EXPECT_EQ(comb.dips.front().cause, CombCause::Polarity);
    EXPECT_NEAR(comb.dipAt(1000), -20 * std::log10(1 - 0.4), 0.2);
    ASSERT_EQ(comb.dryDb.size(), comb.hz.size());
    EXPECT_NEAR(*std::max_element(comb.dryDb.begin(), comb.dryDb.end()), 0, 1e-9);
    for (std::size_t i = 0; i < comb.hz.size(); ++i)
        ASSERT_NEAR(comb.wetDb[i] - comb.dryDb[i], 20 * std::log10(0.4), 0.01);
    // The same that comes inverted, inverted once more, adds up.
    EXPECT_TRUE(combOf(dry, delayed(dry, 0, -0.5F), 48000, -0.8).dips.empty());
}

/// A second-order high-pass turns what is below its corner by up to half a turn.
TEST(Comb, AHighPassTakesAwayBelowItsCornerByItsPhase) {
    const auto dry = noiseOf(8);
    Sound wet = dry;
    const double w = 2 * kPi * 200 / 48000;
    const double alpha = std::sin(w) / (2 * 0.7071);
    const double c = std::cos(w);
    const double a0 = 1 + alpha;
    double x1 = 0;
    double x2 = 0;
    double y1 = 0;
    double y2 = 0;
    for (float& sample : wet[0]) {
        const double x = sample;
        const double y =
            ((1 + c) / 2 * x - (1 + c) * x1 + (1 + c) / 2 * x2 + 2 * c * y1 - (1 - alpha) * y2) / a0;
        x2 = x1;
        x1 = x;
        y2 = y1;
        y1 = y;
        sample = static_cast<float>(y);
    }
    const auto comb = combOf(dry, wet, 48000);
    ASSERT_FALSE(comb.dips.empty());
    // |1 + H|^2 = (1 - 2 y + 4 y^2) / (1 + y^2) with y = (f / 200 Hz)^2, least at y = 0.22
    EXPECT_NEAR(comb.dips.front().depthDb, 1.43, 0.2);
    EXPECT_NEAR(comb.dips.front().hz, 94, 15);
    EXPECT_EQ(comb.dips.front().cause, CombCause::Phase);
}

TEST(Comb, SoundsThatHaveNothingToDoWithEachOtherDoNotComb) {
    const auto comb = combOf(noiseOf(6), {test::noise(0.5, 6 * 48000, 99)}, 48000);
    EXPECT_TRUE(comb.dips.empty());
    EXPECT_LT(comb.likeness, 0.1);
}

} // namespace
} // namespace cask::measure
