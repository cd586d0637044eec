// One value each for the moves that do most.
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/quick_moves.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

class QuickMoves : public testing::Test {
  protected:
    QuickMoves()
        : m_kit(test::memoryKit({{std::vector<float>(480, 0.1F)},
                                 {std::vector<float>(480, 0.1F), std::vector<float>(480, 0.1F)}})) {}
    [[nodiscard]] Id mono() const { return m_kit.elements[0]; }
    [[nodiscard]] Id stereo() const { return m_kit.elements[1]; }
    test::MemoryKit m_kit;
};

TEST_F(QuickMoves, EveryValueIsReadBackAndGoesAgain) {
    const auto& s = m_kit.session;
    const std::array values = {-6.0, 0.5, 120.0, 40.0, -30.0, 4.0, 50.0};
    for (std::size_t i = 0; i < kQuickMoves.size(); ++i) {
        const auto move = kQuickMoves[i];
        const auto next = withQuickMove(s, stereo(), move, values[i]);
        EXPECT_NE(next, s) << i;
        EXPECT_NEAR(*quickValue(next, stereo(), move), values[i], 1e-9) << i;
        EXPECT_EQ(next.element(mono())->chain.size(), 0U);
        auto back = withoutQuickMove(next, stereo(), move);
        back.nextId = s.nextId;
        EXPECT_EQ(back, s) << i << ": nothing is left behind";
        const auto& info = quickInfo(move);
        EXPECT_EQ(*quickValue(withQuickMove(s, stereo(), move, 1e9), stereo(), move), info.most) << i;
    }
    EXPECT_FALSE(quickValue(s, mono(), QuickMove::Width));
    EXPECT_EQ(withQuickMove(s, mono(), QuickMove::Width, 50), s);
    EXPECT_FALSE(quickValue(s, 9999, QuickMove::Level));
}

TEST_F(QuickMoves, UseWhatIsThereAndLeaveTheRest) {
    auto s = m_kit.session;
    dsp::EqBand bell;
    bell.gainDb = 3;
    addBand(s, mono(), bell);
    s = withQuickMove(s, mono(), QuickMove::HighPass, 60);
    s = withQuickMove(s, mono(), QuickMove::HighPass, 90);
    const auto* eq = findEq(s.element(mono())->chain, EqPlace::Repair);
    ASSERT_NE(eq, nullptr);
    EXPECT_EQ(std::get<dsp::EqSettings>(eq->settings).bands.size(), 2U) << "one high-pass, moved";
    s = withoutQuickMove(s, mono(), QuickMove::HighPass);
    ASSERT_EQ(s.element(mono())->chain.size(), 1U) << "the bell stays";
    s = withQuickMove(s, mono(), QuickMove::Attack, 30);
    s = withQuickMove(s, mono(), QuickMove::Sustain, -20);
    s = withQuickMove(s, mono(), QuickMove::Attack, 0);
    EXPECT_EQ(*quickValue(s, mono(), QuickMove::Sustain), -20) << "the shaper has more to do";
    // One that is off does nothing, and is used again.
    const auto id = findModule<dsp::TransientSettings>(s.element(mono())->chain)->id;
    s = withModule(s, id, [](Module& m) { m.isOn = false; });
    EXPECT_EQ(*quickValue(s, mono(), QuickMove::Sustain), 0);
    s = withQuickMove(s, mono(), QuickMove::Attack, 10);
    EXPECT_EQ(findModule<dsp::TransientSettings>(s.element(mono())->chain)->id, id);
}

TEST_F(QuickMoves, WhatPlaysWithTheKitDucksUnderTheKick) {
    auto s = withRole(m_kit.session, mono(), Role::KickIn);
    s = withRole(s, stereo(), Role::Bass);
    EXPECT_EQ(duckKeyOf(s, stereo()), mono());
    EXPECT_EQ(duckKeyOf(s, mono()), kNoId);
    const auto next = withQuickMove(s, stereo(), QuickMove::Pump, 5);
    ASSERT_EQ(next.element(stereo())->chain.size(), 1U);
    const auto& module = next.element(stereo())->chain[0];
    EXPECT_EQ(module.key, mono());
    EXPECT_EQ(std::get<dsp::CompressorSettings>(module.settings).rangeDb, 5);
    EXPECT_EQ(*quickValue(next, stereo(), QuickMove::Pump), 5);
    EXPECT_TRUE(withoutQuickMove(next, stereo(), QuickMove::Pump).element(stereo())->chain.empty());
    // A compressor that follows the sound itself is none.
    auto other = s;
    addModule(other, stereo(), dsp::CompressorSettings{});
    EXPECT_EQ(*quickValue(other, stereo(), QuickMove::Pump), 0);
    EXPECT_EQ(withoutQuickMove(other, stereo(), QuickMove::Pump), other);
}

} // namespace
} // namespace cask::session
