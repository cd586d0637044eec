#include "core/session/edits.h"
#include "engine/device/simulated_device.h"
#include "engine/transport/player.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::engine {
namespace {

std::unique_ptr<PlayerPlan> planOf(const session::Session& s, const graph::SourceLookup& lookup,
                                   float gain = 1) {
    auto plan = std::make_unique<PlayerPlan>();
    plan->runner = std::make_unique<graph::Runner>(*graph::compile(s, lookup), kPlayerBlock);
    plan->gain = gain;
    return plan;
}

/// Plays blocks by hand; left channel only.
std::vector<float> pump(Player& player, int blocks, int frames = 128) {
    std::vector<float> out;
    std::vector<float> block(static_cast<std::size_t>(2 * frames));
    for (int i = 0; i < blocks; ++i) {
        player.fill(block.data(), frames);
        for (int n = 0; n < frames; ++n)
            out.push_back(block[static_cast<std::size_t>(2 * n)]);
    }
    return out;
}

double roughness(std::span<const float> x) {
    double worst = 0;
    for (std::size_t n = 2; n < x.size(); ++n)
        worst = std::max(worst, std::abs(static_cast<double>(x[n]) - 2.0 * x[n - 1] + x[n - 2]));
    return worst;
}

class PlayerTest : public testing::Test {
  protected:
    PlayerTest() : m_kit(test::memoryKit({{test::sine(150, 0.5, 20)}})), m_player(48000) {}
    test::MemoryKit m_kit;
    Player m_player;
};

TEST_F(PlayerTest, IsSilentUntilItPlaysAndStartsWithARamp) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    EXPECT_EQ(test::peakOf(pump(m_player, 10)), 0);
    m_player.play();
    const auto out = pump(m_player, 100);
    EXPECT_LT(test::peakOf(std::span(out).first(240)), 0.02) << "5 ms after the start it is still soft";
    EXPECT_NEAR(test::peakOf(std::span(out).last(4000)), 0.5 * std::sqrt(0.5), 0.01);
    EXPECT_EQ(m_player.position(), 12800);
}

TEST_F(PlayerTest, StopLocateAndLoopMakeNoClick) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    const auto begun = pump(m_player, 100);
    const double still = roughness(std::span(begun).last(6000));
    m_player.locate(100000);
    EXPECT_LT(roughness(pump(m_player, 20)), 3 * still);
    EXPECT_GE(m_player.position(), 100000);
    EXPECT_LT(m_player.position(), 103000);
    m_player.setLoop(100000, 104801);
    EXPECT_LT(roughness(pump(m_player, 200)), 3 * still);
    EXPECT_GE(m_player.position(), 100000);
    EXPECT_LT(m_player.position(), 104801);
    m_player.stop();
    EXPECT_LT(roughness(pump(m_player, 20)), 3 * still);
    EXPECT_FALSE(m_player.isPlaying());
}

TEST_F(PlayerTest, SentElsewhereWhileItStopsItGoesThere) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    const auto begun = pump(m_player, 100);
    const double still = roughness(std::span(begun).last(6000));
    m_player.stop();
    m_player.locate(200000);
    EXPECT_LT(roughness(pump(m_player, 20)), 3 * still);
    EXPECT_FALSE(m_player.isPlaying());
    EXPECT_EQ(m_player.position(), 200000);
    m_player.play();
    pump(m_player, 100);
    m_player.stop();
    m_player.locate(300000);
    m_player.play(); // all within one ramp
    EXPECT_LT(roughness(pump(m_player, 20)), 3 * still);
    EXPECT_TRUE(m_player.isPlaying());
    EXPECT_GT(m_player.position(), 300000);
    EXPECT_LT(m_player.position(), 303000);
}

TEST_F(PlayerTest, PlansAreSwappedWithoutClick) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    const auto begun = pump(m_player, 100);
    const double still = roughness(std::span(begun).last(6000));
    auto changed =
        session::withOutput(m_kit.session, m_kit.elements[0], [](auto& out) { out.levelDb = -12; });
    m_player.setPlan(planOf(changed, m_kit.lookup));
    EXPECT_LT(roughness(pump(m_player, 30)), 2 * still);
    session::addBand(changed, m_kit.elements[0],
                     {0, dsp::FilterKind::Bell, true, 150, 12, 1, 24}); // another layout
    m_player.setPlan(planOf(changed, m_kit.lookup));
    m_player.setPlan(planOf(changed, m_kit.lookup, 0.5F)); // arrives during the fade
    EXPECT_LT(roughness(pump(m_player, 60)), 3 * still);
    m_player.collectGarbage();
}

TEST_F(PlayerTest, AllocatesNothingOnTheAudioThread) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    std::vector<float> block(1024);
    auto changed =
        session::withOutput(m_kit.session, m_kit.elements[0], [](auto& out) { out.levelDb = -12; });
    session::addBand(changed, m_kit.elements[0], {});
    const auto fill = [&](int times) {
        const test::AllocationCounter counter;
        for (int i = 0; i < times; ++i)
            m_player.fill(block.data(), 512);
        return test::AllocationCounter::count();
    };
    EXPECT_EQ(fill(20), 0);
    m_player.setPlan(planOf(changed, m_kit.lookup));
    EXPECT_EQ(fill(20), 0);
    m_player.locate(48000);
    m_player.setLoop(48000, 50000);
    m_player.setMonitor(-6, -3);
    EXPECT_EQ(fill(20), 0);
    m_player.stop();
    EXPECT_EQ(fill(20), 0);
}

TEST_F(PlayerTest, MonitorCeilingIsNeverPassed) {
    const auto loud =
        session::withElement(m_kit.session, m_kit.elements[0], [](auto& e) { e.input.trimDb = 30; });
    m_player.setPlan(planOf(loud, m_kit.lookup));
    m_player.setMonitor(0, -6);
    m_player.play();
    const auto out = pump(m_player, 400);
    EXPECT_LE(test::peakOf(out), std::pow(10, -6 / 20.0) * 1.001);
    EXPECT_GT(test::peakOf(out), 0.3);
    EXPECT_LT(m_player.takeCeilingGain(), 0.2F);
}

TEST_F(PlayerTest, PublishesLevelsPerNode) {
    m_player.setPlan(
        planOf(session::withOutput(m_kit.session, m_kit.elements[0], [](auto& o) { o.levelDb = -6; }),
               m_kit.lookup));
    m_player.play();
    (void)pump(m_player, 100);
    EXPECT_NEAR(m_player.takeLevel(m_kit.elements[0]).peak, 0.5 * 0.5012, 0.005);
    EXPECT_EQ(m_player.takeLevel(m_kit.elements[0]).peak, 0) << "taken once";
    EXPECT_EQ(m_player.takeLevel(9999).peak, 0);
}

TEST(SimulatedDevice, StallsVanishesReturnsAndRecords) {
    Player player(48000);
    SimulatedDevice device(player, 48000, 64, SimulatedDevice::Clock::Manual);
    EXPECT_TRUE(device.info().isSimulated);
    device.record(true);
    device.pump(10);
    EXPECT_EQ(device.takeRecording().size(), 2U * 64 * 10);
    device.vanish();
    EXPECT_FALSE(device.isAlive());
    device.pump(10);
    EXPECT_TRUE(device.takeRecording().empty());
    device.comeBack();
    device.pump(1);
    EXPECT_EQ(player.callbacks(), 11);
}

} // namespace
} // namespace cask::engine
