#include "core/session/intake.h"
#include "engine/device/simulated_device.h"
#include "engine/engine.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"
#include "tests/support/wait_for.h"

#include <gtest/gtest.h>

#include <functional>

namespace cask::engine {
namespace {

/// Waits for a condition, never for a time; gives up after ten seconds.
class EngineTest : public testing::Test {
  protected:
    EngineTest() {
        test::writeWav(m_folder / "kick.wav", test::sine(150, 0.5, 30));
        m_session = session::withFiles(
            session::emptySession(),
            {{m_folder / "kick.wav", "kick.wav", 48000 * 30, 1, 48000, "WAV", std::nullopt}});
    }
    /// An engine on a simulated device that the test holds by a pointer.
    std::unique_ptr<Engine> make(SimulatedDevice::Clock clock) {
        return std::make_unique<Engine>(
            48000.0, DeviceSettings{}, [this, clock](AudioCallback& callback, const DeviceSettings& s) {
                ++m_opened;
                auto device =
                    std::make_unique<SimulatedDevice>(callback, s.sampleRateHz, s.blockFrames, clock);
                m_device = device.get();
                return OpenedDevice{std::move(device), m_isAway ? "away" : ""};
            });
    }
    void give(Engine& engine) {
        engine.setSource(m_session.files[0]->id, *media::ChunkedSource::open(m_folder / "kick.wav"));
        ASSERT_TRUE(engine.setSession(m_session));
    }
    test::TempFolder m_folder;
    session::Session m_session;
    SimulatedDevice* m_device = nullptr;
    int m_opened = 0;
    bool m_isAway = false;
};

TEST_F(EngineTest, PlaysAFileFromDiskThroughTheDevice) {
    auto engine = make(SimulatedDevice::Clock::Manual);
    give(*engine);
    ASSERT_TRUE(test::waitFor([&] { return engine->isReady(); }));
    m_device->record(true);
    engine->play();
    m_device->pump(200);
    const auto sound = m_device->takeRecording();
    EXPECT_NEAR(test::amplitudeAt(std::span<const float>(sound).subspan(30000, 64000), 150, 48000, 2),
                0.5 * std::sqrt(0.5), 0.01);
    EXPECT_EQ(engine->starvedBlocks(), 0);
    engine->poll();
    EXPECT_GT(engine->mixMeter().momentaryLufs(), -20);
}

TEST_F(EngineTest, JumpsFarAheadAndLoadsThere) {
    auto engine = make(SimulatedDevice::Clock::Manual);
    give(*engine);
    engine->locate(48000 * 25);
    m_device->pump(1);
    ASSERT_TRUE(test::waitFor([&] { return engine->isReady(); }));
    engine->play();
    m_device->record(true);
    m_device->pump(100);
    EXPECT_GT(test::peakOf(m_device->takeRecording()), 0.3);
    EXPECT_EQ(engine->starvedBlocks(), 0);
}

TEST_F(EngineTest, GoesOnWhenTheDeviceVanishesAndComesBack) {
    auto engine = make(SimulatedDevice::Clock::RealTime);
    give(*engine);
    engine->play();
    ASSERT_TRUE(test::waitFor([&] { return engine->position() > 4800; }));
    m_isAway = true;
    m_device->vanish();
    ASSERT_TRUE(test::waitFor([&] {
        engine->poll();
        return !engine->deviceNote().empty();
    }));
    EXPECT_NE(engine->deviceNote().find("has gone"), std::string::npos);
    const Frames at = engine->position();
    EXPECT_TRUE(test::waitFor([&] {
        engine->poll();
        return engine->position() > at + 4800; // time goes on silently
    }));
    m_isAway = false;
    EXPECT_TRUE(test::waitFor([&] {
        engine->poll();
        return engine->deviceNote().empty();
    }));
    EXPECT_TRUE(engine->isPlaying());
}

TEST_F(EngineTest, AStallIsCountedAndPlayingGoesOn) {
    auto engine = make(SimulatedDevice::Clock::RealTime);
    give(*engine);
    engine->play();
    m_device->stall();
    EXPECT_TRUE(test::waitFor([&] { return m_device->xruns() > 0; }));
    const Frames at = engine->position();
    EXPECT_TRUE(test::waitFor([&] { return engine->position() > at; }));
}

TEST_F(EngineTest, ReportsALoopInTheRoutes) {
    auto engine = make(SimulatedDevice::Clock::Manual);
    auto s = m_session;
    const auto kit = s.buses[3]->id;
    s.buses[3].edit([&](session::Bus& b) { b.out.sends.push_back({kit, 0, false}); });
    const auto status = engine->setSession(s);
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().code, ErrorCode::RouteLoop);
}

TEST(Streamer, KeepsToItsBudget) {
    const test::TempFolder folder;
    test::writeWav(folder / "long.wav", test::noise(0.1, 48000 * 60, 1));
    Player player(48000);
    const auto source = *media::ChunkedSource::open(folder / "long.wav");
    const std::size_t budget = 24 * source->chunkBytes();
    Streamer streamer(player, 48000, budget);
    streamer.setSources({{source, 0}});
    std::vector<float> block(512);
    for (Frames at = 0; at < 48000 * 58; at += 48000 * 5) {
        player.locate(at);
        player.fill(block.data(), 256);
        player.fill(block.data(), 256);
        ASSERT_TRUE(test::waitFor([&] { return streamer.isReady(); }));
    }
    ASSERT_TRUE(test::waitFor([&] {
        player.fill(block.data(), 256);
        std::size_t bytes = 0;
        for (Frames c = 0; c < source->chunkCount(); ++c)
            bytes += source->isLoaded(c) ? source->chunkBytes() : 0;
        return bytes <= budget + 64 * source->chunkBytes();
    }));
}

TEST(Devices, TheSimulatedOneIsAlwaysThereAndSaysWhatItIs) {
    const auto list = listDevices();
    ASSERT_FALSE(list.empty());
    EXPECT_TRUE(list.back().isSimulated);
    EXPECT_NE(list.back().name.find("imulated"), std::string::npos);
    Player player(48000);
    const auto opened = openDevice(player, {"jack:no such device", 48000, 256});
    EXPECT_TRUE(opened.device->info().isSimulated);
    EXPECT_NE(opened.note.find("no such device"), std::string::npos);
}

} // namespace
} // namespace cask::engine
