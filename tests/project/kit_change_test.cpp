// Another kit for a pattern that is played: as loud as before, and what no longer fits is named.
#include "core/graph/offline_render.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/measure/integrated_loudness.h"
#include "core/project/kit_change.h"
#include "core/project/offline_sources.h"
#include "core/project/source_energy.h"
#include "core/session/edits.h"
#include "core/session/session_store.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::project {
namespace {

namespace fs = std::filesystem;
using session::Id;

class KitChangeTest : public testing::Test {
  protected:
    KitChangeTest() {
        // Two kits: the second is lower, softer, and its snare hardly follows how hard it is struck.
        for (const char* kit : {"old", "new"})
            fs::create_directories(folder / kit);
        test::writeWav(folder / "old" / "Kick.wav", test::bursts(60, 10, 0, 0.1, 0.5));
        test::writeWav(folder / "old" / "Snare.wav", test::bursts(200, 10, 0, 0.06, 0.4));
        auto kick = test::bursts(48, 10, 0, 0.15, 0.6);
        auto snare = test::bursts(260, 10, 0, 0.03, 0.4);
        for (float& x : kick)
            x *= 0.3F;
        for (float& x : snare)
            x *= 0.2F;
        test::writeWav(folder / "new" / "Kick.wav", kick);
        test::writeWav(folder / "new" / "Snare.wav", snare);
        layers::Pattern pattern;
        pattern.tempi = {{0, 0, 120}};
        pattern.metres = {{0, 4, 4}};
        pattern.lengthBeats = 16;
        for (int i = 0; i < 16; ++i)
            pattern.strokes.push_back({0.5 * i, 1.0 * i, i % 2 == 0 ? 36 : 38, i % 4 == 3 ? 60 : 120, 9});
        const auto played = playPattern(pattern, "Beat", *kitFrom(folder / "old"), 48000, folder.path());
        EXPECT_TRUE(played);
        s = withPlayedKit(session::emptySession(), *played, &ids);
    }
    [[nodiscard]] Result<KitChange> plan() const {
        return planKitChange(s, folder.path(), ids.front(), *kitFrom(folder / "new"));
    }
    [[nodiscard]] double lufs(const session::Session& session, const graph::SourceLookup& lookup) const {
        std::vector<float> mix;
        EXPECT_TRUE(
            graph::renderOffline(session, lookup, {}, [&](int, std::span<const float> block) -> Status {
                mix.insert(mix.end(), block.begin(), block.end());
                return Done{};
            }));
        measure::IntegratedLoudness meter(48000, 2);
        meter.add(mix);
        return meter.lufs();
    }
    test::TempFolder folder;
    session::Session s;
    std::vector<Id> ids;
};

TEST_F(KitChangeTest, IsTriedAndTakenAsLoudAsTheOneBefore) {
    const auto change = plan();
    ASSERT_TRUE(change) << change.error().message;
    ASSERT_EQ(change->elements.size(), 2U);
    const auto before = openOfflineSources(s, folder.path());
    const double beforeLufs = lufs(s, before->lookup());
    const auto tried = withTriedKit(s, *change);
    const double triedLufs = lufs(tried, [&](Id file) -> std::shared_ptr<AudioSource> {
        for (const auto& one : change->elements)
            if (file == triedFileId(one.element))
                return one.source;
        return nullptr;
    });
    EXPECT_NEAR(triedLufs, beforeLufs, 0.3);
    const auto written = writeKitChange(s, folder.path(), *change);
    ASSERT_TRUE(written);
    const auto taken = withKitChange(s, *change, *written, false);
    const auto after = openOfflineSources(taken, folder.path());
    EXPECT_NEAR(lufs(taken, after->lookup()), triedLufs, 0.01) << "what was heard is what was taken";
    // Each by itself is as loud as it was; the pattern is the same.
    for (std::size_t i = 0; i < 2; ++i) {
        const auto fileOf = [&](const session::Session& session) {
            return session.element(ids[i])->channels.front().file;
        };
        EXPECT_NEAR(sourceEnergyDb(*after->lookup()(fileOf(taken)), 48000),
                    sourceEnergyDb(*before->lookup()(fileOf(s)), 48000), 0.01);
        const auto stack = layers::readStack(session::resolvePath(*taken.file(fileOf(taken)), folder.path()));
        EXPECT_EQ(stack->strikes.size(), 8U);
        EXPECT_EQ(stack->layers.front().sounds.front().file.parent_path().filename(), "new");
    }
}

TEST_F(KitChangeTest, WhatNoLongerFitsIsNamedWithWhatWould) {
    // The snare's soft hits are 13 dB under its hard ones: a threshold between both, and one for both.
    dsp::GateSettings gate;
    gate.openDb = -12;
    gate.closeDb = -18;
    const Id gateId = session::addModule(s, ids[1], gate);
    dsp::CompressorSettings fits;
    fits.thresholdDb = -60; // under every hit of both
    (void)session::addModule(s, ids[1], fits);
    dsp::EqBand atFundamental;
    atFundamental.frequencyHz = 200;
    atFundamental.q = 4;
    atFundamental.gainDb = -5;
    const Id band = session::addBand(s, ids[1], atFundamental);
    atFundamental.frequencyHz = 3000;
    (void)session::addBand(s, ids[1], atFundamental);
    const auto change = plan();
    ASSERT_TRUE(change);
    std::map<std::string, Misfit> found;
    for (const auto& misfit : change->misfits)
        found[misfit.value] = misfit;
    ASSERT_EQ(change->misfits.size(), found.size());
    ASSERT_TRUE(found.contains("frequency_hz"));
    EXPECT_EQ(found["frequency_hz"].item, band);
    EXPECT_NEAR(found["frequency_hz"].would, 260, 6);
    EXPECT_EQ(found["frequency_hz"].now, 200);
    EXPECT_FALSE(found.contains("threshold_db")) << "every hit is over it, as before";
    // A shorter sound as loud as a longer one has higher peaks: at the gate they are all louder.
    if (found.contains("open_db")) {
        const auto taken = withKitChange(s, *change, *writeKitChange(s, folder.path(), *change), true);
        const auto& set = std::get<dsp::GateSettings>(
            session::findModule<dsp::GateSettings>(taken.element(ids[1])->chain)->settings);
        EXPECT_EQ(set.openDb, found["open_db"].would);
        EXPECT_NEAR(set.openDb - set.closeDb, 6, 1e-9);
        EXPECT_EQ(found["open_db"].module, gateId);
        EXPECT_NE(found["open_db"].reason.find("of 8 hits"), std::string::npos);
    }
    const auto taken = withKitChange(s, *change, *writeKitChange(s, folder.path(), *change), true);
    const auto* eq = session::findEq(taken.element(ids[1])->chain, session::EqPlace::Repair);
    EXPECT_EQ(std::get<dsp::EqSettings>(eq->settings).bands.front().frequencyHz, found["frequency_hz"].would);
}

TEST_F(KitChangeTest, WhatWasAddedStaysAndWhatIsMissingIsSaid) {
    const auto file = s.element(ids[1])->channels.front().file;
    auto stack = *layers::readStack(session::resolvePath(*s.file(file), folder.path()));
    test::writeWav(folder / "Clap.wav", test::bursts(1500, 10, 0, 0.02, 0.2));
    stack.layers.push_back(layers::layerOf({folder / "Clap.wav"}));
    s = withChangedStacks(s, *writeEdited(s, folder.path(), file, stack));
    fs::remove(folder / "new" / "Kick.wav");
    const auto change = plan();
    ASSERT_TRUE(change);
    ASSERT_EQ(change->elements.size(), 1U);
    EXPECT_EQ(change->elements.front().element, ids[1]);
    ASSERT_EQ(change->elements.front().stack.layers.size(), 2U);
    EXPECT_EQ(change->elements.front().stack.layers.back().name, "Clap");
    EXPECT_EQ(change->elements.front().stack.layers.back().gainDb, 0);
    ASSERT_EQ(change->notes.size(), 1U);
    EXPECT_NE(change->notes.front().find("Kick"), std::string::npos);
    auto recorded = test::memoryKit({{test::noise(0.1, 4800, 1)}});
    EXPECT_FALSE(
        planKitChange(recorded.session, folder.path(), recorded.elements.front(), *kitFrom(folder / "new")));
}

} // namespace
} // namespace cask::project
