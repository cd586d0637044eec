// Strokes by hand: what sounds, where, and what is kept of them.
#include "core/graph/offline_render.h"
#include "core/layers/live_kit.h"
#include "core/layers/live_take.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "engine/live/live_voices.h"
#include "engine/live/midi_ports.h"
#include "engine/live/simulated_player.h"
#include "engine/transport/player.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <mutex>

namespace cask::engine {
namespace {

using Timed = LiveVoices::Timed;

/// A click behind some silence, then a decaying tone.
std::vector<float> shot(double hz, int lead, int frames) {
    std::vector<float> x(static_cast<std::size_t>(lead + frames), 0.0F);
    for (int n = 0; n < frames; ++n)
        x[static_cast<std::size_t>(lead + n)] =
            static_cast<float>(0.5 * std::cos(2 * kPi * hz * n / 48000.0) * std::exp(-n / 12000.0));
    return x;
}

class Live : public testing::Test {
  protected:
    Live() {
        test::writeWav(folder / "A.wav", shot(200, 240, 9600));
        test::writeWav(folder / "B.wav", shot(300, 240, 9600));
        test::writeWav(folder / "Long.wav", shot(100, 0, 96000));
    }
    std::unique_ptr<LiveSetup> setupOf(const layers::Stack& stack) {
        auto kit = layers::LiveKit::make(stack, 48000);
        EXPECT_TRUE(kit) << kit.error().message;
        auto setup = std::make_unique<LiveSetup>();
        setup->kit = *kit;
        return setup;
    }
    layers::Stack alternates() {
        layers::Stack stack;
        stack.layers = {layers::layerOf({folder / "A.wav", folder / "B.wav"})};
        return stack;
    }
    /// The left side of what strokes sound like, in blocks of a length.
    static std::vector<float> played(LiveVoices& voices, const std::vector<Timed>& strokes, int frames,
                                     int block) {
        std::vector<float> left;
        for (int at = 0; at < frames; at += block) {
            const int n = std::min(block, frames - at);
            std::vector<float> out(static_cast<std::size_t>(2 * n), 0.0F);
            std::vector<Timed> here;
            for (auto stroke : strokes)
                if (stroke.offset >= at && stroke.offset < at + n) {
                    stroke.offset -= at;
                    here.push_back(stroke);
                }
            voices.play(out.data(), n, LiveVoices::kStopped, here);
            for (int i = 0; i < n; ++i)
                left.push_back(out[static_cast<std::size_t>(2 * i)]);
        }
        return left;
    }
    test::TempFolder folder;
};

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

TEST_F(Live, StrokesGoThroughTheElementsChainAlone) {
    const auto setChain = [](session::Session& s, session::Id element, session::Id key) {
        s = session::withElement(std::move(s), element, [](session::Element& e) {
            e.out.levelDb = -5;
            e.input.trimDb = 3;
        });
        dsp::EqSettings eq;
        eq.bands.push_back({1, dsp::FilterKind::Bell, true, 250, 8, 1, 24});
        session::addModule(s, element, eq);
        dsp::GateSettings gate;
        gate.openDb = -30;
        gate.lookAheadMs = 2;
        session::addModule(s, element, gate);
        dsp::CompressorSettings compressor;
        compressor.thresholdDb = -20;
        const auto module = session::addModule(s, element, compressor);
        if (key != session::kNoId)
            s = session::withModule(std::move(s), module, [&](session::Module& m) { m.key = key; });
    };
    const std::vector<Timed> strokes = {{2400, 60, 127}, {9000, 60, 80}};
    constexpr int kFrames = 24000;
    LiveVoices dry(48000);
    dry.take(setupOf(alternates()).release());
    const auto x = played(dry, strokes, kFrames, 256);
    dry.clear();
    // What is to be heard: the same sound as a file, alone, rendered.
    auto alone = test::memoryKit({{x}});
    setChain(alone.session, alone.elements[0], session::kNoId);
    std::vector<float> expected;
    graph::RenderOptions options;
    options.frames = kFrames;
    ASSERT_TRUE(graph::renderOffline(alone.session, alone.lookup, options,
                                     [&](int, std::span<const float> block) -> Status {
                                         for (std::size_t n = 0; n < block.size(); n += 2)
                                             expected.push_back(block[n]);
                                         return Done{};
                                     }));
    auto kit = test::memoryKit({{x}, {test::noise(1, kFrames, 9)}});
    setChain(kit.session, kit.elements[0], kit.elements[1]);
    kit.session = session::withMute(kit.session, {kit.elements[0]}, true);
    std::vector<float> first;
    for (const int block : {256, 64, 1000}) {
        auto chain = LiveChain::make(kit.session, kit.elements[0]);
        ASSERT_TRUE(chain) << chain.error().message;
        const int late = (*chain)->latencyFrames();
        EXPECT_GE(late, 96) << "the gate looks ahead";
        LiveVoices voices(48000);
        voices.take(setupOf(alternates()).release());
        EXPECT_EQ(voices.takeChain(chain->release()), nullptr);
        const auto heard = played(voices, strokes, kFrames, block);
        for (int n = 0; n + late < kFrames; ++n)
            ASSERT_NEAR(heard[static_cast<std::size_t>(n + late)], expected[static_cast<std::size_t>(n)],
                        1e-5)
                << n << " in blocks of " << block;
        if (first.empty())
            first = heard;
        EXPECT_EQ(heard, first) << "blocks of " << block;
        voices.clear();
    }
    EXPECT_GT(*std::max_element(first.begin(), first.end()), 0.1F);
    EXPECT_FALSE(LiveChain::make(kit.session, 4711));
}

TEST_F(Live, AnotherChainIsTakenWithoutABreakAndTheClickGoesPastIt) {
    auto kit = test::memoryKit({{std::vector<float>(480, 0.0F)}});
    const auto hand = std::make_shared<LiveHand>();
    const auto chainAt = [&](double levelDb) {
        kit.session = session::withElement(kit.session, kit.elements[0],
                                           [&](session::Element& e) { e.out.levelDb = levelDb; });
        return std::move(*LiveChain::make(kit.session, kit.elements[0], hand));
    };
    Player player(48000);
    player.setMonitor(0, 0);
    layers::Stack stack;
    stack.layers = {layers::layerOf({folder / "Long.wav"})};
    player.setLive(setupOf(stack));
    player.setLiveChain(chainAt(0));
    std::vector<float> block(512);
    float steepest = 0; // from frame to frame, of the left side
    float last = 0;
    const auto fill = [&](int blocks) {
        float most = 0;
        for (int i = 0; i < blocks; ++i) {
            player.fill(block.data(), 256);
            for (std::size_t n = 0; n < block.size(); n += 2) {
                most = std::max(most, std::abs(block[n]));
                steepest = std::max(steepest, std::abs(block[n] - last));
                last = block[n];
            }
        }
        return most;
    };
    (void)fill(1);
    EXPECT_TRUE(player.strike({60, 127, {}}));
    const float loud = fill(20);
    EXPECT_GT(loud, 0.1F);
    for (int i = 0; i < 8 && std::abs(last) < 0.4F * loud; ++i) // to where a jump would be seen
        (void)fill(1);
    ASSERT_GT(std::abs(last), 0.4F * loud);
    steepest = 0;
    player.setLiveChain(chainAt(-40));
    (void)fill(20); // it glides there
    EXPECT_LT(steepest, 0.02F * loud);
    EXPECT_LT(fill(4), 0.02F * loud);
    EXPECT_EQ(player.soundingVoices(), 1) << "what sounds goes on";
    player.setLiveChain(nullptr);
    EXPECT_GT(fill(4), 0.2F * loud);
    player.collectGarbage();
    LiveVoices voices(48000);
    auto clicks = setupOf(stack);
    clicks->beats = {{100, true}};
    voices.take(clicks.release());
    (void)voices.takeChain(chainAt(-90).release());
    std::vector<float> out(2 * 4800, 0.0F);
    voices.play(out.data(), 4800, 0, {});
    EXPECT_GT(*std::max_element(out.begin(), out.end()), 0.1F) << "a click";
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
