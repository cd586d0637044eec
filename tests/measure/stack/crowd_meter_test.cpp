// Sounds muted in turn: what is lost is what formulas say.
#include "core/base/units.h"
#include "core/measure/stack/crowd_meter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

/// Faded over 50 ms: an edge would be in every third.
std::vector<float> tone(double hz, double gain, double fromS = 0, double toS = 4) {
    std::vector<float> x(2 * 192000, 0.0F);
    const auto fade = [&](std::size_t n) {
        const double t = static_cast<double>(n) / 48000;
        const double share = std::clamp(std::min(t - fromS, toS - t) / 0.05, 0.0, 1.0);
        return 0.5 - 0.5 * std::cos(kPi * share);
    };
    for (auto n = static_cast<std::size_t>(fromS * 48000); n < static_cast<std::size_t>(toS * 48000); ++n)
        x[2 * n] = x[2 * n + 1] =
            static_cast<float>(gain * fade(n) * std::sin(2 * kPi * hz * static_cast<double>(n) / 48000));
    return x;
}

std::vector<CrowdPart> partsOf(const std::vector<std::vector<float>>& sounds, std::size_t block) {
    CrowdMeter meter(48000, sounds.size());
    for (std::size_t at = 0; at < sounds[0].size(); at += block)
        for (std::size_t i = 0; i < sounds.size(); ++i)
            meter.add(i, std::span(sounds[i]).subspan(at, std::min(block, sounds[i].size() - at)));
    return meter.parts();
}

TEST(CrowdMeter, TheThirdThatLosesMostIsTold) {
    // 1 kHz of 0.2 beside the same phase of 0.1: without the second the sum falls from 0.3 to 0.2.
    const auto parts = partsOf({tone(1000, 0.2), tone(1000, 0.1), tone(4000, 0.1)}, 4096);
    EXPECT_NEAR(parts[1].mostLostDb, 20 * std::log10(0.3 / 0.2), 0.1);
    EXPECT_NEAR(parts[1].mostLostHz, 1000, 130);
    EXPECT_NEAR(parts[0].mostLostDb, 20 * std::log10(0.3 / 0.1), 0.1);
    EXPECT_GT(parts[2].mostLostDb, 30) << "nothing else is there";
    EXPECT_NEAR(parts[2].mostLostHz, 4000, 500);
}

TEST(CrowdMeter, WhatIsBuriedLosesNothingAndWhereItDoesNotPlayDoesNotCount) {
    const auto loud = test::noise(0.5, 192000, 1);
    std::vector<float> noise;
    for (const float x : loud) {
        noise.push_back(x);
        noise.push_back(x);
    }
    // A burst of half a second, alone against the rest of a take in which it is silent.
    const auto parts = partsOf({noise, tone(1000, 0.002), tone(1000, 0.5, 1, 1.5), tone(500, 0)}, 1000);
    EXPECT_LT(parts[1].mostLostDb, 1);
    EXPECT_GT(parts[2].mostLostDb, 15);
    EXPECT_TRUE(parts[3].isSilent);
    EXPECT_FALSE(parts[1].isSilent);
}

TEST(CrowdMeter, SoundsWhoseLevelsMoveTogetherAreTold) {
    const auto twice = [](const std::vector<float>& x) {
        std::vector<float> both;
        for (const float v : x) {
            both.push_back(v);
            both.push_back(v);
        }
        both.resize(2 * 192000, 0.0F);
        return both;
    };
    const auto kick = twice(test::bursts(60, 1, 0.25, 0.1, 4));
    const auto layer = twice(test::bursts(2000, 1, 0.25, 0.1, 4));
    const auto snare = twice(test::bursts(200, 1, 0.75, 0.1, 4));
    const auto parts = partsOf({kick, layer, snare}, 480);
    EXPECT_EQ(parts[0].likest, 1);
    EXPECT_EQ(parts[1].likest, 0);
    EXPECT_GT(parts[0].likeness, 0.95);
    EXPECT_LT(parts[2].likeness, 0.2);
    EXPECT_EQ(partsOf({kick}, 480)[0].likest, -1);
}

TEST(CrowdMeter, BlocksDoNotMatter) {
    const auto a = tone(300, 0.3, 0.5, 2);
    const auto b = tone(320, 0.2, 1, 3);
    const auto one = partsOf({a, b}, 2 * 192000);
    const auto many = partsOf({a, b}, 202);
    for (std::size_t i = 0; i < 2; ++i) {
        EXPECT_EQ(one[i].mostLostDb, many[i].mostLostDb);
        EXPECT_EQ(one[i].likeness, many[i].likeness);
    }
}

} // namespace
} // namespace cask::measure
