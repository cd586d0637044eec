#include "core/measure/hits/band_trail.h"
#include "core/measure/hits/file_trails.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <limits>

namespace cask::measure {
namespace {

BandTrail trailOf(const std::vector<float>& x, double rate = 48000) {
    BandTrailMeter meter(rate);
    meter.add(x);
    return meter.take();
}

TEST(BandTrail, ASineReadsItsPowerInItsBandAndLittleElsewhere) {
    for (const double rate : {44100.0, 48000.0, 96000.0, 192000.0})
        for (std::size_t band = 0; band < kTrailBands; ++band) {
            const double low = band == 0 ? 30 : kTrailEdgesHz[band - 1];
            const double high = band == 7 ? 14000 : kTrailEdgesHz[band];
            const double hz = std::sqrt(low * high);
            const auto trail = trailOf(test::sine(hz, 0.5, 0.6, rate), rate);
            double power = 0;
            std::array<double, kTrailBands> all{};
            for (std::size_t n = 200; n < 500; ++n)
                for (std::size_t b = 0; b < kTrailBands; ++b)
                    all[b] += powerOfLevelByte(trail.bands[n * kTrailBands + b]) / 300;
            power = all[band];
            // 0.5^2 / 2, less what the slopes of the band take.
            EXPECT_NEAR(powerToDb(power), powerToDb(0.125), 4) << hz << " Hz at " << rate;
            for (std::size_t b = 0; b < kTrailBands; ++b)
                if (b > band + 2) {
                    EXPECT_LT(powerToDb(all[b]), powerToDb(power) - 36) << hz << " Hz heard in band " << b;
                }
        }
}

TEST(BandTrail, OddPiecesGiveTheSameTrail) {
    const auto x = test::noise(0.3, 30000, 4);
    const auto whole = trailOf(x);
    BandTrailMeter meter(48000);
    std::size_t from = 0;
    for (const std::size_t n : {1U, 7U, 480U, 3000U, 511U, 513U}) {
        meter.add(std::span(x).subspan(from, n));
        from += n;
    }
    meter.add(std::span(x).subspan(from));
    EXPECT_EQ(meter.take(), whole);
}

TEST(BandTrail, TakesOneChannelOfSeveral) {
    const auto x = test::noise(0.3, 4800, 4);
    std::vector<float> stereo(2 * x.size());
    for (std::size_t n = 0; n < x.size(); ++n)
        stereo[2 * n + 1] = x[n];
    BandTrailMeter meter(48000);
    meter.add(std::span<const float>(stereo).subspan(1), 2);
    EXPECT_EQ(meter.take(), trailOf(x));
}

TEST(BandTrail, LevelsSurviveTheirByteWithinAQuarterDecibel) {
    for (double db = -119; db < 6; db += 0.37) {
        const auto power = static_cast<float>(std::pow(10.0, db / 10));
        EXPECT_NEAR(dbOfLevelByte(levelByteOfPower(power)), db, 0.26);
        EXPECT_NEAR(10 * std::log10(powerOfLevelByte(levelByteOfPower(power))), db, 0.26);
    }
    for (int byte = 0; byte < 256; ++byte)
        EXPECT_EQ(powerOfLevelByte(static_cast<LevelByte>(byte)),
                  static_cast<float>(std::pow(10.0, (0.5 * byte - 120) / 10)))
            << byte;
    EXPECT_EQ(levelByteOfPower(0), 0);
    EXPECT_EQ(levelByteOfPower(std::nanf("")), 0);
    EXPECT_EQ(levelByteOfPower(1e30F), 255);
}

TEST(FileTrails, ComeBackFromTheCacheAsTheyWere) {
    const test::TempFolder folder;
    test::writeWav(folder / "a.wav", test::bursts(200, 0.5, 0.2, 0.05, 3));
    const auto fresh = trailsOfFile(folder / "a.wav", folder / "cache", "name");
    ASSERT_TRUE(fresh);
    EXPECT_EQ((*fresh)->arrivals.size(), 6U);
    std::filesystem::remove(folder / "a.wav"); // the cache alone must do
    const auto cached = trailsOfFile(folder / "a.wav", folder / "cache", "name");
    ASSERT_TRUE(cached);
    EXPECT_EQ((*cached)->channels, (*fresh)->channels);
    EXPECT_EQ((*cached)->arrivals.size(), 6U);
}

TEST(FileTrails, DamagedBytesAreRefusedAndCostNothing) {
    const auto bytes = serialiseTrails({trailOf(test::noise(0.1, 4800, 1))});
    ASSERT_TRUE(parseTrails(bytes));
    EXPECT_FALSE(parseTrails(bytes.substr(0, bytes.size() - 1)));
    EXPECT_FALSE(parseTrails(bytes + "x"));
    EXPECT_FALSE(parseTrails(""));
    std::string huge = bytes;
    for (std::size_t i = 20; i < 24; ++i)
        huge[i] = '\x7f'; // two thousand million steps
    EXPECT_FALSE(parseTrails(huge));
}

TEST(FileTrails, AMissingFileIsNamedAndStoppingStops) {
    const auto missing = trailsOfFile("/nowhere/kick.wav", {}, {});
    ASSERT_FALSE(missing);
    EXPECT_NE(missing.error().message.find("kick.wav"), std::string::npos);
    const test::TempFolder folder;
    test::writeWav(folder / "a.wav", test::sine(100, 0.5, 5));
    CancelToken cancel;
    cancel.cancel();
    const auto stopped = trailsOfFile(folder / "a.wav", {}, {}, cancel);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
}

TEST(LevelByte, IsTheNearestHalfDecibelForAnyPower) {
    for (double db = -119.9; db < 7.7; db += 0.0137) {
        const auto power = static_cast<float>(std::pow(10.0, db / 10));
        const double wanted = 2 * (db + 120);
        EXPECT_NEAR(levelByteOfPower(power), wanted, 0.5001) << db << " dB";
    }
    EXPECT_EQ(levelByteOfPower(0), 0);
    EXPECT_EQ(levelByteOfPower(1e30F), 255);
    EXPECT_EQ(levelByteOfPower(std::numeric_limits<float>::infinity()), 255);
    EXPECT_EQ(levelByteOfPower(std::numeric_limits<float>::quiet_NaN()), 0);
}

} // namespace
} // namespace cask::measure
