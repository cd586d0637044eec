// Hits that a pattern says, beside hits that are found.
#include "core/measure/hits/hit_classes.h"
#include "core/measure/hits/kit_hits.h"
#include "core/measure/hits/spill_table.h"
#include "tests/support/hit_score.h"
#include "tests/support/random_take.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

/// A take, and a clap 10 ms before every stroke that was found on its snare, in a file of its own that
/// begins 0.25 s late.
class GivenHits : public testing::Test {
  protected:
    static constexpr double kStartS = 0.25;

    /// Made once: what is found of the take without the clap.
    static void SetUpTestSuite() {
        test::TakeRecipe recipe;
        recipe.seed = 612;
        recipe.groove = "ghosts";
        recipe.seconds = 16;
        s_trails = new test::TakeTrails(test::trailsOf(test::makeRandomTake(recipe)));
        s_without = new KitHits(findKitHits(s_trails->inputs));
    }
    static void TearDownTestSuite() {
        delete s_without;
        delete s_trails;
    }
    GivenHits() {
        std::vector<float> clap(static_cast<std::size_t>(20 * kRate), 0.0F);
        for (const auto& stroke : m_without.strokes)
            if (nameOf(m_without, stroke.drum) == "Snare Top" && stroke.timeS > 0.5) {
                const double atS = stroke.timeS - 0.01 - kStartS;
                m_given.push_back({atS, {}, {}});
                const auto from = static_cast<std::size_t>(atS * kRate);
                for (std::size_t n = 0; n < 2000 && from + n < clap.size(); ++n)
                    clap[from + n] +=
                        0.3F * std::exp(-static_cast<float>(n) / 200.0F) * (n % 2 == 0 ? 1.0F : -1.0F);
            }
        BandTrailMeter meter(kRate);
        meter.add(clap);
        m_clap = meter.take();
        m_inputs = m_trails.inputs;
        m_inputs.push_back({"Clap", Role::SnareTop, {&m_clap}, kStartS});
        m_inputs.back().given = &m_given;
    }
    static std::string nameOf(const KitHits& hits, int drum) {
        return hits.kit.drums[static_cast<std::size_t>(drum)].name;
    }
    std::vector<DrumHit> strokesOf(const KitHits& hits, bool ofClap) const {
        std::vector<DrumHit> found;
        for (const auto& stroke : hits.strokes)
            if ((nameOf(hits, stroke.drum) == "Clap") == ofClap)
                found.push_back(stroke);
        return found;
    }

    static test::TakeTrails* s_trails;
    static KitHits* s_without;
    const test::TakeTrails& m_trails = *s_trails;
    const KitHits& m_without = *s_without;
    BandTrail m_clap;
    std::vector<GivenHit> m_given;
    std::vector<HitInput> m_inputs;
};

test::TakeTrails* GivenHits::s_trails = nullptr;
KitHits* GivenHits::s_without = nullptr;

TEST_F(GivenHits, EveryOneIsThereAtItsTimeAndTheRecordedOnesStayAsTheyWere) {
    ASSERT_GT(m_given.size(), 20U);
    for (std::size_t i = 1; i < m_given.size(); ++i)
        EXPECT_GE(m_given[i].timeS - m_given[i - 1].timeS, 0.005) << "one stroke is found once";
    const auto hits = findKitHits(m_inputs);
    const auto claps = strokesOf(hits, true);
    ASSERT_EQ(claps.size(), m_given.size());
    for (std::size_t i = 0; i < claps.size(); ++i) {
        EXPECT_NEAR(claps[i].timeS, m_given[i].timeS + kStartS, 1e-12);
        EXPECT_NEAR(claps[i].levelDb, linearToDb(0.3), 0.6) << "half a decibel is a step of the trail";
        const bool isNear = (i > 0 && claps[i].timeS - claps[i - 1].timeS < 0.041) ||
                            (i + 1 < claps.size() && claps[i + 1].timeS - claps[i].timeS < 0.041);
        EXPECT_TRUE(isNear || claps[i].hitClass != HitClass::Flam) << i << ": 10 ms before the snare";
        EXPECT_EQ(claps[i].confidence, 1);
    }
    const auto recorded = strokesOf(hits, false);
    ASSERT_EQ(recorded.size(), m_without.strokes.size());
    for (std::size_t i = 0; i < recorded.size(); ++i) {
        EXPECT_EQ(recorded[i].timeS, m_without.strokes[i].timeS);
        EXPECT_EQ(nameOf(hits, recorded[i].drum), nameOf(m_without, m_without.strokes[i].drum));
        EXPECT_EQ(recorded[i].hitClass, m_without.strokes[i].hitClass);
        EXPECT_EQ(recorded[i].isAlone, m_without.strokes[i].isAlone);
    }
    const int clap = static_cast<int>(m_inputs.size()) - 1;
    EXPECT_TRUE(std::all_of(hits.heard.begin(), hits.heard.end(), [&](const HeardHit& h) {
        return (h.input == clap) == (nameOf(hits, h.drum) == "Clap");
    })) << "the clap is in no microphone, and no drum is in the clap";
    EXPECT_EQ(hits.kit.drums[static_cast<std::size_t>(hits.kit.drumOf[m_inputs.size() - 1])].inputs,
              std::vector<int>{clap});
}

TEST_F(GivenHits, ASilentOneIsLeftOutAndClassesOfAPatternStand) {
    m_given.insert(m_given.begin(), {0.01, HitClass::Accent, {}}); // nothing sounds so early
    for (std::size_t i = 1; i < m_given.size(); ++i)
        m_given[i].hitClass = i % 3 == 0 ? HitClass::Ghost : HitClass::Normal;
    auto hits = findKitHits(m_inputs);
    Tempo tempo;
    tempo.isKnown = true;
    tieRollsToTempo(hits, tempo);
    const auto claps = strokesOf(hits, true);
    ASSERT_EQ(claps.size(), m_given.size() - 1);
    for (std::size_t i = 0; i < claps.size(); ++i)
        EXPECT_EQ(claps[i].hitClass, *m_given[i + 1].hitClass) << i;
}

TEST_F(GivenHits, NothingSpillsIntoWhatIsPlayedNorFromIt) {
    const auto hits = findKitHits(m_inputs);
    const auto spill = makeSpillTable(hits, m_inputs);
    const auto before = makeSpillTable(m_without, m_trails.inputs);
    const std::size_t clap = m_inputs.size() - 1;
    const auto clapDrum = static_cast<std::size_t>(hits.kit.drumOf[clap]);
    for (std::size_t i = 0; i < clap; ++i)
        EXPECT_EQ(spill.cells[clapDrum][i].count, 0);
    for (std::size_t d = 0; d < m_without.kit.drums.size(); ++d) {
        EXPECT_EQ(spill.cells[d][clap].count, 0);
        for (std::size_t i = 0; i < clap; ++i)
            EXPECT_EQ(spill.cells[d][i].count, before.cells[d][i].count);
    }
    EXPECT_GT(spill.cells[clapDrum][clap].count, 0);
    EXPECT_EQ(spill.rooms[clap].spillDrum, -1);
}

TEST_F(GivenHits, SpillBetweenWhatIsPlayedIsMeasured) {
    // A second played drum halfway between the claps, of which the clap's microphone hears a tenth.
    std::vector<GivenHit> others;
    std::vector<float> sound(static_cast<std::size_t>(20 * kRate), 0.0F);
    std::vector<float> both(sound.size(), 0.0F);
    for (int i = 0; i < 30; ++i) {
        const double atS = 0.5 + 0.5 * i;
        const auto add = [](std::vector<float>& x, double at, float gain) {
            for (std::size_t n = 0; n < 2000; ++n)
                x[static_cast<std::size_t>(at * kRate) + n] +=
                    gain * std::exp(-static_cast<float>(n) / 300.0F) * (n % 2 == 0 ? 1.0F : -1.0F);
        };
        others.push_back({atS + 0.25, {}, {}});
        add(sound, atS + 0.25, 0.5F);
        add(both, atS + 0.25, 0.05F);
        add(both, atS, 0.4F);
    }
    std::vector<GivenHit> own;
    for (int i = 0; i < 30; ++i)
        own.push_back({0.5 + 0.5 * i, {}, {}});
    std::vector<BandTrail> trails;
    for (const auto* x : {&both, &sound}) {
        BandTrailMeter meter(kRate);
        meter.add(*x);
        trails.push_back(meter.take());
    }
    std::vector<HitInput> inputs{{"Snare", Role::SnareTop, {&trails[0]}, 0, nullptr, 0, &own, true},
                                 {"Tom", Role::RackTom, {&trails[1]}, 0, nullptr, 0, &others, false}};
    const auto hits = findKitHits(inputs);
    EXPECT_EQ(hits.strokes.size(), 60U);
    const auto spill = makeSpillTable(hits, inputs);
    const auto tom = static_cast<std::size_t>(hits.kit.drumOf[1]);
    EXPECT_EQ(spill.cells[tom][0].count, 30);
    EXPECT_NEAR(spill.cells[tom][0].levelDb, -20, 1);
    EXPECT_EQ(spill.cells[static_cast<std::size_t>(hits.kit.drumOf[0])][1].count, 0)
        << "the tom hears nothing";
    EXPECT_EQ(spill.rooms[0].spillDrum, static_cast<int>(tom));
}

TEST_F(GivenHits, AnEffectIsNoDrumAndAKitOfGivenHitsAloneIsOne) {
    m_inputs.back().role = Role::Effect;
    EXPECT_EQ(findKitHits(m_inputs).kit.drumOf.back(), -1);
    const std::vector<HitInput> alone{
        {"Clap", Role::Unknown, {&m_clap}, kStartS, nullptr, 0, &m_given, false}};
    const auto hits = findKitHits(alone);
    EXPECT_EQ(hits.strokes.size(), m_given.size());
    EXPECT_TRUE(hits.kit.loops.empty());
}

} // namespace
} // namespace cask::measure
