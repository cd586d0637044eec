// Interleaving, shifting and peak finding, on every set of kernels this machine can run.
#include "core/dsp/fractional_delay.h"
#include "core/dsp/kernels.h"
#include "core/media/resampler.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <limits>

namespace cask::dsp {
namespace {

class InputKernels : public testing::TestWithParam<const Kernels*> {};

TEST_P(InputKernels, InterleaveIsTheGainTimesEveryLaneAtEveryLength) {
    std::array<std::vector<float>, kLanes> lanes;
    std::array<const float*, kLanes> planar{};
    LaneFloats gain;
    for (std::size_t l = 0; l < kLanes; ++l) {
        lanes[l] = test::noise(1, 64, static_cast<unsigned>(l) + 1);
        planar[l] = lanes[l].data();
        gain[static_cast<int>(l)] = 0.25F * static_cast<float>(l) - 1;
    }
    for (int frames = 0; frames <= 33; ++frames) { // whole registers, parts of them, none
        LaneBuffer out(64 * kLanes, 77.0F);
        GetParam()->interleave(planar.data(), gain, out.data(), frames);
        for (int n = 0; n < 64; ++n)
            for (int l = 0; l < kLanes; ++l) {
                const float wanted =
                    n < frames ? lanes[static_cast<std::size_t>(l)][static_cast<std::size_t>(n)] * gain[l]
                               : 77.0F;
                ASSERT_EQ(out[static_cast<std::size_t>(n * kLanes + l)], wanted)
                    << frames << " frames, frame " << n << ", lane " << l;
            }
    }
}

TEST_P(InputKernels, ShiftIsTheConvolution) {
    const auto in = test::noise(1, (100 + kShiftTaps) * kLanes, 9);
    std::array<LaneFloats, kShiftTaps> taps;
    for (std::size_t t = 0; t < kShiftTaps; ++t)
        for (int l = 0; l < kLanes; ++l)
            taps[t][l] = std::sin(static_cast<float>(t) * 0.7F + static_cast<float>(l));
    LaneBuffer out(100 * kLanes);
    GetParam()->shift(taps.data(), in.data(), out.data(), 100);
    for (int n = 0; n < 100; n += 7)
        for (int l = 0; l < kLanes; ++l) {
            double wanted = 0;
            for (int t = 0; t < kShiftTaps; ++t)
                wanted += static_cast<double>(taps[static_cast<std::size_t>(t)][l]) *
                          in[static_cast<std::size_t>((n + kShiftTaps - 1 - t) * kLanes + l)];
            ASSERT_NEAR(out[static_cast<std::size_t>(n * kLanes + l)], wanted, 1e-4);
        }
}

TEST_P(InputKernels, PeaksAreThoseOfTheInterpolatedCurve) {
    // The curve between the samples of a band-limited signal is known: it is the signal's own formula.
    constexpr double kHz = 5100;
    const auto x = test::sine(kHz, 0.8, 0.01, kRate, 0.4);
    std::vector<float> line(x.begin(), x.begin() + 64 + PeakTaps::kTaps - 1);
    std::array<float, 64> peaks{};
    GetParam()->peaks(peakTaps(), line.data(), 64, peaks.data());
    for (int n = 0; n < 64; ++n) {
        // The stretch lies kDelayFrames behind the newest sample of the window.
        const int newest = n + PeakTaps::kTaps - 1;
        double wanted = 0;
        for (int p = 0; p < PeakTaps::kPhases; ++p) {
            const double at = newest - PeakTaps::kDelayFrames + static_cast<double>(p) / PeakTaps::kPhases;
            wanted = std::max(wanted, std::abs(0.8 * std::sin(2 * kPi * kHz * at / kRate + 0.4)));
        }
        ASSERT_NEAR(peaks[static_cast<std::size_t>(n)], wanted, 0.004) << n;
    }
}

TEST_P(InputKernels, LevelsTellOfSamplesThatAreNoNumbers) {
    for (const float bad : {std::numeric_limits<float>::quiet_NaN(), std::numeric_limits<float>::infinity(),
                            -std::numeric_limits<float>::infinity()}) {
        for (const std::size_t place : {0U, 5U, 17U, 99U * 8U, 99U * 8U + 7U}) {
            std::vector<float> in(100 * kLanes, 0.5F);
            in[place] = bad;
            LaneLevels levels;
            GetParam()->levels(in.data(), 100, levels);
            EXPECT_FALSE(std::isfinite(levels.sumSquares[static_cast<int>(place % kLanes)])) << place;
            EXPECT_NEAR(levels.sumSquares[static_cast<int>((place + 1) % kLanes)], 25, 1e-4);
        }
    }
}

INSTANTIATE_TEST_SUITE_P(Sets, InputKernels, testing::ValuesIn(allKernels().begin(), allKernels().end()),
                         [](const auto& tested) { return std::string(tested.param->name); });

TEST(PeakFinder, SameAnswerHoweverTheSamplesArrive) {
    const auto x = test::noise(0.9, 1000, 4);
    const auto peaksOf = [&](int piece) {
        PeakFinder finder;
        std::vector<float> all;
        for (int at = 0; at < 1000; at += piece) {
            const int count = std::min(piece, 1000 - at);
            std::array<float, PeakFinder::kMostFrames> peaks{};
            EXPECT_TRUE(finder.find(x.data() + at, 1, count, 0, peaks.data()));
            all.insert(all.end(), peaks.begin(), peaks.begin() + count);
        }
        return all;
    };
    const auto whole = peaksOf(64);
    EXPECT_EQ(peaksOf(1), whole);
    EXPECT_EQ(peaksOf(7), whole);
    EXPECT_EQ(peaksOf(63), whole);
}

TEST(PeakFinder, WhatPassesTheLimitIsFoundWhereverItLies) {
    for (int place = 0; place < 2 * PeakFinder::kMostFrames; ++place)
        for (const float limit : {0.5F, 1e-3F}) {
            std::vector<float> x(std::size_t{4} * PeakFinder::kMostFrames, 1e-6F);
            x[static_cast<std::size_t>(place)] = 1;
            PeakFinder all;
            PeakFinder some;
            for (std::size_t at = 0; at < x.size(); at += PeakFinder::kMostFrames) {
                std::array<float, PeakFinder::kMostFrames> wanted{};
                std::array<float, PeakFinder::kMostFrames> found{};
                (void)all.find(x.data() + at, 1, PeakFinder::kMostFrames, 0, wanted.data());
                if (!some.find(x.data() + at, 1, PeakFinder::kMostFrames, limit, found.data()))
                    found.fill(0);
                for (std::size_t n = 0; n < wanted.size(); ++n)
                    if (wanted[n] > limit)
                        ASSERT_EQ(found[n], wanted[n]) << place << " " << limit << " " << at + n;
            }
        }
}

TEST(PeakFinder, OnlyLooksWhereAPeakMayPassTheLimit) {
    PeakFinder finder;
    std::array<float, PeakFinder::kMostFrames> peaks{};
    const auto quiet = test::sine(11000, 0.1, 0.01);
    EXPECT_FALSE(finder.find(quiet.data(), 1, 64, 0.5F, peaks.data()));
    const auto loud = test::sine(11000, 0.4, 0.01);
    EXPECT_TRUE(finder.find(loud.data(), 1, 64, 0.5F, peaks.data()));
    // What came before still counts while it is in the window, then no more.
    EXPECT_TRUE(finder.find(quiet.data(), 1, 20, 0.5F, peaks.data()));
    EXPECT_TRUE(finder.find(quiet.data(), 1, 3, 0.5F, peaks.data())) << "three loud ones are left";
    EXPECT_FALSE(finder.find(quiet.data(), 1, 64, 0.5F, peaks.data()));
    finder.reset();
    EXPECT_FALSE(finder.find(quiet.data(), 1, 64, 0.5F, peaks.data()));
}

TEST(TruePeakMeter, AgreesWithAnotherResamplerAtEightTimesTheRate) {
    for (const double hz : {997.0, 5000.0, 12000.0, 17500.0}) {
        for (const double phase : {0.0, 0.3, kPi / 4}) {
            auto x = test::sine(hz, 0.7, 0.5, 48000, phase);
            for (std::size_t i = 0; i < 480; ++i) { // no edge has a peak of its own
                const auto share = static_cast<float>(i) / 480;
                x[i] *= share;
                x[x.size() - 1 - i] *= share;
            }
            TruePeakMeter meter;
            meter.add(x);
            auto up = media::Resampler::create(48000, 8 * 48000, 1);
            double wanted = test::peakOf(up->process(x));
            wanted = std::max(wanted, test::peakOf(up->process({})));
            EXPECT_NEAR(20 * std::log10(meter.peak() / wanted), 0, 0.1) << hz << " Hz, phase " << phase;
        }
    }
}

TEST(TruePeakMeter, ReadsOneChannelOfManyAndAllocatesNothing) {
    auto left = test::sine(440, 0.25, 0.2);
    const auto right = test::sine(440, 0.9, 0.2);
    std::vector<float> both;
    for (std::size_t n = 0; n < left.size(); ++n) {
        both.push_back(left[n]);
        both.push_back(right[n]);
    }
    std::array<TruePeakMeter, 2> meters;
    {
        const test::AllocationCounter counter;
        meters[0].add(both, 2);
        meters[1].add(std::span(both).subspan(1), 2);
        EXPECT_EQ(test::AllocationCounter::count(), 0);
    }
    EXPECT_NEAR(meters[0].peak(), 0.25, 0.002);
    EXPECT_NEAR(meters[1].peak(), 0.9, 0.005);
}

} // namespace
} // namespace cask::dsp
