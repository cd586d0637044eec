// Crush: steps, holding, filter and dither against what their definitions say.
#include "core/base/units.h"
#include "core/dsp/crush.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

#include <cmath>
#include <set>

namespace cask::dsp {
namespace {

std::vector<float> crushed(const CrushSettings& s, const std::vector<float>& x, int block = 480) {
    return test::throughLanes<CrushLanes>({x}, {x}, s, kRate, block, 5)[0];
}

TEST(Crush, RoundsToTheNearestOfItsSteps) {
    const auto x = test::noise(0.9, 4800, 1);
    CrushSettings s;
    s.bits = 5;
    const auto y = crushed(s, x);
    std::set<float> levels;
    for (std::size_t n = 0; n < x.size(); ++n) {
        ASSERT_LE(std::abs(y[n] - x[n]), 1.0F / 32 + 1e-7F);
        ASSERT_EQ(y[n] * 16, std::round(y[n] * 16));
        levels.insert(y[n]);
    }
    EXPECT_EQ(levels.size(), 29U) << "-14/16 to 14/16";
}

TEST(Crush, AtItsEndsEveryBitStays) {
    const auto x = test::noise(0.9, 4800, 1);
    CrushSettings s;
    s.bits = CrushSettings::kMostBits;
    EXPECT_EQ(crushed(s, x), x);
    s.bits = 4;
    s.mixPercent = 0;
    EXPECT_EQ(crushed(s, x), x);
}

TEST(Crush, HoldsAtItsRateAndFoldsBackUnlessItIsFiltered) {
    const auto x = test::sine(5000, 0.5, 1);
    CrushSettings s;
    s.bits = CrushSettings::kMostBits;
    s.rateHz = 8000;
    const auto y = crushed(s, x);
    int changes = 0;
    for (std::size_t n = 1; n < y.size(); ++n)
        changes += y[n] != y[n - 1] ? 1 : 0;
    EXPECT_NEAR(changes, 8000, 2);
    const auto inner = [](const std::vector<float>& v) { return std::span(v).subspan(4800, 38400); };
    // What is held for T has a level of sin(pi f T) / (pi f T) at f.
    const double droop = std::sin(kPi * 3 / 8) / (kPi * 3 / 8);
    EXPECT_NEAR(test::amplitudeAt(inner(y), 3000, kRate), 0.5 * droop, 0.02);
    s.isFiltered = true;
    // Eight poles at 3.6 kHz leave -23 dB of 5 kHz.
    EXPECT_LT(test::amplitudeAt(inner(crushed(s, x)), 3000, kRate), 0.5 * dbToLinear(-22.5));
    // A tone that fits passes, and its image goes.
    const auto low = crushed(s, test::sine(1000, 0.5, 1));
    EXPECT_NEAR(linearToDb(test::amplitudeAt(inner(low), 1000, kRate) / 0.5), -0.2, 0.2);
    EXPECT_LT(linearToDb(test::amplitudeAt(inner(low), 7000, kRate) / 0.5), -45);
}

TEST(Crush, DitherTurnsTheTonesOfRoundingIntoNoise) {
    const auto x = test::sine(1000, 1.0 / 64, 4); // one step of 7 bits
    CrushSettings s;
    s.bits = 7;
    const auto third = [&](const std::vector<float>& y) {
        return linearToDb(test::amplitudeAt(std::span(y).subspan(0, 192000), 3000, kRate) * 64);
    };
    const double bare = third(crushed(s, x));
    s.isDithered = true;
    const auto y = crushed(s, x);
    EXPECT_GT(bare, -30);
    EXPECT_LT(third(y), -38);
    // Triangular noise and rounding have 1/4 of a squared step together.
    double power = 0;
    for (std::size_t n = 0; n < x.size(); ++n)
        power += std::pow((y[n] - x[n]) * 64.0, 2);
    EXPECT_NEAR(power / static_cast<double>(x.size()), 0.25, 0.01);
}

TEST(Crush, BlocksDoNotMatter) {
    const auto x = test::noise(0.5, 9600, 2);
    CrushSettings s{8, true, 11025, true, 60};
    EXPECT_EQ(crushed(s, x, 480), crushed(s, x, 133));
}

} // namespace
} // namespace cask::dsp
