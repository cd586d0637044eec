// How loud drums are in all microphones, and the levels that follow: against each drum alone, and by formula.
#include "core/measure/balance/balance_levels.h"
#include "core/measure/balance/balance_pans.h"
#include "core/measure/integrated_loudness.h"
#include "core/measure/step_powers.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cask::measure {
namespace {

constexpr double kSeconds = 30;

/// A decaying tone at each stroke.
std::vector<float> drumAlone(const std::vector<BalanceStroke>& strokes, int drum, double hz) {
    std::vector<float> x(static_cast<std::size_t>(kSeconds * kRate), 0.0F);
    for (const auto& stroke : strokes) {
        if (stroke.drum != drum)
            continue;
        const auto from = static_cast<std::size_t>(std::lround(stroke.timeS * kRate));
        for (std::size_t n = 0; n < static_cast<std::size_t>(0.3 * kRate) && from + n < x.size(); ++n) {
            const double t = static_cast<double>(n) / kRate;
            x[from + n] += static_cast<float>(dbToLinear(stroke.levelDb) * std::exp(-t / 0.1) *
                                              std::sin(2 * kPi * hz * t));
        }
    }
    return x;
}

/// Mean over counted strokes of the K-weighted mean square of 400 ms, by a meter of its own kind.
double lufsAlone(const std::vector<float>& x, const std::vector<BalanceStroke>& strokes, int drum) {
    auto bank = loudnessBank(kRate);
    dsp::LaneBuffer lanes(x.size() * dsp::kLanes);
    for (std::size_t n = 0; n < x.size(); ++n)
        lanes[n * dsp::kLanes] = x[n];
    dsp::kernels().filter(bank, lanes.data(), static_cast<int>(x.size()));
    double sum = 0;
    int count = 0;
    for (const auto& stroke : strokes) {
        if (stroke.drum != drum || !stroke.isCounted || stroke.timeS + 0.4 > kSeconds)
            continue;
        const auto from = static_cast<std::size_t>(stroke.timeS * kRate);
        for (std::size_t n = from; n < from + static_cast<std::size_t>(0.4 * kRate); ++n)
            sum += static_cast<double>(lanes[n * dsp::kLanes]) * lanes[n * dsp::kLanes];
        ++count;
    }
    return -0.691 + 10 * std::log10(sum / count / (0.4 * kRate));
}

class KitPowersTest : public testing::Test {
  protected:
    /// A drum on every beat and one on every other, struck together then, with levels that vary.
    KitPowersTest() {
        std::mt19937 random(3);
        for (int i = 0; i < 48; ++i) {
            const double at = 0.3 + 0.6 * i;
            m_strokes.push_back({0, at, -6.0 - static_cast<double>(random() % 5), true});
            if (i % 2 == 0)
                m_strokes.push_back({1, at + 0.002, -8.0 - static_cast<double>(random() % 4), true});
        }
        m_alone = {drumAlone(m_strokes, 0, 1500), drumAlone(m_strokes, 1, 400)};
    }
    [[nodiscard]] KitPowers heardWith(const std::vector<std::array<double, 2>>& gains) const {
        KitPowerMeter meter(kRate, {Role::SnareTop, Role::KickIn}, m_strokes, static_cast<int>(gains.size()));
        constexpr std::size_t kBlock = 500;
        for (std::size_t at = 0; at < m_alone[0].size(); at += kBlock) {
            std::vector<std::vector<float>> block;
            for (const auto& gain : gains) {
                auto& channel = block.emplace_back();
                for (std::size_t n = at; n < std::min(at + kBlock, m_alone[0].size()); ++n)
                    channel.push_back(static_cast<float>(gain[0] * static_cast<double>(m_alone[0][n]) +
                                                         gain[1] * static_cast<double>(m_alone[1][n])));
            }
            const std::vector<std::span<const float>> spans(block.begin(), block.end());
            meter.add(spans);
        }
        return meter.powers();
    }

    std::vector<BalanceStroke> m_strokes;
    std::array<std::vector<float>, 2> m_alone;
};

TEST_F(KitPowersTest, DrumsThatAreStruckTogetherAreTakenApart) {
    const auto powers = heardWith({{1, 0.1}, {0.05, 0.8}, {0.3, -0.4}});
    const double first = lufsAlone(m_alone[0], m_strokes, 0);
    const double second = lufsAlone(m_alone[1], m_strokes, 1);
    EXPECT_NEAR(lufsOf(powers.product(0, 0, 0)), first, 0.3);
    EXPECT_NEAR(lufsOf(powers.product(1, 1, 1)), second + linearToDb(0.8), 0.3);
    EXPECT_NEAR(lufsOf(powers.product(0, 2, 2)), first + linearToDb(0.3), 0.7);
    EXPECT_NEAR(lufsOf(powers.product(1, 2, 2)), second + linearToDb(0.4), 0.7);
    // The second drum is inverted in the third channel: sums tell of it.
    EXPECT_GT(powers.product(0, 0, 2), 0);
    EXPECT_LT(powers.product(1, 1, 2), 0);
    const std::array both = {0.0, 1.0, 1.0};
    EXPECT_NEAR(lufsOf(powers.power(1, both)), second + linearToDb(0.4), 0.7);
}

TEST_F(KitPowersTest, ASineOfFullScaleHasTheLoudnessOfTheStandard) {
    // ITU-R BS.1770-4: 997 Hz at 0 dBFS in one channel is -3.01 LUFS.
    const auto x = test::sine(997, 1, 2);
    KitPowerMeter meter(kRate, {Role::SnareTop}, {{0, 0.5, 0, true}, {0, 1.0, 0, true}}, 1);
    const std::vector<std::span<const float>> spans = {x};
    meter.add(spans);
    EXPECT_EQ(meter.powers().strokes(0), 2);
    EXPECT_NEAR(lufsOf(meter.powers().product(0, 0, 0)), -3.01, 0.05);
}

/// Snare, kick and crash; microphones at the first two, one over all.
class BalanceLevelsTest : public testing::Test {
  protected:
    BalanceLevelsTest() : m_powers(3, 4) {
        for (int d = 0; d < 3; ++d)
            m_powers.setStrokes(d, 20);
        set(0, {0.5, 0.01, 0.1, 0.2});
        set(1, {0.02, 0.4, 0.05, 0.02});
        set(2, {0.01, 0.005, 0.3, 0.0});
        const double side = std::sqrt(0.5);
        for (int e = 0; e < 4; ++e)
            m_asked.channels.push_back({e, side, side});
        m_asked.drums = {{-20, {0, 3}, -6}, {-21, {1}, -6}, {-25, {}, -6}};
        m_asked.overheads = {2};
    }
    /// Amplitudes of a drum in the channels, all of one polarity.
    void set(int drum, const std::array<double, 4>& amplitudes) {
        for (int i = 0; i < 4; ++i)
            for (int j = i; j < 4; ++j)
                m_powers.setProduct(drum, i, j,
                                    amplitudes[static_cast<std::size_t>(i)] *
                                        amplitudes[static_cast<std::size_t>(j)]);
    }
    KitPowers m_powers;
    BalanceAsked m_asked;
};

TEST_F(BalanceLevelsTest, EveryDrumComesToItsLoudnessInTheSum) {
    const auto found = findLevels(m_powers, m_asked);
    EXPECT_FALSE(found.areOverheadsHeld);
    EXPECT_NEAR(found.drums[0].lufs, -20, 0.01);
    EXPECT_NEAR(found.drums[1].lufs, -21, 0.01);
    EXPECT_TRUE(found.drums[0].isLed);
    EXPECT_TRUE(found.drums[1].isLed);
    EXPECT_FALSE(found.drums[2].isLed) << "it has no microphone";
    // By the crash alone, as the overheads hear it: amplitude 0.3, both sides of 0.5 power each.
    EXPECT_NEAR(found.levelDb[2], -25 + 0.691 - linearToDb(0.3), 0.01);
    // The second snare microphone: amplitudes 0.2 against 0.5, 6 dB under.
    EXPECT_NEAR(found.levelDb[3] - found.levelDb[0], linearToDb(0.5 / 0.2) - 6, 0.01);
    const auto again = drumsAt(m_powers, m_asked, found.levelDb);
    EXPECT_EQ(again[0].lufs, found.drums[0].lufs);
}

TEST_F(BalanceLevelsTest, OverheadsThatWouldCarryTheSnareAreHeld) {
    set(0, {0.5, 0.01, 0.9, 0.2}); // louder there than the crash
    const auto found = findLevels(m_powers, m_asked);
    EXPECT_TRUE(found.areOverheadsHeld);
    EXPECT_NEAR(found.levelDb[2], -20 + 0.691 - linearToDb(0.9) + m_asked.overheadsMostDb, 0.01);
    EXPECT_NEAR(found.drums[0].lufs, -20, 0.01);
    EXPECT_LT(found.drums[2].lufs, -25.1);
}

TEST_F(BalanceLevelsTest, AMicrophoneThatHearsMoreOfOthersIsHeld) {
    set(1, {0.02, 0.02, 0.1, 0.02}); // hardly anything of the kick at its own
    set(0, {0.5, 0.4, 0.1, 0.2});    // and much of the snare
    m_powers.setStrokes(2, 0);
    m_asked.overheadsDb = -40;
    const auto found = findLevels(m_powers, m_asked);
    EXPECT_TRUE(found.drums[1].isHeld);
    EXPECT_NEAR(found.levelDb[1], -20 + 0.691 - linearToDb(0.4) + m_asked.spillMostDb, 0.05);
    EXPECT_LT(found.drums[1].lufs, -22);
    // 2 dB under by the kick's microphone, its own 12 dB under: amplitudes that add up.
    EXPECT_NEAR(found.drums[0].lufs, -20 + linearToDb(dbToLinear(-2) + dbToLinear(-12)), 0.15);
}

TEST_F(BalanceLevelsTest, AMicrophoneWithoutAChannelGivesNothing) {
    m_asked.drums[1].elements = {7};
    const auto found = findLevels(m_powers, m_asked);
    ASSERT_EQ(found.levelDb.size(), 8U);
    EXPECT_EQ(found.drums[1].ownLufs, kSilenceDb);
    EXPECT_NEAR(found.drums[0].lufs, -20, 0.01);
}

TEST_F(BalanceLevelsTest, WhatIsNotKnownIsNotSet) {
    m_powers.setStrokes(1, 2);
    auto found = findLevels(m_powers, m_asked);
    EXPECT_FALSE(found.drums[1].isKnown);
    EXPECT_FALSE(found.isSet[1]);
    EXPECT_TRUE(found.isSet[0]);
    // Without cymbals the overheads go by the drums that have microphones.
    m_powers.setStrokes(2, 0);
    found = findLevels(m_powers, m_asked);
    EXPECT_NEAR(found.levelDb[2], -20 + 0.691 - linearToDb(0.1) + m_asked.overheadsDb, 0.01);
}

TEST(BalancePans, TomsStandApartAsTheyAreHeardTheRestWhereItIs) {
    using R = Role;
    const std::vector<PanDrum> heard = {{R::KickIn, 0.1},   {R::SnareTop, -0.2}, {R::ClosedHat, -0.3},
                                        {R::RackTom, 0.05}, {R::RackTom, 0.1},   {R::FloorTom, 0.25},
                                        {R::Crash, 0.15},   {R::Unknown, 0.9}};
    const auto pans = findPans(heard, 0.6, false);
    EXPECT_EQ(pans[0]->pan, 0.0);
    EXPECT_EQ(pans[1]->pan, 0.0);
    EXPECT_EQ(pans[2]->pan, -0.6) << "the outermost";
    EXPECT_EQ(pans[6]->pan, 0.3);
    EXPECT_EQ(pans[3]->pan, -0.6);
    EXPECT_EQ(pans[4]->pan, -0.3) << "a quarter of the way";
    EXPECT_EQ(pans[5]->pan, 0.6);
    EXPECT_TRUE(pans[5]->isHeard);
    EXPECT_FALSE(pans[7]);
    // Toms that the overheads do not tell apart, hats that they hear on the left: from the drummer's seat.
    const std::vector<PanDrum> close = {{R::ClosedHat, -0.3}, {R::RackTom, 0.07}, {R::FloorTom, 0.08}};
    const auto seat = findPans(close, 0.6, false);
    EXPECT_EQ(seat[1]->pan, -0.6);
    EXPECT_EQ(seat[2]->pan, 0.6);
    EXPECT_FALSE(seat[2]->isHeard);
}

TEST(BalancePans, WithoutOverheadsItIsARightHandedKit) {
    using R = Role;
    const std::vector<PanDrum> none = {{R::ClosedHat, {}}, {R::RackTom, {}}, {R::RackTom, {}},
                                       {R::FloorTom, {}},  {R::Ride, {}},    {R::Crash, {}}};
    const auto audience = findPans(none, 0.6, false);
    EXPECT_EQ(audience[0]->pan, 0.3);
    EXPECT_EQ(audience[1]->pan, 0.6);
    EXPECT_EQ(audience[2]->pan, 0.0);
    EXPECT_EQ(audience[3]->pan, -0.6);
    EXPECT_EQ(audience[4]->pan, -0.3);
    EXPECT_FALSE(audience[5]);
    const auto drummer = findPans(none, 0.6, true);
    for (std::size_t d = 0; d < 5; ++d)
        EXPECT_EQ(drummer[d]->pan, -audience[d]->pan);
    EXPECT_EQ(findPans(std::vector<PanDrum>{{R::RackTom, {}}}, 0.6, false)[0]->pan, 0.0);
}

} // namespace
} // namespace cask::measure
