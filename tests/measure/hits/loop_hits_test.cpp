// Drums told apart in one file that holds them all.
#include "core/measure/hits/kit_hits.h"
#include "core/measure/hits/loop_hits.h"
#include "tests/support/random_mix.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <map>

namespace cask::measure {
namespace {

using Sound = std::vector<float>;

BandTrail loopTrail(const Sound& x) {
    BandTrailMeter meter(kRate);
    meter.add(x);
    return meter.take();
}

/// Rows of the first look at two channels.
std::vector<float> loopLook(const Sound& left, const Sound& right) {
    const std::vector<BandTrail> trails = {loopTrail(left), loopTrail(right)};
    const std::vector<const BandTrail*> channels = {&trails[0], &trails[1]};
    return firstLook(channels, findArrivals(channels));
}

Sound times(const Sound& x, float gain) {
    Sound y = x;
    for (float& v : y)
        v *= gain;
    return y;
}

TEST(StrokeNet, IsItsFormula) {
    StrokeNet net;
    net.mean = {1, 0};
    net.scale = {2, 1};
    net.layers.push_back({2, 2, {1, -1, 0.5F, 2}, {0, 0.25F}});
    StrokeNet::Layer last{2, kLoopDrums, std::vector<float>(2 * kLoopDrums, 0.0F),
                          std::vector<float>(kLoopDrums, 0.0F)};
    last.weights[0] = 1; // first unit to the kick
    last.weights[1] = -1;
    last.weights[kLoopDrums + 2] = 3; // second unit to the hat
    last.bias[3] = 0.5F;
    net.layers.push_back(last);
    // (2 - 1) * 2 = 2 and 1: units 2 + 0.5 = 2.5, and max(0, -2 + 2 + 0.25) = 0.25.
    std::array<float, kLoopDrums> shares{};
    net.listen(std::array{2.0F, 1.0F}, shares);
    const auto logistic = [](double x) { return 1 / (1 + std::exp(-x)); };
    EXPECT_NEAR(shares[0], logistic(2.5), 1e-6);
    EXPECT_NEAR(shares[1], logistic(-2.5), 1e-6);
    EXPECT_NEAR(shares[2], logistic(0.75), 1e-6);
    EXPECT_NEAR(shares[3], logistic(0.5), 1e-6);
    EXPECT_NEAR(shares[4], 0.5, 1e-6);
    // (0 - 1) * 2 = -2 and 0: units 0 (it would be -2) and 2.25.
    net.listen(std::array{0.0F, 0.0F}, shares);
    EXPECT_NEAR(shares[0], 0.5, 1e-6);
    EXPECT_NEAR(shares[2], logistic(6.75), 1e-6);
    EXPECT_EQ(averageShares(std::vector{net, net}, std::array{0.0F, 0.0F, 2.0F, 1.0F}).size(),
              2 * kLoopDrums);
}

TEST(LoopEar, TheOneThatShipsIsWholeAndComesBackFromItsText) {
    const auto& ear = shippedLoopEar();
    ASSERT_FALSE(ear.first.empty());
    ASSERT_EQ(ear.first.size(), ear.second.size());
    const auto text = writeLoopEar(ear);
    const auto again = parseLoopEar(text);
    ASSERT_TRUE(again.ok()) << again.error().message;
    EXPECT_EQ(again->second.back().layers.back().weights, ear.second.back().layers.back().weights);
    for (const auto& damaged : {std::string("loop-ear 2\n1"), std::string("loop-ear 1\n0"),
                                text.substr(0, text.size() / 2), std::string("loop-ear 1\n999999999"),
                                std::string("loop-ear 1\n1\n3 99999999 64 32 6\n"), std::string()})
        EXPECT_FALSE(parseLoopEar(damaged).ok()) << damaged.substr(0, 40);
    auto nan = text;
    nan.replace(nan.rfind(' ') + 1, 3, "nan");
    EXPECT_FALSE(parseLoopEar(nan).ok());
}

TEST(LoopLooks, DoNotChangeWithTheLevelAndKnowTheSides) {
    const auto low = test::bursts(70, 0.5, 0.3, 0.1, 6);
    const auto high = test::bursts(6000, 0.37, 0.21, 0.03, 6);
    Sound left(low.size());
    Sound right(low.size());
    for (std::size_t n = 0; n < low.size(); ++n) {
        left[n] = 0.2F * low[n] + 0.1F * high[n];
        right[n] = 0.2F * low[n] + 0.02F * high[n];
    }
    const auto look = loopLook(left, right);
    const std::size_t count = look.size() / kFirstLook;
    ASSERT_GT(count, 20U);
    // A byte of a trail is half a decibel: 0.025 units of 20 dB, twice where two are held against each other.
    const auto louder = loopLook(times(left, 4), times(right, 4));
    ASSERT_EQ(louder.size(), look.size());
    for (std::size_t i = 0; i < count; ++i)
        for (std::size_t k = 3 * kTrailBands; k < 6 * kTrailBands; ++k)
            ASSERT_NEAR(look[i * kFirstLook + k], louder[i * kFirstLook + k], 0.051) << i << " " << k;
    const auto other = loopLook(right, left);
    const std::size_t side = (kLookWindows + 2) * kTrailBands;
    double most = 0;
    for (std::size_t i = 0; i < count; ++i)
        for (std::size_t b = 0; b < kTrailBands; ++b) {
            ASSERT_NEAR(look[i * kFirstLook + side + b], -other[i * kFirstLook + side + b], 0.1);
            most = std::max(most, std::abs(static_cast<double>(look[i * kFirstLook + side + b])));
        }
    EXPECT_GT(most, 0.9) << "14 dB more on the left than most are at least sometimes seen";
}

struct Found {
    int right = 0;
    int extra = 0;
    int missed = 0;
    [[nodiscard]] double f() const { return 2.0 * right / std::max(1, 2 * right + extra + missed); }
};

/// Kick, snare and hat strokes within 20 ms; ghosts may be found or not.
void count(const test::RandomTake& take, const KitHits& hits, const std::string& drum, Found& found) {
    std::vector<double> times;
    for (const auto& stroke : hits.strokes)
        if (hits.kit.drums[static_cast<std::size_t>(stroke.drum)].name == drum)
            times.push_back(stroke.timeS);
    std::vector<bool> isTaken(times.size(), false);
    for (const auto& hit : take.hits) {
        if (take.drums[static_cast<std::size_t>(hit.drum)] != drum)
            continue;
        std::size_t best = times.size();
        double leastS = 0.02;
        for (std::size_t i = 0; i < times.size(); ++i)
            if (!isTaken[i] && std::abs(times[i] - hit.onsetS) < leastS) {
                leastS = std::abs(times[i] - hit.onsetS);
                best = i;
            }
        if (best < times.size())
            isTaken[best] = true;
        if (hit.kind == "ghost" || hit.kind == "drag")
            continue;
        (best < times.size() ? found.right : found.missed) += 1;
    }
    found.extra += static_cast<int>(std::count(isTaken.begin(), isTaken.end(), false));
}

TEST(LoopHits, DrumsOfTakesThatWereNoLessonsAreToldApart) {
    std::map<std::string, Found> found;
    auto recipes = test::takeRecipes(901);
    for (const std::size_t i : {0U, 7U, 13U, 22U, 30U, 41U}) {
        recipes[i].lateFileMs = 0;
        const auto take = test::makeRandomTake(recipes[i]);
        const auto mix = test::mixOf(take, i);
        BandTrailMeter left(take.recipe.sampleRateHz);
        BandTrailMeter right(take.recipe.sampleRateHz);
        left.add(mix[0]);
        right.add(mix[1]);
        const std::vector<BandTrail> trails = {left.take(), right.take()};
        const std::vector<HitInput> inputs = {{"Break", Role::Loop, {&trails[0], &trails[1]}, 0}};
        const auto hits = findKitHits(inputs);
        for (const char* drum : {"kick", "snare", "hat"})
            count(take, hits, drum, found[drum]);
    }
    EXPECT_GE(found["kick"].f(), 0.9);
    EXPECT_GE(found["snare"].f(), 0.8);
    EXPECT_GE(found["hat"].f(), 0.7);
}

TEST(LoopHits, ALoopBesideMicrophonesIsAKitOfItsOwn) {
    const auto low = test::bursts(60, 0.5, 0.3, 0.08, 8);
    const auto loop = test::bursts(60, 0.7, 0.4, 0.08, 8);
    const auto kick = loopTrail(low);
    const auto other = loopTrail(loop);
    const std::vector<HitInput> inputs = {{"Kick", Role::KickIn, {&kick}, 0},
                                          {"Break", Role::Loop, {&other}, 0.05}};
    const auto hits = findKitHits(inputs);
    EXPECT_TRUE(hits.kit.ambient.empty()) << "a loop hears none of the kit";
    EXPECT_EQ(hits.kit.loops, std::vector<int>{1});
    int kicks = 0;
    int loops = 0;
    for (const auto& stroke : hits.strokes) {
        const auto& name = hits.kit.drums[static_cast<std::size_t>(stroke.drum)].name;
        kicks += name == "Kick" ? 1 : 0;
        loops += name.rfind("Break ", 0) == 0 ? 1 : 0;
    }
    EXPECT_EQ(kicks, 16);
    EXPECT_GE(loops, 10);
    for (const auto& heard : hits.heard) {
        if (heard.input == 1) {
            EXPECT_NEAR(std::remainder(heard.timeS - 0.45, 0.7), 0, 0.005) << "in session time";
        }
    }
}

TEST(LoopHits, AFileThatNothingIsKnownOfIsALoopOnlyWhereNoDrumHasAMicrophone) {
    const std::vector<HitInput> alone = {{"Drums", Role::Unknown, {}, 0}};
    EXPECT_EQ(makeKitModel(alone).loops, std::vector<int>{0});
    const std::vector<HitInput> beside = {{"Kick", Role::KickIn, {}, 0}, {"Drums", Role::Unknown, {}, 0}};
    EXPECT_TRUE(makeKitModel(beside).loops.empty());
    const std::vector<HitInput> air = {
        {"A", Role::Unknown, {}, 0}, {"OH", Role::Overhead, {}, 0}, {"Room", Role::Room, {}, 0}};
    EXPECT_EQ(makeKitModel(air).loops, std::vector<int>{1}) << "overheads and rooms hear one kit";
    const std::vector<HitInput> two = {{"A", Role::Loop, {}, 0}, {"B", Role::Loop, {}, 0}};
    EXPECT_EQ(makeKitModel(two).loops, (std::vector<int>{0, 1}));
    const std::vector<HitInput> none = {{"Bass", Role::Bass, {}, 0}};
    EXPECT_TRUE(makeKitModel(none).loops.empty());
}

TEST(LoopHits, SilenceHasNone) {
    const auto silent = loopTrail(Sound(48000, 0.0F));
    const std::vector<HitInput> inputs = {{"Break", Role::Loop, {&silent}, 0}};
    EXPECT_TRUE(findKitHits(inputs).strokes.empty());
    EXPECT_TRUE(findLoopHits({}, {}, shippedLoopEar()).empty());
}

} // namespace
} // namespace cask::measure
