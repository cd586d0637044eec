#include "core/base/units.h"
#include "core/dsp/transient.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

using test::Channels;

Channels shaped(const Channels& x, const TransientSettings& s, double rate = kRate, int block = 480,
                int lane = 2) {
    return test::throughLanes<TransientLanes>(x, x, s, rate, block, lane);
}

std::vector<float> shaped(const std::vector<float>& x, const TransientSettings& s, double rate = kRate) {
    return shaped(Channels{x}, s, rate)[0];
}

/// A sound whose absolute value falls from a level by so many dB a second: plus and minus by turns.
std::vector<float> falling(double levelDb, double dbPerS, double seconds, double rate) {
    std::vector<float> x(static_cast<std::size_t>(seconds * rate));
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = static_cast<float>((n % 2 == 0 ? 1 : -1) *
                                  dbToLinear(levelDb - dbPerS * static_cast<double>(n) / rate));
    return x;
}

double gainDbIn(const std::vector<float>& x, const std::vector<float>& y, double atS, double rate) {
    const auto n = static_cast<std::size_t>(atS * rate);
    return linearToDb(std::abs(static_cast<double>(y[n]) / x[n]));
}

std::vector<float> hit(double levelDb) {
    auto x = test::noise(1, 24000, 5);
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] *= static_cast<float>(dbToLinear(levelDb) * std::exp(-static_cast<double>(n) / 3000));
    x.insert(x.begin(), 4800, 0.0F);
    return x;
}

TEST(Transient, ABeginningGainsWhatTheLawSaysAtAllRates) {
    for (const double rate : kRates)
        for (const double attackMs : {5.0, 15.0, 60.0})
            for (const double percent : {100.0, 50.0, -100.0}) {
                TransientSettings s;
                s.attackMs = attackMs;
                s.attackPercent = percent;
                const auto x = falling(-20, 0, 0.6, rate);
                const auto y = shaped(x, s, rate);
                for (const double times : {0.5, 1.0, 2.0, 4.0}) {
                    // The gain is smoothed by 0.2 ms: so much later.
                    const double beginning = -20 * std::log10(1 - std::exp(-(times - 0.2 / attackMs)));
                    const double wanted = percent / 100 * std::min(12.0, beginning);
                    EXPECT_NEAR(gainDbIn(x, y, 0.001 * times * attackMs, rate), wanted, 0.1)
                        << attackMs << " ms, " << percent << " %, " << times << " times, " << rate;
                }
                EXPECT_NEAR(gainDbIn(x, y, 0.001 * 12 * std::min(attackMs, 45.0), rate), 0, 0.05);
            }
}

TEST(Transient, AtItsMostABeginningGainsTwelveDecibels) {
    TransientSettings s;
    s.attackPercent = 100;
    s.attackMs = 50;
    const auto x = falling(-20, 0, 0.1, kRate);
    const auto y = shaped(x, s);
    double most = 0;
    for (std::size_t n = 0; n < x.size(); ++n)
        most = std::max(most, linearToDb(std::abs(static_cast<double>(y[n]) / x[n])));
    EXPECT_NEAR(most, kMostAttackDb, 0.1);
}

TEST(Transient, AnEndGainsTheDifferenceOfItsDecayAndTheLongOne) {
    // 200 dB a second against 60 dB in 0.6 s. The level looks back over 16 ms, the gain is smoothed by 0.2.
    for (const double rate : kRates)
        for (const double percent : {100.0, -50.0}) {
            TransientSettings s;
            s.sustainPercent = percent;
            const auto x = falling(-6, 200, 0.5, rate);
            const auto y = shaped(x, s, rate);
            for (const double atS : {0.05, 0.1, 0.15, 0.4}) {
                const double end = (200 - 100) * (atS - 0.016);
                EXPECT_NEAR(gainDbIn(x, y, atS, rate), percent / 100 * std::min(kMostSustainDb, end), 0.3)
                    << atS << " s, " << rate;
            }
        }
    // What rings as long, or longer, is left alone.
    TransientSettings s;
    s.sustainPercent = 100;
    const auto x = falling(-6, 90, 0.5, kRate);
    EXPECT_NEAR(gainDbIn(x, shaped(x, s), 0.4, kRate), 0, 0.1);
}

TEST(Transient, AHitGetsTheSameGainHoweverLoudItIs) {
    TransientSettings s;
    s.attackPercent = 80;
    s.sustainPercent = -60;
    const auto loud = hit(0);
    const auto soft = hit(-40);
    const auto loudly = shaped(loud, s);
    const auto softly = shaped(soft, s);
    for (std::size_t n = 4800; n < 4800 + 14400; ++n) {
        if (std::abs(loud[n]) <= 1e-3F)
            continue;
        ASSERT_NEAR(linearToDb(std::abs(static_cast<double>(loudly[n]) / loud[n])),
                    linearToDb(std::abs(static_cast<double>(softly[n]) / soft[n])), 0.5)
            << n;
    }
}

TEST(Transient, AtZeroEveryBitStays) {
    const auto x = hit(-3);
    TransientSettings s;
    for (const double mix : {100.0, 30.0}) {
        s.mixPercent = mix;
        EXPECT_EQ(shaped(x, s), x);
        EXPECT_EQ(shaped({x, x}, s)[1], x);
    }
    s.attackPercent = 100;
    s.mixPercent = 0;
    EXPECT_EQ(shaped(x, s), x);
}

TEST(Transient, HalfTheMixIsHalfTheGain) {
    TransientSettings s;
    s.attackPercent = 100;
    const auto x = falling(-20, 0, 0.2, kRate);
    const double whole = dbToLinear(gainDbIn(x, shaped(x, s), 0.015, kRate));
    s.mixPercent = 50;
    EXPECT_NEAR(dbToLinear(gainDbIn(x, shaped(x, s), 0.015, kRate)), 0.5 + 0.5 * whole, 1e-3);
}

TEST(Transient, AQuieterSideFollowsTheLouderOneAsFarAsItIsLinked) {
    TransientSettings s;
    s.attackPercent = 100;
    // The left side goes on evenly while the right one begins anew.
    const auto even = falling(-40, 0, 0.4, kRate);
    auto other = falling(-10, 0, 0.4, kRate);
    std::fill(other.begin(), other.begin() + 9600, 0.0F);
    s.linkPercent = 100;
    const auto linked = shaped({even, other}, s);
    EXPECT_GT(gainDbIn(even, linked[0], 0.205, kRate), 8);
    EXPECT_NEAR(gainDbIn(even, linked[0], 0.205, kRate), gainDbIn(other, linked[1], 0.205, kRate), 2);
    s.linkPercent = 0;
    EXPECT_NEAR(gainDbIn(even, shaped({even, other}, s)[0], 0.205, kRate), 0, 0.05);
}

TEST(Transient, OfAPartOfTheSpectrumTheRestIsLeftAlone) {
    TransientSettings s;
    s.attackPercent = 100;
    s.attackMs = 100;
    s.reach = GateReach::Above;
    s.fromHz = 3000;
    const auto amplitudeGain = [&](double hz) {
        const auto x = test::sine(hz, 0.1, 0.06);
        const auto heard = test::sine(8000, 0.1, 0.06); // what its detector would hear of both
        const auto y = test::throughLanes<TransientLanes>({x}, {heard}, s, kRate)[0];
        const std::size_t from = 480;
        return linearToDb(test::rmsOf(std::span(y).subspan(from)) / test::rmsOf(std::span(x).subspan(from)));
    };
    EXPECT_NEAR(amplitudeGain(200), 0, 0.1);
    EXPECT_GT(amplitudeGain(12000), 8);
    const auto bands = TransientLanes::detectorBands(s);
    ASSERT_EQ(bands.size(), 1U);
    EXPECT_EQ(bands[0].kind, FilterKind::HighPass);
    EXPECT_EQ(bands[0].frequencyHz, 3000);
    s.reach = GateReach::All;
    EXPECT_TRUE(TransientLanes::detectorBands(s).empty());
}

TEST(Transient, EveryInstructionSetDoesTheSame) {
    TransientSettings s;
    s.attackPercent = 70;
    s.sustainPercent = 70;
    const auto x = hit(-3);
    const auto through = [&](const Kernels& k) {
        TransientLanes lanes(kRate);
        lanes.place(2, 1, s, true, 0);
        lanes.prepare();
        LaneBuffer io(x.size() * kLanes);
        for (std::size_t n = 0; n < x.size(); ++n)
            io[n * kLanes + 2] = x[n];
        lanes.processWith(k, io.data(), io.data(), static_cast<int>(x.size()));
        return io;
    };
    const auto plain = through(*allKernels()[0]);
    for (const auto* k : allKernels()) {
        const auto other = through(*k);
        for (std::size_t n = 0; n < plain.size(); ++n)
            ASSERT_NEAR(plain[n], other[n], 1e-4) << k->name;
    }
}

} // namespace
} // namespace cask::dsp
