// The drive of a layer's filter: its curve, what it folds down, and that quiet sound passes as it is.
#include "core/base/units.h"
#include "core/dsp/layer_filter.h"
#include "tests/support/aliases.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

constexpr int kBlock = 512;

/// A filter that is open, so that the drive alone is heard.
LayerFilterSettings open(double driveDb) {
    return {FilterKind::HighPass, 5, 12, 0, driveDb};
}

/// Runs mono sound through the given lane in blocks.
std::vector<float> runLayer(LayerFilter& filter, int lane, std::span<const float> x, int block = kBlock) {
    std::vector<float> out(x.size());
    LaneBuffer io(kBlock * kLanes);
    for (std::size_t at = 0; at < x.size();) {
        const auto frames = std::min(static_cast<std::size_t>(block), x.size() - at);
        std::fill(io.begin(), io.end(), 0.0F);
        for (std::size_t n = 0; n < frames; ++n)
            io[n * kLanes + static_cast<std::size_t>(lane)] = x[at + n];
        filter.process(io.data(), static_cast<int>(frames));
        for (std::size_t n = 0; n < frames; ++n)
            out[at + n] = io[n * kLanes + static_cast<std::size_t>(lane)];
        at += frames;
    }
    return out;
}

/// All to 20 kHz that is neither the tone nor a harmonic of it, dB relative to the tone.
double relativeAliasesDb(std::span<const float> out, double hz, double rateHz) {
    const auto second = out.last(static_cast<std::size_t>(rateHz));
    return test::aliasesDb(second, static_cast<int>(hz), static_cast<int>(rateHz)) -
           linearToDb(test::amplitudeAt(second, hz, rateHz));
}

double aliasesDb(double hz, double rateHz, Oversampling oversampling, double driveDb) {
    LayerFilter filter(rateHz, oversampling);
    filter.set(2, open(driveDb));
    filter.reset();
    return relativeAliasesDb(runLayer(filter, 2, test::sine(hz, dbToLinear(-6), 3, rateHz)), hz, rateHz);
}

TEST(LayerDrive, FoldsAlmostNothingDown) {
    double worst4 = -300;
    double worst8 = -300;
    // Tones whose folded harmonics never fall on one of their own.
    for (const auto& [hz, rate] : {std::pair{1009.0, 48000.0},
                                   {5003.0, 48000.0},
                                   {1000.0, 44100.0},
                                   {5000.0, 44100.0},
                                   {5003.0, 96000.0}})
        for (const double drive : {6.0, 18.0, 19.1}) { // 19.1 dB: d of a plain gain of 18 dB
            worst4 = std::max(worst4, aliasesDb(hz, rate, Oversampling::Four, drive));
            worst8 = std::max(worst8, aliasesDb(hz, rate, Oversampling::Eight, drive));
        }
    EXPECT_LE(worst4, -80);
    EXPECT_LE(worst8, -100);
    RecordProperty("aliases_4x_db", std::to_string(worst4));
    RecordProperty("aliases_8x_db", std::to_string(worst8));
    // The measure sees them where nothing is done about them.
    auto raw = test::sine(5003, dbToLinear(-6), 1);
    const double d = saturationOf(open(18));
    for (float& x : raw)
        x = static_cast<float>(std::tanh(d * x) / d);
    EXPECT_GT(relativeAliasesDb(raw, 5003, 48000), -40);
}

TEST(LayerDrive, HarmonicsAreThoseOfTheCurve) {
    // Fourier coefficients of tanh(d a sin t) / d by the midpoint rule, which is exact for what is smooth.
    const double amplitude = 0.5;
    for (const double drive : {3.0, 12.0, 24.0}) {
        LayerFilter filter(48000, Oversampling::Eight);
        filter.set(0, open(drive));
        filter.reset();
        const auto out = runLayer(filter, 0, test::sine(1000, amplitude, 2));
        const auto level = [&](int order) {
            return test::amplitudeAt(std::span(out).subspan(48000, 48000), 1000.0 * order, 48000);
        };
        const double d = dbToLinear(drive) - 1;
        for (const int order : {1, 3, 5, 7}) {
            double wanted = 0;
            constexpr int kSteps = 20000;
            for (int i = 0; i < kSteps; ++i) {
                const double t = 2 * kPi * (i + 0.5) / kSteps;
                wanted += std::tanh(d * amplitude * std::sin(t)) / d * std::sin(order * t) * 2 / kSteps;
            }
            if (std::abs(wanted) > 1e-4) {
                EXPECT_NEAR(linearToDb(level(order) / std::abs(wanted)), 0, 0.01)
                    << drive << " dB, harmonic " << order;
            }
        }
        for (const int even : {0, 2, 4, 6})
            EXPECT_LT(level(even), 1e-6) << "odd curve: no even tone, no DC";
    }
}

TEST(LayerDrive, QuietSoundPassesAsItIsAtAnyDrive) {
    for (const double rate : {44100.0, 48000.0, 96000.0})
        for (const auto oversampling : {Oversampling::Twice, Oversampling::Four, Oversampling::Eight})
            for (const double hz : {200.0, 3000.0, 15000.0, 20000.0}) {
                LayerFilter driven(rate, oversampling);
                driven.set(0, open(36));
                driven.reset();
                LayerFilter plain(rate, oversampling);
                plain.set(0, open(0));
                plain.reset();
                const auto x = test::sine(hz, 1e-5, 0.5, rate);
                const auto y = runLayer(driven, 0, x);
                const auto wanted = runLayer(plain, 0, x);
                // Against the same sound, later by the latency that is told: no other delay nulls.
                const auto late = static_cast<std::size_t>(driven.latencyFrames());
                std::vector<float> rest;
                for (std::size_t n = x.size() / 2; n < x.size(); ++n)
                    rest.push_back(y[n] - wanted[n - late]);
                EXPECT_LT(linearToDb(test::rmsOf(rest) / test::rmsOf(x)), -80)
                    << hz << " Hz at " << rate << ", " << factorOf(oversampling) << "x";
            }
}

TEST(LayerDrive, WithoutDriveThereIsNoLatencyAndTheFilterAlone) {
    const auto x = test::noise(0.9, 4096, 5);
    LayerFilter plain(48000, Oversampling::Four);
    plain.set(3, {FilterKind::LowPass, 800, 24, 6, 0});
    plain.reset();
    EXPECT_EQ(plain.latencyFrames(), 0);
    auto bank = makeBank(2);
    const auto sections = designLayerFilter({FilterKind::LowPass, 800, 24, 6, 0}, 48000);
    for (std::size_t s = 0; s < 2; ++s)
        setTarget(bank.sections[s], 3, sections[s]);
    settle(bank);
    LaneBuffer io(4096 * kLanes, 0.0F);
    for (std::size_t n = 0; n < 4096; ++n)
        io[n * kLanes + 3] = x[n];
    kernels().filter(bank, io.data(), 4096);
    const auto y = runLayer(plain, 3, x);
    for (std::size_t n = 0; n < 4096; ++n)
        ASSERT_EQ(y[n], io[n * kLanes + 3]) << n;
}

TEST(LayerDrive, SameBitsForAnyBlocksAlsoWhileItMoves) {
    const auto x = test::noise(0.9, 6000, 6);
    const auto runWith = [&](int block) {
        LayerFilter filter(48000, Oversampling::Four);
        filter.set(1, open(12));
        filter.reset();
        filter.set(1, {FilterKind::LowPass, 2000, 12, 3, 30});
        return runLayer(filter, 1, x, block);
    };
    const auto whole = runWith(512);
    EXPECT_EQ(runWith(1), whole);
    EXPECT_EQ(runWith(7), whole);
    EXPECT_EQ(runWith(129), whole);
    EXPECT_GT(test::peakOf(whole), 0.01);
}

TEST(LayerDrive, MovesWithoutAStep) {
    // A constant comes out as tanh(d c) / d, before and after; between them it goes in small steps.
    LayerFilter filter(48000, Oversampling::Four);
    LayerFilterSettings settings{FilterKind::LowPass, 15000, 12, 0, 3};
    filter.set(0, settings);
    filter.reset();
    const std::vector<float> constant(9600, 0.5F);
    auto y = runLayer(filter, 0, constant);
    EXPECT_NEAR(y.back(), std::tanh((dbToLinear(3) - 1) * 0.5) / (dbToLinear(3) - 1), 2e-4);
    settings.driveDb = 24;
    filter.set(0, settings);
    y = runLayer(filter, 0, constant);
    EXPECT_NEAR(y.back(), std::tanh((dbToLinear(24) - 1) * 0.5) / (dbToLinear(24) - 1), 2e-4);
    float most = 0;
    for (std::size_t n = 1; n < y.size(); ++n)
        most = std::max(most, std::abs(y[n] - y[n - 1]));
    EXPECT_LT(most, 0.01) << "of a way of 0.41";
}

TEST(LayerDrive, AllocatesNothingWhileItSounds) {
    LayerFilter filter(48000, Oversampling::Eight);
    filter.set(0, open(18));
    LaneBuffer io(kBlock * kLanes, 0.3F);
    const test::AllocationCounter counter;
    filter.process(io.data(), kBlock);
    EXPECT_EQ(test::AllocationCounter::count(), 0);
}

TEST(LayerDrive, OtherLanesAreLeftAloneButForTheDelay) {
    LayerFilter filter(48000, Oversampling::Four);
    filter.set(0, open(24));
    filter.reset();
    const auto x = test::sine(3000, 0.9, 0.3);
    const auto y = runLayer(filter, 5, x);
    const auto late = static_cast<std::size_t>(filter.latencyFrames());
    for (std::size_t n = 4000; n < x.size(); ++n)
        ASSERT_NEAR(y[n], x[n - late], 2e-5) << n;
}

} // namespace
} // namespace cask::dsp
