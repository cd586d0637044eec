#include "core/base/units.h"
#include "core/dsp/limiter.h"
#include "core/media/resampler.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

std::vector<float> limit(const std::vector<float>& mono, double ceilingDb, double rate, int piece = 256) {
    Limiter c;
    c.prepare(rate);
    c.set({ceilingDb, 60});
    std::vector<float> left = mono;
    std::vector<float> right = mono;
    for (int at = 0; at < static_cast<int>(mono.size()); at += piece)
        c.process(left.data() + at, right.data() + at, 1,
                  std::min(piece, static_cast<int>(mono.size()) - at));
    EXPECT_EQ(left, right);
    return left;
}

/// True peak at 8 times the rate through the library resampler: independent of the meter under test.
double truePeakDb(const std::vector<float>& x, double rate) {
    auto resampler = media::Resampler::create(rate, 8 * rate, 1);
    double peak = test::peakOf(resampler->process(x));
    peak = std::max(peak, test::peakOf(resampler->process({})));
    return 20 * std::log10(peak);
}

TEST(Limiter, NeverPassedByMoreThan0_1DbAtEightTimesTheRate) {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        auto hits = test::bursts(5000, 0.11, 0.02, 0.02, 1, rate);
        for (float& v : hits)
            v *= 3;
        auto loudNoise = test::noise(2, static_cast<std::size_t>(rate), 3);
        // Band-limit: full-band noise has no bounded true peak.
        auto down = media::Resampler::create(rate, rate * 0.8, 1);
        auto up = media::Resampler::create(rate * 0.8, rate, 1);
        const auto narrow = down->process(loudNoise);
        const auto wide = up->process(narrow);
        for (const auto& x : {test::sine(997, 2, 1, rate), test::sine(rate / 4, 1.6, 1, rate, kPi / 4), hits,
                              std::vector<float>(wide.begin(), wide.end())}) {
            auto y = limit(x, -1, rate);
            // A signal that ends in the middle of a wave has a peak of its own there: take the end down
            // gently.
            for (std::size_t i = 0; i < 1000; ++i)
                y[y.size() - 1 - i] *= static_cast<float>(i) / 1000;
            EXPECT_LT(truePeakDb(y, rate), -0.9) << rate;
            EXPECT_GT(truePeakDb(y, rate), -3) << rate;
        }
    }
}

TEST(Limiter, BelowItEverythingPassesBitForBitLater) {
    const auto x = test::noise(0.3, 20000, 5);
    const auto y = limit(x, 0, 48000);
    Limiter c;
    c.prepare(48000);
    const auto latency = static_cast<std::size_t>(c.latencyFrames());
    for (std::size_t n = latency; n < y.size(); ++n)
        ASSERT_EQ(y[n], x[n - latency]);
}

TEST(Limiter, OddPiecesGiveTheSameBits) {
    const auto x = test::noise(2, 10000, 6);
    EXPECT_EQ(limit(x, -3, 48000, 10000), limit(x, -3, 48000, 37));
}

TEST(Limiter, ResetIsAsFresh) {
    Limiter used;
    used.prepare(48000);
    auto loud = test::noise(2, 5000, 7);
    auto copy = loud;
    used.process(loud.data(), copy.data(), 1, 5000);
    used.reset();
    auto a = test::noise(1, 5000, 8);
    auto b = a;
    used.process(a.data(), b.data(), 1, 5000);
    Limiter fresh;
    fresh.prepare(48000);
    auto c = test::noise(1, 5000, 8);
    auto d = c;
    fresh.process(c.data(), d.data(), 1, 5000);
    EXPECT_EQ(a, c);
}

TEST(Limiter, AllocatesNothingWhileItRunsOrTakesOverState) {
    Limiter c;
    Limiter other;
    c.prepare(48000);
    other.prepare(48000);
    auto x = test::noise(2, 4000, 9);
    auto y = x;
    const test::AllocationCounter counter;
    c.process(x.data(), y.data(), 1, 4000);
    other.copyStateFrom(c);
    c.set({-6, 20});
    c.reset();
    EXPECT_EQ(test::AllocationCounter::count(), 0);
}

TEST(Limiter, IsLateByItsLookAheadAndNeverPassedWithAny) {
    auto hits = test::bursts(3000, 0.11, 0.02, 0.02, 1, kRate);
    for (float& v : hits)
        v *= 3;
    for (const double lookAheadMs : {0.2, 5.0, 20.0})
        for (const auto release : {LimiterRelease::Fixed, LimiterRelease::Programme}) {
            const LimiterSettings settings{-3, 40, lookAheadMs, release};
            Limiter limiter;
            limiter.prepare(kRate, lookAheadMs);
            limiter.set(settings);
            EXPECT_EQ(limiter.latencyFrames(), Limiter::latencyFrames(settings, kRate));
            std::vector<float> impulse(4000, 0.0F);
            impulse[0] = 0.1F;
            auto right = impulse;
            limiter.process(impulse.data(), right.data(), 1, 4000);
            EXPECT_EQ(impulse[static_cast<std::size_t>(limiter.latencyFrames())], 0.1F);
            limiter.reset();
            auto left = hits;
            right = hits;
            limiter.process(left.data(), right.data(), 1, static_cast<int>(left.size()));
            for (std::size_t i = 0; i < 1000; ++i)
                left[left.size() - 1 - i] *= static_cast<float>(i) / 1000;
            EXPECT_LT(truePeakDb(left, kRate), -2.9) << lookAheadMs;
        }
}

/// Gain after a tone of twice the ceiling has been held for a while, so long after it ended.
double gainAfter(LimiterRelease release, double heldS, double laterS) {
    Limiter limiter;
    limiter.prepare(kRate);
    limiter.set({0, 80, 1.5, release});
    std::vector<float> left(static_cast<std::size_t>(3 * kRate), 0.001F);
    const auto held = static_cast<std::size_t>(heldS * kRate);
    const auto tone = test::sine(3000, 2, heldS, kRate);
    std::copy(tone.begin(), tone.end(), left.begin());
    auto right = left;
    limiter.process(left.data(), right.data(), 1, static_cast<int>(left.size()));
    return left[held + static_cast<std::size_t>(limiter.latencyFrames()) +
                static_cast<std::size_t>(laterS * kRate)] /
           0.001;
}

TEST(Limiter, AProgrammesReleaseIsSlowAfterALongTimeAndQuickAfterAPeak) {
    // Of a reduction by one half: exp(-t/T) of it is left, or 70 % exp(-t/6T) where that is more.
    const double fast = 1 - 0.5 * std::exp(-2);
    EXPECT_NEAR(gainAfter(LimiterRelease::Fixed, 2, 0.16), fast, 0.01);
    EXPECT_NEAR(gainAfter(LimiterRelease::Programme, 2, 0.16), 1 - 0.35 * std::exp(-2.0 / 6), 0.01);
    EXPECT_NEAR(gainAfter(LimiterRelease::Programme, 0.002, 0.16), fast, 0.01);
}

} // namespace
} // namespace cask::dsp
