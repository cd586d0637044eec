#include "core/dsp/eq_design.h"
#include "core/kit_measures/beside.h"
#include "core/measure/tone/hump.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

using session::Id;

constexpr double kEveryS = 0.5;

std::vector<float> bursts(std::size_t frames) {
    auto sound = test::noise(0.3, frames, 5);
    for (std::size_t n = 0; n < frames; ++n) {
        const double t = std::fmod(static_cast<double>(n) / kRate, kEveryS);
        sound[n] *= static_cast<float>(std::exp(-t / 0.05));
    }
    return sound;
}

dsp::EqBand box() {
    dsp::EqBand band;
    band.frequencyHz = 380;
    band.gainDb = 12;
    band.q = 2;
    return band;
}

/// The sound behind an equaliser, as the program renders it.
std::vector<float> boxy(const std::vector<float>& sound) {
    auto kit = test::memoryKit({{sound}});
    session::addBand(kit.session, kit.elements[0], box());
    const auto out = test::render(kit.session, kit.lookup, static_cast<Frames>(sound.size()));
    std::vector<float> left(sound.size());
    for (std::size_t n = 0; n < left.size(); ++n)
        left[n] = out[2 * n];
    return left;
}

/// A kick in two microphones, the first of which is boxy.
class BesideTest : public testing::Test {
  protected:
    void make(const std::vector<float>& first, const std::vector<float>& second) {
        m_kit = test::memoryKit({{first}, {second}});
        m_hits.elements = m_kit.elements;
        m_hits.hits.inputs = 2;
        m_hits.hits.kit.drums = {{"Kick", Role::KickIn, {0, 1}}};
        m_hits.hits.kit.drumOf = {0, 0};
        m_hits.hits.lagS = {0, 0};
        m_hits.hits.strokes.clear();
        for (double t = kEveryS; t < 7; t += kEveryS)
            m_hits.hits.strokes.push_back({0, t, -4, 1, measure::HitClass::Normal, 1, true});
        setRole(0, Role::KickIn);
        setRole(1, Role::KickOut);
    }
    void setRole(std::size_t which, Role role) {
        m_kit.session =
            session::withElement(m_kit.session, m_kit.elements[which], [&](auto& e) { e.role = role; });
    }
    [[nodiscard]] std::optional<advise::Beside> beside(std::size_t which) const {
        return measureBeside(m_kit.session, m_hits, m_kit.lookup, m_kit.elements[which]);
    }

    std::vector<float> m_plain = bursts(static_cast<std::size_t>(8 * kRate));
    test::MemoryKit m_kit;
    HitAnalysis m_hits;
};

TEST_F(BesideTest, WhatOneMicrophoneAddsIsReadOffAsItWasMade) {
    make(boxy(m_plain), m_plain);
    const auto found = beside(0);
    ASSERT_TRUE(found);
    EXPECT_EQ(found->other, m_kit.elements[1]);
    EXPECT_TRUE(found->isNear);
    EXPECT_EQ(found->hits, 13);
    measure::Spectrum made;
    made.bandDb.assign(measure::kSpectrumPoints, 0);
    made = measure::filtered(
        made, [eq = dsp::EqSettings{{box()}}](double hz) { return dsp::responseDb(eq, hz, kRate); });
    const auto hump = measure::measureBoxiness(found->difference);
    EXPECT_NEAR(hump.hz / 380, 1, 0.06);
    EXPECT_TRUE(hump.isTop);
    EXPECT_NEAR(hump.excessDb, measure::measureBoxiness(made).excessDb, 1);
    const auto other = beside(1);
    ASSERT_TRUE(other);
    EXPECT_LT(measure::measureBoxiness(other->difference).excessDb, 0) << "the plain one has less there";
}

TEST_F(BesideTest, AFileThatIsLateIsReadWhereItsHitsAre) {
    auto late = m_plain;
    const auto frames = static_cast<std::ptrdiff_t>(0.1 * kRate);
    std::rotate(late.begin(), late.end() - frames, late.end());
    make(boxy(m_plain), late);
    m_hits.hits.lagS = {0, 0.1};
    const auto found = beside(0);
    ASSERT_TRUE(found);
    EXPECT_NEAR(measure::measureBoxiness(found->difference).hz / 380, 1, 0.06);
    EXPECT_NEAR(found->difference.levelBetween(2000, 4000), 0, 25) << "both hear the hits";
}

TEST_F(BesideTest, OverheadsServeWhereNothingIsNearAndDeadOnesDoNot) {
    make(boxy(m_plain), m_plain);
    m_hits.hits.kit.drumOf = {0, -1};
    setRole(1, Role::Overhead);
    const auto found = beside(0);
    ASSERT_TRUE(found);
    EXPECT_FALSE(found->isNear);
    EXPECT_FALSE(beside(1)) << "overheads hear all drums and are not judged so";
    make(m_plain, std::vector<float>(m_plain.size(), 0.0F));
    EXPECT_FALSE(beside(0));
    make(m_plain, m_plain);
    m_hits.hits.strokes.resize(2);
    EXPECT_FALSE(beside(0)) << "two hits say too little";
}

} // namespace
} // namespace cask::kit
