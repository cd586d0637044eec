// Sounds that are tried in a session are as loud as what they are compared with.
#include "core/graph/offline_render.h"
#include "core/measure/stack/stack_judge.h"
#include "core/project/offline_sources.h"
#include "core/project/played_files.h"
#include "core/project/sound_trial.h"
#include "core/session/edits.h"
#include "core/session/intake.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

namespace cask::project {
namespace {

constexpr double kRate = 48000;

class TrialTest : public testing::Test {
  protected:
    TrialTest() {
        const auto snare = test::bursts(180, 0.5, 0.25, 0.08, 6);
        test::writeWav(folder / "Snare.wav", snare);
        s = session::withFiles(session::emptySession(kRate), {{(folder / "Snare.wav").string(),
                                                               "Snare.wav",
                                                               static_cast<Frames>(snare.size()),
                                                               1,
                                                               kRate,
                                                               "WAV",
                                                               {}}});
        element = s.elements.front()->id;
        // The same stroke, a quarter as high; and something unlike it.
        auto one = test::bursts(180, 10, 0.01, 0.08, 0.5);
        for (float& x : one)
            x *= 0.25F;
        test::writeWav(folder / "Stroke.wav", one);
        test::writeWav(folder / "Other.wav", test::bursts(2500, 10, 0.02, 0.02, 0.5));
        std::vector<float> wide;
        for (const float x : test::bursts(700, 10, 0.02, 0.05, 0.5)) {
            wide.push_back(x);
            wide.push_back(-0.3F * x);
        }
        test::writeWav(folder / "Wide.wav", wide, 2);
        for (int i = 0; i < 12; ++i)
            strikes.push_back({0.25 + 0.5 * i, 127, "normal", -1});
    }
    Result<SoundTrial> tried(const char* name, TrialPlace place) {
        return trySound(s, folder.path(), {folder / name, place, element, strikes, 0});
    }
    /// Energy of the mix, dB, as BS.1770 weighs it.
    double heardDb(const session::Session& heard, const SoundTrial* trial) {
        const auto opened = openOfflineSources(heard, folder.path());
        measure::Sound mix(2);
        const auto done = graph::renderOffline(
            heard,
            [&](session::Id file) -> std::shared_ptr<AudioSource> {
                return trial != nullptr && file == trial->file ? trial->source : opened->lookup()(file);
            },
            {},
            [&](int, std::span<const float> block) -> Status {
                for (std::size_t n = 0; n < block.size(); ++n)
                    mix[n % 2].push_back(block[n]);
                return Done{};
            });
        EXPECT_TRUE(done);
        return linearToDb(std::sqrt(measure::weightedEnergy(mix, kRate)));
    }
    test::TempFolder folder;
    session::Session s;
    session::Id element = session::kNoId;
    std::vector<layers::Strike> strikes;
};

TEST_F(TrialTest, InItsPlaceItIsAsLoud) {
    const auto trial = tried("Stroke.wav", TrialPlace::Instead);
    ASSERT_TRUE(trial) << trial.error().message;
    EXPECT_NEAR(trial->soundDb, 12.04, 0.02) << "a quarter as high";
    for (const char* name : {"Stroke.wav", "Other.wav", "Wide.wav"}) {
        const auto one = tried(name, TrialPlace::Instead);
        const auto heard = one->change(s);
        EXPECT_EQ(heard.elements.size(), 1U);
        EXPECT_EQ(heard.element(element)->channels.front().file, one->file);
        EXPECT_NEAR(heardDb(heard, &*one), heardDb(s, nullptr), 0.05) << name;
    }
}

TEST_F(TrialTest, BesideItBothAreAsLoudAsBefore) {
    const auto same = tried("Stroke.wav", TrialPlace::With);
    ASSERT_TRUE(same);
    EXPECT_NEAR(same->elementDb, -6.02, 0.03) << "twice the same sound";
    for (const char* name : {"Stroke.wav", "Other.wav", "Wide.wav"}) {
        const auto one = tried(name, TrialPlace::With);
        const auto heard = one->change(s);
        ASSERT_EQ(heard.elements.size(), 2U);
        EXPECT_NEAR(heardDb(heard, &*one), heardDb(s, nullptr), 0.05) << name;
    }
    EXPECT_GT(tried("Other.wav", TrialPlace::With)->elementDb, -4.5) << "unlike sounds add up to 3 dB";
}

TEST_F(TrialTest, InAStackItIsOneLayerMore) {
    layers::Stack stack;
    stack.strikes = strikes;
    stack.layers = {layers::layerOf({folder / "Stroke.wav"})};
    const auto written = writeStack(stack, kRate, folder.path(), "Played");
    ASSERT_TRUE(written);
    auto with = session::withMadeElement(s, written->file, {"Played", Role::SnareTop, s.master().id, 4800});
    s = session::withoutElement(with.session, element);
    element = with.element;
    strikes.clear(); // its own strike it
    const auto trial = tried("Other.wav", TrialPlace::With);
    ASSERT_TRUE(trial) << trial.error().message;
    const auto heard = trial->change(s);
    ASSERT_EQ(heard.elements.size(), 1U);
    EXPECT_EQ(heard.elements.front()->startFrame, 4800);
    EXPECT_NEAR(heardDb(heard, &*trial), heardDb(s, nullptr), 0.05);
}

TEST_F(TrialTest, ByItselfEveryoneIsEquallyLoud) {
    const auto first =
        trySound(s, folder.path(), {folder / "Stroke.wav", TrialPlace::Alone, session::kNoId, {}, 1});
    const auto second =
        trySound(s, folder.path(), {folder / "Other.wav", TrialPlace::Alone, session::kNoId, {}, 0});
    ASSERT_TRUE(first && second);
    const double firstDb = heardDb(first->change(s), &*first);
    EXPECT_NEAR(firstDb, heardDb(second->change(s), &*second), 0.05);
    // One second at full scale on both sides, 24 dB down.
    EXPECT_NEAR(firstDb, linearToDb(std::sqrt(2 * kRate)) + kTrialAloneDb, 0.05);
    EXPECT_NEAR(first->toS, 1.5, 0.01);
    EXPECT_EQ(first->source->frames(), secondsToFrames(1.5, kRate));
}

TEST_F(TrialTest, WhatCantBeHeardIsSaid) {
    test::writeWav(folder / "Silent.wav", std::vector<float>(4800, 0.0F));
    for (const auto place : {TrialPlace::Alone, TrialPlace::Instead, TrialPlace::With}) {
        const auto silent = tried("Silent.wav", place);
        ASSERT_FALSE(silent);
        EXPECT_NE(silent.error().message.find("Silent.wav"), std::string::npos);
        EXPECT_FALSE(tried("None.wav", place));
    }
    strikes.clear();
    const auto none = tried("Stroke.wav", TrialPlace::Instead);
    ASSERT_FALSE(none);
    EXPECT_NE(none.error().message.find("Snare"), std::string::npos);
    EXPECT_FALSE(trySound(s, folder.path(), {folder / "Stroke.wav", TrialPlace::With, 9999, {}, 0}));
}

} // namespace
} // namespace cask::project
