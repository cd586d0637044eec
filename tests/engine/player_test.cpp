// Playing: starts, stops, jumps, other values, the monitor, meters.
#include "core/base/units.h"
#include "engine/device/simulated_device.h"
#include "engine/mix_meter.h"
#include "tests/engine/player_fixture.h"
#include "tests/support/allocation_counter.h"

#include <cmath>

namespace cask::engine {
namespace {

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
    const double still = test::roughness(std::span(begun).last(6000));
    m_player.locate(100000);
    EXPECT_LT(test::roughness(pump(m_player, 20)), 3 * still);
    EXPECT_GE(m_player.position(), 100000);
    EXPECT_LT(m_player.position(), 103000);
    m_player.setLoop(100000, 104801);
    EXPECT_LT(test::roughness(pump(m_player, 200)), 3 * still);
    EXPECT_GE(m_player.position(), 100000);
    EXPECT_LT(m_player.position(), 104801);
    m_player.stop();
    EXPECT_LT(test::roughness(pump(m_player, 20)), 3 * still);
    EXPECT_FALSE(m_player.isPlaying());
}

TEST_F(PlayerTest, SentElsewhereWhileItStopsItGoesThere) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    const auto begun = pump(m_player, 100);
    const double still = test::roughness(std::span(begun).last(6000));
    m_player.stop();
    m_player.locate(200000);
    EXPECT_LT(test::roughness(pump(m_player, 20)), 3 * still);
    EXPECT_FALSE(m_player.isPlaying());
    EXPECT_EQ(m_player.position(), 200000);
    m_player.play();
    pump(m_player, 100);
    m_player.stop();
    m_player.locate(300000);
    m_player.play(); // all within one ramp
    EXPECT_LT(test::roughness(pump(m_player, 20)), 3 * still);
    EXPECT_TRUE(m_player.isPlaying());
    EXPECT_GT(m_player.position(), 300000);
    EXPECT_LT(m_player.position(), 303000);
}

TEST_F(PlayerTest, PlansAreSwappedWithoutClick) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    const auto begun = pump(m_player, 100);
    const double still = test::roughness(std::span(begun).last(6000));
    auto changed =
        session::withOutput(m_kit.session, m_kit.elements[0], [](auto& out) { out.levelDb = -12; });
    m_player.setPlan(planOf(changed, m_kit.lookup));
    EXPECT_LT(test::roughness(pump(m_player, 30)), 2 * still);
    session::addBand(changed, m_kit.elements[0],
                     {0, dsp::FilterKind::Bell, true, 150, 12, 1, 24}); // another layout
    m_player.setPlan(planOf(changed, m_kit.lookup));
    m_player.setPlan(planOf(changed, m_kit.lookup, 0.5F)); // arrives during the fade
    EXPECT_LT(test::roughness(pump(m_player, 60)), 3 * still);
    m_player.collectGarbage();
}

/// Other values for the plan that was sent before, which has the same layout.
std::unique_ptr<PlayerPlan> targetsOf(const session::Session& s, const graph::SourceLookup& lookup,
                                      float gain = 1) {
    auto plan = std::make_unique<PlayerPlan>();
    plan->targets = *graph::compile(s, lookup);
    plan->gain = gain;
    return plan;
}

TEST_F(PlayerTest, OtherValuesGlideInWhatPlaysWithoutANewRunner) {
    const auto louder = [&](double db) {
        return session::withOutput(m_kit.session, m_kit.elements[0], [&](auto& out) { out.levelDb = db; });
    };
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    const auto begun = pump(m_player, 100);
    const double still = test::roughness(std::span(begun).last(6000));
    const float peak = test::peakOf(std::span(begun).last(4000));
    m_player.setPlan(targetsOf(louder(-12), m_kit.lookup));
    std::vector<float> block(256);
    {
        const test::AllocationCounter counter;
        m_player.fill(block.data(), 128);
        EXPECT_EQ(test::AllocationCounter::count(), 0);
    }
    auto out = pump(m_player, 100);
    EXPECT_LT(test::roughness(out), 2 * still);
    EXPECT_NEAR(test::peakOf(std::span(out).last(4000)), peak * dbToLinear(-12), 1e-4);
    m_player.setPlan(targetsOf(louder(-6), m_kit.lookup, 0.5F)); // and at another loudness
    out = pump(m_player, 100);
    EXPECT_LT(test::roughness(out), 2 * still);
    EXPECT_NEAR(test::peakOf(std::span(out).last(4000)), 0.5 * peak * dbToLinear(-6), 1e-4);
    m_player.collectGarbage();
}

TEST_F(PlayerTest, OtherValuesReachARunnerThatIsFadedToAndOneThatWaits) {
    const auto cut = [&](int bands, double db) {
        auto s = m_kit.session;
        for (int i = 0; i < bands; ++i)
            session::addBand(s, m_kit.elements[0], {0, dsp::FilterKind::Bell, true, 150, db, 1, 24});
        return s;
    };
    for (const bool waits : {false, true}) {
        Player player(48000);
        player.setPlan(planOf(m_kit.session, m_kit.lookup));
        player.play();
        const auto begun = pump(player, 100);
        const double still = test::roughness(std::span(begun).last(6000));
        const float peak = test::peakOf(std::span(begun).last(4000));
        player.setPlan(planOf(cut(1, -3), m_kit.lookup));
        if (waits)
            player.setPlan(planOf(cut(2, -3), m_kit.lookup));
        auto out = pump(player, 1); // the fade has begun
        player.setPlan(targetsOf(cut(waits ? 2 : 1, -9), m_kit.lookup, 0.7F));
        const auto rest = pump(player, 150);
        out.insert(out.end(), rest.begin(), rest.end());
        EXPECT_LT(test::roughness(out), 3 * still) << waits;
        EXPECT_NEAR(linearToDb(test::peakOf(std::span(out).last(4000)) / peak),
                    linearToDb(0.7) - (waits ? 18 : 9), 0.05)
            << waits;
        player.collectGarbage();
    }
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

/// Both sides' greatest values over the end of a stretch.
std::array<double, 2> sidesOf(Player& player, int blocks) {
    std::array<double, 2> peaks{};
    std::vector<float> block(256);
    for (int i = 0; i < blocks; ++i) {
        player.fill(block.data(), 128);
        if (i < blocks / 2)
            continue;
        for (std::size_t n = 0; n < 256; ++n)
            peaks[n % 2] = std::max(peaks[n % 2], std::abs(static_cast<double>(block[n])));
    }
    return peaks;
}

TEST_F(PlayerTest, MonitorInMonoAndSwappedChangesWhatIsHeardAlone) {
    const auto id = m_kit.session.elements.front()->id;
    const auto left = session::withOutput(m_kit.session, id, [](session::Output& out) { out.pan = -1; });
    m_player.setPlan(planOf(left, m_kit.lookup));
    m_player.play();
    auto sides = sidesOf(m_player, 200);
    EXPECT_NEAR(sides[0], 0.5, 0.01);
    EXPECT_NEAR(sides[1], 0, 1e-6);
    m_player.setMonitor(0, -1, false, true);
    sides = sidesOf(m_player, 200);
    EXPECT_NEAR(sides[0], 0, 1e-4);
    EXPECT_NEAR(sides[1], 0.5, 0.01);
    m_player.setMonitor(0, -1, true);
    sides = sidesOf(m_player, 200);
    EXPECT_NEAR(sides[0], 0.25, 0.005);
    EXPECT_NEAR(sides[1], 0.25, 0.005);
    m_player.setMonitor(-20, -1);
    sides = sidesOf(m_player, 200);
    EXPECT_NEAR(sides[0], 0.05, 0.001);
    EXPECT_NEAR(sides[1], 0, 1e-4);
}

TEST_F(PlayerTest, MonitorChangesWithoutAClick) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    const auto begun = pump(m_player, 100);
    const double still = test::roughness(std::span(begun).last(6000));
    for (const bool on : {true, false}) {
        m_player.setMonitor(0, -1, on, false);
        EXPECT_LT(test::roughness(pump(m_player, 30)), 1.5 * still);
        m_player.setMonitor(0, -1, false, on);
        EXPECT_LT(test::roughness(pump(m_player, 30)), 1.5 * still);
    }
}

TEST(MixMeter, CorrelationAndHeldPeakAreThoseOfTheSignal) {
    const auto stereo = [](const std::vector<float>& left, const std::vector<float>& right) {
        std::vector<float> both(2 * left.size());
        for (std::size_t n = 0; n < left.size(); ++n) {
            both[2 * n] = left[n];
            both[2 * n + 1] = right[n];
        }
        return both;
    };
    const auto a = test::noise(0.2F, 96000, 1);
    auto inverted = a;
    for (float& x : inverted)
        x = -x;
    MixMeter meter(48000);
    EXPECT_EQ(meter.correlation(), 0);
    meter.add(stereo(a, a));
    EXPECT_NEAR(meter.correlation(), 1, 1e-6);
    meter.restart();
    meter.add(stereo(a, inverted));
    EXPECT_NEAR(meter.correlation(), -1, 1e-6);
    meter.restart();
    meter.add(stereo(a, test::noise(0.2F, 96000, 2)));
    EXPECT_NEAR(meter.correlation(), 0, 0.05);
    // A quarter of the rate, 45 degrees off: its samples are 3 dB under its peak.
    std::vector<float> sine(48000);
    for (std::size_t n = 0; n < sine.size(); ++n) { // faded in and out: an edge has peaks of its own
        const double fade =
            std::min({1.0, 1e-3 * static_cast<double>(n), 1e-3 * static_cast<double>(sine.size() - n)});
        sine[n] = static_cast<float>(0.5 * fade * std::sin(kPi / 2 * static_cast<double>(n) + kPi / 4));
    }
    meter.clearHeldPeak();
    meter.add(stereo(sine, std::vector<float>(sine.size())));
    EXPECT_NEAR(meter.heldPeakDb(), 20 * std::log10(0.5), 0.1);
    meter.restart();
    EXPECT_NEAR(meter.heldPeakDb(), 20 * std::log10(0.5), 0.1) << "it is held until it is cleared";
    meter.clearHeldPeak();
    EXPECT_LT(meter.heldPeakDb(), -100);
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

TEST(SimulatedDevice, VanishesReturnsAndRecords) {
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
