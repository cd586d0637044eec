// The saturation against its formula and the Fourier integral of its curve.
#include "core/base/units.h"
#include "core/dsp/saturation.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

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

TEST(Saturation, HarmonicsAreThoseOfTheCurve) {
    // Of y = tanh(d a sin t) / d, over a whole wave.
    const double d = dbToLinear(18) - 1;
    const double a = 0.5;
    const auto harmonic = [&](int order) {
        constexpr int kSteps = 4096;
        double sum = 0;
        for (int i = 0; i < kSteps; ++i) {
            const double t = 2 * kPi * (i + 0.5) / kSteps;
            sum += std::tanh(d * a * std::sin(t)) / d * std::sin(order * t) * 2 / kSteps;
        }
        return std::abs(sum);
    };
    for (const auto oversampling : kAll) {
        SaturationSettings s{18, 100, 0, oversampling};
        const auto y = saturated(s, test::sine(500, a, 1));
        const std::span<const float> inner(y.data() + 4800, 38400);
        for (const int order : {1, 3, 5, 7})
            EXPECT_NEAR(linearToDb(test::amplitudeAt(inner, 500.0 * order, 48000) / harmonic(order)), 0, 0.05)
                << factorOf(oversampling) << " " << order;
        EXPECT_LT(test::amplitudeAt(inner, 1000, 48000), 1e-5) << "the curve is odd";
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

TEST(Saturation, FewerTonesFoldBackTheFasterItRuns) {
    // 5 kHz far into the curve: odd multiples of 5 kHz are its own, all other odd kilohertz have folded back.
    std::array<double, 3> folded{};
    for (std::size_t i = 0; i < kAll.size(); ++i) {
        const auto y = saturated({30, 100, 0, kAll[i]}, test::sine(5000, 0.5, 1));
        double sum = 0;
        for (int hz = 1000; hz < 20000; hz += 2000)
            if (hz % 5000 != 0) {
                const double a = test::amplitudeAt(std::span(y).subspan(4800, 38400), hz, 48000);
                sum += a * a;
            }
        folded[i] = powerToDb(sum);
    }
    EXPECT_LT(folded[1], folded[0] - 12);
    EXPECT_LT(folded[2], -100);
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
