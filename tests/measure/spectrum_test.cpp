#include "core/measure/spectrum.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

Spectrum measure(const std::vector<float>& x, double rate = 48000) {
    SpectrumMeter meter(rate, 1);
    meter.add(x);
    return meter.result();
}

TEST(Spectrum, ASineReadsItsLevelInItsThirdOctave) {
    for (const double rate : {44100.0, 48000.0, 96000.0, 192000.0})
        for (const double hz : {63.0, 1000.0, 8000.0}) {
            const auto s = measure(test::sine(hz, 0.1, 4, rate), rate);
            EXPECT_NEAR(s.thirdOctaveDb(hz), -20, 0.3) << hz << " at " << rate;
            EXPECT_LT(s.thirdOctaveDb(hz * 2), -60);
        }
}

TEST(Spectrum, WhiteNoiseRisesByThreeDbAnOctave) {
    const auto s = measure(test::noise(0.5, 48000 * 30, 4));
    for (double hz = 125; hz < 8000; hz *= 2)
        EXPECT_NEAR(s.thirdOctaveDb(2 * hz) - s.thirdOctaveDb(hz), 3.01, 0.6) << hz;
    // All bands together: uniform noise of 0.5 has power 1/12; a full-scale sine's is 1/2.
    EXPECT_NEAR(s.levelBetween(16, 24000), 10 * std::log10(1.0 / 12 / 0.5), 0.3);
}

TEST(Spectrum, AFileShorterThanAWindowIsStillMeasured) {
    const auto s = measure(test::sine(1000, 0.5, 0.05));
    ASSERT_FALSE(s.bandDb.empty());
    int loudest = 0;
    for (int i = 0; i < kSpectrumPoints; ++i)
        if (s.bandDb[static_cast<std::size_t>(i)] > s.bandDb[static_cast<std::size_t>(loudest)])
            loudest = i;
    EXPECT_NEAR(Spectrum::pointHz(loudest), 1000, 30);
    EXPECT_TRUE(measure({}).bandDb.empty());
}

} // namespace
} // namespace cask::measure
