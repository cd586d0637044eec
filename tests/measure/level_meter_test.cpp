#include "core/measure/level_meter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::measure {
namespace {

LevelFacts levelsOf(const std::vector<float>& x, int channels = 1) {
    LevelMeter meter(48000, channels);
    meter.add(x);
    return meter.result();
}

TEST(LevelMeter, ASineHasItsPeakRmsAndCrest) {
    const auto f = levelsOf(test::sine(1000, 0.5, 2));
    EXPECT_NEAR(f.peakDb, -6.0206, 0.01);
    EXPECT_NEAR(f.rmsDb, -9.0309, 0.01);
    EXPECT_NEAR(f.crestDb(), 3.0103, 0.02);
    EXPECT_NEAR(f.dcOffset, 0, 1e-6);
    EXPECT_EQ(f.clippedRunCount, 0);
}

TEST(LevelMeter, FindsOffsetAndSilence) {
    auto x = test::sine(1000, 0.1, 1);
    for (float& v : x)
        v -= 0.03F;
    EXPECT_NEAR(levelsOf(x).dcOffset, -0.03, 1e-5);
    EXPECT_TRUE(levelsOf(std::vector<float>(1000, 0)).isSilent());
}

TEST(LevelMeter, CountsClippedRunsWithTheirPlaces) {
    auto x = test::sine(100, 0.5, 1);
    for (std::size_t i = 1000; i < 1005; ++i)
        x[i] = 1;
    for (std::size_t i = 2000; i < 2004; ++i)
        x[i] = -1;
    x[3000] = 1; // a single full-scale sample is no clipping
    const auto f = levelsOf(x);
    ASSERT_EQ(f.clippedRunCount, 2);
    EXPECT_DOUBLE_EQ(f.clippedRuns[0].startS, 1000 / 48000.0);
    EXPECT_EQ(f.clippedRuns[0].frames, 5);
    EXPECT_DOUBLE_EQ(f.clippedRuns[1].startS, 2000 / 48000.0);
}

TEST(LevelMeter, CountsARunThatReachesTheEnd) {
    std::vector<float> x(100, 0);
    for (std::size_t i = 90; i < 100; ++i)
        x[i] = 1;
    EXPECT_EQ(levelsOf(x).clippedRunCount, 1);
}

TEST(LevelMeter, SilenceAmidASoundIsFoundWithWhatWasBefore) {
    auto x = test::noise(0.001, 5 * 48000, 3);
    std::fill(x.begin(), x.begin() + 48000, 0.0F);           // before it began: no gap
    std::fill(x.begin() + 96000, x.begin() + 144000, 0.0F);  // one second
    std::fill(x.begin() + 160000, x.begin() + 170000, 0.0F); // too short
    std::fill(x.begin() + 200000, x.end(), 0.0F);            // to the end
    const auto f = levelsOf(x);
    ASSERT_EQ(f.silentRunCount, 2);
    EXPECT_DOUBLE_EQ(f.silentRuns[0].startS, 2);
    EXPECT_DOUBLE_EQ(f.silentRuns[0].lengthS, 1);
    EXPECT_FALSE(f.silentRuns[0].isToEnd);
    EXPECT_NEAR(f.silentRuns[0].beforeDb, 20 * std::log10(0.001 / std::sqrt(3.0)), 0.5);
    EXPECT_DOUBLE_EQ(f.silentRuns[1].startS + f.silentRuns[1].lengthS, 5);
    EXPECT_TRUE(f.silentRuns[1].isToEnd);
    EXPECT_EQ(levelsOf(std::vector<float>(96000, 0.0F)).silentRunCount, 0);
}

TEST(LevelMeter, NoiseFloorIsWhatLiesBetweenTheHits) {
    auto x = test::bursts(200, 0.5, 0.1, 0.02, 10);
    const auto n = test::noise(0.001, x.size(), 2); // uniform: RMS is 0.001 / sqrt 3
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] += n[i];
    EXPECT_NEAR(levelsOf(x).noiseFloorDb, 20 * std::log10(0.001 / std::sqrt(3.0)), 1);
}

} // namespace
} // namespace cask::measure
