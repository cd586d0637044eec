// A stack looked at: extents, notes, purposes and places whose answers are known.
#include "core/layers/stack_look.h"
#include "core/layers/strike_edits.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::layers {
namespace {

class StackLookTest : public testing::Test {
  protected:
    StackLookTest() {
        test::writeWav(folder / "Low.wav", test::bursts(55, 10, 0.01, 0.2, 0.5));
        std::vector<float> click(2400, 0.0F);
        for (std::size_t n = 480; n < 720; ++n)
            click[n] = 0.3F * std::cos(static_cast<float>(n)) * std::exp(-static_cast<float>(n - 480) / 60);
        test::writeWav(folder / "Click.wav", click);
        stack.strikes = {{0.5, 60, "ghost", -1}, {1, 127, "accent", -1}, {1.5, 100, "normal", -1}};
        stack.layers = {layerOf({folder / "Low.wav"}), layerOf({folder / "Click.wav"})};
    }
    test::TempFolder folder;
    Stack stack;
};

TEST_F(StackLookTest, OneStrikeThroughEachLayer) {
    stack.layers[1].rule.kind = StrikeKind::Accents;
    stack.layers[1].offsetMs = 5;
    const auto look = lookAtStack(stack, 48000);
    EXPECT_EQ(look.strike, 1U) << "where most layers play";
    ASSERT_EQ(look.sounds.size(), 2U);
    EXPECT_NEAR(look.notesHz[0], 55, 0.5);
    EXPECT_EQ(look.notesHz[1], 0);
    // 480 frames lie before the click's transient, which comes 5 ms behind the strike.
    EXPECT_NEAR(look.extents[1].fromMs, 5 - 10, 0.1);
    EXPECT_NEAR(look.extents[1].toMs - look.extents[1].fromMs, 50, 0.01);
    EXPECT_EQ(look.judged.lowEndOwner, 0);
    stack.layers[0].isOn = false;
    const auto without = lookAtStack(stack, 48000);
    EXPECT_TRUE(without.sounds[0].empty());
    EXPECT_EQ(without.extents[0].toMs, 0);
    EXPECT_TRUE(lookAtStack({}, 48000).sounds.empty());
}

TEST_F(StackLookTest, ALayerOfAnotherNoteIsSeenButInNoSum) {
    stack.strikes = {{0.5, 100, "normal", 38}, {1, 100, "normal", 38}, {1.5, 90, "normal", 36}};
    test::writeWav(folder / "own.wav", test::bursts(180, 10, 0.001, 0.06, 0.4));
    test::writeWav(folder / "other.wav", test::bursts(60, 10, 0.001, 0.1, 0.4));
    Layer own = layerOf({folder / "own.wav"});
    own.rule.lowNote = own.rule.highNote = 38;
    Layer other = layerOf({folder / "other.wav"});
    other.rule.lowNote = other.rule.highNote = 36;
    stack.layers = {own, other};
    const auto look = lookAtStack(stack, 48000);
    ASSERT_EQ(look.judged.layers.size(), 2U);
    EXPECT_FALSE(look.sounds[1].empty());
    EXPECT_GT(look.judged.layers[0].peakDb, -20);
    EXPECT_LE(look.judged.layers[1].peakDb, kSilenceDb) << "never struck with the other";
    EXPECT_EQ(look.judged.strongest, 0);
    EXPECT_NE(look.judged.lowEndOwner, 1);
    // A louder strike is looked at, but not one of spill.
    stack.strikes.back().velocity = 127;
    EXPECT_EQ(lookAtStack(stack, 48000).strike, 2U);
    stack.layers.back().isSpill = true;
    EXPECT_EQ(lookAtStack(stack, 48000).strike, 0U);
}

TEST_F(StackLookTest, ALayerIsJudgedByWhatItIsThereFor) {
    const auto judged = lookAtStack(stack, 48000).judged;
    EXPECT_FALSE(purposeVerdict(LayerPurpose::Any, judged, 0));
    EXPECT_TRUE(purposeVerdict(LayerPurpose::Lows, judged, 0)->isMet);
    EXPECT_GT(purposeVerdict(LayerPurpose::Lows, judged, 0)->share, 0.95);
    EXPECT_FALSE(purposeVerdict(LayerPurpose::Lows, judged, 1)->isMet);
    EXPECT_TRUE(purposeVerdict(LayerPurpose::Tail, judged, 0)->isMet);
    EXPECT_FALSE(purposeVerdict(LayerPurpose::Tail, judged, 1)->isMet);
    EXPECT_TRUE(purposeVerdict(LayerPurpose::Texture, judged, 1)->isMet) << "nothing else is above 1 kHz";
    EXPECT_FALSE(purposeVerdict(LayerPurpose::Texture, judged, 0)->isMet);
}

TEST_F(StackLookTest, CentsAreOfTheNearestOctave) {
    EXPECT_NEAR(centsFromOctave(110, 55), 0, 1e-9);
    EXPECT_NEAR(centsFromOctave(103, 50), 1200 * std::log2(103.0 / 100), 1e-9);
    EXPECT_NEAR(centsFromOctave(48, 100), 1200 * std::log2(96.0 / 100), 1e-9);
}

TEST(StrikeEdits, AreOfTheStrikesAsTheyWere) {
    using Kind = StrikeEdit::Kind;
    Stack stack;
    stack.strikes = {{1, 100, "normal", 36},
                     {1.02, 30, "ghost", 38},
                     {2, 90, "normal", 36},
                     {3, 125, "accent", 36},
                     {4, 110, "normal", 36}};
    int applied = 0;
    const auto edited = withStrikeEdits(stack,
                                        {{Kind::Move, 1.001, 1.01, {}}, // beside what the next one means
                                         {Kind::Remove, 2.008, 0, {}},  // now nearer to the one that moved
                                         {Kind::Class, 4, 0, "accent"},
                                         {Kind::Add, 2.5, 0, {}},
                                         {Kind::Remove, 3.5, 0, {}}}, // nothing is near
                                        &applied);
    EXPECT_EQ(applied, 4);
    ASSERT_EQ(edited.strikes.size(), 5U);
    EXPECT_EQ(edited.strikes[0].timeS, 1.02);
    EXPECT_EQ(edited.strikes[1].timeS, 2.01) << "moved, not removed";
    EXPECT_EQ(edited.strikes[2].timeS, 2.5);
    EXPECT_EQ(edited.strikes[2].velocity, 100) << "the middle of 90, 100 and 110";
    EXPECT_EQ(edited.strikes[2].note, 36) << "that most have";
    EXPECT_EQ(edited.strikes[4].velocity, 125) << "as loud as accents are";
    EXPECT_EQ(withStrikeEdits({}, {{Kind::Add, 0.5, 0, "ghost"}}).strikes.front().velocity, 40);
}

TEST_F(StackLookTest, TheBestPlaceIsFoundAndKept) {
    stack.layers[1] = layerOf({folder / "Low.wav"});
    stack.layers[1].offsetMs = -3;
    stack.layers[1].isInverted = true;
    stack.layers[1].isOn = false; // it is tried all the same
    const auto place = bestPlaceOf(stack, 1, 48000);
    ASSERT_TRUE(place && *place);
    const Layer kept = placed(stack.layers[1], **place);
    EXPECT_NEAR(kept.offsetMs, 0, 0.15) << "within 0.02 dB of the best, of a low tone";
    EXPECT_FALSE(kept.isInverted);
    EXPECT_EQ((*place)->strikes, 3);
    stack.layers[0].isOn = false;
    EXPECT_FALSE(*bestPlaceOf(stack, 1, 48000)) << "there is nothing to lie under";
    stack.layers[0] = layerOf({folder / "None.wav"});
    EXPECT_FALSE(bestPlaceOf(stack, 1, 48000));
}

} // namespace
} // namespace cask::layers
