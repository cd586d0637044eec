// Cases of EBU Tech 3341: signals by the table of the standard, tolerances of the standard.
#include "core/measure/integrated_loudness.h"
#include "core/measure/loudness.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

struct Part {
    double levelDb;
    double seconds;
};

/// Stereo 1 kHz sine, each part at its level in both channels.
std::vector<float> toneParts(const std::vector<Part>& parts, double rate = 48000, double hz = 1000) {
    std::vector<float> out;
    for (const auto& part : parts)
        for (const float v : test::sine(hz, std::pow(10, part.levelDb / 20), part.seconds, rate)) {
            out.push_back(v);
            out.push_back(v);
        }
    return out;
}

double integrated(const std::vector<float>& x, double rate = 48000) {
    LoudnessMeter meter(rate, 2);
    meter.add(x);
    return meter.result().integratedLufs;
}

TEST(Loudness, Tech3341Cases1To5Within0_1Lu) {
    EXPECT_NEAR(integrated(toneParts({{-23, 20}})), -23, 0.1);
    EXPECT_NEAR(integrated(toneParts({{-33, 20}})), -33, 0.1);
    EXPECT_NEAR(integrated(toneParts({{-36, 10}, {-23, 60}, {-36, 10}})), -23, 0.1);
    EXPECT_NEAR(integrated(toneParts({{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}})), -23, 0.1);
    EXPECT_NEAR(integrated(toneParts({{-26, 20}, {-20, 20.1}, {-26, 20}})), -23, 0.1);
}

TEST(Loudness, HoldsAtEveryRate) {
    for (const double rate : {44100.0, 88200.0, 96000.0, 192000.0})
        EXPECT_NEAR(integrated(toneParts({{-23, 10}}, rate), rate), -23, 0.1) << rate;
}

TEST(Loudness, Tech3342RangeOfTwoLevels) {
    // Case 1: 20 s at -20, 20 s at -30 LUFS: 10 LU; case 2: -20 and -15: 5 LU; both within 1 LU.
    for (const auto& [second, range] : {std::pair{-30.0, 10.0}, {-15.0, 5.0}}) {
        LoudnessMeter meter(48000, 2);
        meter.add(toneParts({{-20, 20}, {second, 20}}));
        EXPECT_NEAR(meter.result().rangeLu, range, 1);
    }
}

TEST(Loudness, TruePeakCases15To19WithinTheStandardsTolerance) {
    // Tech 3341: quarter-rate sines whose samples miss the peak; allowed +0.2 / -0.4 dB.
    for (const double phase : {0.0, 45.0, 60.0, 67.5}) {
        for (const double divisor : {4.0, 6.0, 8.0}) {
            LoudnessMeter meter(48000, 1);
            auto x = test::sine(48000 / divisor, 0.5, 0.5, 48000, phase * kPi / 180);
            for (std::size_t i = 0; i < 480; ++i) { // ramps, so that the ends make no peak of their own
                x[i] *= static_cast<float>(i) / 480;
                x[x.size() - 1 - i] *= static_cast<float>(i) / 480;
            }
            meter.add(x);
            const double db = meter.result().truePeakDb;
            EXPECT_LT(db, -6.02 + 0.2) << phase << " " << divisor;
            EXPECT_GT(db, -6.02 - 0.4) << phase << " " << divisor;
        }
    }
}

TEST(Loudness, SilenceIsSaidAsSilence) {
    LoudnessMeter meter(48000, 2);
    meter.add(std::vector<float>(96000, 0));
    EXPECT_EQ(meter.result().integratedLufs, kSilenceDb);
    EXPECT_EQ(meter.momentaryLufs(), kSilenceDb);
}

double integratedAlone(const std::vector<float>& x, double rate = 48000, int channels = 2) {
    IntegratedLoudness meter(rate, channels);
    for (std::size_t at = 0; at < x.size(); at += 1022) // pieces of any size
        meter.add(std::span(x).subspan(at, std::min<std::size_t>(1022, x.size() - at)));
    return meter.lufs();
}

TEST(IntegratedLoudness, Tech3341Cases1To5Within0_1Lu) {
    EXPECT_NEAR(integratedAlone(toneParts({{-23, 20}})), -23, 0.1);
    EXPECT_NEAR(integratedAlone(toneParts({{-33, 20}})), -33, 0.1);
    EXPECT_NEAR(integratedAlone(toneParts({{-36, 10}, {-23, 60}, {-36, 10}})), -23, 0.1);
    EXPECT_NEAR(integratedAlone(toneParts({{-72, 10}, {-36, 10}, {-23, 60}, {-36, 10}, {-72, 10}})), -23,
                0.1);
    EXPECT_NEAR(integratedAlone(toneParts({{-26, 20}, {-20, 20.1}, {-26, 20}})), -23, 0.1);
    for (const double rate : {44100.0, 88200.0, 96000.0, 192000.0})
        EXPECT_NEAR(integratedAlone(toneParts({{-23, 10}}, rate), rate), -23, 0.1) << rate;
}

TEST(IntegratedLoudness, AgreesWithTheLibraryOnNoiseAtAnyRateAndSilenceIsSilence) {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        auto x = test::noise(0.2, static_cast<std::size_t>(rate) * 16, 5);
        for (std::size_t n = 0; n < x.size(); ++n) // bursts over something softer
            x[n] *= n / static_cast<std::size_t>(rate) % 3 == 0 ? 1.0F : 0.05F;
        EXPECT_NEAR(integratedAlone(x, rate), integrated(x, rate), 0.02) << rate;
    }
    EXPECT_EQ(integratedAlone(std::vector<float>(96000, 0.0F)), kSilenceDb);
    EXPECT_EQ(integratedAlone({}), kSilenceDb);
}

TEST(LaneLoudness, IsThatOfEachSoundAlone) {
    for (const double rate : kRates) {
        std::vector<std::vector<float>> channels;
        for (int i = 0; i < dsp::kLanes; ++i)
            channels.push_back(test::noise(0.4 / (1 + i), static_cast<std::size_t>(3 * rate),
                                           11U + static_cast<unsigned>(i)));
        dsp::LaneBuffer lanes(channels[0].size() * dsp::kLanes);
        for (std::size_t n = 0; n < channels[0].size(); ++n)
            for (std::size_t l = 0; l < dsp::kLanes; ++l)
                lanes[n * dsp::kLanes + l] = channels[l][n];
        LaneLoudness meter(rate);
        for (std::size_t n = 0; n < channels[0].size();) {
            const int frames = static_cast<int>(std::min<std::size_t>(977, channels[0].size() - n));
            meter.add(lanes.data() + n * dsp::kLanes, frames);
            n += static_cast<std::size_t>(frames);
        }
        for (std::size_t l = 0; l < dsp::kLanes; ++l)
            EXPECT_NEAR(meter.lufs(static_cast<int>(l), 1), integratedLufs({channels[l]}, rate), 0.001)
                << rate;
        EXPECT_NEAR(meter.lufs(2, 2), integratedLufs({channels[2], channels[3]}, rate), 0.001);
        EXPECT_EQ(LaneLoudness(rate).lufs(0, 1), kSilenceDb);
    }
}

} // namespace
} // namespace cask::measure
