// The rough balance of a session: what it renders is what was told.
#include "core/kit_measures/headroom.h"
#include "core/kit_measures/hit_analysis.h"
#include "core/kit_measures/kit_listening.h"
#include "core/kit_measures/rough_balance.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

constexpr double kRoughTakeS = 24;

/// Strokes of a decaying tone, s.
std::vector<float> strokesOf(double hz, double everyS, double firstS, double decayS, double gain) {
    auto x = test::bursts(hz, everyS, firstS, decayS, kRoughTakeS);
    for (float& v : x)
        v *= static_cast<float>(gain);
    return x;
}
std::vector<float> sum(std::vector<float> a, const std::vector<float>& b, double gain) {
    for (std::size_t n = 0; n < a.size(); ++n)
        a[n] += static_cast<float>(gain) * b[n];
    return a;
}

/// Kick, snare, a tom that the overheads hear on the right, overheads, a bass.
class RoughBalanceTest : public testing::Test {
  protected:
    RoughBalanceTest() {
        const auto kick = strokesOf(70, 1.0, 0.25, 0.05, 0.8);
        const auto snare = strokesOf(220, 1.0, 0.75, 0.06, 0.2);
        const auto tom = strokesOf(120, 3.0, 0.5, 0.12, 0.5);
        const auto left = sum(sum(strokesOf(70, 1.0, 0.25, 0.05, 0.02), snare, 0.3), tom, 0.1);
        const auto right = sum(sum(strokesOf(70, 1.0, 0.25, 0.05, 0.02), snare, 0.3), tom, 0.3);
        m_kit = test::memoryKit({{kick}, {snare}, {tom}, {left, right}, {test::sine(55, 0.9, kRoughTakeS)}});
        m_session = m_kit.session;
        const std::array roles = {Role::KickIn, Role::SnareTop, Role::RackTom, Role::Overhead, Role::Bass};
        for (std::size_t e = 0; e < roles.size(); ++e)
            m_session = session::withRole(m_session, m_kit.elements[e], roles[e]);
        auto& hits = m_hits.hits;
        m_hits.elements = m_kit.elements;
        hits.inputs = 4;
        hits.kit.drums = {
            {"Kick", Role::KickIn, {0}}, {"Snare", Role::SnareTop, {1}}, {"Tom", Role::RackTom, {2}}};
        hits.kit.drumOf = {0, 1, 2, -1};
        const auto add = [&](int drum, double everyS, double firstS) {
            for (double at = firstS; at + 0.5 < kRoughTakeS; at += everyS)
                hits.strokes.push_back({drum, at, -6, 1, measure::HitClass::Normal, 1, true});
        };
        add(0, 1.0, 0.25);
        add(1, 1.0, 0.75);
        add(2, 3.0, 0.5);
    }
    [[nodiscard]] RoughBalance made(KitView view = KitView::AsRecorded) const {
        auto balance = roughBalance(m_session, m_hits, m_kit.lookup, m_style, view);
        EXPECT_TRUE(balance);
        return *std::move(balance);
    }
    [[nodiscard]] const session::Output& out(const session::Session& s, std::size_t element) const {
        return *s.output(m_kit.elements[element]);
    }

    test::MemoryKit m_kit;
    session::Session m_session;
    HitAnalysis m_hits;
    advise::HouseStyle m_style;
};

TEST_F(RoughBalanceTest, KeepsTheHeadroomAndBringsDrumsToTheirLoudness) {
    m_style.headroomKickDb = -8.5;
    const auto balance = made();
    EXPECT_TRUE(balance.notes.empty());
    const auto s = withBalance(m_session, balance);
    const auto headroom = measureHeadroom(s, m_kit.lookup);
    ASSERT_TRUE(headroom);
    const auto peak = [&](Rung rung) { return headroom->truePeakDb[static_cast<std::size_t>(rung)]; };
    EXPECT_NEAR(peak(Rung::Kit), m_style.headroomKitDb, 0.35);
    EXPECT_LT(peak(Rung::Kick), m_style.headroomKickDb + 0.3);
    EXPECT_LT(peak(Rung::KitAndBass), m_style.headroomBassDb + 0.1);
    EXPECT_EQ(headroom->truePeakDb, balance.after.truePeakDb) << "what is told is what is rendered";
    ASSERT_EQ(balance.drums.size(), 3U);
    for (const auto& drum : balance.drums) {
        SCOPED_TRACE(drum.name);
        EXPECT_TRUE(drum.isLed);
        EXPECT_NEAR(drum.afterLufs, drum.targetLufs, 0.15);
    }
    EXPECT_NEAR(balance.drums[2].targetLufs - balance.drums[1].targetLufs, m_style.balanceTomLu, 1e-9);
    EXPECT_LT(balance.drums[1].beforeLufs, balance.drums[0].beforeLufs) << "as it was";
}

TEST_F(RoughBalanceTest, AKickThatIsTooLoudAloneGivesALittleAndTheRestIsTold) {
    m_style.headroomKickDb = -4;
    const auto wide = made();
    m_style.headroomKickDb = -14;
    const auto narrow = made();
    const auto under = [](const RoughBalance& b) { return b.drums[0].targetLufs - b.drums[1].targetLufs; };
    EXPECT_NEAR(under(narrow) - under(wide), -1.4, 0.01);
    ASSERT_EQ(narrow.notes.size(), 1U);
    EXPECT_EQ(narrow.notes[0].find("With the kick alone heard the master is "), 0U) << narrow.notes[0];
    EXPECT_NEAR(narrow.after.truePeakDb[1], m_style.headroomKitDb, 0.35);
}

TEST_F(RoughBalanceTest, TomsStandWhereTheOverheadsHearThemKickAndSnareInTheCentre) {
    m_session = session::withOutput(m_session, m_kit.elements[1], [](session::Output& o) { o.pan = 0.5; });
    const auto s = withBalance(m_session, made());
    EXPECT_EQ(out(s, 0).pan, 0);
    EXPECT_EQ(out(s, 1).pan, 0);
    EXPECT_GT(out(s, 2).pan, 0.2) << "where it is heard";
    EXPECT_EQ(out(s, 3).pan, 0);
    EXPECT_EQ(out(s, 4).pan, m_session.output(m_kit.elements[4])->pan);
}

TEST_F(RoughBalanceTest, RefusedStepsStayAsTheyWere) {
    const auto balance = made();
    std::set<std::size_t> all;
    for (std::size_t k = 0; k < balance.steps.size(); ++k) {
        const auto without = withBalance(m_session, balance, {k});
        const auto& step = balance.steps[k];
        const auto& now = *without.output(step.element);
        EXPECT_EQ(step.what == BalanceStep::What::Level ? now.levelDb : now.pan, step.before);
        EXPECT_FALSE(step.reason.empty());
        all.insert(k);
    }
    EXPECT_GE(all.size(), 5U);
    EXPECT_EQ(withBalance(m_session, balance, all), m_session);
}

TEST_F(RoughBalanceTest, MutedElementsStayAndAKitWithoutHitsIsRefused) {
    m_session =
        session::withOutput(m_session, m_kit.elements[2], [](session::Output& o) { o.isMuted = true; });
    for (const auto& step : made().steps)
        EXPECT_NE(step.element, m_kit.elements[2]);
    m_hits.hits.strokes.clear();
    const auto none = roughBalance(m_session, m_hits, m_kit.lookup, m_style);
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().code, ErrorCode::NotFound);
    CancelToken cancel;
    cancel.cancel();
    EXPECT_EQ(roughBalance(m_session, m_hits, m_kit.lookup, m_style, {}, cancel).error().code,
              ErrorCode::Cancelled);
}

TEST_F(RoughBalanceTest, ALoopGoesByItsLoudnessAlsoWhereHitsTakeItForADrum) {
    m_session = session::withRole(m_session, m_kit.elements[4], Role::Loop);
    m_hits.hits.inputs = 5;
    m_hits.hits.kit.drums.push_back({"Loop", Role::Loop, {4}});
    m_hits.hits.kit.drumOf.push_back(3);
    for (double at = 0.3; at + 0.5 < kRoughTakeS; at += 1)
        m_hits.hits.strokes.push_back({3, at, -6, 1, measure::HitClass::Normal, 1, true});
    const auto balance = made();
    const auto s = withBalance(m_session, balance);
    // A sine of 0.9 at 55 Hz behind the standard's high-pass (38.1 Hz, Q 0.5): x^2 / (1 + x^2).
    const double x = 55 / 38.135;
    const double alone = -0.691 + 10 * std::log10(0.81 / 2) + linearToDb(x * x / (1 + x * x));
    EXPECT_NEAR(alone + out(s, 4).levelDb - balance.drums[1].targetLufs, m_style.balanceLoopLu, 0.3);
}

TEST_F(RoughBalanceTest, LevelsInSectionsMoveAlong) {
    m_session.sections = {{"verse", 2, 6, {}}};
    m_session = session::withOutput(m_session, m_kit.elements[0], [](session::Output& o) {
        o.levelDb = 2;
        session::SectionChange change;
        change.section = "verse";
        change.values["level_db"] = -1;
        o.changes.push_back(change);
    });
    const auto s = withBalance(m_session, made());
    EXPECT_NEAR(out(s, 0).changes[0].values.at("level_db") - out(s, 0).levelDb, -3, 1e-9);
}

TEST(KitListening, HearsAllMicrophonesAtTheSameInstant) {
    // The same noise in all of them: nothing is lost in the products of any two, wherever they go.
    const auto noise = test::noise(0.3, static_cast<std::size_t>(4 * kRate), 5);
    auto kit = test::memoryKit({{noise}, {noise, noise}, {noise}, {noise, noise}});
    auto& s = kit.session;
    const session::Id none = session::kNoId;
    const auto first = session::addBus(s, "First", none);
    const std::array targets = {first, none, session::addBus(s, "Second", first), none};
    advise::HitAnalysis hits;
    hits.elements = kit.elements;
    hits.hits.inputs = 4;
    hits.hits.kit.drums = {{"Snare", Role::SnareTop, {0}}};
    for (std::size_t e = 0; e < kit.elements.size(); ++e) {
        s = session::withRole(s, kit.elements[e], e % 2 == 0 ? Role::SnareTop : Role::Overhead);
        s = session::withOutput(s, kit.elements[e], [&](session::Output& out) { out.bus = targets[e]; });
    }
    for (const double at : {0.5, 1.5, 2.5})
        hits.hits.strokes.push_back({0, at, -6, 1, measure::HitClass::Normal, 1, true});
    const auto heard = listenToKit(s, kit.elements, hits, kit.lookup, {}, {});
    ASSERT_TRUE(heard);
    const auto& powers = heard->powers;
    ASSERT_EQ(powers.channels(), 6);
    for (int i = 0; i < powers.channels(); ++i)
        for (int j = 0; j < i; ++j)
            EXPECT_NEAR(powers.product(0, i, j) / powers.product(0, 0, 0), 1, 0.01) << i << " " << j;
}

} // namespace
} // namespace cask::kit
