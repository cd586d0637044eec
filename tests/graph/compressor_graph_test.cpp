// Compressors in a session: keys tapped before or after a chain, waiting for them, gains that are told.
#include "core/base/units.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parameter_path.h"
#include "core/session/routing.h"
#include "core/session/session_json.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::graph {
namespace {

using session::Id;
using session::KeyTap;
using session::Session;

constexpr std::size_t kStep = 24000;
constexpr std::size_t kBeatsLength = 48000;

/// Plus and minus by turns: soft, and loud from kStep on.
std::vector<float> step(double beforeDb, double afterDb) {
    std::vector<float> x(kBeatsLength);
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = static_cast<float>((n % 2 == 0 ? 1 : -1) * dbToLinear(n < kStep ? beforeDb : afterDb));
    return x;
}

dsp::CompressorSettings quick() {
    dsp::CompressorSettings s;
    s.thresholdDb = -20;
    s.kneeDb = 0;
    s.attackMs = 0.02;
    return s;
}

/// A bass that listens to a kick.
class Ducking : public testing::Test {
  protected:
    Ducking() : m_kit(test::memoryKit({{step(-12, -12)}, {step(-80, -8)}})), m_session(m_kit.session) {
        m_bass = m_kit.elements[0];
        m_kick = m_kit.elements[1];
        m_session = session::withOutput(std::move(m_session), m_kick,
                                        [](session::Output& out) { out.isMuted = true; });
        m_session =
            session::withOutput(std::move(m_session), m_bass, [](session::Output& out) { out.pan = -1; });
        m_compressor = session::addModule(m_session, m_bass, quick());
        m_session = *session::withKey(m_session, m_bass, m_compressor, m_kick);
    }
    void tap(KeyTap tap) { m_session = *session::withKeyTap(m_session, m_bass, m_compressor, tap); }
    /// A gate that is never open: the kick comes out 20 dB down, later by its look-ahead.
    void closeKick(double lookAheadMs) {
        dsp::GateSettings gate;
        gate.openDb = gate.closeDb = 0;
        gate.floorDb = -20;
        gate.lookAheadMs = lookAheadMs;
        session::addModule(m_session, m_kick, gate);
    }
    /// Of the bass, dB.
    [[nodiscard]] double gainAt(std::size_t frame, int block = 512, int threads = 1) const {
        const auto mix =
            test::render(m_session, m_kit.lookup, static_cast<Frames>(kBeatsLength), block, threads);
        return linearToDb(std::abs(mix[2 * frame])) + 12;
    }

    test::MemoryKit m_kit;
    Session m_session;
    Id m_bass, m_kick, m_compressor;
};

TEST_F(Ducking, ListensBeforeOrAfterTheChainAndAlwaysBeforeTheLevel) {
    EXPECT_EQ(session::findModule<dsp::CompressorSettings>(*m_session.chain(m_bass))->keyTap, KeyTap::Chain)
        << "the starting choice";
    EXPECT_NEAR(gainAt(40000), -9, 0.05) << "12 dB over, 4:1";
    closeKick(0);
    EXPECT_NEAR(gainAt(40000), 0, 0.01) << "behind the gate it is under the threshold";
    tap(KeyTap::Source);
    EXPECT_NEAR(gainAt(40000), -9, 0.05);
    EXPECT_NEAR(gainAt(20000), 0, 0.01);
}

TEST_F(Ducking, WaitsForAChainThatIsLate) {
    closeKick(10); // 480 frames
    m_session = session::withModule(m_session, m_session.chain(m_kick)->front().id,
                                    [](session::Module& m) { m.isOn = false; });
    ASSERT_EQ((*compile(m_session, m_kit.lookup))->latencyFrames, 480);
    for (const int threads : {1, 2}) {
        EXPECT_NEAR(gainAt(kStep - 2, 480, threads), 0, 0.01) << "the sound and its key stay together";
        EXPECT_LT(gainAt(kStep + 2, 480, threads), -8.5);
    }
    // What is late behind the source is heard at the same place.
    tap(KeyTap::Source);
    EXPECT_NEAR(gainAt(kStep - 2), 0, 0.01);
    EXPECT_LT(gainAt(kStep + 2), -8.5);
}

TEST_F(Ducking, SoundsTheSameForAnyBlocksAndThreads) {
    closeKick(3);
    const auto whole = test::render(m_session, m_kit.lookup, kBeatsLength, 1024);
    for (const int block : {64, 333})
        EXPECT_EQ(test::render(m_session, m_kit.lookup, kBeatsLength, block, 2), whole);
}

TEST_F(Ducking, TwoThatListenToEachOthersChainsAreRefused) {
    const Id other = session::addModule(m_session, m_kick, quick());
    const auto round = session::withKey(m_session, m_kick, other, m_bass);
    ASSERT_FALSE(round);
    EXPECT_NE(round.error().message.find("feed itself"), std::string::npos) << round.error().message;
    m_session = *session::withKeyTap(m_session, m_kick, other, KeyTap::Source);
    const auto early = session::withKey(m_session, m_kick, other, m_bass);
    ASSERT_TRUE(early) << "what is heard before the chain never goes round";
    EXPECT_FALSE(session::withKeyTap(*early, m_kick, other, KeyTap::Chain));
    EXPECT_TRUE(compile(*early, m_kit.lookup));
    // Listening to the chain of something that a bus of one's own feeds.
    const Id bus = m_session.buses.front()->id;
    const Id onBus = session::addModule(m_session, bus, quick());
    m_session = *session::withOutputBus(m_session, m_bass, bus);
    EXPECT_TRUE(session::withKey(m_session, bus, onBus, m_bass));
}

TEST_F(Ducking, TheTapIsStoredTypedAndListed) {
    const std::string name = m_session.nameOf(m_bass) + "/compressor/key_tap";
    for (const auto* text : {"source", "before its chain", "chain", "After its chain"}) {
        const auto next = session::withValueAt(m_session, name, text);
        ASSERT_TRUE(next) << next.error().message;
        const auto back = session::fromJson(session::toJson(*next), "x");
        ASSERT_TRUE(back) << back.error().message;
        EXPECT_EQ(*back, *next);
        const auto values = session::listValues(*next);
        const auto listed =
            std::find_if(values.begin(), values.end(), [&](auto& v) { return v.path == name; });
        ASSERT_NE(listed, values.end());
        EXPECT_EQ(session::withValueAt(*next, name, listed->value)->chain(m_bass)->front(),
                  next->chain(m_bass)->front());
    }
    EXPECT_FALSE(session::withValueAt(m_session, name, "elsewhere"));
    // The greatest ratio is read as a word too.
    std::string inWords = session::toJson(
        *session::withValueAt(m_session, m_session.nameOf(m_bass) + "/compressor/ratio", "inf"));
    const auto number = inWords.find("\"ratio\": 100.0");
    ASSERT_NE(number, std::string::npos) << inWords;
    inWords.replace(number, 14, "\"ratio\": \"infinite\"");
    const auto read = session::fromJson(inWords, "x");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(std::get<dsp::CompressorSettings>(read->chain(m_bass)->front().settings).ratio,
              dsp::kInfiniteRatio);
    // A stored tap that makes no sense keeps the module whole.
    std::string json = session::toJson(m_session);
    const auto at = json.find("\"key_tap\": \"chain\"");
    ASSERT_NE(at, std::string::npos);
    json.replace(at, 18, "\"key_tap\": \"moon\" ");
    const auto odd = session::fromJson(json, "x");
    ASSERT_TRUE(odd) << odd.error().message;
    EXPECT_TRUE(std::holds_alternative<session::UnknownModule>(odd->chain(m_bass)->front().settings));
}

TEST_F(Ducking, ItsGainIsTold) {
    const auto plan = *compile(m_session, m_kit.lookup);
    Runner runner(plan, 480);
    for (Frames at = 0; at < 40000; at += 480) {
        runner.process(at, 480);
        const double db = linearToDb(runner.gainOf(Stage::Punch, *plan->node(m_bass)));
        if (at == 19200) {
            EXPECT_NEAR(db, 0, 0.01);
        }
    }
    EXPECT_NEAR(linearToDb(runner.gainOf(Stage::Punch, *plan->node(m_bass))), -9, 0.05);
    EXPECT_EQ(runner.gainOf(Stage::Punch, *plan->node(m_kick)), 1);
    EXPECT_EQ(runner.gainOf(Stage::Clean, *plan->node(m_bass)), 1) << "that is of gates";
}

TEST(ParallelCompression, IdleItNullsAgainstTheDrySound) {
    // A copy through a bus with two compressors that do nothing, one of them looking ahead.
    auto kit = test::memoryKit({{test::noise(0.3, kBeatsLength, 3), test::noise(0.3, kBeatsLength, 4)}});
    Session s = kit.session;
    const Id bus = session::addBus(s, "Parallel", s.master().id);
    s = *session::withSend(std::move(s), kit.elements[0], {bus, 0, false, {}});
    auto idle = quick();
    idle.thresholdDb = 0;
    idle.lookAheadMs = 7;
    session::addModule(s, bus, idle);
    idle.lookAheadMs = 0;
    idle.detector = dsp::CompressorDetector::Rms;
    session::addModule(s, bus, idle);
    const auto both = test::render(s, kit.lookup, kBeatsLength);
    const auto dry =
        test::render(session::withOutput(s, bus, [](session::Output& out) { out.isMuted = true; }),
                     kit.lookup, kBeatsLength);
    double worst = 0;
    for (std::size_t n = 0; n < dry.size(); ++n)
        worst = std::max(worst, std::abs(both[n] - 2.0 * dry[n]));
    EXPECT_LT(linearToDb(std::max(worst, 1e-12)), -120);
}

} // namespace
} // namespace cask::graph
