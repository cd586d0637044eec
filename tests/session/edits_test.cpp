#include "core/session/edits.h"
#include "core/session/intake.h"

#include <gtest/gtest.h>

#include <set>

namespace cask::session {
namespace {

Session kitOf(const std::vector<std::string>& names) {
    std::vector<IntakeFile> files;
    for (const auto& name : names)
        files.push_back({"/k/" + name, name, 48000, 1, 48000, "WAV", std::nullopt});
    return withFiles(emptySession(), files);
}

Id named(const Session& s, const std::string& name) {
    for (const auto& e : s.elements)
        if (e->name == name)
            return e->id;
    for (const auto& b : s.buses)
        if (b->name == name)
            return b->id;
    return kNoId;
}

TEST(Edits, OneElementChangesAndTheRestIsShared) {
    const Session before = kitOf({"Kick.wav", "Snare.wav"});
    const Session after = withOutput(before, named(before, "Kick"), [](Output& out) { out.levelDb = -6; });
    EXPECT_FALSE(after.elements[0].sharesWith(before.elements[0]));
    EXPECT_TRUE(after.elements[1].sharesWith(before.elements[1]));
    EXPECT_EQ(before.elements[0]->out.levelDb, 0);
}

TEST(Edits, ARoleMovesAnElementToItsBusUnlessItWasPutElsewhere) {
    Session s = kitOf({"take 1.wav"});
    const Id e = s.elements[0]->id;
    s = withRole(s, e, Role::Overhead);
    EXPECT_EQ(s.nameOf(s.elements[0]->out.bus), "Cymbals");
    s = *withOutputBus(s, e, s.master().id);
    s = withRole(s, e, Role::SnareTop);
    EXPECT_EQ(s.nameOf(s.elements[0]->out.bus), "Master");
    EXPECT_EQ(s.elements[0]->roleConfidence, 1);
}

TEST(Edits, PairsJoinAndPart) {
    Session s = kitOf({"Left mic.wav", "Other.wav"});
    auto joined = withPairJoined(s, s.elements[0]->id, s.elements[1]->id);
    ASSERT_TRUE(joined);
    ASSERT_EQ(joined->elements.size(), 1U);
    EXPECT_TRUE(joined->elements[0]->isStereo());
    addBand(*joined, joined->elements[0]->id, {});
    const auto parted = withPairParted(*joined, joined->elements[0]->id);
    ASSERT_TRUE(parted);
    ASSERT_EQ(parted->elements.size(), 2U);
    EXPECT_EQ(parted->elements[0]->out.pan, -1);
    EXPECT_EQ(parted->elements[1]->out.pan, 1);
    std::set<Id> ids;
    for (const auto& e : parted->elements)
        for (const auto& m : e->chain) {
            EXPECT_TRUE(ids.insert(m.id).second);
            for (const auto& b : std::get<dsp::EqSettings>(m.settings).bands)
                EXPECT_TRUE(ids.insert(b.id).second);
        }
    EXPECT_FALSE(withPairParted(*parted, parted->elements[0]->id));
}

TEST(Edits, APairKeepsHowItsSidesStoodAndGivesItBack) {
    Session s = kitOf({"Left mic.wav", "Other.wav"});
    s = withElement(s, s.elements[0]->id, [](Element& e) { e.input.shiftMs = 4; });
    s = withElement(s, s.elements[1]->id, [](Element& e) {
        e.input.shiftMs = -20;
        e.input.isInverted = true;
    });
    const auto joined = withPairJoined(s, s.elements[0]->id, s.elements[1]->id);
    ASSERT_TRUE(joined);
    const auto& input = joined->elements[0]->input;
    EXPECT_DOUBLE_EQ(shiftMsOf(input, 0), 4);
    EXPECT_DOUBLE_EQ(shiftMsOf(input, 1), -20);
    EXPECT_FALSE(isInverted(input, 0));
    EXPECT_TRUE(isInverted(input, 1));
    const auto parted = withPairParted(*joined, joined->elements[0]->id);
    ASSERT_TRUE(parted);
    EXPECT_EQ(parted->elements[0]->input, s.elements[0]->input);
    EXPECT_EQ(parted->elements[1]->input, s.elements[1]->input);
    s = withElement(s, s.elements[1]->id, [](Element& e) { e.input.shiftMs = -120; });
    EXPECT_FALSE(withPairJoined(s, s.elements[0]->id, s.elements[1]->id));
}

TEST(Edits, RemovingAnElementDropsTheFileThatNobodyElseUses) {
    Session s =
        withFiles(emptySession(), {{"/k/multi.wav", "multi.wav", 100, 4, 48000, "WAV", std::nullopt}});
    ASSERT_EQ(s.elements.size(), 4U);
    for (int left = 3; left >= 0; --left) {
        s = withoutElement(s, s.elements[0]->id);
        EXPECT_EQ(s.files.size(), left > 0 ? 1U : 0U);
    }
}

TEST(Edits, BandsComeAndGo) {
    Session s = kitOf({"Kick.wav"});
    const Id kick = s.elements[0]->id;
    const Id band = addBand(s, kick, {0, dsp::FilterKind::Bell, true, 60, 3, 1, 24});
    addBand(s, kick, {});
    ASSERT_EQ(s.elements[0]->chain.size(), 1U) << "the second band goes into the same equaliser";
    s = withBand(s, kick, band, [](dsp::EqBand& b) { b.gainDb = -3; });
    EXPECT_EQ(std::get<dsp::EqSettings>(s.elements[0]->chain[0].settings).bands[0].gainDb, -3);
    s = withoutBand(s, kick, band);
    EXPECT_EQ(std::get<dsp::EqSettings>(s.elements[0]->chain[0].settings).bands.size(), 1U);
}

TEST(Untouched, DropsWhatTheUserDidAndKeepsWhoIsHeard) {
    Session s = kitOf({"OH L.wav", "Snare.wav"});
    const Id snare = named(s, "Snare");
    addBand(s, snare, {});
    s = withOutput(s, snare, [](Output& out) {
        out.levelDb = -9;
        out.pan = 0.5;
        out.isAlone = true;
    });
    s = withElement(s, snare, [](Element& e) { e.input.isInverted = true; });
    const Session files = untouched(s, Untouched::FilesAsTheyCame);
    const Element& plain = *files.element(snare);
    EXPECT_TRUE(plain.chain.empty());
    EXPECT_EQ(plain.input, InputSettings{});
    EXPECT_EQ(plain.out.levelDb, 0);
    EXPECT_EQ(plain.out.pan, 0);
    EXPECT_TRUE(plain.out.isAlone);
    EXPECT_EQ(files.element(named(s, "OH L"))->out.pan, -1) << "half a pair stays on its side";
    const Session balance = untouched(s, Untouched::NoProcessing);
    EXPECT_TRUE(balance.element(snare)->chain.empty());
    EXPECT_EQ(balance.element(snare)->out.levelDb, -9);
}

} // namespace
} // namespace cask::session
