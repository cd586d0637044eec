// A chain for another drum: every value lands where its formula says.
#include "core/session/chain_adapt.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

const DrumFacts kFrom{-12, 200, 120};
const DrumFacts kTo{-18, 150, 90};

Module madeGate() {
    Module m;
    m.id = 7;
    dsp::GateSettings g;
    g.openDb = -30;
    g.closeDb = -38;
    g.floorDb = -20;
    g.attackMs = 2;
    g.holdMs = 60;
    g.releaseMs = 150;
    g.lookAheadMs = 4;
    g.lowCutHz = 400;
    m.settings = g;
    return m;
}

Module madeEq() {
    Module m;
    m.id = 8;
    dsp::EqSettings settings;
    dsp::EqBand low;
    low.id = 1;
    low.frequencyHz = 400;
    low.gainDb = -4;
    low.releaseMs = 100;
    dsp::EqBand air = low;
    air.id = 2;
    air.frequencyHz = 8000;
    dsp::EqBand moving = low;
    moving.id = 3;
    moving.dynamics = dsp::Dynamics::Above;
    moving.thresholdDb = -25;
    settings.bands = {low, air, moving};
    m.settings = settings;
    return m;
}

const AdaptedValue* valueNamed(const AdaptedChain& chain, const std::string& name) {
    for (const auto& value : chain.values)
        if (value.name == name)
            return &value;
    return nullptr;
}

TEST(ChainAdapt, ThresholdsFollowOwnHitsFrequenciesTheNoteTimesTheTempo) {
    const auto made = adapted({madeGate(), madeEq()}, kFrom, kTo);
    const auto& g = std::get<dsp::GateSettings>(made.chain[0].settings);
    EXPECT_DOUBLE_EQ(g.openDb, -36);    // -30 + (-18 - -12)
    EXPECT_DOUBLE_EQ(g.closeDb, -44);   // -38 - 6
    EXPECT_DOUBLE_EQ(g.holdMs, 80);     // 60 * 120 / 90
    EXPECT_DOUBLE_EQ(g.releaseMs, 200); // 150 * 120 / 90
    EXPECT_DOUBLE_EQ(g.lowCutHz, 300);  // 400 * 150 / 200
    EXPECT_DOUBLE_EQ(g.highCutHz, 20000) << "off stays off";
    EXPECT_DOUBLE_EQ(g.attackMs, 2);
    EXPECT_DOUBLE_EQ(g.lookAheadMs, 4);
    EXPECT_DOUBLE_EQ(g.floorDb, -20) << "a depth is no level";
    const auto& bands = std::get<dsp::EqSettings>(made.chain[1].settings).bands;
    EXPECT_DOUBLE_EQ(bands[0].frequencyHz, 300);
    EXPECT_DOUBLE_EQ(bands[0].gainDb, -4);
    EXPECT_DOUBLE_EQ(bands[0].releaseMs, 100) << "a static band has no release to speak of";
    EXPECT_DOUBLE_EQ(bands[1].frequencyHz, 8000) << "over ten times the note: of the stroke";
    EXPECT_DOUBLE_EQ(bands[2].thresholdDb, -31);
    EXPECT_NEAR(bands[2].releaseMs, 100 * 120.0 / 90, 1e-9);
    // What is told is what was done.
    ASSERT_NE(valueNamed(made, "gate opens at"), nullptr);
    EXPECT_DOUBLE_EQ(valueNamed(made, "gate opens at")->before, -30);
    EXPECT_DOUBLE_EQ(valueNamed(made, "gate opens at")->after, -36);
    EXPECT_EQ(valueNamed(made, "gate opens at")->follows, Follows::Level);
    ASSERT_NE(valueNamed(made, "repair band 3 threshold"), nullptr);
    EXPECT_EQ(valueNamed(made, "repair band 2 frequency"), nullptr);
    EXPECT_TRUE(made.notes.empty());
}

TEST(ChainAdapt, WhatIsNotKnownStaysAndIsTold) {
    const auto made = adapted({madeGate(), madeEq()}, kFrom, DrumFacts{});
    EXPECT_EQ(made.chain[0].settings, madeGate().settings);
    EXPECT_EQ(made.chain[1].settings, madeEq().settings);
    EXPECT_TRUE(made.values.empty());
    EXPECT_EQ(made.notes.size(), 3U);
    const auto alone = adapted({madeGate()}, kFrom, DrumFacts{-18, std::nullopt, std::nullopt});
    EXPECT_DOUBLE_EQ(std::get<dsp::GateSettings>(alone.chain[0].settings).openDb, -36);
    EXPECT_EQ(alone.notes.size(), 2U);
}

TEST(ChainAdapt, ValuesStayInTheirRange) {
    const auto made = adapted({madeGate()}, kFrom, DrumFacts{-110, 200, 120});
    const auto& g = std::get<dsp::GateSettings>(made.chain[0].settings);
    EXPECT_DOUBLE_EQ(g.openDb, -90);
    EXPECT_DOUBLE_EQ(g.closeDb, -96);
}

TEST(ChainAdapt, AKeyKeepsItsLevels) {
    auto keyed = madeGate();
    keyed.key = 3;
    const auto made = adapted({keyed}, kFrom, kTo);
    EXPECT_DOUBLE_EQ(std::get<dsp::GateSettings>(made.chain[0].settings).openDb, -30);
    EXPECT_DOUBLE_EQ(std::get<dsp::GateSettings>(made.chain[0].settings).releaseMs, 200);
    ASSERT_EQ(made.notes.size(), 1U);
    EXPECT_NE(made.notes[0].find("key"), std::string::npos);
}

TEST(ChainAdapt, SectionsGoAlong) {
    auto module = madeGate();
    module.changes = {{"chorus", 20, {{"open_db", -24.0}, {"floor_db", -10.0}}, {}, {}}};
    const auto made = adapted({module}, kFrom, kTo);
    EXPECT_DOUBLE_EQ(made.chain[0].changes[0].values.at("open_db"), -30);
    EXPECT_DOUBLE_EQ(made.chain[0].changes[0].values.at("floor_db"), -10);
}

} // namespace
} // namespace cask::session
