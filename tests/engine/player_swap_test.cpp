// Other plans and layouts while it plays.
#include "core/base/units.h"
#include "tests/engine/player_fixture.h"

#include <cmath>

namespace cask::engine {
namespace {

/// What a tone is behind the gains of a plan: position is where it is heard.
class SwapTest : public PlayerTest {
  protected:
    /// An open gate that looks ahead on the first of two elements: the other one's way is delayed by it.
    static session::Session withGate(session::Session s, session::Id element, double lookAheadMs) {
        return session::withChain(std::move(s), element, [&](auto& chain) {
            session::Module gate;
            gate.id = 900;
            dsp::GateSettings settings;
            settings.openDb = -80;
            settings.closeDb = -80;
            settings.lookAheadMs = lookAheadMs;
            gate.settings = settings;
            chain.push_back(gate);
        });
    }
    /// Plays and returns what is heard from the next block on, with where it is heard.
    struct Heard {
        Frames from;
        std::vector<float> sound;
    };
    Heard hear(int blocks) {
        const Frames from = m_player.position() - monitorFrames();
        return {from, pump(m_player, blocks)};
    }
    /// By which the monitor's ceiling is late, whatever is played.
    static Frames monitorFrames() {
        dsp::Limiter ceiling;
        ceiling.prepare(48000);
        return ceiling.latencyFrames();
    }
    /// Greatest error against the tone of 150 Hz at a level.
    static double worstError(const Heard& heard, double amplitude) {
        double worst = 0;
        for (std::size_t n = 0; n < heard.sound.size(); ++n)
            worst = std::max(worst, std::abs(heard.sound[n] - amplitude * toneAt(heard.from, n)));
        return worst;
    }
    static double toneAt(Frames from, std::size_t n) {
        return std::sin(2 * kPi * 150 * (static_cast<double>(from) + static_cast<double>(n)) / 48000);
    }
};

TEST_F(SwapTest, AnotherGainWithAnEqualLayoutGlides) {
    const auto gated = withGate(m_kit.session, m_kit.elements[0], 20);
    m_player.setPlan(planOf(gated, m_kit.lookup));
    m_player.play();
    pump(m_player, 200);
    const double level = 0.5 * std::sqrt(0.5);
    ASSERT_LT(worstError(hear(20), level), 0.002);
    m_player.setPlan(planOf(gated, m_kit.lookup, 0.5F)); // as a loudness match does that arrives late
    const auto heard = hear(20);
    double before = 1;
    for (std::size_t n = 0; n < heard.sound.size(); ++n) {
        const double tone = level * toneAt(heard.from, n);
        if (std::abs(tone) < 0.1)
            continue;
        const double gain = heard.sound[n] / tone;
        EXPECT_LT(gain, before + 0.005) << n;
        EXPECT_GT(gain, 0.495) << n;
        before = gain;
    }
    EXPECT_NEAR(before, 0.5, 0.005);
}

TEST_F(SwapTest, DelayedRoutesAreHeardThroughAnotherLayout) {
    for (const double lookAheadMs : {2.0, 20.0}) {
        auto kit = test::memoryKit({{test::sine(150, 0.25, 20)}, {test::sine(150, 0.25, 20)}});
        const auto gated = withGate(kit.session, kit.elements[0], lookAheadMs);
        m_player.setPlan(planOf(gated, kit.lookup));
        m_player.play();
        pump(m_player, 200);
        auto more = gated;
        session::addBand(more, kit.elements[0], {0, dsp::FilterKind::Bell, true, 1000, 0, 1, 24});
        m_player.setPlan(planOf(more, kit.lookup));
        EXPECT_LT(worstError(hear(60), 0.5 * std::sqrt(0.5)), 0.002) << lookAheadMs << " ms";
        m_player.stop();
        pump(m_player, 20);
        m_player.locate(0);
        pump(m_player, 1);
    }
}

TEST_F(SwapTest, ANewLatencyIsNotHeard) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    pump(m_player, 200);
    for (const double lookAheadMs : {20.0, 3.0}) {
        m_player.setPlan(planOf(withGate(m_kit.session, m_kit.elements[0], lookAheadMs), m_kit.lookup));
        // A gate that is new opens first; then nothing has moved.
        const auto heard = hear(60);
        EXPECT_LT(worstError(heard, 0.5 * std::sqrt(0.5)), 0.002) << lookAheadMs << " ms";
    }
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    EXPECT_LT(worstError(hear(60), 0.5 * std::sqrt(0.5)), 0.002) << "and back";
}

TEST_F(SwapTest, WhatIsHeardIsWhereThePositionIs) {
    std::vector<float> click(48000, 0.0F);
    click[20000] = 0.5F;
    click[40000] = 0.5F;
    auto kit = test::memoryKit({{click}, {std::vector<float>(48000, 0.0F)}});
    // The silent one has the gate: the click comes by a delayed way.
    m_player.setPlan(planOf(withGate(kit.session, kit.elements[1], 20), kit.lookup));
    m_player.play();
    const auto whereIsTheClick = [&](int blocks) -> Frames {
        for (int i = 0; i < blocks; ++i) {
            const auto heard = hear(1);
            for (std::size_t n = 0; n < heard.sound.size(); ++n)
                if (heard.sound[n] > 0.2)
                    return heard.from + static_cast<Frames>(n);
        }
        return -1;
    };
    EXPECT_EQ(whereIsTheClick(200), 20000);
    m_player.locate(39000);
    EXPECT_EQ(whereIsTheClick(40), 40000) << "after a jump";
    m_player.setLoop(38000, 42000);
    m_player.locate(38000);
    EXPECT_EQ(whereIsTheClick(60), 40000) << "in a loop";
    EXPECT_EQ(whereIsTheClick(60), 40000) << "when it comes round";
}

TEST_F(SwapTest, WhatComesWhileItStopsIsThereAtTheNextStart) {
    m_player.setPlan(planOf(m_kit.session, m_kit.lookup));
    m_player.play();
    pump(m_player, 100);
    auto other = m_kit.session;
    session::addBand(other, m_kit.elements[0], {0, dsp::FilterKind::Bell, true, 1000, 0, 1, 24});
    m_player.setPlan(planOf(other, m_kit.lookup));
    m_player.stop();
    pump(m_player, 20);
    other = session::withOutput(withGate(other, m_kit.elements[0], 20), m_kit.elements[0],
                                [](auto& out) { out.levelDb = -12; });
    m_player.setPlan(planOf(other, m_kit.lookup));
    m_player.play();
    EXPECT_LT(test::peakOf(pump(m_player, 100)), 1.02 * 0.5 * std::sqrt(0.5) * dbToLinear(-12));
}

TEST_F(SwapTest, NothingOfBeforeAJumpIsHeardBehindIt) {
    auto sound = test::sine(150, 0.5, 1);
    sound.resize(96000, 0.0F);
    auto kit = test::memoryKit({{sound}, {std::vector<float>(96000, 0.0F)}});
    m_player.setPlan(planOf(withGate(kit.session, kit.elements[1], 20), kit.lookup));
    m_player.play();
    pump(m_player, 100);
    m_player.locate(60000); // where it is silent
    pump(m_player, 4);      // the ramp, and what the monitor's ceiling still holds
    EXPECT_EQ(test::peakOf(pump(m_player, 40)), 0);
}

} // namespace
} // namespace cask::engine
