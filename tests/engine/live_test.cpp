// Strokes by hand: what sounds, where, and what is kept of them.
#include "core/layers/live_take.h"
#include "engine/live/midi_ports.h"
#include "engine/live/simulated_player.h"
#include "engine/transport/player.h"
#include "tests/engine/live_fixture.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <mutex>

namespace cask::engine {
namespace {

TEST_F(Live, AStrokeIsTheSoundFromItsTransientAtItsVelocityAndTurn) {
    LiveVoices voices(48000);
    voices.take(setupOf(alternates()).release());
    const auto out = played(voices, {{100, 60, 127}, {12000, 60, 64}, {24000, 60, 127}}, 40000, 256);
    const auto a = shot(200, 0, 9600);
    const auto b = shot(300, 0, 9600);
    const double soft = dbToLinear(layers::levelDbOf(64));
    for (int n = 0; n < 9600; ++n) {
        const auto at = static_cast<std::size_t>(n);
        ASSERT_NEAR(out[100 + at], a[at], 1e-4) << n; // 24-bit files
        ASSERT_NEAR(out[12000 + at], soft * static_cast<double>(b[at]), 1e-4)
            << "the other alternate, softer";
        ASSERT_NEAR(out[24000 + at], a[at], 1e-4) << "in turn";
    }
    EXPECT_EQ(out[99], 0);
    voices.clear();
}

TEST_F(Live, TheSameBitsHoweverItIsCut) {
    std::vector<Timed> strokes;
    for (int i = 0; i < 60; ++i)
        strokes.push_back({137 * i + (i * i) % 61, 60, 20 + i});
    std::vector<float> first;
    for (const int block : {1, 7, 64, 480, 9000}) {
        LiveVoices voices(48000);
        voices.take(setupOf(alternates()).release());
        const auto out = played(voices, strokes, 9000, block);
        if (first.empty())
            first = out;
        ASSERT_EQ(out, first) << block;
        voices.clear();
    }
    EXPECT_NE(first, std::vector<float>(first.size(), 0.0F));
}

TEST_F(Live, AClosedHatEndsAnOpenOne) {
    std::ofstream(folder / "Hats.sfz") << "<region> sample=Long.wav key=46 group=2 off_by=1\n"
                                          "<region> sample=A.wav key=42 group=1 off_by=2\n";
    layers::Stack stack;
    stack.layers = {layers::layerOf({folder / "Hats.sfz"})};
    stack.strikes = {{0, 100, "normal", 46}, {1, 100, "normal", 42}};
    LiveVoices voices(48000);
    voices.take(setupOf(stack).release());
    const auto out = played(voices, {{0, 46, 127}, {20000, 42, 127}}, 40000, 128);
    LiveVoices alone(48000);
    alone.take(setupOf(stack).release());
    const auto closed = played(alone, {{20000, 42, 127}}, 40000, 128);
    EXPECT_GT(std::abs(out[19990] - closed[19990]), 0.01);
    const auto gone = 20000 + static_cast<std::size_t>(0.001 * layers::StackSource::kChokeMs * 48000) + 1;
    for (std::size_t n = gone; n < out.size(); ++n)
        ASSERT_EQ(out[n], closed[n]) << "silent within the time of a choke";
    voices.clear();
    alone.clear();
}

TEST_F(Live, MoreStrokesThanVoicesTakeTheOldestWithoutAClick) {
    layers::Stack stack;
    stack.layers = {layers::layerOf({folder / "Long.wav"})};
    LiveVoices voices(48000);
    voices.take(setupOf(stack).release());
    std::vector<Timed> strokes;
    for (int i = 0; i < 100; ++i)
        strokes.push_back({480 * i, 60, 40});
    const auto out = played(voices, strokes, 49000, 200);
    EXPECT_LE(voices.sounding(), LiveVoices::kVoices + LiveVoices::kFading);
    EXPECT_GE(voices.sounding(), LiveVoices::kVoices);
    // A voice that is cut off would step by its own height; a stroke begins with a step of that height.
    const double height = 0.5 * dbToLinear(layers::levelDbOf(40));
    for (std::size_t n = 1; n < out.size(); ++n)
        if (n % 480 != 0) {
            ASSERT_LT(std::abs(out[n] - out[n - 1]), 0.5 * height) << n;
        }
    voices.clear();
}

TEST_F(Live, AnotherSetupIsTakenAndTheOldOneComesBackOnceItIsSilent) {
    LiveVoices voices(48000);
    auto first = setupOf(alternates());
    const LiveSetup* was = first.get();
    voices.take(first.release());
    std::vector<float> out(2 * 64, 0.0F);
    const Timed stroke{0, 60, 127};
    voices.play(out.data(), 64, LiveVoices::kStopped, std::span(&stroke, 1));
    voices.take(new LiveSetup);
    EXPECT_EQ(voices.takeGarbage(), nullptr) << "it still sounds";
    (void)played(voices, {}, 480, 64);
    std::unique_ptr<LiveSetup> back(voices.takeGarbage());
    EXPECT_EQ(back.get(), was);
    EXPECT_EQ(voices.sounding(), 0);
    voices.clear();
}

TEST_F(Live, TheClickIsOnItsBeats) {
    LiveVoices voices(48000);
    auto setup = std::make_unique<LiveSetup>();
    setup->beats = {{1000, true}, {3000, false}, {9000, false}};
    voices.take(setup.release());
    std::vector<float> out(2 * 3000, 0.0F);
    voices.play(out.data(), 3000, 500, {}); // frames 500 to 3499
    const auto loud = [&](std::size_t from, std::size_t to) {
        float most = 0;
        for (std::size_t n = from; n < to; ++n)
            most = std::max(most, std::abs(out[2 * n]));
        return most;
    };
    EXPECT_EQ(loud(0, 501), 0) << "a sine begins at zero";
    EXPECT_GT(loud(501, 520), 0.05F);
    EXPECT_LT(loud(2000, 2500), 0.001F);
    EXPECT_GT(loud(2501, 2520), 0.05F);
    std::vector<float> stopped(2 * 3000, 0.0F);
    voices.play(stopped.data(), 3000, LiveVoices::kStopped, {});
    (void)played(voices, {}, 3000, 3000);
    std::fill(stopped.begin(), stopped.end(), 0.0F);
    voices.play(stopped.data(), 3000, LiveVoices::kStopped, {});
    EXPECT_EQ(stopped, std::vector<float>(6000, 0.0F)) << "no clicks while it is stopped";
    voices.clear();
}

TEST_F(Live, ThePlayerHearsStrokesWhileStoppedAndKeepsThoseWhilePlaying) {
    Player player(48000);
    player.setMonitor(0, 0);
    player.setLive(setupOf(alternates()));
    std::vector<float> block(512);
    player.fill(block.data(), 256);
    EXPECT_TRUE(player.strike({60, 127, {}}));
    float most = 0;
    for (int i = 0; i < 8; ++i) {
        player.fill(block.data(), 256);
        for (const float x : block)
            most = std::max(most, std::abs(x));
    }
    EXPECT_GT(most, 0.1F) << "heard";
    EXPECT_EQ(player.soundingVoices(), 1);
    HeardStroke heard;
    EXPECT_FALSE(player.takeHeard(heard)) << "it did not play";
    auto plan = std::make_unique<PlayerPlan>();
    const auto compiled = graph::compile(session::emptySession(48000), [](session::Id) { return nullptr; });
    ASSERT_TRUE(compiled);
    plan->runner = std::make_unique<graph::Runner>(*compiled, kPlayerBlock);
    const int latency = (*compiled)->latencyFrames;
    player.setPlan(std::move(plan));
    player.locate(4800);
    player.play();
    for (int i = 0; i < 1 + (latency + 255) / 256; ++i)
        player.fill(block.data(), 256);
    const Frames at = player.position();
    EXPECT_TRUE(player.strike({61, 90, {}}));
    player.fill(block.data(), 256);
    ASSERT_TRUE(player.takeHeard(heard));
    EXPECT_EQ(heard.at, at) << "as soon as it can: the next frame";
    EXPECT_EQ(heard.note, 61);
    EXPECT_EQ(heard.velocity, 90);
    EXPECT_FALSE(player.takeHeard(heard));
    // One that came late in the block before is heard late in this one.
    const Frames next = player.position();
    EXPECT_TRUE(player.strike({61, 90, std::chrono::steady_clock::now() + std::chrono::hours(1)}));
    player.fill(block.data(), 256);
    ASSERT_TRUE(player.takeHeard(heard));
    EXPECT_EQ(heard.at, next + 255);
}

TEST(LiveTake, IsOverdubbedOrPutInPlace) {
    layers::Stack stack;
    stack.strikes = {{1, 100, "normal", 38}, {2, 100, "normal", 38}, {3, 100, "normal", 38}};
    const std::vector<layers::Strike> take = {layers::playedStrike(2.005, 120, 38),
                                              layers::playedStrike(1.5, 30, 38)};
    const auto over = layers::withTake(stack, take);
    ASSERT_EQ(over.strikes.size(), 4U) << "5 ms beside another one is that one";
    EXPECT_EQ(over.strikes[1].hitClass, "ghost");
    EXPECT_EQ(over.strikes[2].velocity, 120) << "the louder of both";
    const auto instead = layers::withTake(stack, take, std::pair(1.4, 3.5));
    ASSERT_EQ(instead.strikes.size(), 3U);
    EXPECT_EQ(instead.strikes[0].timeS, 1);
    EXPECT_EQ(instead.strikes[1].timeS, 1.5);
    EXPECT_EQ(instead.strikes[2].hitClass, "accent");
    const auto pattern = layers::patternOf(over.strikes, 100, 40);
    EXPECT_NEAR(pattern.strokes[1].beat, 1.5 * 100 / 60, 1e-9);
    EXPECT_EQ(pattern.strokes[1].note, 38);
    EXPECT_EQ(pattern.lengthBeats, 8);
}

TEST(MidiPorts, StrokesAreNotesThatBegin) {
    const auto stroke = [](std::initializer_list<unsigned char> bytes) {
        const std::vector<unsigned char> message(bytes);
        return strokeOf(message);
    };
    ASSERT_TRUE(stroke({0x99, 38, 101}));
    EXPECT_EQ(stroke({0x99, 38, 101})->note, 38);
    EXPECT_EQ(stroke({0x90, 38, 101})->velocity, 101);
    EXPECT_FALSE(stroke({0x99, 38, 0})) << "a note that ends";
    EXPECT_FALSE(stroke({0x89, 38, 64}));
    EXPECT_FALSE(stroke({0xB9, 4, 64}));
    EXPECT_FALSE(stroke({0x99, 38}));
    EXPECT_FALSE(stroke({}));
    EXPECT_FALSE(stroke({0x99, 200, 64}));
    (void)midiInputs(); // whatever this machine has, asking is no error
    EXPECT_FALSE(openMidiInput("No such device", [](const LiveStroke&) {}));
}

TEST(SimulatedPlayer, PlaysEveryStrikeALittleLate) {
    std::vector<layers::Strike> pattern;
    for (int i = 0; i < 40; ++i)
        pattern.push_back({0.1 * i, 100, "normal", 38});
    const auto whole = asPlayed(pattern, 0, 100);
    ASSERT_EQ(whole.size(), 40U);
    for (std::size_t i = 0; i < whole.size(); ++i) {
        EXPECT_GE(whole[i].timeS, pattern[i].timeS);
        EXPECT_LE(whole[i].timeS, pattern[i].timeS + SimulatedPlayer::kLateS);
        EXPECT_NEAR(whole[i].velocity, 100, SimulatedPlayer::kVelocities);
    }
    EXPECT_EQ(asPlayed(pattern, 0, 1.55).size() + asPlayed(pattern, 1.55, 100).size(), 40U);
    // Followed by its own thread, from a place that moves on each time it is asked.
    std::mutex mutex;
    std::vector<LiveStroke> strokes;
    std::atomic<int> asked{0};
    {
        const SimulatedPlayer player(
            pattern, [&] { return asked < 200 ? 0.05 * asked++ : -1.0; },
            [&](const LiveStroke& stroke) {
                const std::lock_guard lock(mutex);
                strokes.push_back(stroke);
            });
        while (asked < 200)
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
    }
    EXPECT_EQ(strokes.size(), 40U) << "each once";
}

} // namespace
} // namespace cask::engine
