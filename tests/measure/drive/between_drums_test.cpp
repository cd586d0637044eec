// What a curve makes of sounds together, against the curve itself.
#include "core/measure/drive/between_drums.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

TEST(BetweenDrums, IsTheWholeThroughTheCurveLessTheSumOfEachThroughIt) {
    const auto low = test::sine(100, 0.4, 2);
    const auto high = test::sine(730, 0.3, 2);
    dsp::SaturationSettings s;
    s.driveDb = 18;
    const double d = dbToLinear(18) - 1;
    const auto bent = [d](double x) { return std::tanh(d * x) / d; };
    double rest = 0;
    double whole = 0;
    for (std::size_t n = 0; n < low.size(); ++n) {
        const double a = static_cast<double>(low[n]);
        const double b = static_cast<double>(high[n]);
        rest += std::pow(bent(a + b) - bent(a) - bent(b), 2);
        whole += std::pow(bent(a + b), 2);
    }
    EXPECT_NEAR(intermodulationDb({{low}, {high}}, s, 48000), 10 * std::log10(rest / whole), 0.1);
    // A part that is silent, or one alone, has nothing to meet.
    EXPECT_LT(intermodulationDb({{low}, {std::vector<float>(low.size())}}, s, 48000), -110);
    EXPECT_EQ(intermodulationDb({{low}}, s, 48000), kSilenceDb);
    // Under the ceiling of a clipper nothing happens to either.
    dsp::ClipperSettings clipper;
    clipper.ceilingDb = -1;
    clipper.kneeDb = 0;
    EXPECT_LT(intermodulationDb({{low}, {high}}, clipper, 48000), -110);
}

} // namespace
} // namespace cask::measure
