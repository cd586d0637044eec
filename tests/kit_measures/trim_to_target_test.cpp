// Accents at one peak by trim: the same is done to the same hits.
#include "core/kit_measures/trim_to_target.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

/// A kick whose accents peak at -20 dBFS, with ghosts, and a snare at -6.
class TrimToTargetTest : public testing::Test {
  protected:
    TrimToTargetTest() {
        auto kick = test::bursts(80, 0.5, 0.1, 0.1, 6);
        auto snare = test::bursts(220, 0.5, 0.3, 0.1, 6);
        for (float& v : kick)
            v *= 0.1F;
        for (float& v : snare)
            v *= 0.5F;
        m_kit = test::memoryKit({{kick}, {snare}, {test::noise(0.1, kick.size(), 3)}});
        m_session = session::withRole(m_kit.session, m_kit.elements[0], Role::KickIn);
        m_session = session::withRole(m_session, m_kit.elements[1], Role::SnareTop);
        m_session = session::withRole(m_session, m_kit.elements[2], Role::Overhead);
        auto& hits = m_hits.hits;
        m_hits.elements = m_kit.elements;
        hits.inputs = 3;
        hits.kit.drums = {{"Kick", Role::KickIn, {0}}, {"Snare", Role::SnareTop, {1}}};
        hits.kit.drumOf = {0, 1, -1};
        const auto add = [&](int drum, double levelDb, measure::HitClass hitClass) {
            const int stroke = static_cast<int>(hits.strokes.size());
            const double at = 0.1 + 0.1 * stroke;
            hits.strokes.push_back({drum, at, levelDb, 1, hitClass, 1, true});
            hits.heard.push_back({drum, drum, stroke, true, at, levelDb, 1});
        };
        for (int i = 0; i < 5; ++i) {
            add(0, -20, measure::HitClass::Accent);
            add(0, -40, measure::HitClass::Ghost);
            add(1, -6, measure::HitClass::Normal);
        }
    }
    test::MemoryKit m_kit;
    session::Session m_session;
    advise::HitAnalysis m_hits;
};

TEST_F(TrimToTargetTest, AccentsComeToTheTargetWhateverTheTrimThatThereIs) {
    m_session =
        session::withElement(m_session, m_kit.elements[0], [](session::Element& e) { e.input.trimDb = 3; });
    const auto steps = trimToTarget(m_session, m_hits, -12);
    ASSERT_EQ(steps.size(), 2U) << "the overhead stays";
    EXPECT_NEAR(steps[0].accentDb, -17, 1e-9);
    EXPECT_NEAR(steps[0].afterDb, 8, 1e-9);
    EXPECT_EQ(steps[0].hits, 5) << "ghosts do not count";
    EXPECT_NEAR(steps[1].afterDb, -6, 1e-9);
    const auto s = withTrims(m_session, steps);
    EXPECT_EQ(s.element(m_kit.elements[1])->input.trimDb, -6);
    EXPECT_TRUE(trimToTarget(s, m_hits, -12).empty());
}

TEST_F(TrimToTargetTest, GatesCompressorsAndDynamicBandsDoTheSameOnlyLouder) {
    dsp::GateSettings gate;
    gate.openDb = -28;
    gate.closeDb = -34;
    session::addModule(m_session, m_kit.elements[0], gate);
    dsp::CompressorSettings compressor;
    compressor.thresholdDb = -30;
    session::addModule(m_session, m_kit.elements[0], compressor);
    dsp::EqBand band{0, dsp::FilterKind::Bell, true, 80, 0, 1.2, 24};
    band.dynamics = dsp::Dynamics::Above;
    band.thresholdDb = -36;
    band.rangeDb = -6;
    session::addBand(m_session, m_kit.elements[0], band);
    // Another that listens to the kick.
    const auto ducked = session::addModule(m_session, m_kit.elements[2], compressor);
    m_session = *session::withKey(m_session, m_kit.elements[2], ducked, m_kit.elements[0]);
    const auto steps = trimToTarget(m_session, m_hits, -12);
    ASSERT_EQ(steps.size(), 2U);
    EXPECT_EQ(steps[0].thresholds, 5);
    const std::vector<TrimStep> kick{steps[0]};
    const auto s = withTrims(m_session, kick);
    const auto frames = static_cast<Frames>(6 * kRate);
    const auto alone = [&](session::Session x, std::size_t element) {
        for (std::size_t e = 0; e < 3; ++e)
            if (e != element)
                x = session::withOutput(std::move(x), m_kit.elements[e],
                                        [](session::Output& out) { out.isMuted = true; });
        return test::render(x, m_kit.lookup, frames);
    };
    const auto difference = [](const std::vector<float>& a, const std::vector<float>& b, double gain) {
        double most = 0;
        for (std::size_t n = 0; n < a.size(); ++n)
            most = std::max(most, std::abs(gain * static_cast<double>(a[n]) - static_cast<double>(b[n])));
        return most;
    };
    EXPECT_LT(difference(alone(m_session, 0), alone(s, 0), dbToLinear(8)), dbToLinear(-90));
    EXPECT_LT(difference(alone(m_session, 2), alone(s, 2), 1), dbToLinear(-90)) << "the one that listens";
    auto without = m_session;
    without =
        session::withElement(without, m_kit.elements[0], [](session::Element& e) { e.input.trimDb = 8; });
    EXPECT_GT(difference(alone(m_session, 0), alone(without, 0), dbToLinear(8)), dbToLinear(-50))
        << "thresholds that stay do something else";
}

} // namespace
} // namespace cask::kit
