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
    }
    return 0;
}
constexpr std::array kAllShapes{Shape::Soft, Shape::Warm, Shape::Hard, Shape::Fold};

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
    for (const auto shape : kAllShapes)
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
