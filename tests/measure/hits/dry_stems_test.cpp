// Stems that hear only their own drum, and pairs with one side aside.
#include "core/measure/hits/kit_hits.h"
#include "tests/support/hit_score.h"
#include "tests/support/random_take.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

using Sound = std::vector<float>;

/// A decaying tone with a click, silent after `lengthS`.
void dryStrike(Sound& x, double atS, double hz, double gain, double lengthS) {
    const auto from = static_cast<std::size_t>(atS * kRate);
    for (std::size_t n = 0; n < static_cast<std::size_t>(lengthS * kRate) && from + n < x.size(); ++n) {
        const double t = static_cast<double>(n) / kRate;
        x[from + n] += static_cast<float>(gain * std::exp(-5 * t / lengthS) * (1 - t / lengthS) *
                                          (std::sin(2 * kPi * hz * t) + 0.5 * std::exp(-t / 0.002)));
    }
}

BandTrail dryTrail(const Sound& x) {
    BandTrailMeter meter(kRate);
    meter.add(x);
    return meter.take();
}

int ownStrokes(const KitHits& hits, int input) {
    return static_cast<int>(std::count_if(hits.heard.begin(), hits.heard.end(),
                                          [&](const auto& h) { return h.input == input && h.isOwn; }));
}

TEST(DryStems, WhatAlwaysCoincidesIsStillEachDrumsOwn) {
    // Kick on every beat, a closed hat on every eighth, an open one between: a hat never stands without one.
    constexpr double kStepS = 0.125;
    std::vector<Sound> sounds(4, Sound(static_cast<std::size_t>(18 * kRate), 0.0F));
    for (int step = 0; step < 128; ++step) {
        const double at = 0.1 + kStepS * step;
        if (step % 4 == 0)
            dryStrike(sounds[0], at, 55, 0.6, 0.3);
        if (step % 8 == 4)
            dryStrike(sounds[1], at, 190, 0.6, 0.15);
        if (step % 2 == 0)
            dryStrike(sounds[2], at, 7000, 0.3, 0.06);
        if (step % 4 == 2)
            dryStrike(sounds[3], at, 6000, 0.3, 0.2);
    }
    std::vector<BandTrail> trails;
    for (const auto& x : sounds)
        trails.push_back(dryTrail(x));
    const std::vector<HitInput> inputs{{"Kick", Role::KickIn, {&trails[0]}, 0},
                                       {"Snare", Role::SnareTop, {&trails[1]}, 0},
                                       {"Hat", Role::ClosedHat, {&trails[2]}, 0},
                                       {"Open", Role::OpenHat, {&trails[3]}, 0}};
    const auto hits = findKitHits(inputs);
    EXPECT_EQ(ownStrokes(hits, 0), 32);
    EXPECT_EQ(ownStrokes(hits, 1), 16);
    EXPECT_EQ(ownStrokes(hits, 2), 64);
    EXPECT_EQ(ownStrokes(hits, 3), 32);
    for (const auto& h : hits.heard)
        EXPECT_TRUE(h.isOwn) << "a stem hears nobody else";
    EXPECT_NE(hits.kit.drumOf[2], hits.kit.drumOf[3]) << "two sounds, not two microphones of one hat";
}

TEST(DryStems, MicrophonesWithNoiseAreNoStems) {
    auto recipe = test::takeRecipes()[0];
    recipe.seconds = 8;
    const auto take = test::makeRandomTake(recipe);
    const auto trails = test::trailsOf(take);
    const auto hits = findKitHits(trails.inputs);
    EXPECT_TRUE(std::any_of(hits.heard.begin(), hits.heard.end(), [](const auto& h) { return !h.isOwn; }));
}

TEST(SideLags, TheSideThatIsAsideIsFoundAndTheHitsStay) {
    auto recipe = test::takeRecipes()[0];
    recipe.seconds = 12;
    recipe.isMinimal = false;
    const auto take = test::makeRandomTake(recipe);
    const auto there = test::scoreTake(take, findKitHits(test::trailsOf(take).inputs));
    for (const int side : {0, 1})
        for (const double lateMs : {24.0, -17.0}) {
            auto moved = take;
            std::size_t pair = 0;
            for (std::size_t m = 0; m < moved.microphones.size(); ++m)
                if (moved.microphones[m].role == Role::Overhead)
                    pair = m;
            auto& x = moved.microphones[pair].channels[static_cast<std::size_t>(side)];
            const auto by = static_cast<std::ptrdiff_t>(std::llround(lateMs * 0.001 * recipe.sampleRateHz));
            if (by > 0)
                std::rotate(x.begin(), x.end() - by, x.end());
            else
                std::rotate(x.begin(), x.begin() - by, x.end());
            const auto hits = findKitHits(test::trailsOf(moved).inputs);
            EXPECT_EQ(hits.sideLags[pair].side, side) << lateMs;
            EXPECT_NEAR(1000 * hits.sideLags[pair].lagS, lateMs, 2.5) << side;
            for (std::size_t m = 0; m < hits.sideLags.size(); ++m)
                if (m != pair) {
                    EXPECT_EQ(hits.sideLags[m].side, -1) << moved.microphones[m].name;
                }
            EXPECT_GT(test::scoreTake(moved, hits).f(), there.f() - 0.03);
        }
}

} // namespace
} // namespace cask::measure
