// Findings on gates that were measured by hand.
#include "core/advise/advise.h"
#include "core/session/edits.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace cask::advise {
namespace {

using session::Id;

class GateFindingsTest : public testing::Test {
  protected:
    GateFindingsTest() {
        for (const auto& [name, role] :
             {std::pair("Kick", Role::KickIn), std::pair("Snare", Role::SnareTop)}) {
            session::Element e;
            e.id = m_session.nextId++;
            e.name = name;
            e.role = role;
            m_hits->elements.push_back(e.id);
            m_session.elements.emplace_back(std::move(e));
        }
        m_snare = m_hits->elements[1];
        m_hits->hits.kit.drums = {{"Kick", Role::KickIn, {0}}, {"Snare", Role::SnareTop, {1}}};
        m_hits->hits.kit.drumOf = {0, 1};
        m_hits->spill.rooms.resize(2);
        m_hits->spill.rooms[1].ownDb = -10;
        m_hits->spill.rooms[1].spillDb = -25;
        m_hits->spill.rooms[1].spillDrum = 0;
        m_measures.hits = m_hits;
        m_gate.element = m_snare;
        m_gate.nature.decayMs = 80;
        m_gate.ways = {way(GateWayKind::Plain, -30, 40, -2, 1.2),
                       way(GateWayKind::Filtered, -34, 2, -11, 0.3),
                       way(GateWayKind::Highs, -34, 2, -8, 0.5)};
        m_gate.ways[1].choice.settings.lowCutHz = 7000;
    }
    static GateWay way(GateWayKind kind, double openDb, int passing, double spillDb, double loss) {
        GateWay w;
        w.kind = kind;
        w.choice.settings.openDb = openDb;
        w.choice.settings.floorDb = -12;
        w.choice.counts.accents = w.choice.counts.accentsKept = 48;
        w.choice.counts.ghosts = 16;
        w.choice.counts.ghostsKept = 14;
        w.choice.counts.spill = 90;
        w.choice.counts.spillPassing = passing;
        w.choice.counts.spillBefore = 1;
        w.choice.counts.spillAfter = std::pow(10.0, spillDb / 10);
        w.choice.loss = loss;
        return w;
    }
    std::vector<Finding> findings(const HouseStyle& style = {}) {
        m_measures.gates = {m_gate};
        return gateFindings(m_session, m_measures, style);
    }
    const Finding* find(const std::vector<Finding>& list, const std::string& id) {
        const auto it = std::find_if(list.begin(), list.end(), [&](const Finding& f) { return f.id == id; });
        return it == list.end() ? nullptr : &*it;
    }
    std::string idOf(const char* what) const { return std::string(what) + "-" + std::to_string(m_snare); }
    /// The session with a gate that was judged.
    void addGate(const dsp::GateSettings& settings) {
        m_gate.module = session::addModule(m_session, m_snare, settings);
        m_gate.now.emplace();
        m_gate.now->all.accents = m_gate.now->all.accentsKept = 48;
    }

    session::Session m_session = session::emptySession();
    std::shared_ptr<HitAnalysis> m_hits = std::make_shared<HitAnalysis>();
    KitMeasures m_measures;
    GateMeasure m_gate;
    Id m_snare = session::kNoId;
};

TEST_F(GateFindingsTest, ProposesTheBestWayWithItsCountsAndAppliesIt) {
    const auto list = findings();
    const auto* f = find(list, idOf("gate"));
    ASSERT_NE(f, nullptr);
    EXPECT_EQ(f->stage, Stage::Clean);
    EXPECT_NE(f->sentence.find(
                  "listens above 7000 Hz at -34 dBFS with a floor of -12 dB keeps 62 of 64 hits, 14 of "
                  "16 ghosts, lets 2 of 90 spill hits through, spill 11 dB down"),
              std::string::npos)
        << f->sentence;
    EXPECT_EQ(f->school, "gentle floor");
    ASSERT_TRUE(f->proposal);
    const auto after = f->proposal->apply(m_session);
    const auto* module = session::findModule<dsp::GateSettings>(*after.chain(m_snare));
    ASSERT_NE(module, nullptr);
    EXPECT_EQ(std::get<dsp::GateSettings>(module->settings), m_gate.ways[1].choice.settings);
    // Only what differs from a new gate is listed.
    const auto changes = changesBetween(m_session, after);
    EXPECT_TRUE(std::any_of(changes.begin(), changes.end(),
                            [](const auto& c) { return c.path == "Snare/gate/low_cut_hz"; }));
    EXPECT_TRUE(std::none_of(changes.begin(), changes.end(),
                             [](const auto& c) { return c.path == "Snare/gate/high_cut_hz"; }));
}

TEST_F(GateFindingsTest, NamesTheOverlapAndPutsTheOtherWaysBesideIt) {
    m_gate.overlap = measure::GateOverlap{-38, -33, 0, true};
    const auto list = findings();
    const auto* f = find(list, idOf("gate"));
    ASSERT_NE(f, nullptr);
    EXPECT_TRUE(f->sentence.starts_with("Own ghosts and Kick overlap by 5 dB between -38 and -33 dBFS."))
        << f->sentence;
    EXPECT_NE(f->sentence.find("A plain gate: 62 of 64 hits, 40 of 90 spill hits"), std::string::npos)
        << f->sentence;
}

TEST_F(GateFindingsTest, FollowsTheSchoolOfTheStyle) {
    HouseStyle style;
    style.gateSchool = GateSchool::Highs;
    auto list = findings(style);
    ASSERT_NE(find(list, idOf("gate")), nullptr);
    EXPECT_NE(find(list, idOf("gate"))->sentence.find("A gate on what lies above"), std::string::npos);
    style.gateSchool = GateSchool::None;
    list = findings(style);
    ASSERT_NE(find(list, idOf("gate")), nullptr);
    EXPECT_FALSE(find(list, idOf("gate"))->proposal);
    EXPECT_EQ(find(list, idOf("gate"))->severity, Severity::Note);
}

TEST_F(GateFindingsTest, SaysSoWhenNoGateHelpsAndNothingWhenSpillIsSoft) {
    for (auto& w : m_gate.ways)
        w.choice.counts.spillAfter = 0.95;
    auto list = findings();
    ASSERT_NE(find(list, idOf("gate")), nullptr);
    EXPECT_NE(find(list, idOf("gate"))->sentence.find("leave it open"), std::string::npos);
    EXPECT_FALSE(find(list, idOf("gate"))->proposal);
    m_hits->spill.rooms[1].spillDb = -60;
    EXPECT_TRUE(findings().empty());
}

TEST_F(GateFindingsTest, AGateThatLosesHitsIsAdviceWithTheHitsMeant) {
    addGate({});
    m_gate.hits = {{1.0, true, measure::HitClass::Ghost, 1, -30},
                   {2.0, true, measure::HitClass::Accent, 1, -10}};
    m_gate.now->hits.resize(2);
    m_gate.now->hits[0].passDb = -12;
    m_gate.now->all.ghosts = 1;
    const auto list = findings();
    const auto* f = find(list, idOf("gate-lost"));
    ASSERT_NE(f, nullptr);
    EXPECT_EQ(f->severity, Severity::Advice);
    ASSERT_EQ(f->hits.size(), 1U);
    EXPECT_EQ(f->hits[0].timeS, 1.0);
    EXPECT_EQ(find(list, idOf("gate")), nullptr); // there is one already
    // Who wants accents alone does not miss ghosts.
    HouseStyle style;
    style.gateKeeps = measure::GateWants::Accents;
    EXPECT_EQ(find(findings(style), idOf("gate-lost")), nullptr);
}

TEST_F(GateFindingsTest, ClicksAskForASlowerAttackThatStillOpensInTime) {
    dsp::GateSettings settings;
    settings.attackMs = 0.2;
    settings.lookAheadMs = 1;
    addGate(settings);
    m_gate.now->all.clicks = 3;
    const auto list = findings();
    const auto* f = find(list, idOf("gate-click"));
    ASSERT_NE(f, nullptr);
    ASSERT_TRUE(f->proposal);
    const auto after = f->proposal->apply(m_session);
    const auto& now =
        std::get<dsp::GateSettings>(session::findModule<dsp::GateSettings>(*after.chain(m_snare))->settings);
    EXPECT_EQ(now.attackMs, 2);
    EXPECT_NEAR(now.lookAheadMs, 2.8, 1e-9);
}

TEST_F(GateFindingsTest, ALongReleaseThatBridgesToTheNextHitIsSaid) {
    dsp::GateSettings settings;
    settings.releaseMs = 900;
    addGate(settings);
    m_gate.nature.toSpillMs = 200;
    EXPECT_NE(find(findings(), idOf("gate-bridge")), nullptr);
    m_gate.nature.toSpillMs = 2000;
    EXPECT_EQ(find(findings(), idOf("gate-bridge")), nullptr);
}

} // namespace
} // namespace cask::advise
