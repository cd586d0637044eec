// The driven resonator against the filter it is without drive, and against the Fourier integral.
#include "core/base/units.h"
#include "core/dsp/resonator.h"
#include "core/dsp/section_design.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

std::vector<float> resonating(const BodySettings& s, const std::vector<float>& x) {
    return test::throughLanes<ResonatorLanes>({x}, {x}, s, kRate, 480, 3)[0];
}

TEST(Resonator, WithoutDriveASteadyToneIsRaisedAsTheLevelSays) {
    for (const double levelDb : {-12.0, 0.0, 12.0}) {
        const auto y = resonating({80, 200, levelDb, 0}, test::sine(80, 0.01, 2));
        EXPECT_NEAR(test::amplitudeAt(std::span(y).subspan(48000, 48000), 80, kRate),
                    0.01 * (1 + dbToLinear(levelDb)), 1e-5);
    }
}

TEST(Resonator, RingsForAsLongAsItSays) {
    std::vector<float> click(48000, 0.0F);
    click[100] = 1;
    const auto y = resonating({100, 400, 0, 0}, click);
    const auto level = [&](std::size_t from) {
        return linearToDb(test::amplitudeAt(std::span(y).subspan(from, 4800), 100, kRate));
    };
    EXPECT_NEAR(level(4800) - level(14400), 0.2 / 0.4 * 60, 0.3);
}

TEST(Resonator, DrivenItGivesTheOvertonesOfItsCurveAndLeavesTheSound) {
    const double d = dbToLinear(20) - 1;
    const double a = 0.5;
    const auto y = resonating({60, 300, 0, 20}, test::sine(60, a, 3));
    for (const int order : {1, 3, 5, 7}) {
        double wanted = order == 1 ? a : 0; // the sound itself
        constexpr int kSteps = 1 << 14;
        for (int i = 0; i < kSteps; ++i) {
            const double t = 2 * kPi * (i + 0.5) / kSteps;
            wanted += std::tanh(d * a * std::sin(t)) / d * std::sin(order * t) * 2 / kSteps;
        }
        const double heard = test::amplitudeAt(std::span(y).subspan(96000, 48000), 60.0 * order, kRate);
        EXPECT_NEAR(heard, std::abs(wanted), 0.005 * std::abs(wanted)) << order;
    }
    const auto quiet = resonating({60, 300, 0, 36}, test::sine(60, 1e-5, 3));
    EXPECT_NEAR(test::amplitudeAt(std::span(quiet).subspan(96000, 48000), 60, kRate), 2e-5, 1e-8);
}

TEST(Resonator, BypassedEveryBitStays) {
    const auto x = test::noise(0.9, 4800, 6);
    EXPECT_EQ(test::throughLanes<ResonatorLanes>({x}, {x}, {60, 300, 6, 12}, kRate, 480, 1, false)[0], x);
}

} // namespace
} // namespace cask::dsp
