#include "core/measure/hits/hit_classes.h"
#include "core/measure/hits/spill_table.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::measure {
namespace {

TEST(HitClasses, GroupsPartWhereTheyStandApart) {
    std::vector<double> levels;
    for (int i = 0; i < 30; ++i) {
        levels.push_back(-4 + 0.1 * (i % 7));  // accents
        levels.push_back(-24 + 0.2 * (i % 9)); // ghosts
    }
    const auto limits = limitsOf(levels);
    EXPECT_GT(limits.ghostDb, -22);
    EXPECT_LT(limits.ghostDb, -4);
    EXPECT_EQ(limits.accentDb, limits.ghostDb) << "two groups: what is no ghost is an accent";
}

TEST(HitClasses, ThreeGroupsAreThree) {
    std::vector<double> levels;
    for (int i = 0; i < 40; ++i) {
        levels.push_back(-3 + 0.05 * (i % 5));
        levels.push_back(-9 + 0.05 * (i % 5));
        levels.push_back(-26 + 0.1 * (i % 8));
    }
    const auto limits = limitsOf(levels);
    EXPECT_NEAR(limits.accentDb, -6, 3);
    EXPECT_NEAR(limits.ghostDb, -17, 8);
}

TEST(HitClasses, ARollBetweenGhostsAndAccentsHidesNeither) {
    std::vector<double> levels;
    for (int i = 0; i < 18; ++i) {
        levels.push_back(-4.5 - 0.1 * (i % 10));
        levels.push_back(-11.5 - 0.25 * i); // to -15.75
        levels.push_back(-18.5 - 0.25 * i);
    }
    const auto limits = limitsOf(levels);
    EXPECT_GT(limits.ghostDb, -18.5);
    EXPECT_LT(limits.ghostDb, -15.7);
    EXPECT_GT(limits.accentDb, -11.5);
    EXPECT_LT(limits.accentDb, -5.3);
}

TEST(HitClasses, OneEvenSpreadHasNoGroups) {
    std::vector<double> levels;
    for (int i = 0; i < 60; ++i)
        levels.push_back(-20 + 0.25 * i);
    const auto limits = limitsOf(levels);
    EXPECT_LT(limits.ghostDb, -100);
    EXPECT_GT(limits.accentDb, 100);
    EXPECT_LT(limitsOf({}).ghostDb, -100);
    EXPECT_LT(limitsOf({-5, -30}).ghostDb, -100) << "two hits are no distribution";
}

KitHits strokesAt(const std::vector<std::pair<double, double>>& timesAndLevels) {
    KitHits hits;
    hits.kit.drums.push_back({"Snare", Role::SnareTop, {0}});
    hits.kit.drumOf = {0};
    for (const auto& [timeS, levelDb] : timesAndLevels)
        hits.strokes.push_back({0, timeS, levelDb, 0, HitClass::Normal, 1, false});
    return hits;
}

TEST(HitClasses, AFlamsGraceNoteAndARollAreWhatTheirTimesSay) {
    std::vector<std::pair<double, double>> played = {{0.975, -14}, {1.0, -4}, {2.0, -4}};
    for (int i = 0; i < 6; ++i)
        played.emplace_back(3 + 0.07 * i, -8);
    for (int i = 0; i < 3; ++i)
        played.emplace_back(5 + 0.07 * i, -8); // three are no roll yet
    auto hits = strokesAt(played);
    classify(hits);
    EXPECT_EQ(hits.strokes[0].hitClass, HitClass::Flam);
    EXPECT_NE(hits.strokes[1].hitClass, HitClass::Flam);
    for (std::size_t i = 3; i < 9; ++i)
        EXPECT_EQ(hits.strokes[i].hitClass, HitClass::Roll);
    EXPECT_NE(hits.strokes[10].hitClass, HitClass::Roll);
}

TEST(HitClasses, FastFeetDoNotRoll) {
    std::vector<std::pair<double, double>> played;
    for (int i = 0; i < 8; ++i)
        played.emplace_back(0.07 * i, -8);
    auto hits = strokesAt(played);
    hits.kit.drums[0].role = Role::KickIn;
    classify(hits);
    for (const auto& stroke : hits.strokes)
        EXPECT_NE(stroke.hitClass, HitClass::Roll);
}

TEST(HitClasses, SixteenthsOfAFastSongAreNotesAndSixesAreARoll) {
    // Sixteenths at 180: 83 ms; sixteenth triplets there: 56 ms. Both are under 90.
    Tempo tempo;
    tempo.isKnown = true;
    tempo.bpm = 180;
    for (int beat = 0; beat < 16; ++beat)
        tempo.beatsS.push_back(beat / 3.0);
    std::vector<std::pair<double, double>> played;
    for (int i = 0; i < 8; ++i)
        played.emplace_back(1.0 / 12 * i, i == 0 ? -4 : -26);
    for (int i = 0; i < 8; ++i)
        played.emplace_back(2 + 1.0 / 18 * i, -4);
    auto hits = strokesAt(played);
    classify(hits);
    for (const auto& stroke : hits.strokes)
        EXPECT_EQ(stroke.hitClass, HitClass::Roll) << stroke.timeS; // nobody knows the tempo yet
    tieRollsToTempo(hits, tempo);
    EXPECT_EQ(hits.strokes[0].hitClass, HitClass::Accent);
    for (std::size_t i = 1; i < 8; ++i)
        EXPECT_EQ(hits.strokes[i].hitClass, HitClass::Ghost) << i;
    for (std::size_t i = 8; i < 16; ++i)
        EXPECT_EQ(hits.strokes[i].hitClass, HitClass::Roll) << i;
}

TEST(HitClasses, VelocityGoesWithTheRootOfAmplitude) {
    std::vector<std::pair<double, double>> played;
    for (int i = 0; i < 40; ++i)
        played.emplace_back(i, -6);
    played.emplace_back(50, -26);
    auto hits = strokesAt(played);
    classify(hits);
    EXPECT_NEAR(hits.strokes[0].velocity, 1, 1e-9);
    EXPECT_NEAR(hits.strokes.back().velocity, std::sqrt(0.1), 1e-9);
}

TEST(HitClasses, EveryNameLeadsBackToItsClass) {
    for (int c = 0; c < kHitClasses; ++c)
        EXPECT_EQ(hitClassFromName(hitClassName(static_cast<HitClass>(c))), static_cast<HitClass>(c));
    EXPECT_FALSE(hitClassFromName("loud"));
}

/// Two microphones at two drums; each hears the other at a known level and a little later.
TEST(SpillTable, ReadsWhatWasPutIn) {
    const double rate = 48000;
    const auto kick = test::bursts(60, 1, 0.25, 0.12, 12, rate);
    const auto snare = test::bursts(900, 1, 0.75, 0.05, 12, rate);
    const auto mixed = [&](const std::vector<float>& own, const std::vector<float>& other, double db) {
        auto x = own;
        const auto gain = static_cast<float>(dbToLinear(db));
        for (std::size_t n = 96; n < x.size(); ++n)
            x[n] += gain * other[n - 96];
        const auto hiss = test::noise(0.0002, x.size(), 9);
        for (std::size_t n = 0; n < x.size(); ++n)
            x[n] += hiss[n];
        BandTrailMeter meter(rate);
        meter.add(x);
        return meter.take();
    };
    const BandTrail kickTrail = mixed(kick, snare, -20);
    const BandTrail snareTrail = mixed(snare, kick, -26);
    const std::vector<HitInput> inputs = {{"Kick", Role::KickIn, {&kickTrail}, 0},
                                          {"Snare", Role::SnareTop, {&snareTrail}, 0}};
    const auto hits = findKitHits(inputs);
    EXPECT_EQ(hits.strokes.size(), 24U);
    const auto table = makeSpillTable(hits, inputs);
    EXPECT_NEAR(table.cells[1][0].levelDb, -20, 1);
    EXPECT_NEAR(table.cells[0][1].levelDb, -26, 1);
    EXPECT_EQ(table.cells[0][1].count, 12);
    EXPECT_NEAR(table.cells[0][0].levelDb, 0, 0.01);
    EXPECT_EQ(table.rooms[0].spillDrum, 1);
    EXPECT_NEAR(table.rooms[0].roomDb(), 20, 1.5);
}

} // namespace
} // namespace cask::measure
