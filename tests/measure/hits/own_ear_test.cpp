// The second opinion on own strokes, and what it is told.
#include "core/measure/hits/kit_hits.h"
#include "core/measure/hits/own_ear.h"
#include "core/measure/hits/rhythm.h"
#include "tests/support/hit_score.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

TEST(Rhythm, ADrumThatRepeatsIsHeardAPulseAway) {
    std::vector<std::vector<TimedShare>> voices(2);
    for (int k = 0; k < 50; ++k)
        voices[0].push_back({1 + 0.4 * k, 1.0F});
    for (int k = 0; k < 10; ++k)
        voices[1].push_back({1.2 + 2.0 * k, 0.8F});
    const Rhythm rhythm(voices);
    const auto on = rhythm.around(0, 1 + 0.4 * 20);
    EXPECT_FLOAT_EQ(on[0], 1);
    EXPECT_FLOAT_EQ(on[1], 1);
    EXPECT_FLOAT_EQ(on[2], 1) << "a bar is a whole number of beats";
    const auto off = rhythm.around(0, 1.2 + 0.4 * 20);
    EXPECT_FLOAT_EQ(off[0], 0);
    EXPECT_FLOAT_EQ(rhythm.around(1, 1.2 + 2.0 * 5)[2], 0.8F) << "every two seconds: a bar away";
}

TEST(Rhythm, NothingAndTooLittleAreNoTrouble) {
    const std::vector<std::vector<TimedShare>> none;
    const Rhythm empty(none);
    const std::vector<std::vector<TimedShare>> one = {{{3, 1.0F}}};
    EXPECT_FLOAT_EQ(Rhythm(one).around(0, 3)[2], 1) << "no distance but none is known";
    EXPECT_FLOAT_EQ(Rhythm(one).around(0, 90)[0], 0.3F);
}

/// A net that says yes where one number of the row is above a limit.
StrokeNet netOf(std::size_t inputs, std::size_t number, float limit, float slope) {
    StrokeNet net;
    net.mean.assign(inputs, 0.0F);
    net.scale.assign(inputs, 1.0F);
    net.layers.push_back({inputs, 1, std::vector<float>(inputs, 0.0F), {-slope * limit}});
    net.layers.back().weights[number] = slope;
    return net;
}

struct Looked {
    KitModel kit;
    std::vector<Moment> moments;
    OwnLooks looks;
};

Looked lookAt(const test::RandomTake& take, float gain) {
    auto louder = take;
    for (auto& mic : louder.microphones)
        for (auto& channel : mic.channels)
            for (float& x : channel)
                x *= gain;
    const auto trails = test::trailsOf(louder);
    Looked looked;
    (void)findKitHits(trails.inputs, {}, oneByOne,
                      [&](const KitModel& kit, const std::vector<Moment>& moments, const OwnLooks& looks) {
                          looked = {kit, moments, looks};
                      });
    return looked;
}

test::TakeRecipe shortTake() {
    test::TakeRecipe recipe;
    recipe.seed = 4711;
    recipe.seconds = 6;
    recipe.noiseDb = -66;
    return recipe;
}

TEST(OwnLooks, EveryRiseInAnOwnMicrophoneIsLookedAtAndLevelsDoNotMatter) {
    const auto take = test::makeRandomTake(shortTake());
    const auto soft = lookAt(take, 0.2511886F); // 24 steps of a level byte
    ASSERT_GT(soft.looks.candidates.size(), 50U);
    ASSERT_EQ(soft.looks.rows.size(), soft.looks.candidates.size() * kOwnLook);
    for (const float x : soft.looks.rows)
        ASSERT_TRUE(std::isfinite(x) && std::abs(x) < 20);
    std::size_t heard = 0;
    for (std::size_t d = 0; d < soft.kit.drums.size(); ++d)
        for (const auto& moment : soft.moments)
            heard += std::any_of(soft.kit.drums[d].inputs.begin(), soft.kit.drums[d].inputs.end(),
                                 [&](int i) { return moment.arrivals[static_cast<std::size_t>(i)] >= 0; })
                         ? 1
                         : 0;
    EXPECT_EQ(soft.looks.candidates.size(), heard);
    // Twelve decibels are 24 steps of a level byte, so nothing is rounded otherwise; noise floors are lower
    // than what counts.
    const auto loud = lookAt(take, 1);
    ASSERT_EQ(loud.looks.candidates.size(), soft.looks.candidates.size());
    double off = 0;
    for (std::size_t k = 0; k < loud.looks.rows.size(); ++k)
        off += std::abs(static_cast<double>(loud.looks.rows[k] - soft.looks.rows[k]));
    EXPECT_LT(off / static_cast<double>(loud.looks.rows.size()), 0.02);
}

TEST(OwnEar, GivesAndTakesAsItHears) {
    const auto take = test::makeRandomTake(shortTake());
    const auto looked = lookAt(take, 1);
    const auto trails = test::trailsOf(take);
    // The number that says whether the patterns found the stroke: a second net that goes by it changes
    // nothing, one that turns it round gives every other rise and takes away all that were found.
    std::size_t found = kOwnLook;
    for (std::size_t k = 0; k < kOwnLook && found == kOwnLook; ++k) {
        bool isYesOrNo = true;
        int yes = 0;
        for (std::size_t i = 0; i < looked.looks.candidates.size(); ++i) {
            const float x = looked.looks.rows[i * kOwnLook + k];
            isYesOrNo = isYesOrNo && (x == 0 || x == 1);
            yes += x == 1 ? 1 : 0;
        }
        const std::size_t afterOrder = 7 * kTrailBands + 3 * kRegions + 3 + 2 * kRoleGroups;
        if (isYesOrNo && k >= afterOrder && yes > 20)
            found = k;
    }
    ASSERT_LT(found, kOwnLook);
    const auto first = netOf(kOwnLook, 0, 0, 0);
    const std::size_t both = kOwnLook + kOwnSecondLook;
    const OwnEar same{{first}, {netOf(both, found, 0.5F, 20)}};
    const OwnEar turned{{first}, {netOf(both, found, 0.5F, -20)}};
    const auto yes = same.shares(looked.looks, looked.kit, looked.moments);
    const auto no = turned.shares(looked.looks, looked.kit, looked.moments);
    ASSERT_EQ(yes.size(), looked.looks.candidates.size());
    for (std::size_t i = 0; i < yes.size(); ++i) {
        const float isFound = looked.looks.rows[i * kOwnLook + found];
        EXPECT_EQ(yes[i] > 0.5F, isFound == 1);
        EXPECT_EQ(no[i] > 0.5F, isFound == 0);
    }
    EXPECT_TRUE(OwnEar().shares(looked.looks, looked.kit, looked.moments).empty())
        << "without nets: as the patterns say";
}

/// One drum with two microphones, and what the nets say of one rise a moment, as a logarithm of the odds.
struct OneDrum {
    KitModel kit{{{"Snare", Role::SnareTop, {0, 1}}}, {0, 0}, {}, {0, 1}, {}};
    std::vector<Moment> moments;
    OwnLooks looks;

    void add(int input, float odds) {
        Moment m;
        m.timeS = 0.5 * static_cast<double>(moments.size() + 1);
        m.arrivals = {input == 0 ? 0 : -1, 0};
        looks.candidates.push_back({0, moments.size(), input});
        looks.rows.resize(looks.rows.size() + kOwnLook, 0.0F);
        looks.rows[looks.rows.size() - kOwnLook] = odds;
        moments.push_back(std::move(m));
    }
    void hear(std::vector<std::vector<Stroke>>& strokes) const {
        const OwnEar ear{{netOf(kOwnLook, 0, 0, 1)}, {netOf(kOwnLook + kOwnSecondLook, 0, 0, 1)}};
        const Patterns patterns(kit, {}, {{}, {}});
        hearOwn(ear, looks, patterns, moments, strokes);
    }
};

TEST(OwnEar, AStrokeIsGivenOnlyWhereTheDrumsFirstMicrophoneHeardIt) {
    OneDrum drum;
    drum.add(0, 5);
    drum.add(1, 5);
    drum.add(1, 5);
    drum.add(0, -5);
    std::vector<std::vector<Stroke>> strokes(4);
    strokes[2] = {{0, 0.1F, 9}};
    strokes[3] = {{0, 0.1F, 9}};
    drum.hear(strokes);
    EXPECT_EQ(strokes[0].size(), 1U);
    EXPECT_EQ(strokes[1].size(), 0U) << "the second microphone alone gives none";
    EXPECT_EQ(strokes[2].size(), 1U) << "but what the patterns found stays";
    EXPECT_EQ(strokes[3].size(), 0U) << "and what is surely none goes";
}

TEST(OwnEar, WhatIsJustBelievedIsHalfSure) {
    OneDrum drum;
    drum.add(0, std::log(0.3F / 0.7F) + 0.001F);
    drum.add(0, std::log(0.3F / 0.7F) - 0.001F);
    drum.add(0, std::log(0.9F / 0.1F));
    std::vector<std::vector<Stroke>> strokes(3);
    drum.hear(strokes);
    ASSERT_EQ(strokes[0].size(), 1U);
    EXPECT_TRUE(strokes[1].empty());
    ASSERT_EQ(strokes[2].size(), 1U);
    const auto confidence = [](const Stroke& s) {
        return 1 - std::exp(-s.evidence / 14);
    }; // as kit_hits reports it
    EXPECT_NEAR(confidence(strokes[0][0]), 0.5, 0.001);
    EXPECT_NEAR(confidence(strokes[2][0]), 0.9 * 0.7 / (0.9 * 0.7 + 0.1 * 0.3), 0.001);
}

TEST(OwnEar, TheOneThatShipsIsWhole) {
    ASSERT_FALSE(shippedOwnEar().first.empty());
    ASSERT_EQ(shippedOwnEar().first.size(), shippedOwnEar().second.size());
    EXPECT_EQ(shippedOwnEar().second.front().inputs(), kOwnLook + kOwnSecondLook);
}

} // namespace
} // namespace cask::measure
