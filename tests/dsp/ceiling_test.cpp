#include "core/base/units.h"
#include "core/dsp/ceiling.h"
#include "core/media/resampler.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

std::vector<float> limit(const std::vector<float>& mono, double ceilingDb, double rate, int piece = 256) {
    Ceiling c;
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

TEST(Ceiling, NeverPassedByMoreThan0_1DbAtEightTimesTheRate) {
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

TEST(Ceiling, BelowItEverythingPassesBitForBitLater) {
    const auto x = test::noise(0.3, 20000, 5);
    const auto y = limit(x, 0, 48000);
    Ceiling c;
    c.prepare(48000);
    const auto latency = static_cast<std::size_t>(c.latencyFrames());
    for (std::size_t n = latency; n < y.size(); ++n)
        ASSERT_EQ(y[n], x[n - latency]);
}

TEST(Ceiling, OddPiecesGiveTheSameBits) {
    const auto x = test::noise(2, 10000, 6);
    EXPECT_EQ(limit(x, -3, 48000, 10000), limit(x, -3, 48000, 37));
}

TEST(Ceiling, ResetIsAsFresh) {
    Ceiling used;
    used.prepare(48000);
    auto loud = test::noise(2, 5000, 7);
    auto copy = loud;
    used.process(loud.data(), copy.data(), 1, 5000);
    used.reset();
    auto a = test::noise(1, 5000, 8);
    auto b = a;
    used.process(a.data(), b.data(), 1, 5000);
    Ceiling fresh;
    fresh.prepare(48000);
    auto c = test::noise(1, 5000, 8);
    auto d = c;
    fresh.process(c.data(), d.data(), 1, 5000);
    EXPECT_EQ(a, c);
}

TEST(Ceiling, AllocatesNothingWhileItRunsOrTakesOverState) {
    Ceiling c;
    Ceiling other;
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

} // namespace
} // namespace cask::dsp
