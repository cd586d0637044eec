// Stacks as sound, against answers that are known.
#include "core/layers/chance.h"
#include "core/layers/stack_source.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <set>

namespace cask::layers {
namespace {

constexpr double kRate = 48000;

class StackTest : public testing::Test {
  protected:
    /// A click of that height behind some silence, and a little silence behind it.
    std::filesystem::path click(const std::string& name, float height, std::size_t before = 0) {
        std::vector<float> x(before + 100, 0.0F);
        x[before] = height;
        test::writeWav(folder / name, x);
        return folder / name;
    }
    static Stack stackOf(std::vector<Strike> strikes, Layer layer) {
        Stack stack;
        stack.strikes = std::move(strikes);
        stack.layers = {std::move(layer)};
        return stack;
    }
    static std::vector<float> play(const Stack& stack, int channel = 0) {
        const auto source = StackSource::make(stack, kRate);
        EXPECT_TRUE(source) << source.error().message;
        std::vector<float> out(static_cast<std::size_t>((*source)->frames()));
        EXPECT_TRUE((*source)->read(channel, 0, out));
        return out;
    }
    /// Heights of what is not silent, by frame.
    static std::map<Frames, float> peaksOf(const std::vector<float>& x) {
        std::map<Frames, float> peaks;
        for (std::size_t n = 0; n < x.size(); ++n)
            if (x[n] != 0)
                peaks[static_cast<Frames>(n)] = x[n];
        return peaks;
    }
    std::filesystem::path kit(const std::string& text) {
        std::ofstream(folder / "kit.sfz") << text;
        return folder / "kit.sfz";
    }
    test::TempFolder folder;
};

TEST_F(StackTest, EveryStrikeIsPlayedAtItsFrameAndLevel) {
    Layer layer;
    layer.sounds = {{click("c.wav", 0.5F, 480)}};
    std::vector<Strike> strikes;
    for (int i = 0; i < 200; ++i)
        strikes.push_back({0.05 + 0.0731 * i, 127.0 * (1 + i % 8) / 8});
    const auto peaks = peaksOf(play(stackOf(strikes, layer)));
    ASSERT_EQ(peaks.size(), strikes.size()) << "every one, none twice";
    for (const auto& strike : strikes) {
        const auto found = peaks.find(std::llround(strike.timeS * kRate));
        ASSERT_NE(found, peaks.end()) << strike.timeS;
        EXPECT_NEAR(linearToDb(static_cast<double>(found->second)),
                    linearToDb(0.5) + levelDbOf(strike.velocity), 0.001);
    }
    layer.offsetMs = -10; // early, so that the first one's silence begins before the stack does
    layer.isInverted = true;
    layer.followPercent = 50;
    const auto early = peaksOf(play(stackOf(strikes, layer)));
    ASSERT_EQ(early.size(), strikes.size());
    EXPECT_EQ(early.begin()->first, 2400 - 480);
    EXPECT_NEAR(static_cast<double>(early.begin()->second), -0.5 * dbToLinear(0.5 * levelDbOf(127.0 / 8)),
                1e-6);
    layer.startMs = 6; // what is cut off before the transient leaves it on the strike
    EXPECT_EQ(peaksOf(play(stackOf(strikes, layer))).begin()->first, 2400 - 480);
    layer.startMs = 0;
    layer.atTransient = false;
    EXPECT_EQ(peaksOf(play(stackOf(strikes, layer))).begin()->first, 2400);
}

TEST_F(StackTest, SameBitsWhateverIsReadFirstAndInWhichBlocks) {
    test::writeWav(folder / "a.wav", test::noise(0.3, 9000, 1));
    test::writeWav(folder / "b.wav", test::noise(0.3, 24000, 2), 2);
    Layer layer;
    layer.sounds = {{folder / "a.wav"}, {folder / "b.wav"}};
    layer.alternatesByChance = true;
    layer.levelSpreadDb = 3;
    layer.pan = 0.3;
    std::vector<Strike> strikes;
    for (int i = 0; i < 60; ++i)
        strikes.push_back({0.031 * i, 60.0 + i});
    const auto source = StackSource::make(stackOf(strikes, layer), kRate);
    ASSERT_TRUE(source);
    EXPECT_EQ((*source)->channels(), 2);
    const auto length = static_cast<std::size_t>((*source)->frames());
    for (const int channel : {0, 1}) {
        std::vector<float> whole(length);
        (void)(*source)->read(channel, 0, whole);
        for (const std::size_t block : {std::size_t{1}, std::size_t{7}, std::size_t{64}, std::size_t{4096}}) {
            std::vector<float> parts(length);
            // Backwards: nothing may depend on what was read before.
            for (std::size_t at = (length - 1) / block * block;; at -= block) {
                (void)(*source)->read(channel, static_cast<Frames>(at),
                                      std::span(parts).subspan(at, std::min(block, length - at)));
                if (at == 0)
                    break;
            }
            EXPECT_EQ(parts, whole) << block;
        }
        std::vector<float> around(200);
        (void)(*source)->read(channel, -100, around);
        EXPECT_TRUE(std::all_of(around.begin(), around.begin() + 100, [](float x) { return x == 0; }));
        EXPECT_TRUE(std::equal(around.begin() + 100, around.end(), whole.begin()));
    }
}

TEST_F(StackTest, AlternatesComeInTurnByVelocity) {
    Layer layer;
    layer.sounds = {
        {click("1.wav", 0.1F), 0, 63}, {click("2.wav", 0.2F), 64, 127}, {click("3.wav", 0.3F), 64, 127}};
    layer.followPercent = 0;
    const auto peaks = peaksOf(
        play(stackOf({{0.1, 100}, {0.2, 100}, {0.3, 20}, {0.4, 100}, {0.5, 63.5}, {0.6, 100}}, layer)));
    const std::vector<float> wanted = {0.2F, 0.3F, 0.1F, 0.2F, 0.3F};
    std::vector<float> heard;
    for (const auto& [frame, height] : peaks)
        heard.push_back(height);
    ASSERT_EQ(heard.size(), wanted.size()) << "no sound is there for 63.5";
    for (std::size_t i = 0; i < wanted.size(); ++i)
        EXPECT_NEAR(heard[i], wanted[i], 1e-6) << i;
}

TEST_F(StackTest, RulesChooseStrikes) {
    std::vector<Strike> strikes;
    for (int i = 0; i < 12; ++i)
        strikes.push_back({0.5 * i, 10.0 * (i + 1), i % 3 == 0 ? "accent" : i % 3 == 1 ? "ghost" : "normal"});
    using Chosen = std::vector<std::size_t>;
    LayerRule rule;
    rule.kind = StrikeKind::Accents;
    EXPECT_EQ(strikesOf(rule, strikes), (Chosen{0, 3, 6, 9}));
    rule.every = 2;
    rule.first = 2;
    EXPECT_EQ(strikesOf(rule, strikes), (Chosen{3, 9}));
    rule = {};
    rule.kind = StrikeKind::NoGhosts;
    rule.lowVelocity = 30;
    rule.highVelocity = 70;
    EXPECT_EQ(strikesOf(rule, strikes), (Chosen{2, 3, 5, 6}));
    rule = {};
    rule.fromS = 1;
    rule.toS = 2;
    EXPECT_EQ(strikesOf(rule, strikes), (Chosen{2, 3}));
    rule.every = 4; // of those that are left, so the first
    EXPECT_EQ(strikesOf(rule, strikes), (Chosen{2}));
    rule = {};
    rule.neverInRolls = true;
    strikes = {{0}, {0.5}, {0.55}, {0.6}, {0.65}, {1.5, 127, "roll"}, {2}};
    EXPECT_EQ(strikesOf(rule, strikes), (Chosen{0, 1, 4, 6})) << "both neighbours are near in a roll";
}

TEST_F(StackTest, ChanceIsEvenAndOfTheStrikeAlone) {
    const std::vector<Strike> strikes(20000);
    LayerRule rule;
    rule.chancePercent = 30;
    const auto chosen = strikesOf(rule, strikes);
    EXPECT_NEAR(static_cast<double>(chosen.size()), 6000, 4 * std::sqrt(20000 * 0.3 * 0.7));
    // The first half alone gives the same ones, another seed gives others.
    const auto half = strikesOf(rule, {strikes.begin(), strikes.begin() + 10000});
    EXPECT_TRUE(std::equal(half.begin(), half.end(), chosen.begin()));
    rule.seed = 2;
    EXPECT_NE(strikesOf(rule, strikes), chosen);
    std::array<int, 10> bins{};
    for (std::uint64_t i = 0; i < 20000; ++i)
        ++bins[static_cast<std::size_t>(10 * chanceOf(7, i))];
    for (const int count : bins)
        EXPECT_NEAR(count, 2000, 4 * std::sqrt(20000 * 0.1 * 0.9));
}

TEST_F(StackTest, AKitChokesTurnsAndFollowsVelocity) {
    test::writeWav(folder / "open.wav", std::vector<float>(48000, 0.5F));
    test::writeWav(folder / "closed.wav", std::vector<float>(480, 0.25F));
    (void)click("soft.wav", 0.1F);
    (void)click("a.wav", 0.2F);
    (void)click("b.wav", 0.3F);
    Layer layer;
    layer.atTransient = false;
    layer.kit = kit("<region> key=46 sample=open.wav group=1 off_by=2\n"
                    "<region> key=42 sample=closed.wav group=2 amp_veltrack=0\n"
                    "<region> key=38 sample=soft.wav hivel=63 amp_veltrack=0\n"
                    "<group> key=38 lovel=64 seq_length=2\n"
                    "<region> sample=a.wav seq_position=1\n<region> sample=b.wav seq_position=2\n");
    const auto hats = play(stackOf({{0, 127, "normal", 46}, {0.25, 90, "normal", 42}}, layer));
    constexpr std::size_t kChokedAt = 12000;
    constexpr std::size_t kFade = 288; // 6 ms
    for (std::size_t n = 0; n < kChokedAt; ++n)
        ASSERT_EQ(hats[n], 0.5F) << n;
    EXPECT_NEAR(hats[kChokedAt + kFade / 2], 0.25 + 0.25, 0.01)
        << "half of the open one under the closed one";
    for (std::size_t n = kChokedAt + kFade; n < kChokedAt + 480; ++n)
        ASSERT_EQ(hats[n], 0.25F) << n;
    for (std::size_t n = kChokedAt + 480; n < hats.size(); ++n)
        ASSERT_EQ(hats[n], 0) << n;
    const auto snare = peaksOf(play(stackOf({{0.1, 127, "normal", 38},
                                             {0.2, 50, "normal", 38},
                                             {0.3, 64, "normal", 38},
                                             {0.4, 127, "normal", 38}},
                                            layer)));
    ASSERT_EQ(snare.size(), 4U);
    EXPECT_NEAR(snare.at(4800), 0.2, 1e-6);
    EXPECT_NEAR(snare.at(9600), 0.1, 1e-6) << "soft, without tracking";
    EXPECT_NEAR(snare.at(14400), 0.3 * 64 * 64 / 127 / 127, 1e-6);
    EXPECT_NEAR(snare.at(19200), 0.2, 1e-6);
}

TEST_F(StackTest, LayersOfSoundsChokeEachOtherAndSoundsHaveTheirGains) {
    test::writeWav(folder / "open.wav", std::vector<float>(48000, 0.5F));
    Layer open;
    open.sounds = {{folder / "open.wav"}};
    open.atTransient = false;
    open.rule.notes = {46};
    open.chokedBy = 7;
    Layer closed;
    closed.sounds = {{click("soft.wav", 0.25F), 0, 63, 6}, {click("hard.wav", 0.25F), 63.1, 127, -6}};
    closed.atTransient = false;
    closed.followPercent = 0;
    closed.rule.notes = {42};
    closed.chokeGroup = 7;
    Stack stack;
    // The one that is struck with an open stroke does not end it, nor does another open one.
    stack.strikes = {{0.1, 127, "normal", 46},
                     {0.1, 20, "normal", 42},
                     {0.2, 127, "normal", 46},
                     {0.5, 127, "normal", 42}};
    for (const bool isOpenFirst : {true, false}) {
        stack.layers = isOpenFirst ? std::vector{open, closed} : std::vector{closed, open};
        const auto x = play(stack);
        EXPECT_NEAR(x[4800], 0.5 + 0.25 * dbToLinear(6), 1e-6) << "a soft stroke's own gain";
        for (std::size_t n = 9600; n < 24000; ++n)
            ASSERT_EQ(x[n], 1) << n;
        EXPECT_NEAR(x[24000], 1 + 0.25 * dbToLinear(-6), 1e-4);
        EXPECT_NEAR(x[24000 + 144], 0.5, 0.01) << "half of both";
        for (std::size_t n = 24000 + 288; n < x.size(); ++n)
            ASSERT_EQ(x[n], 0) << n;
    }
}

TEST_F(StackTest, SoundsAreCutPitchedFadedAndFiltered) {
    test::writeWav(folder / "tone.wav", test::sine(1000, 0.5, 1));
    Layer layer;
    layer.atTransient = false;
    layer.sounds = {{folder / "tone.wav"}};
    const std::vector<Strike> once = {{0}};
    const auto middle = [](const std::vector<float>& x) {
        return std::span(x).subspan(x.size() / 4, x.size() / 2);
    };
    layer.pitchCents = 1200;
    auto out = play(stackOf(once, layer));
    EXPECT_NEAR(static_cast<double>(out.size()), 24000, 2);
    EXPECT_NEAR(test::amplitudeAt(middle(out), 2000, kRate), 0.5, 0.005);
    layer.keepsLength = true;
    out = play(stackOf(once, layer));
    EXPECT_EQ(out.size(), 48000U);
    EXPECT_NEAR(test::amplitudeAt(middle(out), 2000, kRate), 0.5, 0.03);
    EXPECT_LT(test::amplitudeAt(middle(out), 1000, kRate), 0.01);
    layer.pitchCents = 0;
    layer.lowCutHz = 2000; // 24 dB per octave, Butterworth: 1 / sqrt(1 + 2^8) an octave under it
    EXPECT_NEAR(linearToDb(test::amplitudeAt(middle(play(stackOf(once, layer))), 1000, kRate) / 0.5),
                -10 * std::log10(1 + 256), 0.3);
    layer.lowCutHz = 0;
    layer.highCutHz = 500;
    EXPECT_NEAR(linearToDb(test::amplitudeAt(middle(play(stackOf(once, layer))), 1000, kRate) / 0.5),
                -10 * std::log10(1 + 256), 0.3);
    layer.highCutHz = 0;
    layer.startMs = 250;
    layer.endMs = 750;
    layer.fadeInMs = 100;
    out = play(stackOf(once, layer));
    EXPECT_EQ(out.size(), 24000U);
    EXPECT_NEAR(test::peakOf(std::span(out).subspan(2352, 96)), 0.25, 0.02) << "half way into the fade";
    layer.fadeInMs = 0;
    layer.holdMs = 100;
    layer.decayMs = 300;
    out = play(stackOf(once, layer));
    EXPECT_NEAR(test::peakOf(std::span(out).first(4800)), 0.5, 1e-3);
    EXPECT_NEAR(linearToDb(test::peakOf(std::span(out).subspan(4800 + 7200 - 24, 48)) / 0.5), -30, 0.5);
}

TEST_F(StackTest, WhatCantBePlayedIsNamed) {
    Layer layer;
    layer.name = "big";
    layer.sounds = {{folder / "none.wav"}};
    auto made = StackSource::make(stackOf({{0}}, layer), kRate);
    ASSERT_FALSE(made);
    EXPECT_NE(made.error().message.find("none.wav"), std::string::npos);
    layer.kit = folder / "none.sfz";
    EXPECT_FALSE(StackSource::make(stackOf({{0}}, layer), kRate));
    // Ten octaves down ten seconds are four hours: refused before they are made.
    layer.kit = kit("<region> lokey=0 hikey=127 pitch_keycenter=127 sample=long.wav\n");
    layer.note = 0;
    test::writeWav(folder / "long.wav", test::noise(0.1, 480000, 1));
    made = StackSource::make(stackOf({{0}}, layer), kRate);
    ASSERT_FALSE(made);
    EXPECT_NE(made.error().message.find("memory"), std::string::npos);
    const auto silent = StackSource::make(stackOf({}, {}), kRate);
    ASSERT_TRUE(silent);
    EXPECT_TRUE((*silent)->voices().empty());
}

} // namespace
} // namespace cask::layers
