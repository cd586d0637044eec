#include "core/advise/advise.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <memory>

namespace cask::advise {
namespace {

/// A snare with a compressor that lowers each of 20 hits by 8 dB and recovers before all.
class PunchFindingsTest : public testing::Test {
  protected:
    PunchFindingsTest() {
        session::Element e;
        e.id = m_session.nextId++;
        e.name = "Snare Top";
        e.role = Role::SnareTop;
        m_snare = e.id;
        m_session.elements.emplace_back(std::move(e));
        m_punch.owner = m_snare;
        m_punch.module = session::addModule(m_session, m_snare, m_punch.settings);
        for (int i = 0; i < 20; ++i) {
            measure::CompressedHit hit;
            hit.levelDb = -4;
            hit.changeDb = -8;
            m_punch.compression.hits.push_back(hit);
        }
        m_punch.compression.followed = 19;
        m_punch.compression.recovered = 19;
        m_punch.shapes.hits = 20;
    }
    [[nodiscard]] std::vector<Finding> run() const {
        KitMeasures measures;
        measures.punch.compressors = {m_punch};
        return punchFindings(m_session, measures, m_style);
    }
    [[nodiscard]] double valueAfter(const Finding& f, std::string_view id) const {
        const auto after = f.proposal->apply(m_session);
        return *session::valueOf(after.element(m_snare)->chain.front().settings, id);
    }

    session::Session m_session = session::emptySession();
    session::Id m_snare = session::kNoId;
    PunchMeasure m_punch;
    HouseStyle m_style;
};

TEST_F(PunchFindingsTest, ACompressorThatDoesItsWorkIsNoFinding) {
    EXPECT_TRUE(run().empty());
}

TEST_F(PunchFindingsTest, AnAttackThatEatsTheStickIsToldWithTheOneThatDoesNot) {
    m_punch.shapes.keptAttackDb = -3.4;
    auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(found[0].id.starts_with("punch-attack-"));
    EXPECT_EQ(found[0].stage, Stage::Punch);
    EXPECT_FALSE(found[0].proposal) << "none was found";
    m_punch.gentlerAttackMs = 30;
    m_punch.gentlerKeptDb = -0.7;
    found = run();
    ASSERT_TRUE(found[0].proposal);
    EXPECT_EQ(valueAfter(found[0], "attack_ms"), 30);
    EXPECT_NE(found[0].sentence.find("3.4 dB"), std::string::npos) << found[0].sentence;
    // Keyed, the hits are not its own.
    m_punch.isKeyed = true;
    EXPECT_TRUE(run().empty());
}

TEST_F(PunchFindingsTest, ASourceWhoseTopsWereHeldBeforeIsANote) {
    m_punch.heldMs = 23;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(found[0].id.starts_with("punch-held-"));
    EXPECT_EQ(found[0].severity, Severity::Note);
    EXPECT_NE(
        found[0].sentence.find("Snare Top comes to its compressor with the tops of its hits held for 23 ms"),
        std::string::npos)
        << found[0].sentence;
    EXPECT_FALSE(found[0].proposal);
}

TEST_F(PunchFindingsTest, AReleaseThatNeverLetsGoIsToldWithTheOneThatDoes) {
    m_punch.compression.recovered = 5;
    for (auto& hit : m_punch.compression.hits)
        hit.leftDb = -2.5;
    m_punch.quickerReleaseMs = 80;
    m_punch.quickerRecoveredPercent = 97;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(found[0].id.starts_with("punch-release-"));
    EXPECT_DOUBLE_EQ(numberOf(found[0], "left"), 2.5);
    EXPECT_EQ(valueAfter(found[0], "release_ms"), 80);
    m_style.recoverPercent = 20;
    EXPECT_TRUE(run().empty());
}

TEST_F(PunchFindingsTest, ABusIsNotPressedUnlessItIsAParallelPath) {
    EXPECT_TRUE(run().empty());
    m_punch.isBus = true;
    ASSERT_EQ(run().size(), 1U);
    EXPECT_TRUE(run()[0].id.starts_with("punch-deep-"));
    m_punch.isParallel = true;
    EXPECT_TRUE(run().empty());
}

TEST_F(PunchFindingsTest, OneThatDoesNothingIsANote) {
    for (auto& hit : m_punch.compression.hits)
        hit.changeDb = -0.2;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(found[0].id.starts_with("punch-idle-"));
    EXPECT_EQ(found[0].severity, Severity::Note);
}

TEST_F(PunchFindingsTest, RaisedSpillIsNamed) {
    m_punch.shapes.spill = {{1, 30, 4.2}};
    m_punch.spillName = "HiHat";
    m_punch.shapes.ghostsDb = 2.1;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NE(found[0].sentence.find("spill of HiHat there by 4.2 dB"), std::string::npos)
        << found[0].sentence;
    EXPECT_NE(found[0].sentence.find("ghosts by 2.1 dB"), std::string::npos) << found[0].sentence;
}

TEST_F(PunchFindingsTest, AMatchedMakeUpThatNoLongerMatchesIsToldWithTheNumberThatDoes) {
    m_punch.shapes.matchDb = 2.3;
    EXPECT_TRUE(run().empty()) << "a fixed one is what it is";
    m_punch.settings.makeup = dsp::CompressorMakeup::Matched;
    m_punch.settings.makeupDb = 1.5;
    m_session = session::withModule(m_session, m_punch.module,
                                    [&](session::Module& m) { m.settings = m_punch.settings; });
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NE(found[0].sentence.find("2.3 dB softer"), std::string::npos) << found[0].sentence;
    EXPECT_NEAR(valueAfter(found[0], "makeup_db"), 3.8, 1e-9);
    m_punch.shapes.matchDb = 0.1;
    EXPECT_TRUE(run().empty());
}

TEST_F(PunchFindingsTest, WhoDrivesABusIsANoteAndAdviceWhereACutMendsIt) {
    m_punch.isBus = true;
    m_style.busDepthDb = 12;
    m_punch.drivers = {{m_snare, 82}, {m_snare, 18}};
    auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].severity, Severity::Note);
    EXPECT_NE(found[0].sentence.find("Snare Top (82 %)"), std::string::npos) << found[0].sentence;
    m_punch.detectorCutHz = 120;
    m_punch.percentThen = 31;
    found = run();
    EXPECT_EQ(found[0].severity, Severity::Advice);
    EXPECT_EQ(valueAfter(found[0], "low_cut_hz"), 120);
}

TEST_F(PunchFindingsTest, WhatWasMeasuredOfOtherSettingsIsNotTold) {
    m_punch.shapes.keptAttackDb = -6;
    m_session = session::withModule(m_session, m_punch.module, [](session::Module& m) {
        m.settings = session::withSetting(m.settings, "attack_ms", 50);
    });
    EXPECT_TRUE(run().empty());
}

TEST_F(PunchFindingsTest, APumpWithoutAGridIsToldAndTheBeatsOfTheHitsMendIt) {
    auto analysis = std::make_shared<HitAnalysis>();
    KitMeasures measures;
    measures.hits = analysis;
    session::addModule(m_session, m_snare, dsp::PumpSettings{});
    auto found = kitPunchFindings(m_session, measures, m_style);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].id, "pump-grid");
    EXPECT_FALSE(found[0].proposal) << "no tempo was found";
    analysis->tempo.isKnown = true;
    analysis->tempo.beatsPerBar = 3;
    analysis->tempo.beatsS = {0.5, 1.0, 1.504, 2.01};
    found = kitPunchFindings(m_session, measures, m_style);
    ASSERT_TRUE(found[0].proposal);
    m_session = found[0].proposal->apply(m_session);
    EXPECT_EQ(m_session.tempo.beatsS, analysis->tempo.beatsS);
    EXPECT_EQ(m_session.tempo.beatsPerBar, 3);
    EXPECT_TRUE(kitPunchFindings(m_session, measures, m_style).empty());
    // The take was played anew, or the hits were found better.
    analysis->tempo.beatsS.back() += 0.06;
    found = kitPunchFindings(m_session, measures, m_style);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NEAR(numberOf(found[0], "beside"), 60, 0.1);
}

TEST_F(PunchFindingsTest, OtherDrumsThatMoveTheGainAreToldByName) {
    m_punch.pumperName = "Kick";
    m_punch.compression.pumped = {{1, 16, 12, 1.5}};
    EXPECT_TRUE(run().empty());
    m_punch.compression.pumped.front().movedDb = 3.2;
    auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(found[0].id.starts_with("punch-pumping-"));
    EXPECT_TRUE(found[0].sentence.starts_with("Kick moves the compressor on Snare Top")) << found[0].sentence;
    EXPECT_EQ(numberOf(found[0], "share"), 75);
    m_punch.isKeyed = true;
    EXPECT_TRUE(run().empty()) << "that is what a key is for";
}

TEST_F(PunchFindingsTest, BentLowsAreToldWithTheReleaseThatDoesNot) {
    m_punch.noteHz = 62;
    m_punch.bentDb = -30;
    EXPECT_TRUE(run().empty());
    m_punch.bentDb = -19;
    m_punch.unbentReleaseMs = 80;
    m_punch.unbentDb = -31;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(found[0].id.starts_with("punch-bent-"));
    EXPECT_EQ(valueAfter(found[0], "release_ms"), 80);
    EXPECT_EQ(numberOf(found[0], "over"), 7);
}

TEST_F(PunchFindingsTest, WhatABusTakesBackIsToldWithTheModuleAndWhatHadBeenWon) {
    const auto master = m_session.master().id;
    const auto module = session::addModule(m_session, master, dsp::LimiterSettings{});
    KitMeasures measures;
    BusPunchMeasure bus{master, *m_session.chain(master), 20, -0.8, module, -0.8, {{m_snare, 2.1}}};
    measures.punch.buses = {bus};
    EXPECT_TRUE(kitPunchFindings(m_session, measures, m_style).empty());
    measures.punch.buses[0].changeDb = -1.6;
    const auto found = kitPunchFindings(m_session, measures, m_style);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].severity, Severity::Advice);
    EXPECT_EQ(found[0].sentence,
              "Master takes 1.6 dB of punch back from kick and snare, most of it (0.8 dB) its "
              "limiter. Before it 2.1 dB on Snare Top had been won.");
    // Another chain than the one that was measured.
    m_session = session::withModule(m_session, module, [](session::Module& m) { m.isOn = false; });
    EXPECT_TRUE(kitPunchFindings(m_session, measures, m_style).empty());
}

TEST_F(PunchFindingsTest, ADrumThatDoesNotStandOutIsAdviceWhereThereIsASong) {
    KitMeasures measures;
    measures.punch.stands = {{m_snare, 20, 0.5, {-9, 1, 3}}};
    EXPECT_TRUE(kitPunchFindings(m_session, measures, m_style).empty());
    measures.punch.stands[0].overDb = -4;
    EXPECT_EQ(kitPunchFindings(m_session, measures, m_style).at(0).severity, Severity::Note);
    session::Element bass;
    bass.id = m_session.nextId++;
    bass.role = Role::Bass;
    m_session.elements.emplace_back(std::move(bass));
    const auto found = kitPunchFindings(m_session, measures, m_style);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].severity, Severity::Advice);
    EXPECT_NE(found[0].sentence.find("over 2 kHz, it is +3.0 dB"), std::string::npos) << found[0].sentence;
}

} // namespace
} // namespace cask::advise
