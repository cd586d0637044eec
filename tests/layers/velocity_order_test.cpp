// One-shots put by how hard they were struck.
#include "core/base/units.h"
#include "core/layers/velocity_order.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

namespace cask::layers {
namespace {

/// The names of the sounds for a velocity.
std::vector<std::string> namesFor(const std::vector<LayerSound>& sounds, double velocity) {
    std::vector<std::string> names;
    for (const auto& sound : sounds)
        if (velocity >= sound.lowVelocity && velocity <= sound.highVelocity)
            names.push_back(sound.file.stem().string());
    return names;
}
using Names = std::vector<std::string>;

TEST(VelocityOrder, LouderSoundsAreForHarderStrokesAndGainsMakeUpForTheirLevel) {
    const auto sounds =
        byVelocity({{"hard.wav", -10}, {"soft.wav", -34}, {"middle b.wav", -20}, {"middle a.wav", -21}});
    EXPECT_EQ(namesFor(sounds, 1), Names{"soft"});
    EXPECT_EQ(namesFor(sounds, 42), Names{"soft"});
    EXPECT_EQ(namesFor(sounds, 43), (Names{"middle a", "middle b"})) << "within 1.5 dB: alternates";
    EXPECT_EQ(namesFor(sounds, 84), (Names{"middle a", "middle b"}));
    EXPECT_EQ(namesFor(sounds, 85), Names{"hard"});
    EXPECT_EQ(namesFor(sounds, 127), Names{"hard"});
    for (double velocity = 0; velocity <= 127; velocity += 1.0 / 64)
        ASSERT_FALSE(namesFor(sounds, velocity).empty()) << velocity;
    EXPECT_EQ(sounds[0].gainDb, 24);
    EXPECT_EQ(sounds[1].gainDb, 11);
    EXPECT_EQ(sounds[2].gainDb, 10);
    EXPECT_EQ(sounds[3].gainDb, 0);
}

TEST(VelocityOrder, SoundsThatAreAsLoudAreAlternatesUnlessTheirNamesSayMore) {
    const auto plain = byVelocity({{"Snare b.wav", -10}, {"Snare a.wav", -10.5}, {"Five4.wav", -11}});
    EXPECT_EQ(namesFor(plain, 3).size(), 3U);
    EXPECT_EQ(namesFor(plain, 127).size(), 3U);
    EXPECT_EQ(plain[0].gainDb, 0) << "they stay as they are";
    const auto named =
        byVelocity({{"Snare_v3.wav", -10}, {"Snare vel 1.wav", -10}, {"Snare-Velocity02.wav", -10.5}});
    EXPECT_EQ(namesFor(named, 1), Names{"Snare vel 1"});
    EXPECT_EQ(namesFor(named, 64), Names{"Snare-Velocity02"});
    EXPECT_EQ(namesFor(named, 127), Names{"Snare_v3"});
    EXPECT_EQ(named[1].gainDb, 0.5);
    EXPECT_TRUE(byVelocity(std::vector<MeasuredSound>{}).empty());
    EXPECT_EQ(byVelocity({{"One.wav", kSilenceDb}}).front().gainDb, 0);
}

TEST(VelocityOrder, WordsForHowHardAStrokeWasDecide) {
    // Alternates of one strength stay together, however far their levels lie apart.
    const auto sounds = byVelocity({{"BD ff 1.wav", -10},
                                    {"BD ff 2.wav", -14},
                                    {"BD pp 1.wav", -30},
                                    {"BD pp 2.wav", -26},
                                    {"BD mf.wav", -13}});
    EXPECT_EQ(namesFor(sounds, 20), (Names{"BD pp 1", "BD pp 2"}));
    EXPECT_EQ(namesFor(sounds, 64), Names{"BD mf"});
    EXPECT_EQ(namesFor(sounds, 120), (Names{"BD ff 2", "BD ff 1"}));
    EXPECT_EQ(sounds[0].gainDb, 20);
    const auto folders = byVelocity({{"Snare/Hard/01.wav", -10}, {"Snare/Soft/02.wav", -10}});
    EXPECT_EQ(namesFor(folders, 20), Names{"02"});
    EXPECT_EQ(namesFor(byVelocity({{"Tom f.wav", -30}, {"Tom x.wav", -10}}), 20), Names{"Tom f"})
        << "not all say it";
    EXPECT_EQ(namesFor(byVelocity({{"Tom f a.wav", -30}, {"Tom f b.wav", -10}}), 20), Names{"Tom f a"})
        << "all say the same";
}

TEST(VelocityOrder, NumbersOfVelocitiesThatFallWithTheLevelAreOfSomethingElse) {
    const auto rising = byVelocity({{"Snare v1 rr1.wav", -30},
                                    {"Snare v1 rr2.wav", -27},
                                    {"Snare v2 rr1.wav", -11},
                                    {"Snare v2 rr2.wav", -8}});
    EXPECT_EQ(namesFor(rising, 20), (Names{"Snare v1 rr1", "Snare v1 rr2"}));
    EXPECT_EQ(namesFor(rising, 100), (Names{"Snare v2 rr1", "Snare v2 rr2"}));
    const auto falling = byVelocity({{"Kick v1.wav", -10}, {"Kick v2.wav", -30}});
    EXPECT_EQ(namesFor(falling, 20), Names{"Kick v2"});
}

TEST(VelocityOrder, FilesAreMeasured) {
    const test::TempFolder folder;
    auto soft = test::bursts(200, 10, 0, 0.06, 0.4);
    test::writeWav(folder / "x.wav", soft);
    for (float& sample : soft)
        sample *= 0.25F;
    test::writeWav(folder / "y.wav", soft);
    const auto sounds = byVelocity({folder / "x.wav", folder / "y.wav"});
    ASSERT_TRUE(sounds) << sounds.error().message;
    EXPECT_EQ(namesFor(*sounds, 30), Names{"y"});
    EXPECT_EQ(namesFor(*sounds, 100), Names{"x"});
    EXPECT_NEAR((*sounds)[0].gainDb, linearToDb(4), 0.01);
    const auto none = byVelocity({folder / "z.wav"});
    ASSERT_FALSE(none);
    EXPECT_NE(none.error().message.find("z.wav"), std::string::npos);
}

} // namespace
} // namespace cask::layers
