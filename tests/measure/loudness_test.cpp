// Cases of EBU Tech 3341: signals by the table of the standard, tolerances of the standard.
#include "core/measure/integrated_loudness.h"
#include "core/measure/loudness.h"
#include "tests/support/signals.h"

#include <ebur128.h>
#include <gtest/gtest.h>

#include <cmath>
#include <limits>
#include <memory>

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

/// Another implementation, which the program itself does not use.
class LibraryMeter {
  public:
    LibraryMeter(double rate, int channels)
        : m_state(ebur128_init(static_cast<unsigned>(channels), static_cast<unsigned long>(rate),
                               EBUR128_MODE_I | EBUR128_MODE_LRA | EBUR128_MODE_S | EBUR128_MODE_SAMPLE_PEAK),
                  [](ebur128_state* s) { ebur128_destroy(&s); }) {
        for (int c = 0; channels > 2 && c < channels; ++c) // it takes the third of five for a centre
            ebur128_set_channel(m_state.get(), static_cast<unsigned>(c), EBUR128_LEFT);
    }
    void add(std::span<const float> x) {
        ebur128_add_frames_float(m_state.get(), x.data(), x.size() / m_state->channels);
    }
    template <class Get> [[nodiscard]] double get(const Get& what) const {
        double value = 0;
        EXPECT_EQ(what(m_state.get(), &value), EBUR128_SUCCESS);
        return value;
    }
    [[nodiscard]] double samplePeak() const {
        double most = 0;
        for (unsigned c = 0; c < m_state->channels; ++c) {
            double value = 0;
            EXPECT_EQ(ebur128_sample_peak(m_state.get(), c, &value), EBUR128_SUCCESS);
            most = std::max(most, value);
        }
        return most;
    }

  private:
    std::unique_ptr<ebur128_state, void (*)(ebur128_state*)> m_state;
};

TEST(Loudness, AgreesWithTheLibraryInAllItSays) {
    for (const auto& [rate, channels] :
         {std::pair{48000.0, 2}, {44100.0, 1}, {22050.0, 2}, {96000.0, 5}, {48000.0, 3}}) {
        auto x = test::noise(0.2, static_cast<std::size_t>(rate) * 20 * static_cast<std::size_t>(channels),
                             static_cast<unsigned>(channels));
        const auto perSecond = static_cast<std::size_t>(rate) * static_cast<std::size_t>(channels);
        for (std::size_t n = 0; n < x.size(); ++n) { // louder and softer by turns, and all of it rising
            const double level = n / perSecond / 4 % 3 == 0 ? 1.0 : n / perSecond / 4 % 3 == 1 ? 0.17 : 0.04;
            x[n] *= static_cast<float>(level * dbToLinear(6.0 * static_cast<double>(n / perSecond) / 20));
        }
        LoudnessMeter own(rate, channels);
        LibraryMeter library(rate, channels);
        // Tenths of a second, and some pieces that are none; where both stand on a part of 10 ms it is
        // compared.
        const std::size_t tenth =
            perSecond / 10 / static_cast<std::size_t>(channels) * static_cast<std::size_t>(channels);
        int compared = 0;
        for (std::size_t at = 0; at + tenth <= x.size(); at += tenth) {
            const std::size_t first =
                tenth / 3 / static_cast<std::size_t>(channels) * static_cast<std::size_t>(channels);
            own.add(std::span(x).subspan(at, first));
            own.add(std::span(x).subspan(at + first, tenth - first));
            library.add(std::span(x).subspan(at, tenth));
            if (at % (7 * tenth) != 0 || at == 0)
                continue;
            EXPECT_NEAR(own.momentaryLufs(), library.get(ebur128_loudness_momentary), 0.02) << rate;
            EXPECT_NEAR(own.shortTermLufs(), library.get(ebur128_loudness_shortterm), 0.02) << rate;
            ++compared;
        }
        EXPECT_GT(compared, 10);
        EXPECT_NEAR(own.result().integratedLufs, library.get(ebur128_loudness_global), 0.01) << rate;
        EXPECT_NEAR(own.result().rangeLu, library.get(ebur128_loudness_range), 0.05) << rate;
        EXPECT_GT(own.result().rangeLu, 1) << "there is a range";
        EXPECT_NEAR(own.result().samplePeakDb, linearToDb(library.samplePeak()), 1e-4) << rate;
    }
}

TEST(Loudness, BurstsAreGatedAsTheLibraryGatesThem) {
    auto x = test::noise(0.3, std::size_t{2} * 48000 * 12, 3);
    for (std::size_t n = 0; n < x.size(); ++n) // 0.15 s every 0.7 s, of two strengths
        x[n] *= n / 2 % 33600 < 7200 ? (n / 67200 % 2 == 0 ? 1.0F : 0.2F) : 0.003F;
    LibraryMeter library(48000, 2);
    library.add(x);
    EXPECT_NEAR(integrated(x), library.get(ebur128_loudness_global), 0.01);
}

TEST(Loudness, MomentaryIsFollowedWithinATenthOfItsTime) {
    // Tech 3341 asks for it at least ten times a second: here 0.4 s of tone end within 10 ms of a look.
    LoudnessMeter meter(48000, 2);
    meter.add(std::vector<float>(2 * 48000, 0));
    const auto tone = toneParts({{-23, 0.41}});
    meter.add(std::span(tone).first(2 * 480 * 20));
    EXPECT_NEAR(meter.momentaryLufs(), -23 - 3.01, 0.1) << "half of its time";
    meter.add(std::span(tone).subspan(2 * 480 * 20));
    EXPECT_NEAR(meter.momentaryLufs(), -23, 0.1);
}

TEST(Loudness, WhatIsNotANumberIsSilenceForItsTenMilliseconds) {
    auto x = toneParts({{-23, 20}});
    x[96000] = std::numeric_limits<float>::quiet_NaN();
    LoudnessMeter meter(48000, 2);
    meter.add(x);
    EXPECT_NEAR(meter.result().integratedLufs, -23, 0.1);
    EXPECT_NEAR(meter.result().samplePeakDb, -23, 0.1);
    EXPECT_NEAR(meter.momentaryLufs(), -23, 0.1) << "what follows counts";
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
