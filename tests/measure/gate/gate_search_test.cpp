#include "core/measure/gate/gate_search.h"
#include "tests/support/hit_score.h"
#include "tests/support/random_take.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

/// A close microphone of a generated take with the hits that the analysis found.
HitMaterial materialOf(const test::RandomTake& take, const KitHits& hits, std::size_t mic) {
    HitMaterial m;
    m.rateHz = take.recipe.sampleRateHz;
    m.sound = take.microphones[mic].channels;
    m.hits = materialHitsOf(hits, static_cast<int>(mic));
    return m;
}

std::size_t snareOf(const test::RandomTake& take) {
    for (std::size_t i = 0; i < take.microphones.size(); ++i)
        if (take.microphones[i].role == Role::SnareTop)
            return i;
    return 0;
}

TEST(GateSearch, TheProposalIsAsGoodAsTryingEverything) {
    for (const unsigned long long seed : {11ULL, 12ULL, 13ULL}) {
        test::TakeRecipe recipe;
        recipe.seed = seed;
        recipe.seconds = 10;
        recipe.groove = seed == 12 ? "sixteenths" : "ghosts";
        const auto take = test::makeRandomTake(recipe);
        const auto trails = test::trailsOf(take);
        const auto hits = findKitHits(trails.inputs);
        const auto m = materialOf(take, hits, snareOf(take));
        GateTracks tracks(m);
        const auto nature = measureNature(m);
        const auto start = gateStart(nature);
        auto grid = gateGridFor(tracks, start);
        // Every second threshold, so that all combinations can be tried in a test.
        for (std::size_t i = 1; i < grid.openDb.size(); ++i)
            grid.openDb.erase(grid.openDb.begin() + static_cast<std::ptrdiff_t>(i));
        for (const auto wants : {GateWants::Normals, GateWants::Ghosts}) {
            const auto found = searchGate(tracks, start, wants, {}, grid, nature.ownMs());
            const auto best = searchEveryGate(tracks, start, wants, {}, grid, nature.ownMs());
            EXPECT_LE(found.loss, 1.02 * best.loss + 1e-9) << seed;
        }
    }
}

TEST(GateSearch, KeptAndLostAreTrueOfTheDrumItself) {
    // The drum alone is known: what the judge says of each hit must hold for it, not only for the microphone.
    test::TakeRecipe recipe;
    recipe.seed = 21;
    recipe.seconds = 10;
    recipe.groove = "ghosts";
    recipe.keepsOwn = true;
    const auto take = test::makeRandomTake(recipe);
    const auto trails = test::trailsOf(take);
    const auto hits = findKitHits(trails.inputs);
    const std::size_t mic = snareOf(take);
    const auto m = materialOf(take, hits, mic);
    GateTracks tracks(m);
    auto settings = gateStart(measureNature(m));
    settings.floorDb = -40;
    settings.openDb = -24; // some ghosts are lost
    settings.closeDb = -30;
    const auto report = judgeGate(tracks, settings, GatePrecision::Exact, measureNature(m).ownMs());
    HitMaterial alone = m;
    alone.key = m.sound;
    alone.sound = take.microphones[mic].own;
    GateTracks aloneTracks(alone);
    const auto truth = judgeGate(aloneTracks, settings, GatePrecision::Exact, measureNature(m).ownMs());
    int lost = 0;
    for (std::size_t i = 0; i < m.hits.size(); ++i)
        if (m.hits[i].isOwn) {
            EXPECT_EQ(report.hits[i].isKept(), truth.hits[i].isKept()) << m.hits[i].timeS;
            lost += !truth.hits[i].isKept();
        }
    EXPECT_GT(lost, 0);
    EXPECT_GT(report.all.ownKept(), 0);
}

TEST(GateSearch, FindsTheGapBetweenOwnHitsAndSpill) {
    // Own hits at -10 and ghosts at -24, spill at -34: anything between keeps all and lets nothing through.
    HitMaterial m;
    m.rateHz = 48000;
    m.sound.emplace_back(48000 * 10, 0.0F);
    for (int i = 0; i < 36; ++i) {
        const double at = 0.3 + 0.25 * i;
        const bool isSpill = i % 3 == 1;
        const double db = isSpill ? -34 : i % 3 == 0 ? -10 : -24;
        const auto from = static_cast<std::size_t>(at * 48000);
        for (std::size_t n = 0; n < 12000; ++n)
            m.sound[0][from + n] +=
                static_cast<float>(dbToLinear(db) * std::exp(-static_cast<double>(n) / 1200) *
                                   std::cos(0.05 * static_cast<double>(n)));
        m.hits.push_back(
            {at, !isSpill, i % 3 == 0 ? HitClass::Accent : HitClass::Ghost, isSpill ? 2 : 0, db});
    }
    GateTracks tracks(m);
    const auto start = gateStart(measureNature(m));
    const auto found = searchGate(tracks, start, GateWants::Ghosts, {}, gateGridFor(tracks, start),
                                  measureNature(m).ownMs());
    EXPECT_NEAR(found.settings.openDb, -29, 2); // as far from either
    EXPECT_EQ(found.counts.ownKept(), 24);
    EXPECT_EQ(found.counts.spillOpening, 0);
    EXPECT_FALSE(findOverlap(tracks, start, GateWants::Ghosts));
    // The gentlest floor that takes 10 dB off.
    const auto floored = withGentlestFloor(tracks, found, 10, -90, GateWants::Ghosts, {}, 160);
    EXPECT_LE(floored.counts.spillChangeDb(), -10);
    EXPECT_GE(floored.settings.floorDb, -24);
}

TEST(GateSearch, InAWideGapTheThresholdStandsNearTheLoudestSpill) {
    HitMaterial m;
    m.rateHz = 48000;
    m.sound.emplace_back(48000 * 10, 0.0F);
    for (int i = 0; i < 36; ++i) {
        const double at = 0.3 + 0.25 * i;
        const double db = i % 2 == 0 ? -10 : -50;
        for (std::size_t n = 0; n < 12000; ++n)
            m.sound[0][static_cast<std::size_t>(at * 48000) + n] =
                static_cast<float>(dbToLinear(db) * std::exp(-static_cast<double>(n) / 600) *
                                   std::cos(0.05 * static_cast<double>(n)));
        m.hits.push_back({at, i % 2 == 0, HitClass::Normal, i % 2, db});
    }
    GateTracks tracks(m);
    const auto start = gateStart(measureNature(m));
    const auto found = searchGate(tracks, start, GateWants::Normals, {}, gateGridFor(tracks, start), 100);
    double spillDb = -90; // as the detector hears it
    for (const auto& hit : m.hits)
        if (!hit.isOwn)
            spillDb = std::max(spillDb, hitLevelDb(tracks.rough(start), hit.timeS));
    EXPECT_GE(found.settings.openDb, spillDb + 3);
    EXPECT_LE(found.settings.openDb, spillDb + 15); // the softest hits stand 40 dB over it
    EXPECT_EQ(found.counts.ownKept(), 18);
    EXPECT_EQ(found.counts.spillOpening, 0);
}

TEST(GateSearch, NamesTheOverlapAndTheBandThatPartsThem) {
    // Own hits of 200 Hz softer than spill of 6 kHz.
    HitMaterial m;
    m.rateHz = 48000;
    m.sound.emplace_back(48000 * 10, 0.0F);
    for (int i = 0; i < 36; ++i) {
        const double at = 0.3 + 0.25 * i;
        const bool isSpill = i % 2 == 1;
        const double db = isSpill ? -20 : i % 4 == 0 ? -10 : -27;
        const double hz = isSpill ? 6000 : 200;
        const auto from = static_cast<std::size_t>(at * 48000);
        for (std::size_t n = 0; n < 12000; ++n)
            m.sound[0][from + n] +=
                static_cast<float>(dbToLinear(db) * std::exp(-static_cast<double>(n) / 1200) *
                                   std::cos(2 * kPi * hz * static_cast<double>(n) / 48000));
        m.hits.push_back(
            {at, !isSpill, i % 4 == 0 ? HitClass::Accent : HitClass::Ghost, isSpill ? 7 : 0, db});
    }
    GateTracks tracks(m);
    const auto start = gateStart(measureNature(m));
    const auto overlap = findOverlap(tracks, start, GateWants::Ghosts);
    ASSERT_TRUE(overlap);
    EXPECT_NEAR(overlap->overlapDb(), 7, 1);
    EXPECT_EQ(overlap->drum, 7);
    EXPECT_TRUE(overlap->areGhosts);
    EXPECT_FALSE(findOverlap(tracks, start, GateWants::Accents));
    const auto bands = measureSeparation(m, GateWants::Ghosts);
    ASSERT_FALSE(bands.empty());
    const auto filtered = withBestDetectorFilter(tracks, start, GateWants::Ghosts);
    ASSERT_TRUE(filtered);
    EXPECT_LT(filtered->lowCutHz, 200);
    EXPECT_GT(filtered->highCutHz, 200);
    EXPECT_LT(filtered->highCutHz, 3000);
    EXPECT_FALSE(findOverlap(tracks, *filtered, GateWants::Ghosts));
}

} // namespace
} // namespace cask::measure
