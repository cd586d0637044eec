// The saturation against its formula and the Fourier integral of its curve.
#include "core/base/units.h"
#include "core/dsp/saturation.h"
#include "tests/support/aliases.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

namespace cask::dsp {
namespace {

/// The sound on lane 3 behind a saturation, without its delay.
std::vector<float> saturated(const SaturationSettings& settings, const std::vector<float>& x,
                             bool isOn = true) {
    SaturationLanes lanes(48000);
    lanes.place(3, 1, settings, isOn, 0);
    lanes.prepare();
    const auto late = static_cast<std::size_t>(SaturationLanes::latencyFrames(settings, 48000));
    LaneBuffer io((x.size() + late) * kLanes);
    for (std::size_t n = 0; n < x.size(); ++n)
        io[n * kLanes + 3] = x[n];
    lanes.process(io.data(), io.data(), static_cast<int>(x.size() + late));
    std::vector<float> y;
    for (std::size_t n = late; n < x.size() + late; ++n)
        y.push_back(io[n * kLanes + 3]);
    return y;
}

constexpr std::array kAll{Oversampling::Twice, Oversampling::Four, Oversampling::Eight};

double curve(Shape shape, double u) {
    switch (shape) {
    case Shape::Soft:
        return std::tanh(u);
    case Shape::Warm:
        return (std::tanh(u + 0.5) - std::tanh(0.5)) / (1 - std::tanh(0.5) * std::tanh(0.5));
    case Shape::Hard:
        return std::clamp(u, -1.0, 1.0);
    case Shape::Fold:
        return std::sin(u);
    default:
        return 0; // not by its input alone
    }
}
constexpr std::array kStillShapes{Shape::Soft, Shape::Warm, Shape::Hard, Shape::Fold};
constexpr std::array kAllShapes{Shape::Soft, Shape::Warm, Shape::Tape, Shape::Hard, Shape::Fold};

/// Level of a harmonic of y = (f(d a sin t + b) - f(b)) / (d f'(b)), over a whole wave.
double harmonicOf(Shape shape, double d, double a, double b, int order) {
    constexpr int kSteps = 1 << 14;
    constexpr double kSmall = 1e-5;
    const double slope = (curve(shape, b + kSmall) - curve(shape, b - kSmall)) / (2 * kSmall);
    double sine = 0;
    double cosine = 0;
    for (int i = 0; i < kSteps; ++i) {
        const double t = 2 * kPi * (i + 0.5) / kSteps;
        const double y = (curve(shape, d * a * std::sin(t) + b) - curve(shape, b)) / (d * slope);
        sine += y * std::sin(order * t) * 2 / kSteps;
        cosine += y * std::cos(order * t) * 2 / kSteps;
    }
    return std::hypot(sine, cosine);
}

/// The middle of a sound of a second, in which a wave of whole kilohertz ends where it began.
std::span<const float> innerOf(const std::vector<float>& y) {
    return std::span(y).subspan(4800, 38400);
}

TEST(Saturation, HarmonicsAreThoseOfTheCurve) {
    const double d = dbToLinear(18) - 1;
    const double a = 0.5;
    for (const auto shape : kStillShapes)
        for (const double bias : {0.0, 0.4})
            for (const auto oversampling : kAll) {
                const auto y = saturated({18, 100, 0, oversampling, shape, bias}, test::sine(500, a, 1));
                const double first = harmonicOf(shape, d, a, bias, 1);
                for (const int order : {1, 2, 3, 4, 5, 7}) {
                    const double wanted = harmonicOf(shape, d, a, bias, order);
                    const double heard = test::amplitudeAt(innerOf(y), 500.0 * order, 48000);
                    // What is weak is held to the first.
                    EXPECT_NEAR(heard, wanted, std::max(0.006 * wanted, 1e-4 * first))
                        << static_cast<int>(shape) << " bias " << bias << " " << factorOf(oversampling)
                        << " order " << order;
                }
            }
}

TEST(Saturation, NothingOfWhatACurveShiftsIsLeft) {
    for (const auto shape : kAllShapes)
        for (const double bias : {0.0, -0.6}) {
            const auto y = saturated({24, 100, 0, Oversampling::Four, shape, bias}, test::sine(500, 0.5, 4));
            const auto end = std::span(y).subspan(3 * 48000, 48000);
            const double mean = std::accumulate(end.begin(), end.end(), 0.0) / 48000;
            EXPECT_LT(std::abs(mean), 1e-5) << static_cast<int>(shape) << " " << bias;
        }
}

TEST(Saturation, AliasesStayUnderTheirLimits) {
    // -6 dBFS with 18 dB of drive: summed to 20 kHz at most -80 dBFS at 4 times and -100 at 8 times.
    for (const auto shape : kAllShapes)
        for (const int hz : {997, 4999}) { // primes: what folds back falls between the harmonics
            const auto x = test::sine(hz, 0.5, 1.5);
            for (const auto& [oversampling, most] :
                 {std::pair(Oversampling::Four, -80.0), std::pair(Oversampling::Eight, -100.0)}) {
                const auto y = saturated({18, 100, 0, oversampling, shape, 0}, x);
                EXPECT_LT(test::aliasesDb(std::span(y).first(64800), hz), most)
                    << static_cast<int>(shape) << " " << hz;
            }
        }
}

TEST(Saturation, WithoutDriveOrSwitchedOffEveryBitStaysAndComesAsLate) {
    const auto x = test::noise(0.9, 9600, 3);
    for (const auto oversampling : kAll) {
        EXPECT_EQ(saturated({0, 100, 0, oversampling}, x), x);
        EXPECT_EQ(saturated({24, 0, 0, oversampling}, x), x) << "no mix";
        EXPECT_EQ(saturated({24, 100, 6, oversampling}, x, false), x);
    }
}

TEST(Saturation, QuietSoundPassesAndMixAndOutputAreWhatTheySay) {
    const auto x = test::sine(1000, 1e-4, 0.5);
    const auto level = [](const std::vector<float>& y) {
        return test::amplitudeAt(std::span(y).subspan(4800, 14400), 1000, 48000);
    };
    EXPECT_NEAR(linearToDb(level(saturated({36, 100, 0, Oversampling::Four}, x)) / 1e-4), 0, 0.01);
    EXPECT_NEAR(linearToDb(level(saturated({36, 100, -7, Oversampling::Four}, x)) / 1e-4), -7, 0.01);
    const auto loud = test::sine(1000, 0.5, 0.5);
    const double wet = level(saturated({24, 100, 0, Oversampling::Eight}, loud));
    EXPECT_NEAR(level(saturated({24, 30, 0, Oversampling::Eight}, loud)), 0.7 * 0.5 + 0.3 * wet, 1e-4);
}

/// The law of tape on a tone, in doubles at a rate at which nothing folds back: the middle half.
std::vector<double> tapeByItsLaw(double hz, double a, double d, double bias, double rateHz) {
    const double m = 0.25;
    const double lift = dbToLinear(9) - 1;
    const double share = 1 - std::exp(-2 * kPi * 3000 / rateHz); // at 64 times the rate any form is the law
    const double follow = 1 - std::exp(-1 / (0.0005 * rateHz));
    double rest = 0;
    for (int i = 0; i < 100; ++i)
        rest = std::tanh(bias + m * rest);
    const double back = 1 / (d * (1 - rest * rest));
    double low = 0;
    double kept = rest;
    double lowAfter = 0;
    std::vector<double> y;
    for (int n = 0; n < static_cast<int>(rateHz); ++n) {
        const double x = a * std::sin(2 * kPi * hz * n / rateHz);
        low += share * (x - low);
        const double u = d * (x + lift * (x - low)) + bias;
        const double bent = std::tanh(u + m * kept);
        const double f = back * (bent - m * kept - (1 - m) * rest);
        kept += follow * (bent - kept);
        const double z = (f + lift * (1 - share) * lowAfter) / (1 + lift * (1 - share));
        lowAfter += share * (z - lowAfter);
        y.push_back(z);
    }
    return {y.begin() + static_cast<std::ptrdiff_t>(y.size() / 4),
            y.begin() + static_cast<std::ptrdiff_t>(3 * y.size() / 4)};
}

TEST(Saturation, TapeKeepsToItsLaw) {
    const double a = 0.4;
    for (const double hz : {100.0, 1000.0})
        for (const double bias : {0.0, 0.3}) {
            const double rate = 64 * 48000;
            const auto law = tapeByItsLaw(hz, a, dbToLinear(14) - 1, bias, rate);
            SaturationSettings s{14, 100, 0, Oversampling::Eight, Shape::Tape, bias};
            const auto y = saturated(s, test::sine(hz, a, 1));
            for (const int order : {1, 2, 3, 5}) {
                double sine = 0;
                double cosine = 0;
                for (std::size_t n = 0; n < law.size(); ++n) {
                    const double t = 2 * kPi * hz * order * static_cast<double>(n) / rate;
                    sine += law[n] * std::sin(t);
                    cosine += law[n] * std::cos(t);
                }
                const double wanted = 2 * std::hypot(sine, cosine) / static_cast<double>(law.size());
                const double heard = test::amplitudeAt(innerOf(y), hz * order, 48000);
                EXPECT_NEAR(heard, wanted, 0.03 * wanted + 2e-4 * a)
                    << hz << " Hz, bias " << bias << ", order " << order;
            }
        }
}

TEST(Saturation, OnTapeHighsGiveWaySoonerAndQuietSoundStays) {
    const SaturationSettings tape{12, 100, 0, Oversampling::Four, Shape::Tape};
    const auto level = [&](double hz, double a) {
        const auto y = saturated(tape, test::sine(hz, a, 1));
        return linearToDb(test::amplitudeAt(innerOf(y), hz, 48000) / a);
    };
    EXPECT_LT(level(8000, 0.3), level(300, 0.3) - 2);
    for (const double hz : {100.0, 1000.0, 10000.0})
        EXPECT_NEAR(level(hz, 1e-4), 0, 0.01) << hz;
}

TEST(Saturation, ABandIsBentAndTheRestPasses) {
    SaturationSettings s{24, 100, 0, Oversampling::Four};
    s.band = GateReach::Above;
    s.fromHz = 2000;
    const auto low = test::sine(100, 0.5, 1);
    const auto y = saturated(s, low);
    EXPECT_NEAR(test::amplitudeAt(innerOf(y), 100, 48000), 0.5, 1e-4);
    EXPECT_LT(test::amplitudeAt(innerOf(y), 300, 48000), 1e-4);
    const auto high = saturated(s, test::sine(6000, 0.5, 1));
    // What the band takes lags by its filter, so a part of the tone passes beside it.
    EXPECT_LT(test::amplitudeAt(innerOf(high), 6000, 48000), 0.42);
    EXPECT_GT(test::amplitudeAt(innerOf(high), 18000, 48000), 0.005);
    s.band = GateReach::Below;
    s.toHz = 400;
    EXPECT_LT(test::amplitudeAt(innerOf(saturated(s, low)), 100, 48000), 0.35);
    EXPECT_GT(test::amplitudeAt(innerOf(saturated(s, low)), 300, 48000), 0.005);
    const auto untouched = test::sine(8000, 0.5, 1);
    EXPECT_NEAR(test::amplitudeAt(innerOf(saturated(s, untouched)), 8000, 48000), 0.5, 1e-4);
}

TEST(Saturation, ToneBeforeThatIsTakenBackAfterLeavesQuietSoundAndMovesWhatIsBent) {
    SaturationSettings s{18, 100, 0, Oversampling::Four};
    s.beforeTiltDb = 8;
    s.afterTiltDb = -8;
    const auto level = [&](double hz, double a) {
        return linearToDb(test::amplitudeAt(innerOf(saturated(s, test::sine(hz, a, 1))), hz, 48000) / a);
    };
    for (const double hz : {60.0, 700.0, 9000.0})
        EXPECT_NEAR(level(hz, 1e-4), 0, 0.02) << hz;
    EXPECT_LT(level(9000, 0.3), level(60, 0.3) - 6);
    s = {18, 100, 0, Oversampling::Four};
    s.afterHighCutHz = 1000;
    EXPECT_NEAR(level(1000, 1e-4), -3.01, 0.05);
    s.afterHighCutHz = SaturationSettings::kMostCutHz;
    s.beforeLowCutHz = 500;
    EXPECT_NEAR(level(500, 1e-4), -3.01, 0.05);
}

TEST(Saturation, WhereTheDriveStaysEverySoundIsBentAlikeAndKeepsItsLevel) {
    SaturationSettings s{18, 100, 0, Oversampling::Four};
    s.dynamics = DriveDynamics::Stays;
    const auto third = [&](double db) {
        const auto y = saturated(s, test::sine(1000, dbToLinear(db), 1));
        return linearToDb(test::amplitudeAt(innerOf(y), 3000, 48000) / dbToLinear(db));
    };
    EXPECT_NEAR(third(-6), third(-12), 0.1);
    EXPECT_NEAR(third(-32), third(-12), 0.1);
    SaturationSettings follows = s;
    follows.dynamics = DriveDynamics::Follows;
    const auto y = saturated(follows, test::sine(1000, dbToLinear(-12), 1));
    EXPECT_NEAR(linearToDb(test::amplitudeAt(innerOf(y), 3000, 48000) / dbToLinear(-12)), third(-12), 0.3)
        << "at that level both are one";
}

TEST(Saturation, WhatStandsAroundTheCurveLeavesLanesBesideItAndBitsInAnyBlocks) {
    SaturationSettings toned{18, 80, 0, Oversampling::Four, Shape::Tape, 0.2};
    toned.dynamics = DriveDynamics::Stays;
    toned.band = GateReach::Between;
    toned.beforeTiltDb = 4;
    const SaturationSettings plain{12, 100, 0, Oversampling::Four};
    const auto x = test::noise(0.5, 4800, 9);
    const auto run = [&](int block) {
        SaturationLanes lanes(48000);
        lanes.place(0, 2, toned, true, 0);
        lanes.place(4, 1, plain, true, 0);
        lanes.prepare();
        LaneBuffer io(x.size() * kLanes);
        for (std::size_t n = 0; n < io.size(); ++n)
            io[n] = x[n / kLanes];
        for (int at = 0; at < 4800; at += block)
            lanes.process(nullptr, io.data() + at * kLanes, std::min(block, 4800 - at));
        return io;
    };
    const auto whole = run(4800);
    EXPECT_EQ(whole, run(77));
    const auto alone = saturated(plain, x);
    const auto late = static_cast<std::size_t>(SaturationLanes::latencyFrames(plain, 48000));
    for (std::size_t n = late; n < x.size(); ++n)
        ASSERT_EQ(whole[n * kLanes + 4], alone[n - late]);
}

TEST(Saturation, LanesOfOtherFactorsRunBesideEachOther) {
    const auto x = test::noise(0.5, 4800, 9);
    SaturationLanes lanes(48000);
    for (int i = 0; i < 3; ++i)
        lanes.place(2 * i, i == 1 ? 2 : 1, {12.0 + i, 100, 0, kAll[static_cast<std::size_t>(i)]}, true, 0);
    lanes.prepare();
    LaneBuffer io(x.size() * kLanes);
    for (std::size_t n = 0; n < io.size(); ++n)
        io[n] = x[n / kLanes];
    lanes.process(io.data(), io.data(), static_cast<int>(x.size()));
    for (int i = 0; i < 3; ++i) {
        const SaturationSettings s{12.0 + i, 100, 0, kAll[static_cast<std::size_t>(i)]};
        const auto late = static_cast<std::size_t>(SaturationLanes::latencyFrames(s, 48000));
        const auto alone = saturated(s, x);
        for (std::size_t n = late; n < x.size(); ++n)
            ASSERT_EQ(io[n * kLanes + static_cast<std::size_t>(2 * i)], alone[n - late]) << i << " " << n;
    }
    for (std::size_t n = 0; n < x.size(); ++n)
        ASSERT_EQ(io[n * kLanes + 7], x[n]) << "a lane without one";
}

} // namespace
} // namespace cask::dsp
