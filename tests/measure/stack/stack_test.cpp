// One-shots in line and as a stack, against stacks whose answer is known.
#include "core/base/units.h"
#include "core/dsp/eq_design.h"
#include "core/measure/drive/driven_sound.h"
#include "core/measure/stack/stack_judge.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kShotRate = 48000;

/// A falling tone with noise, struck at a frame.
std::vector<float> shot(double hz, double ringS, double noise, unsigned seed, std::size_t at = 0,
                        double seconds = 0.6) {
    std::vector<float> x(static_cast<std::size_t>(seconds * kShotRate), 0.0F);
    const auto hiss = test::noise(1, x.size(), seed);
    for (std::size_t n = at; n < x.size(); ++n) {
        const double t = static_cast<double>(n - at) / kShotRate;
        x[n] = static_cast<float>(0.5 * std::exp(-t / ringS) * std::sin(2 * kPi * hz * t) +
                                  noise * hiss[n - at] * std::exp(-t / 0.03));
    }
    return x;
}

std::vector<float> behind(const std::vector<float>& x, dsp::FilterKind kind, double hz, double gainDb = 0) {
    dsp::EqBand band;
    band.kind = kind;
    band.frequencyHz = hz;
    band.gainDb = gainDb;
    return filteredSound({x}, band, kShotRate).front();
}

std::vector<float> inverted(std::vector<float> x) {
    for (float& v : x)
        v = -v;
    return x;
}

TEST(OneShotAlignment, TheOnsetIsWhereItIsStruck) {
    const auto onset = oneShotOnset(shot(3000, 0.2, 0.3, 1, 4321), kShotRate);
    ASSERT_TRUE(onset);
    EXPECT_NEAR(*onset, 4321 / kShotRate, 0.0001);
    EXPECT_FALSE(oneShotOnset(std::vector<float>(480, 0.0F), kShotRate));
    EXPECT_FALSE(alignOneShots(std::vector<float>(480, 0.0F), shot(100, 0.1, 0, 1), kShotRate));
}

TEST(OneShotAlignment, TheOnsetOfASwellIsWhereItBegins) {
    // It grows with the square of time for 6 ms: 34 dB under its greatest 0.85 ms after it begins.
    auto x = test::noise(0.5, 24000, 3);
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double t = (static_cast<double>(n) - 2000) / kShotRate;
        x[n] *= static_cast<float>(t < 0       ? 0
                                   : t < 0.006 ? (t / 0.006) * (t / 0.006)
                                               : std::exp((0.006 - t) / 0.05));
    }
    const auto onset = oneShotOnset(x, kShotRate);
    ASSERT_TRUE(onset);
    EXPECT_NEAR(*onset, 2000 / kShotRate, 0.0007);
}

TEST(OneShotAlignment, NoiseIsNoOnsetHoweverLittleOfItIsHeardAlone) {
    for (const std::size_t at : {100U, 240U, 6000U}) {
        auto x = shot(200, 0.05, 0.5, 1, at);
        const auto hiss = test::noise(0.006, x.size(), 8);
        for (std::size_t n = 0; n < x.size(); ++n)
            x[n] += hiss[n];
        const auto onset = oneShotOnset(x, kShotRate);
        ASSERT_TRUE(onset);
        EXPECT_NEAR(*onset, static_cast<double>(at) / kShotRate, 0.0002) << at;
    }
}

TEST(OneShotAlignment, WhatRingsOnBeforeIsNoOnset) {
    auto x = shot(200, 0.05, 0.5, 1, 6000);
    for (std::size_t n = 0; n < 6000; ++n)
        x[n] += static_cast<float>(0.008 * std::sin(2 * kPi * 700 * static_cast<double>(n) / kShotRate));
    const auto onset = oneShotOnset(x, kShotRate);
    ASSERT_TRUE(onset);
    EXPECT_NEAR(*onset, 6000 / kShotRate, 0.0003);
}

struct Processing {
    const char* name;
    std::vector<float> (*of)(std::vector<float> x);
};

class ProcessedCopy : public testing::TestWithParam<Processing> {};

TEST_P(ProcessedCopy, IsPutInLineWhateverItsFiltersTurn) {
    for (const auto& [hz, noise] : {std::pair{60.0, 0.15}, std::pair{190.0, 0.5}, std::pair{900.0, 0.8}}) {
        const auto first = shot(hz, 0.12, noise, 5, 700);
        const auto copy = GetParam().of(shot(hz, 0.12, noise, 5, 1201));
        for (const bool isInverted : {false, true}) {
            const auto found = alignOneShots(first, isInverted ? inverted(copy) : copy, kShotRate);
            ASSERT_TRUE(found);
            EXPECT_TRUE(found->isCopy) << hz << " Hz: " << found->likeness;
            EXPECT_NEAR(found->shiftMs, 1000.0 * (700 - 1201) / kShotRate, 0.1) << hz << " Hz";
            EXPECT_EQ(found->isInverted, isInverted) << hz << " Hz";
            const auto turned = alignOneShots(isInverted ? inverted(copy) : copy, first, kShotRate);
            ASSERT_TRUE(turned);
            EXPECT_NEAR(turned->shiftMs, -found->shiftMs, 0.01) << "whichever comes first";
        }
    }
}

INSTANTIATE_TEST_SUITE_P(
    Stack, ProcessedCopy,
    testing::Values(
        Processing{"AsItIs", [](std::vector<float> x) { return x; }},
        Processing{"HighPassed",
                   [](std::vector<float> x) { return behind(x, dsp::FilterKind::HighPass, 250); }},
        Processing{"LowPassed",
                   [](std::vector<float> x) { return behind(x, dsp::FilterKind::LowPass, 3000); }},
        Processing{"LowPassedSteeplyInNoise",
                   [](std::vector<float> x) {
                       x = behind(behind(x, dsp::FilterKind::LowPass, 1700), dsp::FilterKind::LowPass, 1700);
                       const auto hiss = test::noise(0.0004, x.size(), 8);
                       for (std::size_t n = 0; n < x.size(); ++n)
                           x[n] += hiss[n];
                       return x;
                   }},
        Processing{"LowPassedAndCutWhileItRings",
                   [](std::vector<float> x) {
                       x = behind(behind(x, dsp::FilterKind::LowPass, 3000), dsp::FilterKind::LowPass, 3000);
                       x.resize(1201 + 3600);
                       for (std::size_t n = 0; n < 960; ++n) // no click
                           x[x.size() - 1 - n] *=
                               static_cast<float>(0.5 - 0.5 * std::cos(kPi * static_cast<double>(n) / 960));
                       return x;
                   }},
        Processing{"WithBells",
                   [](std::vector<float> x) {
                       return behind(behind(x, dsp::FilterKind::Bell, 400, -10), dsp::FilterKind::Bell, 3000,
                                     9);
                   }},
        Processing{"Driven",
                   [](std::vector<float> x) {
                       for (float& v : x)
                           v = std::tanh(8 * v) / 4;
                       return x;
                   }},
        Processing{"CutShort",
                   [](std::vector<float> x) {
                       x.resize(x.size() / 3);
                       return x;
                   }}),
    [](const auto& named) { return std::string(named.param.name); });

TEST(OneShotAlignment, AToneWithoutAnyNoiseIsKnownAgain) {
    // A kick as instruments make it: a falling sine, nothing else.
    const auto kick = [](std::size_t at) {
        std::vector<float> x(24000, 0.0F);
        for (std::size_t n = at; n < x.size(); ++n) {
            const double t = static_cast<double>(n - at) / kShotRate;
            const double phase = 2 * kPi * (52 * t + 150 * 0.02 * (1 - std::exp(-t / 0.02)));
            x[n] = static_cast<float>(0.8 * std::sin(phase) * std::exp(-t / 0.15));
        }
        return x;
    };
    for (const bool isDriven : {false, true}) {
        auto copy = inverted(kick(777));
        for (float& v : copy)
            v = isDriven ? std::tanh(4 * v) : v;
        const auto found = alignOneShots(kick(300), copy, kShotRate);
        ASSERT_TRUE(found);
        EXPECT_TRUE(found->isCopy) << found->likeness;
        EXPECT_TRUE(found->isInverted);
        EXPECT_NEAR(found->shiftMs, 1000.0 * (300 - 777) / kShotRate, 0.1) << isDriven;
    }
}

TEST(OneShotAlignment, OtherSoundsGoByTheirOnsets) {
    for (unsigned seed = 1; seed <= 8; ++seed) {
        const auto first = shot(60, 0.2, 0.2, seed, 500);
        const auto second = shot(220 + 10 * seed, 0.08, 0.4, seed + 100, 900);
        const auto found = alignOneShots(first, second, kShotRate);
        ASSERT_TRUE(found);
        EXPECT_FALSE(found->isCopy) << found->likeness;
        EXPECT_NEAR(found->shiftMs, 1000.0 * (500 - 900) / kShotRate, 0.8);
    }
    // Two kicks of nearly one note, the other way round: their lows tell.
    const auto found =
        alignOneShots(shot(60, 0.2, 0.1, 1, 500), inverted(shot(64, 0.2, 0.1, 7, 500)), kShotRate);
    EXPECT_TRUE(found->isInverted);
}

TEST(StackJudge, SharesAreThoseOfTheEnergies) {
    // Two lows of which one is 6 dB softer, a high one, and one in two channels.
    const auto tone = [](double hz, double amplitude) { return test::sine(hz, amplitude, 1); };
    const auto judged = judgeStack({{tone(60, 0.5)}, {tone(90, 0.25)}, {tone(5000, 0.5)}}, kShotRate);
    ASSERT_EQ(judged.layers.size(), 3U);
    EXPECT_NEAR(judged.layers[0].lowShare, 0.8, 0.01);
    EXPECT_NEAR(judged.layers[1].lowShare, 0.2, 0.01);
    EXPECT_NEAR(judged.layers[2].lowShare, 0, 0.001);
    EXPECT_EQ(judged.lowEndOwner, 0);
    EXPECT_NEAR(judged.layers[0].peakDb, linearToDb(0.5), 0.01);
    const auto hz = stackThirdsHz();
    const auto third =
        std::min_element(
            hz.begin(), hz.end(),
            [](double a, double b) { return std::abs(std::log(a / 5000)) < std::abs(std::log(b / 5000)); }) -
        hz.begin();
    EXPECT_NEAR(judged.layers[2].thirdShares[static_cast<std::size_t>(third)], 1, 0.01);
    // One channel is heard on both sides: as much as two that are alike.
    const auto sides = judgeStack({{tone(60, 0.5)}, {tone(90, 0.5), tone(90, 0.5)}}, kShotRate);
    EXPECT_NEAR(sides.layers[0].lowShare, 0.5, 0.01);
    EXPECT_EQ(judgeStack({{tone(3000, 0.5)}, {tone(5000, 0.25)}}, kShotRate).lowEndOwner, -1);
}

TEST(StackJudge, AnOffsetOwnsNoLows) {
    auto high = shot(2000, 0.1, 0.3, 1);
    for (float& x : high)
        x += 0.3F;
    auto low = shot(55, 0.3, 0, 2);
    for (float& x : low)
        x *= 0.03F;
    EXPECT_EQ(judgeStack({{high}, {low}}, kShotRate).lowEndOwner, 1);
}

TEST(StackJudge, ACopyTheOtherWayRoundCancelsAndAddsUpInLine) {
    const auto one = shot(60, 0.15, 0.3, 3, 600);
    auto other = inverted(one);
    const auto together = judgeStack({{one}, {other}}, kShotRate);
    EXPECT_TRUE(together.layers[1].alignment.isInverted);
    EXPECT_LT(together.attackDb, -100);
    EXPECT_NEAR(together.attackInLineDb, 6.02, 0.05);
    EXPECT_NEAR(together.lowAttackInLineDb, 6.02, 0.05);
    EXPECT_NEAR(together.layers[0].lostDb, 6.02, 0.05) << "each is half of the sum";
    // One at a tenth: it changes little.
    for (float& x : other)
        x *= 0.1F;
    const auto soft = judgeStack({{one}, {other}}, kShotRate);
    EXPECT_NEAR(soft.layers[1].gainDb, 20, 0.01);
    EXPECT_NEAR(soft.layers[1].lostDb, 20 * std::log10(1.1), 0.02);
    EXPECT_EQ(soft.strongest, 0);
}

TEST(StackJudge, ASecondOwnerOfTheLowsIsFilteredWhereItCostsLeast) {
    // Two kicks nearly as low; of the second one the click is wanted.
    auto second = shot(70, 0.15, 0.4, 4, 600);
    for (float& x : second)
        x *= 0.7F;
    const std::vector<Sound> layers{{shot(55, 0.25, 0.05, 3, 600)}, {second}};
    const auto before = judgeStack(layers, kShotRate);
    ASSERT_EQ(before.lowEndOwner, 0);
    EXPECT_FALSE(before.layers[0].lowCut) << "the owner keeps its lows";
    ASSERT_TRUE(before.layers[1].lowCut);
    const auto& cut = *before.layers[1].lowCut;
    const auto after =
        judgeStack({layers[0], {behind(second, dsp::FilterKind::HighPass, cut.hz)}}, kShotRate);
    EXPECT_LE(after.layers[1].lowShare, LayerPart::kSparedShare);
    EXPECT_FALSE(after.layers[1].lowCut);
    // No other corner that spares the lows leaves more of the attack (both were struck at one time).
    const auto attackWith = [&](double hz) {
        const auto filtered = behind(second, dsp::FilterKind::HighPass, hz);
        double energy = 0;
        for (std::size_t n = 600; n < 600 + 480; ++n)
            energy += std::pow(static_cast<double>(layers[0][0][n]) + filtered[n], 2);
        return 10 * std::log10(energy);
    };
    for (const double hz : {125.0, 160.0, 200.0, 250.0, 300.0, 350.0}) {
        const auto other =
            judgeStack({layers[0], {behind(second, dsp::FilterKind::HighPass, hz)}}, kShotRate);
        if (other.layers[1].lowShare <= LayerPart::kSparedShare) {
            EXPECT_LE(attackWith(hz), attackWith(cut.hz) + 0.3) << hz;
        }
    }
}

TEST(StackJudge, SilenceIsNoLayer) {
    const auto judged = judgeStack({{shot(60, 0.1, 0.1, 1)}, {std::vector<float>(4800, 0.0F)}}, kShotRate);
    EXPECT_EQ(judged.layers[1].lowShare, 0);
    EXPECT_EQ(judged.layers[1].lostDb, 0);
    EXPECT_EQ(judged.layers[1].peakDb, kSilenceDb);
    EXPECT_EQ(judged.lowEndOwner, 0);
    EXPECT_TRUE(judgeStack({}, kShotRate).layers.empty());
}

} // namespace
} // namespace cask::measure
