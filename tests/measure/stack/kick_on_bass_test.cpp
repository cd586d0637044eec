// Kicks on a bass: low end gained, beating and room against what formulas say.
#include "core/base/units.h"
#include "core/measure/stack/kick_on_bass.h"

#include <gtest/gtest.h>

#include <cmath>
#include <vector>

namespace cask::measure {
namespace {

constexpr double kBassRate = 48000;

std::vector<float> bassOf(double hz, double gain = 0.2) {
    std::vector<float> x(10 * 48000);
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = static_cast<float>(gain * std::sin(2 * kPi * hz * static_cast<double>(n) / kBassRate));
    return x;
}
/// Steady for a second, so that only pitch and phase matter.
std::vector<float> kickOf(double hz, double phase, double gain = 0.2) {
    std::vector<float> x(48000);
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = static_cast<float>(gain * std::sin(2 * kPi * hz * static_cast<double>(n) / kBassRate + phase));
    return x;
}
const std::vector<double> kStrikesS = {1, 2, 3, 4, 5, 6, 7}; // whole periods of 50 Hz apart

TEST(KickOnBass, InPhaseItGainsSixDecibelsWithoutBeating) {
    const auto on = scoreKickOnBass(kickOf(50, 0.3), 0, bassOf(50), kStrikesS, kBassRate);
    EXPECT_NEAR(on.lowGainDb, 20 * std::log10(std::hypot(1 + std::cos(0.3), std::sin(0.3))), 0.3);
    EXPECT_FALSE(on.isInverted);
    EXPECT_NEAR(on.roomDb, -20 * std::log10(0.4), 0.4);
    // The other way round it is turned.
    const auto turned = scoreKickOnBass(kickOf(50, 0.3 + kPi), 0, bassOf(50), kStrikesS, kBassRate);
    EXPECT_TRUE(turned.isInverted);
    EXPECT_NEAR(turned.lowGainDb, on.lowGainDb, 0.2);
}

TEST(KickOnBass, ApartByAFewHertzItBeatsApartByMoreItDoesNot) {
    const auto near = scoreKickOnBass(kickOf(56, 0.3), 0, bassOf(50), kStrikesS, kBassRate);
    const auto far = scoreKickOnBass(kickOf(100, 0.3), 0, bassOf(50), kStrikesS, kBassRate);
    EXPECT_GT(near.beatingDb, 4);
    EXPECT_LT(far.beatingDb, 1);
    EXPECT_NEAR(far.lowGainDb, 3, 0.5) << "they have nothing to do with each other";
    EXPECT_GT(far.score, near.score);
}

TEST(KickOnBass, OverFullScaleIsNoRoom) {
    const auto on = scoreKickOnBass(kickOf(50, 0.3), 12, bassOf(50, 0.9), kStrikesS, kBassRate);
    EXPECT_LT(on.roomDb, -3);
    EXPECT_LT(on.score, on.lowGainDb - on.beatingDb - 3);
    EXPECT_EQ(scoreKickOnBass(kickOf(50, 0), 0, bassOf(50), {}, kBassRate).score, 0);
}

} // namespace
} // namespace cask::measure
