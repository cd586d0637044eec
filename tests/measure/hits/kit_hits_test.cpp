// The hit analysis against the truth of made-up takes that it was not made for.
#include "core/base/worker_pool.h"
#include "core/demo/demo_kit.h"
#include "core/demo/random.h"
#include "core/measure/hits/kit_hits.h"
#include "tests/support/hit_score.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::measure {
namespace {

using test::Score;

/// Six takes a group, so that groups can run side by side.
constexpr int kGroups = 8;
constexpr int kEach = 6;

class GeneratedTakes : public testing::TestWithParam<int> {};

TEST_P(GeneratedTakes, HitsGhostsTimesAndOwnersAreNearTheTruth) {
    const auto recipes = test::takeRecipes();
    ASSERT_GE(recipes.size(), static_cast<std::size_t>(kGroups * kEach));
    Score all;
    for (int i = 0; i < kEach; ++i) {
        const auto take = test::makeRandomTake(recipes[static_cast<std::size_t>(GetParam() + i * kGroups)]);
        const auto trails = test::trailsOf(take);
        const auto hits = findKitHits(trails.inputs);
        for (const auto& s : hits.strokes) {
            // What was just believed is near 0.5.
            EXPECT_GT(s.confidence, 0.4) << s.timeS;
            EXPECT_LE(s.confidence, 1) << s.timeS;
        }
        const Score score = test::scoreTake(take, hits);
        EXPECT_GT(score.f(), 0.88) << take.recipe.groove << ", " << take.difficulty << ": " << score.text();
        all.add(score);
    }
    RecordProperty("score", all.text());
    // The goals hold over all takes; a group of six may lie a little under them.
    EXPECT_GE(all.f(), 0.955) << all.text();
    EXPECT_GE(all.ghostRecall(), 0.90) << all.text();
    EXPECT_LE(all.medianErrorMs(), 0.5) << all.text();
    EXPECT_GE(all.ownerShare(), 0.95) << all.text();
}

INSTANTIATE_TEST_SUITE_P(All, GeneratedTakes, testing::Range(0, kGroups));

TEST(KitHits, TheDemoKitIsUnderstood) {
    const auto take = test::demoAsTake(demo::kDemoSeed);
    const auto trails = test::trailsOf(take);
    const auto hits = findKitHits(trails.inputs);
    const Score score = test::scoreTake(take, hits);
    EXPECT_GE(score.f(), 0.97) << score.text();
    EXPECT_GE(score.ghostRecall(), 0.95) << score.text();
    EXPECT_GE(score.ownerShare(), 0.98) << score.text();
    // Planted: the outer kick microphone is 3.5 ms late, and 0.5 m further through the air.
    EXPECT_NEAR(1000 * hits.lagS[1], 4.4, 1.0);
}

TEST(KitHits, HatsBesideEveryKickAreToldFromARide) {
    // Fast, the kick within 15 ms of nearly every hat, no hat microphone: what is left to hear is that
    // nothing rings on after the kick's click.
    constexpr std::size_t kFast = 31;
    const auto take = test::makeRandomTake(test::takeRecipes()[kFast]);
    ASSERT_EQ(take.recipe.groove, "fast");
    const auto trails = test::trailsOf(take);
    const auto score = test::scoreTake(take, findKitHits(trails.inputs));
    EXPECT_GE(score.ownerShare(), 0.955) << score.text();
}

TEST(KitHits, AFileThatIsLateIsFoundAndPutRight) {
    test::TakeRecipe recipe;
    recipe.seed = 4242;
    recipe.groove = "sixteenths";
    recipe.lateFileMs = 18;
    const auto take = test::makeRandomTake(recipe);
    const auto trails = test::trailsOf(take);
    const auto hits = findKitHits(trails.inputs);
    for (std::size_t m = 0; m < take.microphones.size(); ++m) {
        if (take.microphones[m].name == "Hat") {
            EXPECT_NEAR(1000 * hits.lagS[m], 18, 2.5);
        } else if (take.microphones[m].role != Role::KickOut &&
                   take.microphones[m].role != Role::SnareBottom) {
            EXPECT_EQ(hits.lagS[m], 0) << take.microphones[m].name;
        }
    }
    // As good as if it were not late.
    recipe.lateFileMs = 0;
    const auto onTime = test::makeRandomTake(recipe);
    const auto onTimeTrails = test::trailsOf(onTime);
    EXPECT_GE(test::scoreTake(take, hits).f(),
              test::scoreTake(onTime, findKitHits(onTimeTrails.inputs)).f() - 0.01);
}

TEST(KitHits, TheSameHitsWhereverTheSessionPutsTheFiles) {
    test::TakeRecipe recipe;
    recipe.seed = 77;
    recipe.seconds = 10;
    const auto take = test::makeRandomTake(recipe);
    auto trails = test::trailsOf(take);
    const auto here = findKitHits(trails.inputs);
    for (auto& input : trails.inputs)
        input.offsetS = 3;
    const auto there = findKitHits(trails.inputs);
    ASSERT_EQ(here.strokes.size(), there.strokes.size());
    for (std::size_t i = 0; i < here.strokes.size(); ++i) {
        EXPECT_NEAR(there.strokes[i].timeS, here.strokes[i].timeS + 3, 1e-9);
        EXPECT_EQ(there.strokes[i].drum, here.strokes[i].drum);
    }
}

TEST(KitHits, TheSameHitsHoweverTheWorkIsSharedOut) {
    test::TakeRecipe recipe;
    recipe.seed = 77;
    recipe.groove = "sixteenths";
    recipe.seconds = 40;
    const auto take = test::makeRandomTake(recipe);
    const auto trails = test::trailsOf(take);
    const auto alone = findKitHits(trails.inputs);
    ASSERT_GT(alone.strokes.size(), 200U) << "enough for several parts";
    WorkerPool pool(3);
    const auto shared = findKitHits(trails.inputs, {}, parallelOn(pool));
    ASSERT_EQ(shared.strokes.size(), alone.strokes.size());
    for (std::size_t i = 0; i < alone.strokes.size(); ++i) {
        EXPECT_EQ(shared.strokes[i].drum, alone.strokes[i].drum);
        EXPECT_EQ(shared.strokes[i].timeS, alone.strokes[i].timeS);
        EXPECT_EQ(shared.strokes[i].confidence, alone.strokes[i].confidence);
    }
    EXPECT_EQ(shared.levelsDb, alone.levelsDb);
}

/// Two drums without a microphone in overheads alone, beside a miked snare: one that falls by 60 dB in 0.3 s
/// and one that rings for 1.5 s, both with the same colour; and a low drum.
TEST(KitHits, WhatFallsFastIsAHatWhatRingsIsNotWhatHasNoHighsIsATom) {
    constexpr double kSeconds = 40;
    const auto frames = static_cast<std::size_t>(kRate * kSeconds);
    std::vector<float> over(frames);
    std::vector<float> snare(frames);
    std::vector<float> low(frames);
    demo::Random random(9);
    // A one-zero high-pass of noise is bright; a falling sine at 120 Hz is a tom.
    const auto metal = [&](double atS, double t60S, double level) {
        double last = 0;
        for (std::size_t n = 0; n < static_cast<std::size_t>(1.2 * kRate); ++n) {
            const auto i = static_cast<std::size_t>(atS * kRate) + n;
            const double x = random.normal();
            const double bright = x - last;
            last = x;
            if (i < frames)
                over[i] += static_cast<float>(level * bright *
                                              std::pow(10.0, -3 * static_cast<double>(n) / kRate / t60S));
        }
    };
    std::vector<double> hats;
    std::vector<double> rides;
    std::vector<double> toms;
    for (double at = 0.5; at < kSeconds - 2; at += 0.5) {
        const bool isFirstHalf = at < kSeconds / 2;
        (isFirstHalf ? hats : rides).push_back(at);
        metal(at, isFirstHalf ? 0.3 : 1.5, isFirstHalf ? 0.03 : 0.02);
        if (static_cast<int>(std::lround(at * 2)) % 8 == 5) {
            toms.push_back(at + 0.25);
            for (std::size_t n = 0; n < static_cast<std::size_t>(0.5 * kRate); ++n) {
                const double t = static_cast<double>(n) / kRate;
                low[static_cast<std::size_t>((at + 0.25) * kRate) + n] +=
                    static_cast<float>(0.2 * std::exp(-t / 0.12) * std::sin(2 * kPi * 120 * t));
            }
        }
        if (static_cast<int>(std::lround(at * 2)) % 4 == 3)
            for (std::size_t n = 0; n < static_cast<std::size_t>(0.3 * kRate); ++n) {
                const double t = static_cast<double>(n) / kRate;
                const auto i = static_cast<std::size_t>((at + 0.002) * kRate) + n;
                snare[i] += static_cast<float>(0.5 * std::exp(-t / 0.05) *
                                               (std::sin(2 * kPi * 190 * t) + 0.5 * random.normal()));
            }
    }
    const auto hiss = [&](std::vector<float>& x, const std::vector<float>& spill, double amount,
                          std::size_t late) {
        for (std::size_t n = 0; n < frames; ++n)
            x[n] += static_cast<float>(amount) * (n >= late ? spill[n - late] : 0) +
                    static_cast<float>(1e-4 * random.normal());
    };
    for (std::size_t n = 0; n < frames; ++n)
        over[n] += low[n];
    std::vector<float> close = snare;
    hiss(close, over, 0.1, 150);
    hiss(over, snare, 0.15, 170);
    std::vector<BandTrail> trails;
    for (const auto* x : {&close, &over}) {
        BandTrailMeter meter(kRate);
        meter.add(*x);
        trails.push_back(meter.take());
    }
    const std::vector<HitInput> inputs = {{"Snare", Role::SnareTop, {&trails[0]}, 0},
                                          {"Over", Role::Overhead, {&trails[1]}, 0}};
    const auto hits = findKitHits(inputs);
    const auto found = [&](const char* name, const std::vector<double>& times) {
        int count = 0;
        for (const double t : times)
            count += std::any_of(hits.strokes.begin(), hits.strokes.end(), [&](const DrumHit& h) {
                return std::abs(h.timeS - t) < 0.01 &&
                       hits.kit.drums[static_cast<std::size_t>(h.drum)].name == name;
            });
        return static_cast<double>(count) / static_cast<double>(times.size());
    };
    EXPECT_GE(found("hat", hats), 0.75);
    EXPECT_LE(found("hat", rides), 0.1);
    EXPECT_GE(found("tom", toms), 0.8);
}

TEST(KitHits, NothingSilenceAndStoppingAreNoTrouble) {
    EXPECT_TRUE(findKitHits({}).strokes.empty());
    const BandTrail silent = [] {
        BandTrailMeter meter(48000);
        meter.add(std::vector<float>(96000, 0));
        return meter.take();
    }();
    const BandTrail empty = [] {
        BandTrailMeter meter(48000);
        return meter.take();
    }();
    const std::vector<HitInput> inputs = {{"Kick", Role::KickIn, {&silent}, 0},
                                          {"Overheads", Role::Overhead, {&silent, &silent}, 0},
                                          {"Snare", Role::SnareTop, {&empty}, 0}};
    EXPECT_TRUE(findKitHits(inputs).strokes.empty());
    CancelToken cancel;
    cancel.cancel();
    (void)findKitHits(inputs, cancel);
}

TEST(KitModel, JoinsMicrophonesOfOneDrumAndKnowsWhatIsMissing) {
    const std::vector<HitInput> inputs = {{"Out", Role::KickOut, {}, 0}, {"In", Role::KickIn, {}, 0},
                                          {"T1", Role::RackTom, {}, 0},  {"T2", Role::RackTom, {}, 0},
                                          {"OH", Role::Overhead, {}, 0}, {"Room", Role::Room, {}, 0},
                                          {"Bass", Role::Bass, {}, 0}};
    const auto kit = makeKitModel(inputs);
    EXPECT_EQ(kit.drumOf[0], kit.drumOf[1]);
    EXPECT_EQ(kit.drums[static_cast<std::size_t>(kit.drumOf[0])].name, "In")
        << "the inner one speaks for the kick";
    EXPECT_NE(kit.drumOf[2], kit.drumOf[3]);
    EXPECT_EQ(kit.drumOf[4], -1);
    EXPECT_EQ(kit.ambient, std::vector<int>{4}) << "rooms only count where there are no overheads";
    std::vector<std::string> open;
    for (const auto& drum : kit.drums)
        if (!drum.isMiked())
            open.push_back(drum.name);
    EXPECT_EQ(open, (std::vector<std::string>{"snare", "hat", "ride", "crash"}));
}

} // namespace
} // namespace cask::measure
