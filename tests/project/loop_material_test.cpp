// A loop of a session as an element of its pieces, heard as the session renders it.
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/measure/hits/loop_hits.h"
#include "core/project/loop_material.h"
#include "core/session/edits.h"
#include "core/session/parameter_path.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

class LoopMaterial : public testing::Test {
  protected:
    LoopMaterial() {
        for (unsigned side = 0; side < 2; ++side)
            sound.push_back(test::noise(0.3, 3 * 48000, 7 + side));
        kit = test::memoryKit({sound});
        s = kit.session;
        loop = kit.elements.front();
        s = session::withElement(s, loop, [](session::Element& e) {
            e.name = "Break";
            e.role = Role::Loop;
            e.startFrame = 24000;
            e.input.shiftMs = 3;
            e.out.levelDb = -4;
        });
        (void)session::addModule(s, loop, dsp::GateSettings{});
        hits.elements = {loop};
        hits.hits.inputs = 1;
        hits.hits.kit.drumOf = {-1};
        hits.hits.kit.loops = {0};
        for (int i = 0; i < 12; ++i)
            addHit(0.5 + 0.003 + 0.25 * i, i % 2 == 0 ? measure::LoopDrum::Kick : measure::LoopDrum::Hat);
    }
    void addHit(double timeS, measure::LoopDrum drum) {
        const int d = measure::loopDrumIn(hits.hits.kit, 0, "Break", drum);
        hits.hits.heard.push_back({0, d, static_cast<int>(hits.hits.strokes.size()), true, timeS, -6, 1});
        hits.hits.strokes.push_back({d, timeS, -6, 0, measure::HitClass::Normal, 1});
    }
    std::vector<std::vector<float>> played(const CutLoop& cut) const {
        const auto stack = layers::readStack(folder / fs::path(cut.written.file.path));
        const auto source = layers::StackSource::make(*stack, 48000);
        std::vector<std::vector<float>> out(2);
        for (int c = 0; c < 2; ++c) {
            out[static_cast<std::size_t>(c)].resize(static_cast<std::size_t>((*source)->frames()));
            (void)(*source)->read(c, 0, out[static_cast<std::size_t>(c)]);
        }
        return out;
    }
    test::TempFolder folder;
    std::vector<std::vector<float>> sound;
    test::MemoryKit kit;
    session::Session s;
    session::Id loop = session::kNoId;
    kit::HitAnalysis hits;
};

TEST_F(LoopMaterial, PlaysWhatTheLoopPlayedBothSidesAtItsPlace) {
    const auto cut = cutLoop(s, hits, kit.lookup, folder.path(), {loop, 0, 0, {}, {}});
    ASSERT_TRUE(cut) << cut.error().message;
    EXPECT_EQ(cut->plan.pieces.size(), 12U);
    EXPECT_EQ(cut->plan.made.stack.layers.size(), 2U);
    const auto out = played(*cut);
    for (std::size_t c = 0; c < 2; ++c)
        for (std::size_t n = 0; n < 3 * 48000 - 200; ++n) // 3 ms later than the file, as it was heard
            ASSERT_NEAR(out[c][24000 + 144 + n], sound[c][n], 1e-6) << c << " " << n;
    const auto with = withCutLoop(s, *cut, loop, true);
    const auto& made = *with.session.element(with.element);
    EXPECT_EQ(made.name, "Break cut");
    EXPECT_EQ(made.role, Role::Loop);
    EXPECT_EQ(made.startFrame, 0);
    EXPECT_EQ(made.input.shiftMs, 0);
    EXPECT_EQ(made.out.levelDb, -4);
    ASSERT_EQ(made.chain.size(), 1U);
    EXPECT_NE(made.chain.front().id, s.element(loop)->chain.front().id);
    EXPECT_FALSE(made.out.isMuted);
    EXPECT_TRUE(with.session.element(loop)->out.isMuted);
    // Its pieces are its hits, by drum.
    const auto given = givenHits(cut->plan.made.stack);
    ASSERT_EQ(given.size(), 12U);
    EXPECT_EQ(given[0].drum, "kick");
    EXPECT_EQ(given[1].drum, "hat");
    EXPECT_NEAR(given[1].timeS, 0.753, 2e-5);
}

TEST_F(LoopMaterial, ANameThatMeansSomethingToAFolderOrAKitIsNoTrouble) {
    s = session::withElement(s, loop, [](session::Element& e) { e.name = "Tom 1/2 key=9 // low"; });
    hits.hits.kit = {};
    hits.hits.kit.drums.push_back({"Tom 1/2 key=9 // low", Role::RackTom, {0}});
    hits.hits.kit.drumOf = {0};
    for (auto& heard : hits.hits.heard)
        heard.drum = 0;
    for (auto& stroke : hits.hits.strokes)
        stroke.drum = 0;
    const auto cut = cutLoop(s, hits, kit.lookup, folder.path(), {loop, 0, 0, {}, {}});
    ASSERT_TRUE(cut) << cut.error().message;
    const auto out = played(*cut);
    for (std::size_t n = 0; n < 2 * 48000; ++n)
        ASSERT_NEAR(out[0][24000 + 144 + n], sound[0][n], 1e-6) << n;
}

TEST_F(LoopMaterial, AStretchOfItAlone) {
    LoopWish wish{loop, 1.25, 2.24, {}, "Two"};
    wish.fit.dropped = {"kick"};
    const auto cut = cutLoop(s, hits, kit.lookup, folder.path(), wish);
    ASSERT_TRUE(cut) << cut.error().message;
    EXPECT_EQ(cut->plan.pieces.size(), 4U);
    EXPECT_EQ(cut->plan.made.dropped, 2);
    EXPECT_NEAR(cut->plan.hitS[0], 1.253, 2e-5);
    const auto out = played(*cut);
    EXPECT_EQ(out[0][static_cast<std::size_t>(1.2 * 48000)], 0.0F);
    const auto at = [&](double timeS) { return static_cast<std::size_t>(std::lround(timeS * 48000)); };
    EXPECT_NEAR(out[0][at(1.253)], sound[0][at(0.75)], 1e-6);
    EXPECT_EQ(out[0][at(1.6)], 0.0F) << "a kick";
}

TEST_F(LoopMaterial, WhatCantBeLeavesNothingBehind) {
    const auto isEmpty = [&] {
        const fs::path layersFolder = folder / "layers";
        return !fs::exists(layersFolder) || fs::is_empty(layersFolder);
    };
    LoopWish wish{loop, 0, 0, {}, {}};
    wish.fit.bpm = 90; // no tempo was found
    EXPECT_FALSE(cutLoop(s, hits, kit.lookup, folder.path(), wish));
    EXPECT_TRUE(isEmpty());
    EXPECT_FALSE(cutLoop(s, hits, kit.lookup, folder.path(), {loop, 0, 0.4, {}, {}})) << "before it begins";
    CancelToken cancel;
    cancel.cancel();
    EXPECT_FALSE(cutLoop(s, hits, kit.lookup, folder.path(), {loop, 0, 0, {}, {}}, cancel));
    EXPECT_TRUE(isEmpty());
    // Twice under one name: two of each.
    ASSERT_TRUE(cutLoop(s, hits, kit.lookup, folder.path(), {loop, 0, 0, {}, {}}));
    ASSERT_TRUE(cutLoop(s, hits, kit.lookup, folder.path(), {loop, 0, 0, {}, {}}));
    EXPECT_TRUE(fs::exists(folder / "layers" / "Break cut pieces 2" / "kit 1.sfz"));
}

} // namespace
} // namespace cask::project
