// Gates on the demo kit: proposals are applied and judged, keys and sections are those of the session.
#include "core/advise/advise.h"
#include "core/demo/demo_session.h"
#include "core/kit_measures/gates.h"
#include "core/project/measured_files.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/session_store.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

using session::Id;

class GatesTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        s_folder = new test::TempFolder;
        ASSERT_TRUE(demo::writeDemoSession(*s_folder / "Demo.cask"));
        session::SessionStore store(diskFileSystem(), *s_folder / "Demo.cask");
        s_session = new session::Session(store.open()->session);
        s_measures = new advise::KitMeasures(*project::measureSession(*s_session, *s_folder / "Demo.cask"));
        s_sources =
            new project::OfflineSources(*project::openOfflineSources(*s_session, *s_folder / "Demo.cask"));
    }
    static void TearDownTestSuite() {
        delete s_sources;
        delete s_measures;
        delete s_session;
        delete s_folder;
    }
    static Id element(const std::string& name) {
        for (const auto& e : s_session->elements)
            if (e->name == name)
                return e->id;
        return session::kNoId;
    }
    static test::TempFolder* s_folder;
    static session::Session* s_session;
    static advise::KitMeasures* s_measures;
    static project::OfflineSources* s_sources;
};
test::TempFolder* GatesTest::s_folder = nullptr;
session::Session* GatesTest::s_session = nullptr;
advise::KitMeasures* GatesTest::s_measures = nullptr;
project::OfflineSources* GatesTest::s_sources = nullptr;

TEST_F(GatesTest, EveryProposalKeepsTheHitsAndTakesSpillDown) {
    const auto findings = advise::gateFindings(*s_session, *s_measures, {});
    int proposals = 0;
    for (const auto& f : findings) {
        if (!f.proposal || !f.id.starts_with("gate-"))
            continue;
        ++proposals;
        const auto after = f.proposal->apply(*s_session);
        const auto judged = measureGate(after, f.element, *s_measures->hits, s_sources->lookup(), {});
        ASSERT_TRUE(judged);
        ASSERT_TRUE(judged->now);
        const auto& c = judged->now->all;
        EXPECT_GE(c.ownKept(), c.own() - 1) << f.sentence;
        EXPECT_LE(c.spillPassing, c.spill / 10) << f.sentence;
        EXPECT_LT(c.spillChangeDb(), -3) << f.sentence;
        EXPECT_TRUE(judged->now->isExact);
    }
    EXPECT_GE(proposals, 5);
}

TEST_F(GatesTest, TheSnareIsOpenedByItsOtherMicrophoneWhenLevelsOverlap) {
    const auto findings = advise::gateFindings(*s_session, *s_measures, {});
    const auto id = "gate-" + std::to_string(element("Snare Top"));
    const auto f = std::find_if(findings.begin(), findings.end(), [&](const auto& x) { return x.id == id; });
    ASSERT_NE(f, findings.end());
    ASSERT_TRUE(f->proposal);
    const auto after = f->proposal->apply(*s_session);
    const auto* module = session::findModule<dsp::GateSettings>(*after.chain(element("Snare Top")));
    ASSERT_NE(module, nullptr);
    EXPECT_EQ(module->key, element("Snare Bottom"));
}

TEST_F(GatesTest, WhatWasSearchedOnceIsNotSearchedAgain) {
    const auto& known = s_measures->gates.front();
    const auto again =
        measureGate(*s_session, known.element, *s_measures->hits, s_sources->lookup(), {}, {}, &known);
    ASSERT_TRUE(again);
    ASSERT_EQ(again->ways.size(), known.ways.size());
    EXPECT_EQ(again->ways[0].choice.settings, known.ways[0].choice.settings);
}

TEST_F(GatesTest, MaterialHasTheElementsTrimAndShiftAndTheKeyStandsBesideIt) {
    auto s = session::withElement(*s_session, element("Kick Out"), [](auto& e) {
        e.input.trimDb = -6;
        e.input.shiftMs = 10;
    });
    const auto plain =
        *hitMaterial(*s_session, element("Kick Out"), session::kNoId, *s_measures->hits, s_sources->lookup());
    const auto moved =
        *hitMaterial(s, element("Kick Out"), element("Kick In"), *s_measures->hits, s_sources->lookup());
    EXPECT_NEAR(moved->startS - plain->startS, 0.010, 1e-9);
    for (std::size_t n = 40000; n < 40100; ++n)
        EXPECT_NEAR(moved->sound[0][n], dbToLinear(-6) * plain->sound[0][n], 1e-6);
    // The key by the session's clock: where the kick out is 10 ms later, its file's frame 0 meets the key's
    // 480th.
    const auto kickIn =
        *hitMaterial(*s_session, element("Kick In"), session::kNoId, *s_measures->hits, s_sources->lookup());
    ASSERT_EQ(moved->key.size(), 1U);
    for (std::size_t n = 40000; n < 40100; ++n)
        EXPECT_EQ(moved->key[0][n], kickIn->sound[0][n + 480]);
}

TEST_F(GatesTest, ABusAsKeyIsTheSumOfWhatFeedsIt) {
    Id shells = session::kNoId;
    for (const auto& b : s_session->buses)
        if (b->name == "Shells")
            shells = b->id;
    // Only the kick goes there; its level and position count, the bus's own do not.
    auto s = *s_session;
    for (const auto& e : s_session->elements)
        s = session::withOutput(std::move(s), e->id, [&](auto& out) {
            out.isMuted = e->name != "Kick In";
            out.levelDb = 0;
        });
    s = session::withOutput(std::move(s), shells, [](auto& out) {
        out.isMuted = true;
        out.levelDb = -30;
    });
    const auto room = *hitMaterial(s, element("Room"), shells, *s_measures->hits, s_sources->lookup());
    const auto kick =
        *hitMaterial(s, element("Kick In"), session::kNoId, *s_measures->hits, s_sources->lookup());
    ASSERT_FALSE(room->key.empty());
    double worst = 0;
    for (std::size_t n = 20000; n < 60000; ++n)
        worst = std::max(worst, std::abs(room->key[0][n] - std::sqrt(0.5) * kick->sound[0][n]));
    EXPECT_LT(worst, 1e-5);
}

TEST_F(GatesTest, TheRoomIsOpenedByTheShellsAndItsCymbalsDrop) {
    const auto room = std::find_if(s_measures->gates.begin(), s_measures->gates.end(),
                                   [](const auto& g) { return g.element == element("Room"); });
    ASSERT_NE(room, s_measures->gates.end());
    ASSERT_TRUE(room->shells);
    EXPECT_LT(room->shells->betweenDb, -2);
    EXPECT_GT(room->shells->betweenDb, room->shells->settings.floorDb - 0.1);
    EXPECT_LE(room->shells->decayAfterMs, room->shells->decayBeforeMs);
    const auto findings = advise::gateFindings(*s_session, *s_measures, {});
    const auto id = "shells-" + std::to_string(element("Room"));
    const auto f = std::find_if(findings.begin(), findings.end(), [&](const auto& x) { return x.id == id; });
    ASSERT_NE(f, findings.end());
    const auto after = f->proposal->apply(*s_session);
    const auto* module = session::findModule<dsp::GateSettings>(*after.chain(element("Room")));
    ASSERT_NE(module, nullptr);
    EXPECT_EQ(after.nameOf(module->key), "Shells");
    // And it plays: the graph finds no circle.
    EXPECT_TRUE(graph::compile(after, s_sources->lookup()));
}

TEST_F(GatesTest, StoppingIsTold) {
    CancelToken cancelled;
    cancelled.cancel();
    EXPECT_FALSE(measureGates(*s_session, *s_measures->hits, s_sources->lookup(), {}, cancelled));
}

} // namespace
} // namespace cask::kit
