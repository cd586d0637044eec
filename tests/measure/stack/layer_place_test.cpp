// Where a layer lies best, against layers whose place is known and sums worked out one by one.
#include "core/base/units.h"
#include "core/measure/stack/layer_place.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

constexpr double kPlaceRate = 48000;

struct Take {
    std::vector<float> sound = std::vector<float>(480000, 0.0F);
    std::vector<double> strikesS;

    /// A falling tone with a click of noise at every strike, as loud as said.
    void strike(double atS, double gain, double hz, int laterFrames = 0, unsigned seed = 3) {
        const auto hiss = test::noise(0.3, 4800, seed);
        const auto at = secondsToFrames(atS, kPlaceRate) + laterFrames;
        for (std::size_t n = 0; n < 4800; ++n) {
            const double t = static_cast<double>(n) / kPlaceRate;
            sound[static_cast<std::size_t>(at) + n] +=
                static_cast<float>(gain * (std::sin(2 * kPi * hz * t) * std::exp(-t / 0.05) +
                                           static_cast<double>(hiss[n]) * std::exp(-t / 0.004)));
        }
        strikesS.push_back(atS);
    }
};

TEST(LayerPlace, ALateCopyIsBroughtBackWhateverItsPolarity) {
    for (const int later : {110, -65, 3}) {
        for (const double sign : {1.0, -1.0}) {
            Take others, layer;
            for (int i = 0; i < 12; ++i) {
                const double level = i % 3 == 0 ? 0.1 : 0.5;
                others.strike(0.3 + 0.7 * i, level, 90);
                layer.strike(0.3 + 0.7 * i, 0.6 * sign * level, 90, later);
            }
            const auto place = bestPlace(others.sound, layer.sound, others.strikesS, kPlaceRate);
            ASSERT_TRUE(place);
            EXPECT_NEAR(place->shiftMs, -1000 * later / kPlaceRate, 0.15) << later << ' ' << sign;
            EXPECT_EQ(place->isInverted, sign < 0);
            EXPECT_EQ(place->strikes, 12);
            if (later != 3 || sign < 0) { // a few frames are worth nothing
                EXPECT_GT(place->attackDb + place->lowDb, sign < 0 ? 3 : LayerPlace::kWorthDb);
            }
        }
    }
}

TEST(LayerPlace, WhatItGainsIsWhatTheSumGains) {
    Take others, layer;
    for (int i = 0; i < 8; ++i) {
        others.strike(0.4 + 0.9 * i, 0.2 + 0.05 * i, 65);
        layer.strike(0.4 + 0.9 * i, 0.3 - 0.02 * i, 82, 140, 9);
    }
    const auto place = bestPlace(others.sound, layer.sound, others.strikesS, kPlaceRate);
    ASSERT_TRUE(place);
    const auto attackAt = [&](long shift, double sign) {
        double energy = 0;
        for (const double at : others.strikesS)
            for (Frames n = secondsToFrames(at, kPlaceRate), to = n + 480; n < to; ++n) {
                const double x = static_cast<double>(others.sound[static_cast<std::size_t>(n)]) +
                                 sign * static_cast<double>(layer.sound[static_cast<std::size_t>(n - shift)]);
                energy += x * x;
            }
        return energy;
    };
    const long shift = std::lround(place->shiftMs * kPlaceRate / 1000);
    EXPECT_NEAR(place->attackDb, powerToDb(attackAt(shift, place->isInverted ? -1 : 1) / attackAt(0, 1)),
                0.02);
    EXPECT_GT(place->attackDb + place->lowDb, LayerPlace::kWorthDb);
}

TEST(LayerPlace, WhereItLiesWellItStays) {
    Take others, layer;
    for (int i = 0; i < 6; ++i) {
        others.strike(0.3 + 0.7 * i, 0.5, 90);
        layer.strike(0.3 + 0.7 * i, 0.3, 90);
    }
    const auto place = bestPlace(others.sound, layer.sound, others.strikesS, kPlaceRate);
    ASSERT_TRUE(place);
    EXPECT_EQ(place->shiftMs, 0);
    EXPECT_FALSE(place->isInverted);
    EXPECT_EQ(place->attackDb, 0);
    EXPECT_FALSE(bestPlace(others.sound, std::vector<float>(480000, 0.0F), others.strikesS, kPlaceRate));
    EXPECT_FALSE(bestPlace(others.sound, layer.sound, {}, kPlaceRate));
    CancelToken stopped;
    stopped.cancel();
    EXPECT_FALSE(bestPlace(others.sound, layer.sound, others.strikesS, kPlaceRate, stopped));
}

TEST(LayerPlace, SoftStrikesThatLoseByItAreSaid) {
    // Loud strikes want the layer inverted, soft ones want it as it is.
    Take others, layer;
    for (int i = 0; i < 12; ++i) {
        const bool isLoud = i % 2 == 0;
        others.strike(0.3 + 0.7 * i, isLoud ? 0.8 : 0.1, 90);
        layer.strike(0.3 + 0.7 * i, isLoud ? -0.5 : 0.06, 90);
    }
    const auto place = bestPlace(others.sound, layer.sound, others.strikesS, kPlaceRate);
    ASSERT_TRUE(place);
    EXPECT_TRUE(place->isInverted);
    EXPECT_GT(place->loudDb, 6);
    EXPECT_LT(place->softDb, -6);
}

TEST(HalfLength, IsThatOfAnExponential) {
    // Down by 40 dB after 0.5 s: half as long it has half the energy, so it is 3.01 dB louder for as much;
    // its first 10 ms fall faster: (1 - e^-4aT) / 2 (1 - e^-2aT) with a = ln(100) / 0.5 s.
    std::vector<float> x(48000, 0.0F);
    const double a = std::log(100) / 0.5;
    for (std::size_t n = 480; n < x.size(); ++n) {
        const double t = static_cast<double>(n - 480) / kPlaceRate;
        x[n] = static_cast<float>(0.5 * std::exp(-a * t) * std::cos(2 * kPi * 1000 * t));
    }
    const double first = (1 - std::exp(-4 * a * 0.01)) / (2 * (1 - std::exp(-2 * a * 0.01)));
    EXPECT_NEAR(attackOfHalfLengthDb(x, kPlaceRate), 10 * std::log10(2 * first), 0.15);
    EXPECT_EQ(attackOfHalfLengthDb(std::vector<float>(4800, 0.0F), kPlaceRate), 0);
}

} // namespace
} // namespace cask::measure
