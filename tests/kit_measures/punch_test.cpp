// Compressors of a session judged on the sound that really comes out of it.
#include "core/base/units.h"
#include "core/kit_measures/punch.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

constexpr double kFastEveryS = 0.25;

/// Hits with a click of 3 ms over a tone that falls by 60 dB in 0.4 s, 4 a second.
std::vector<float> fastDrum(double seconds) {
    std::vector<float> x(static_cast<std::size_t>(seconds * kRate), 0.0F);
    for (double at = kFastEveryS; at + 0.1 < seconds; at += kFastEveryS) {
        const auto from = static_cast<std::size_t>(std::lround(at * kRate));
        for (std::size_t n = 0; from + n < x.size() && n < static_cast<std::size_t>(kFastEveryS * kRate);
             ++n) {
            const double t = static_cast<double>(n) / kRate;
            x[from + n] += static_cast<float>(0.5 * std::exp(-t / 0.003) * std::sin(2 * kPi * 2500 * t) +
                                              0.4 * std::pow(10, -3 * t / 0.4) * std::sin(2 * kPi * 200 * t));
        }
    }
    return x;
}

class PunchMeasureTest : public testing::Test {
  protected:
    PunchMeasureTest() : m_kit(test::memoryKit({{fastDrum(6)}})) {
        m_session = session::withRole(m_kit.session, m_kit.elements[0], Role::SnareTop);
        auto& hits = m_hits.hits;
        m_hits.elements = {m_kit.elements[0]};
        hits.inputs = 1;
        hits.kit.drums = {{"Snare", Role::SnareTop, {0}}};
        hits.kit.drumOf = {0};
        int stroke = 0;
        for (double at = kFastEveryS; at + 0.1 < 6; at += kFastEveryS) {
            hits.strokes.push_back({0, at, -3, 1, measure::HitClass::Normal, 1, true});
            hits.heard.push_back({0, 0, stroke++, true, at, -3, 1});
        }
    }
    void add(const dsp::CompressorSettings& settings, session::Id key = session::kNoId) {
        m_module = session::addModule(m_session, m_kit.elements[0], settings);
        m_session = session::withModule(m_session, m_module, [&](session::Module& m) { m.key = key; });
    }
    [[nodiscard]] advise::PunchMeasure only() const {
        const auto punches = measureCompressors(m_session, m_hits, m_kit.lookup, {});
        EXPECT_TRUE(punches);
        EXPECT_EQ(punches->size(), 1U);
        return punches->front();
    }

    test::MemoryKit m_kit;
    session::Session m_session;
    HitAnalysis m_hits;
    session::Id m_module = session::kNoId;
};

/// Energy of the first 10 ms of hits in what the session really renders, against the whole, dB.
double beginningsDb(const std::vector<float>& stereo) {
    double first = 0;
    double all = 0;
    for (std::size_t n = 0; n < stereo.size() / 2; ++n) {
        const double t = std::fmod(static_cast<double>(n) / kRate, kFastEveryS);
        const double power = static_cast<double>(stereo[2 * n]) * stereo[2 * n];
        all += power;
        first += t < 0.010 ? power : 0;
    }
    return powerToDb(first / all);
}

TEST_F(PunchMeasureTest, TooFastAnAttackIsFoundAndTheProposedOneKeepsTheStickInTheRenderedSound) {
    dsp::CompressorSettings s;
    s.thresholdDb = -24;
    s.ratio = 8;
    s.attackMs = 0.1;
    s.releaseMs = 60;
    add(s);
    const auto punch = only();
    EXPECT_LT(punch.shapes.keptAttackDb, -2);
    ASSERT_GT(punch.gentlerAttackMs, s.attackMs);
    EXPECT_GE(punch.gentlerKeptDb, -1);
    const auto frames = static_cast<Frames>(6 * kRate);
    const double plain = beginningsDb(test::render(m_kit.session, m_kit.lookup, frames));
    const double fast = beginningsDb(test::render(m_session, m_kit.lookup, frames));
    auto better = session::withModule(m_session, m_module, [&](session::Module& m) {
        std::get<dsp::CompressorSettings>(m.settings).attackMs = punch.gentlerAttackMs;
    });
    const double slow = beginningsDb(test::render(better, m_kit.lookup, frames));
    EXPECT_LT(fast, plain - 1.5);
    EXPECT_GT(slow, plain - 1.2);
}

TEST_F(PunchMeasureTest, TooSlowAReleaseIsFoundAndTheProposedOneRecovers) {
    dsp::CompressorSettings s;
    s.thresholdDb = -24;
    s.attackMs = 20;
    s.releaseMs = 1500;
    add(s);
    const auto punch = only();
    EXPECT_EQ(punch.compression.recovered, 0);
    ASSERT_GT(punch.quickerReleaseMs, 0);
    EXPECT_LT(punch.quickerReleaseMs, kFastEveryS * 1000);
    s.releaseMs = punch.quickerReleaseMs;
    m_session = session::withModule(m_session, m_module, [&](session::Module& m) { m.settings = s; });
    const auto after = only();
    EXPECT_GE(after.compression.recovered, 0.95 * after.compression.followed);
}

TEST_F(PunchMeasureTest, ABusDrivenByItsKickGetsADetectorCutThatMendsIt) {
    // A loud kick of 55 Hz and a softer snare, half a second apart.
    auto kick = test::bursts(55, 1, 0.25, 0.15, 8, kRate);
    auto snare = test::bursts(900, 1, 0.75, 0.05, 8, kRate);
    for (float& x : snare)
        x *= 0.5F;
    const auto kit = test::memoryKit({{kick}, {snare}});
    auto s = session::withRole(kit.session, kit.elements[0], Role::KickIn);
    s = session::withRole(s, kit.elements[1], Role::SnareTop);
    HitAnalysis hits;
    hits.elements = kit.elements;
    hits.hits.inputs = 2;
    hits.hits.kit.drums = {{"Kick", Role::KickIn, {0}}, {"Snare", Role::SnareTop, {1}}};
    hits.hits.kit.drumOf = {0, 1};
    for (int i = 0; i < 14; ++i)
        hits.hits.strokes.push_back({i % 2, 0.25 + 0.5 * i, -3, 1, measure::HitClass::Normal, 1, true});
    dsp::CompressorSettings c;
    c.thresholdDb = -30;
    c.attackMs = 2;
    const auto master = s.buses.back()->id;
    const auto module = session::addModule(s, master, c);
    const auto punches = *measureCompressors(s, hits, kit.lookup, {});
    ASSERT_EQ(punches.size(), 1U);
    ASSERT_EQ(punches[0].drivers.size(), 2U);
    EXPECT_EQ(punches[0].drivers[0].element, kit.elements[0]);
    EXPECT_NEAR(punches[0].drivers[0].percent + punches[0].drivers[1].percent, 100, 0.1);
    EXPECT_GT(punches[0].drivers[0].percent, 60);
    ASSERT_GT(punches[0].detectorCutHz, 0);
    s = session::withModule(s, module, [&](session::Module& m) {
        std::get<dsp::CompressorSettings>(m.settings).lowCutHz = punches[0].detectorCutHz;
    });
    const auto after = *measureCompressors(s, hits, kit.lookup, {});
    ASSERT_FALSE(after[0].drivers.empty());
    const auto kickNow = std::find_if(after[0].drivers.begin(), after[0].drivers.end(),
                                      [&](const auto& driver) { return driver.element == kit.elements[0]; });
    EXPECT_TRUE(kickNow == after[0].drivers.end() || kickNow->percent <= 60);
}

TEST_F(PunchMeasureTest, KeyedBypassedAndParallelOnesAreToldApart) {
    add({});
    const auto send = session::addBus(m_session, "Crush", m_session.buses.back()->id);
    session::addModule(m_session, send, dsp::CompressorSettings{});
    m_session = *session::withSend(m_session, m_kit.elements[0], {send, 0, false, {}});
    auto punches = *measureCompressors(m_session, m_hits, m_kit.lookup, {});
    ASSERT_EQ(punches.size(), 2U);
    EXPECT_FALSE(punches[0].isBus);
    EXPECT_TRUE(punches[1].isBus);
    EXPECT_TRUE(punches[1].isParallel);
    EXPECT_GT(punches[1].compression.hits.size(), 10U) << "those of all drums";
    m_session = session::withModule(m_session, m_module, [](session::Module& m) { m.isOn = false; });
    punches = *measureCompressors(m_session, m_hits, m_kit.lookup, {});
    ASSERT_EQ(punches.size(), 1U);
    CancelToken cancel;
    cancel.cancel();
    EXPECT_FALSE(measureCompressors(m_session, m_hits, m_kit.lookup, {}, cancel));
}

} // namespace
} // namespace cask::kit
