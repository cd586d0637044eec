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
        measures.punches = {m_punch};
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
    auto found = punchFindings(m_session, measures, m_style);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].id, "pump-grid");
    EXPECT_FALSE(found[0].proposal) << "no tempo was found";
    analysis->tempo.isKnown = true;
    analysis->tempo.beatsPerBar = 3;
    analysis->tempo.beatsS = {0.5, 1.0, 1.504, 2.01};
    found = punchFindings(m_session, measures, m_style);
    ASSERT_TRUE(found[0].proposal);
    m_session = found[0].proposal->apply(m_session);
    EXPECT_EQ(m_session.tempo.beatsS, analysis->tempo.beatsS);
    EXPECT_EQ(m_session.tempo.beatsPerBar, 3);
    EXPECT_TRUE(punchFindings(m_session, measures, m_style).empty());
    // The take was played anew, or the hits were found better.
    analysis->tempo.beatsS.back() += 0.06;
    found = punchFindings(m_session, measures, m_style);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NEAR(numberOf(found[0], "beside"), 60, 0.1);
}

} // namespace
} // namespace cask::advise
