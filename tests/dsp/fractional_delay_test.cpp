#include "core/base/units.h"
#include "core/dsp/fractional_delay.h"

#include <gtest/gtest.h>

#include <cmath>
#include <complex>

namespace cask::dsp {
namespace {

TEST(FractionalDelay, DelaysByExactlyTheFractionUpTo18kHz) {
    for (const double fraction : {0.0, 0.1, 0.25, 0.5, 0.9}) {
        const auto taps = designShift(fraction);
        for (const double hz : {50.0, 1000.0, 8000.0, 15000.0, 18000.0}) {
            const double w = 2 * kPi * hz / 48000;
            std::complex<double> h = 0;
            for (int t = 0; t < kShiftTaps; ++t)
                h += static_cast<double>(taps[static_cast<std::size_t>(t)]) * std::polar(1.0, -w * t);
            const auto ideal = std::polar(1.0, -w * (kShiftDelayFrames + fraction));
            EXPECT_LT(std::abs(h - ideal), hz > 16000 ? 0.005 : 0.001) << fraction << " at " << hz;
        }
    }
}

TEST(FractionalDelay, ZeroIsAPureDelay) {
    const auto taps = designShift(0);
    for (int t = 0; t < kShiftTaps; ++t)
        EXPECT_NEAR(taps[static_cast<std::size_t>(t)], t == kShiftDelayFrames ? 1 : 0, 1e-7);
}

} // namespace
} // namespace cask::dsp
