// Strokes by hand through the chain of their element.
#include "core/graph/offline_render.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "engine/transport/player.h"
#include "tests/engine/live_fixture.h"

#include <algorithm>

namespace cask::engine {
namespace {

using LiveChainTest = Live;

TEST_F(LiveChainTest, StrokesGoThroughTheElementsChainAlone) {
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

TEST_F(LiveChainTest, AnotherChainIsTakenWithoutABreakAndTheClickGoesPastIt) {
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

} // namespace
} // namespace cask::engine
