// What buses take of punch, and what kick and snare stand over: on kits whose answers are known.
#include "core/base/units.h"
#include "core/kit_measures/bus_punch.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

constexpr double kKitEveryS = 0.5;
constexpr double kKitSeconds = 8;

double oneKHz(std::size_t frame) {
    return std::sin(2 * kPi * 1000 * static_cast<double>(frame) / kRate);
}

/// Strokes of one level for 10 ms and another for what follows until 120 ms, from `firstS` on.
std::vector<float> steppedDrum(double firstS, double attack, double body) {
    std::vector<float> x(static_cast<std::size_t>(kKitSeconds * kRate), 0.0F);
    for (double at = firstS; at + 0.2 < kKitSeconds; at += kKitEveryS) {
        const auto from = static_cast<std::size_t>(std::lround(at * kRate));
        for (std::size_t n = 0; n < 5760; ++n)
            x[from + n] = static_cast<float>((n < 480 ? attack : body) * oneKHz(n));
    }
    return x;
}

class BusPunchTest : public testing::Test {
  protected:
    BusPunchTest() : m_kit(test::memoryKit({{steppedDrum(0.25, 0.8, 0.1)}, {other()}})) {
        m_session = session::withRole(m_kit.session, m_kit.elements[0], Role::SnareTop);
        m_session = session::withRole(m_session, m_kit.elements[1], Role::Music);
        m_hits.elements = m_kit.elements;
        m_hits.hits.inputs = 2;
        m_hits.hits.kit.drums = {{"Snare", Role::SnareTop, {0}}};
        m_hits.hits.kit.drumOf = {0, -1};
        for (double at = 0.25; at + 0.2 < kKitSeconds; at += kKitEveryS)
            m_hits.hits.strokes.push_back({0, at, -3, 1, measure::HitClass::Normal, 1, true});
    }
    /// A tone of 0.2, of 1 kHz as the drum is.
    static std::vector<float> other() {
        std::vector<float> x(static_cast<std::size_t>(kKitSeconds * kRate));
        for (std::size_t n = 0; n < x.size(); ++n)
            x[n] = static_cast<float>(0.2 * oneKHz(n));
        return x;
    }
    [[nodiscard]] std::vector<advise::BusPunchMeasure> measured() const {
        return *measureBusPunch(m_session, m_hits, m_kit.lookup);
    }

    test::MemoryKit m_kit;
    session::Session m_session;
    HitAnalysis m_hits;
};

TEST_F(BusPunchTest, ALimiterThatCutsTheBeginningsIsTheOneThatTakes) {
    // The snare alone: its beginnings are 18 dB over what follows.
    m_session =
        session::withOutput(m_session, m_kit.elements[1], [](session::Output& out) { out.isMuted = true; });
    EXPECT_TRUE(measured().empty()) << "nothing on the buses shapes hits";
    const auto master = m_session.master().id;
    session::addModule(m_session, master, dsp::CompressorSettings{.thresholdDb = 0});
    dsp::LimiterSettings limiter;
    limiter.ceilingDb = -12;
    limiter.releaseMs = 5;
    const auto id = session::addModule(m_session, master, limiter);
    const auto all = measured();
    ASSERT_EQ(all.size(), 1U);
    EXPECT_EQ(all[0].bus, master);
    EXPECT_GT(all[0].hits, 10);
    EXPECT_EQ(all[0].module, id);
    // Where it goes in: by the law of levels; a little of the body is lowered while it lets go.
    const double inDb = linearToDb(0.8 * std::sqrt(0.5)); // a mono element in the middle
    EXPECT_NEAR(all[0].changeDb, -12 - inDb, 1.2);
    EXPECT_NEAR(all[0].moduleDb, all[0].changeDb, 0.05);
    EXPECT_TRUE(all[0].won.empty());
    // What a shaper of the snare had won is told beside it.
    dsp::TransientSettings shaper;
    shaper.attackPercent = 40;
    session::addModule(m_session, m_kit.elements[0], shaper);
    const auto with = measured();
    ASSERT_EQ(with[0].won.size(), 1U);
    EXPECT_EQ(with[0].won[0].element, m_kit.elements[0]);
    EXPECT_GT(with[0].won[0].db, 1);
}

TEST_F(BusPunchTest, ABusThatIsNotReachedOrDoesNothingTakesNothing) {
    const auto master = m_session.master().id;
    session::addModule(m_session, master, dsp::CompressorSettings{.thresholdDb = 0});
    const auto all = measured();
    ASSERT_EQ(all.size(), 1U);
    EXPECT_NEAR(all[0].changeDb, 0, 0.05);
    EXPECT_EQ(all[0].module, session::kNoId);
    CancelToken cancel;
    cancel.cancel();
    EXPECT_FALSE(measureBusPunch(m_session, m_hits, m_kit.lookup, cancel));
    EXPECT_FALSE(measureStands(m_session, m_hits, m_kit.lookup, cancel));
}

TEST_F(BusPunchTest, BeginningsStandOverTheRestAsTheirLevelsAre) {
    auto stands = *measureStands(m_session, m_hits, m_kit.lookup);
    ASSERT_EQ(stands.size(), 1U);
    EXPECT_EQ(stands[0].element, m_kit.elements[0]);
    EXPECT_NEAR(stands[0].overDb, linearToDb(0.8 / 0.2), 0.1);
    EXPECT_NEAR(stands[0].bandDb[1], linearToDb(0.8 / 0.2), 1);
    // What the session does to levels counts, what it does to both does not.
    m_session =
        session::withOutput(m_session, m_kit.elements[1], [](session::Output& out) { out.levelDb = 6; });
    session::addModule(m_session, m_session.master().id, dsp::CompressorSettings{.thresholdDb = -60});
    stands = *measureStands(m_session, m_hits, m_kit.lookup);
    EXPECT_NEAR(stands[0].overDb, linearToDb(0.8 / 0.2) - 6, 0.1);
    // In a microphone that hears all, what sounds before the hit is what it has to stand over.
    m_session = session::withRole(m_session, m_kit.elements[1], Role::Overhead);
    stands = *measureStands(m_session, m_hits, m_kit.lookup);
    ASSERT_EQ(stands.size(), 1U);
    EXPECT_EQ(stands[0].hits, 16);
    EXPECT_NEAR(stands[0].overDb, linearToDb(0.8 / 0.2) - 6, 0.2);
}

} // namespace
} // namespace cask::kit
