// What quick moves and spreads do, against what formulas say.
#include "core/kit_measures/quick_effects.h"
#include "core/kit_measures/spread.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

using session::QuickMove;

constexpr std::size_t kFrames = 4 * 48000;

TEST(Spread, LosesWhatTheSidesHaveOfTheWhole) {
    // Two unrelated noises: middle and side are as strong.
    const auto a = test::noise(0.3, kFrames, 1);
    const auto b = test::noise(0.3, kFrames, 2);
    const auto kit = test::memoryKit({{a, b}, {a, a}, {a}});
    const auto losses =
        measureSpread(kit.session, kit.elements[0], nullptr, kit.lookup, {0, 20, 50, 100, 200}, 0, kFrames);
    ASSERT_TRUE(losses) << losses.error().message;
    for (const auto& loss : *losses) {
        const double width = loss.widthPercent / 100;
        EXPECT_NEAR(loss.lossLu, 10 * std::log10(1 + width * width), 0.1) << loss.widthPercent;
    }
    const auto same = measureSpread(kit.session, kit.elements[1], nullptr, kit.lookup, {100}, 0, kFrames);
    EXPECT_NEAR(same->front().lossLu, 0, 1e-3);
    EXPECT_FALSE(measureSpread(kit.session, kit.elements[2], nullptr, kit.lookup, {100}, 0, kFrames));
}

TEST(Spread, NamesTheDrumThatLosesMost) {
    // The kick is the same on both sides, the tom out of phase but for a tenth.
    const auto kick = test::bursts(60, 1, 0.25, 0.05, 4);
    const auto tom = test::bursts(140, 1, 0.75, 0.05, 4);
    std::vector<float> left(kFrames);
    std::vector<float> right(kFrames);
    for (std::size_t n = 0; n < kFrames; ++n) {
        left[n] = kick[n] + 0.55F * tom[n];
        right[n] = kick[n] - 0.45F * tom[n];
    }
    const auto kit = test::memoryKit({{left, right}});
    advise::HitAnalysis hits;
    hits.elements = kit.elements;
    hits.hits.inputs = 1;
    hits.hits.kit.drums = {{"Kick", Role::KickIn, {}}, {"Tom", Role::RackTom, {}}};
    for (int i = 0; i < 4; ++i) {
        hits.hits.strokes.push_back({0, i + 0.25, -6, 1, measure::HitClass::Normal, 1, true});
        hits.hits.strokes.push_back({1, i + 0.75, -6, 1, measure::HitClass::Normal, 1, true});
    }
    const auto losses = measureSpread(kit.session, kit.elements[0], &hits, kit.lookup, {50, 100}, 0, kFrames);
    ASSERT_TRUE(losses);
    ASSERT_EQ((*losses)[1].drums.size(), 2U);
    EXPECT_EQ((*losses)[1].drums[0].drum, "Tom");
    // Middle 0.05, side 0.5 of the tom.
    EXPECT_NEAR((*losses)[1].drums[0].lossDb, 10 * std::log10(1 + 100), 0.1);
    EXPECT_NEAR((*losses)[0].drums[0].lossDb, 10 * std::log10(1 + 25), 0.1);
    EXPECT_NEAR((*losses)[1].drums[1].lossDb, 0, 0.05);
}

TEST(QuickEffects, AreWhatTheMovesDo) {
    const auto low = test::sine(50, 0.2, 4);
    const auto high = test::sine(1000, 0.2, 4);
    std::vector<float> both(kFrames);
    for (std::size_t n = 0; n < kFrames; ++n)
        both[n] = low[n] + high[n];
    auto kit = test::memoryKit({{both}, {test::noise(0.3, kFrames, 1), test::noise(0.3, kFrames, 2)}});
    auto s = kit.session;
    const auto mono = kit.elements[0];
    s = session::withQuickMove(s, mono, QuickMove::HighPass, 500);
    s = session::withQuickMove(s, mono, QuickMove::Pan, 0.5);
    s = session::withQuickMove(s, mono, QuickMove::Level, -6);
    const auto effects = measureQuick(s, mono, nullptr, kit.lookup, 0, kFrames);
    ASSERT_TRUE(effects);
    // Half of the energy was low and is gone; a second order at 500 Hz takes 0.26 dB at 1 kHz.
    EXPECT_NEAR(effects->db.at(QuickMove::HighPass), -3.01 - 0.26, 0.1);
    EXPECT_LT(effects->lowsDb.at(QuickMove::HighPass), -15);
    const double angle = 1.5 * kPi / 4;
    EXPECT_NEAR(effects->db.at(QuickMove::Pan), 20 * std::log10(std::cos(angle) / std::sin(angle)), 0.01);
    // A sine of 0.2 at 1 kHz on one channel has -3.01 + 20 log10(0.2) LUFS by the standard.
    EXPECT_NEAR(effects->db.at(QuickMove::Level), 20 * std::log10(0.2) - 3.01 - 0.26 - 6, 0.15);
    EXPECT_FALSE(effects->db.contains(QuickMove::Attack)) << "nothing is done there";
    EXPECT_FALSE(effects->db.contains(QuickMove::Width));
    EXPECT_EQ(quickWords(QuickMove::Attack, *effects), "");
    EXPECT_EQ(quickWords(QuickMove::Pan, *effects), "right 7.7 dB");
    QuickEffects nearlyNothing;
    nearlyNothing.db = {{QuickMove::HighPass, -0.04}, {QuickMove::Attack, 2.66}, {QuickMove::Sustain, 0.03}};
    nearlyNothing.lowsDb = {{QuickMove::HighPass, -3.0}};
    EXPECT_EQ(quickWords(QuickMove::HighPass, nearlyNothing), "0.0, lows -3.0 dB") << "no sign on zero";
    EXPECT_EQ(quickWords(QuickMove::Attack, nearlyNothing), "first 10 ms +2.7 dB");
    EXPECT_EQ(quickWords(QuickMove::Sustain, nearlyNothing), "tails unchanged");
    s = session::withQuickMove(s, kit.elements[1], QuickMove::Width, 50);
    const auto wide = measureQuick(s, kit.elements[1], nullptr, kit.lookup, 0, kFrames);
    EXPECT_NEAR(wide->db.at(QuickMove::Width), 10 * std::log10(1.25), 0.1);
    EXPECT_FALSE(measureQuick(s, 9999, nullptr, kit.lookup, 0, kFrames));
}

TEST(QuickEffects, AttackAndSustainAreTakenAtOwnHits) {
    auto kit = test::memoryKit({{test::bursts(200, 1, 0.25, 0.05, 4)}});
    advise::HitAnalysis hits;
    hits.elements = kit.elements;
    hits.hits.inputs = 1;
    for (int i = 0; i < 3; ++i) {
        measure::HeardHit heard;
        heard.isOwn = true;
        heard.timeS = i + 0.25;
        hits.hits.heard.push_back(heard);
    }
    auto s = session::withQuickMove(kit.session, kit.elements[0], QuickMove::Attack, 60);
    const auto up = measureQuick(s, kit.elements[0], &hits, kit.lookup, 0, kFrames);
    ASSERT_TRUE(up && up->db.contains(QuickMove::Attack));
    EXPECT_GT(up->db.at(QuickMove::Attack), 0.5);
    s = session::withQuickMove(kit.session, kit.elements[0], QuickMove::Sustain, -60);
    const auto dry = measureQuick(s, kit.elements[0], &hits, kit.lookup, 0, kFrames);
    ASSERT_TRUE(dry && dry->db.contains(QuickMove::Sustain));
    EXPECT_LT(dry->db.at(QuickMove::Sustain), -2);
}

} // namespace
} // namespace cask::kit
