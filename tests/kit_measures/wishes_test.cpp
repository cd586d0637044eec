// Ways taken in a session: what it renders is what was promised.
#include "core/base/units.h"
#include "core/kit_measures/node_sound.h"
#include "core/kit_measures/punch.h"
#include "core/kit_measures/wishes.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

constexpr double kWishEveryS = 0.4;
constexpr double kSeconds = 8;

std::vector<float> decayingDrum(double hz) {
    std::vector<float> x(static_cast<std::size_t>(kSeconds * kRate), 0.0F);
    int i = 0;
    for (double at = kWishEveryS; at + kWishEveryS < kSeconds; at += kWishEveryS, ++i) {
        const auto from = static_cast<std::size_t>(std::lround(at * kRate));
        for (std::size_t n = 0; n < static_cast<std::size_t>(kWishEveryS * kRate); ++n) {
            const double t = static_cast<double>(n) / kRate;
            x[from + n] += static_cast<float>(
                dbToLinear(-4 - i % 4) * (std::exp(-t / 0.004) * std::sin(2 * kPi * 2500 * t) +
                                          0.6 * std::pow(10, -3 * t / 0.4) * std::sin(2 * kPi * hz * t)));
        }
    }
    return x;
}

class WishesTest : public testing::Test {
  protected:
    WishesTest() : m_kit(test::memoryKit({{decayingDrum(60)}, {test::sine(50, 0.3, kSeconds)}})) {
        m_session = session::withRole(m_kit.session, m_kit.elements[0], Role::KickIn);
        m_session = session::withRole(m_session, m_kit.elements[1], Role::Bass);
        auto& hits = m_hits.hits;
        m_hits.elements = {m_kit.elements[0]};
        hits.inputs = 1;
        hits.kit.drums = {{"Kick", Role::KickIn, {0}}};
        hits.kit.drumOf = {0};
        int stroke = 0;
        for (double at = kWishEveryS; at + kWishEveryS < kSeconds; at += kWishEveryS) {
            hits.strokes.push_back({0, at, -3, 1, measure::HitClass::Normal, 1, true});
            hits.heard.push_back({0, 0, stroke++, true, at, -3, 1});
        }
    }
    /// The session's own rendering of an element with a way taken, judged.
    [[nodiscard]] measure::WishMeasure rendered(const session::Session& s, const WishAsked& asked) {
        const auto before = punchMaterial(m_session, asked.owner, session::kNoId, m_hits, m_kit.lookup);
        auto material = **before;
        if (asked.key != session::kNoId)
            material.hits = measure::materialHitsOf(m_hits.hits, 0);
        const auto after =
            nodeSound(s, asked.owner, m_kit.lookup, 0, static_cast<std::size_t>(kSeconds * kRate));
        return measure::WishJudge(asked.wish, advise::wishGoals({}), material).measure(*after);
    }

    test::MemoryKit m_kit;
    session::Session m_session;
    HitAnalysis m_hits;
};

TEST_F(WishesTest, WhatASessionRendersIsWhatWasPromised) {
    for (const auto wish : {measure::Wish::Snap, measure::Wish::Control, measure::Wish::TameTail}) {
        SCOPED_TRACE(measure::wishWords(wish));
        const WishAsked asked{m_kit.elements[0], wish, session::kNoId};
        const auto answers = findWays(m_session, asked, m_hits, m_kit.lookup, {});
        ASSERT_TRUE(answers);
        ASSERT_FALSE(answers->empty());
        EXPECT_TRUE(answers->front().measured.isReached);
        for (const auto& answer : *answers) {
            SCOPED_TRACE(wayInWords(answer.way));
            const auto with = withWay(m_session, asked, answer);
            const auto measured = rendered(with, asked);
            EXPECT_NEAR(measured.reachedDb, answer.measured.reachedDb, 0.2);
            EXPECT_NEAR(measured.keptAttackDb, answer.measured.keptAttackDb, 0.2);
            const bool hasMakeup =
                std::any_of(answer.way.modules.begin(), answer.way.modules.end(), [](const auto& module) {
                    return std::holds_alternative<dsp::CompressorSettings>(module);
                });
            if (hasMakeup) {
                EXPECT_NEAR(measured.matchDb, 0, 0.15) << "it is as loud as before";
            }
        }
    }
}

TEST_F(WishesTest, DuckingTakesItsKeyAlongAndIsNotMadeLouder) {
    const WishAsked asked{m_kit.elements[1], measure::Wish::Duck, m_kit.elements[0]};
    const auto answers = findWays(m_session, asked, m_hits, m_kit.lookup, {});
    ASSERT_TRUE(answers);
    ASSERT_FALSE(answers->empty());
    EXPECT_TRUE(answers->front().measured.isReached);
    const auto with = withWay(m_session, asked, answers->front());
    const auto& module = with.element(asked.owner)->chain.front();
    EXPECT_EQ(module.key, m_kit.elements[0]);
    EXPECT_EQ(std::get<dsp::CompressorSettings>(module.settings).makeupDb, 0);
    const auto measured = rendered(with, asked);
    EXPECT_NEAR(measured.reachedDb, answers->front().measured.reachedDb, 0.2);
    EXPECT_GE(measured.recoveredPercent, 95);
}

TEST_F(WishesTest, ASentenceSaysWhatItComesToAndWhatItCosts) {
    measure::WishAnswer answer{{"slow", "a slow compressor", {dsp::CompressorSettings{}}}, {}};
    answer.measured.reachedDb = 2.4;
    answer.measured.goalDb = 2;
    answer.measured.isReached = true;
    answer.measured.ghostsDb = 1.25;
    answer.measured.spillDb = 2;
    answer.measured.spillDrum = 3;
    answer.measured.recoveredPercent = 97;
    EXPECT_EQ(answerInWords(measure::Wish::Snap, answer, {}, "Hat"),
              "A slow compressor: threshold -20 dBFS, 4:1, attack 20 ms, release 120 ms gives 2.4 dB of snap "
              "(2.0 dB are wished for), has let go before 97 % of the hits, raises ghosts by 1.2 dB, raises "
              "spill of Hat by 2.0 dB.");
    answer.measured.reachedDb = 1;
    answer.measured.isReached = false;
    EXPECT_NE(
        answerInWords(measure::Wish::Snap, answer, {}, "").find("comes to 1.0 dB of snap, not to the 2.0"),
        std::string::npos);
}

TEST_F(WishesTest, StoppingIsToldAndWithoutHitsThereIsNoWay) {
    CancelToken cancel;
    cancel.cancel();
    const WishAsked asked{m_kit.elements[0], measure::Wish::Snap, session::kNoId};
    EXPECT_EQ(findWays(m_session, asked, m_hits, m_kit.lookup, {}, cancel).error().code,
              ErrorCode::Cancelled);
    m_hits.hits.strokes.clear();
    m_hits.hits.heard.clear();
    const auto none = findWays(m_session, asked, m_hits, m_kit.lookup, {});
    ASSERT_TRUE(none);
    EXPECT_TRUE(none->empty());
}

TEST_F(WishesTest, ASourceThatWasSaturatedBeforeIsSaidWithEveryWay) {
    const auto words = [](const std::vector<float>& sound, Role role) {
        const auto kit = test::memoryKit({{sound}});
        const auto s = session::withRole(kit.session, kit.elements[0], role);
        HitAnalysis hits;
        hits.elements = {kit.elements[0]};
        hits.hits.inputs = 1;
        hits.hits.kit.drums = {{"Drum", role, {0}}};
        hits.hits.kit.drumOf = {0};
        int stroke = 0;
        for (double at = kWishEveryS; at + kWishEveryS < kSeconds; at += kWishEveryS) {
            hits.hits.strokes.push_back({0, at, -3, 1, measure::HitClass::Normal, 1, true});
            hits.hits.heard.push_back({0, 0, stroke++, true, at, -3, 1});
        }
        const WishAsked asked{kit.elements[0], measure::Wish::Snap, session::kNoId};
        const auto answers = findWays(s, asked, hits, kit.lookup, {});
        return answers && !answers->empty() ? answerInWords(asked.wish, answers->front(), {}, {})
                                            : std::string("none");
    };
    const auto drum = decayingDrum(190);
    auto saturated = drum;
    for (float& x : saturated)
        x = 0.5F * std::tanh(9 * x);
    EXPECT_EQ(words(drum, Role::SnareTop).find("held"), std::string::npos) << words(drum, Role::SnareTop);
    EXPECT_NE(words(saturated, Role::SnareTop).find("it was limited or saturated before"), std::string::npos)
        << words(saturated, Role::SnareTop);
}

} // namespace
} // namespace cask::kit
