#include "core/advise/advise.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parallel_path.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

/// A snare that is saturated, and a path beside its bus.
class DriveFindingsTest : public testing::Test {
  protected:
    DriveFindingsTest() {
        session::Element e;
        e.id = m_session.nextId++;
        e.name = "Snare Top";
        e.role = Role::SnareTop;
        m_snare = e.id;
        m_shells = session::startingBus(m_session, Role::SnareTop);
        e.out.bus = m_shells;
        m_session.elements.emplace_back(std::move(e));
        m_drive.owner = m_snare;
        m_drive.settings = dsp::SaturationSettings{};
        m_drive.module = session::addModule(m_session, m_snare, dsp::SaturationSettings{});
        m_drive.aliasDb = -90;
        fill(m_drive.change);
        m_path.path = *session::addPath(m_session, "Crush", m_shells);
        m_path.of = m_shells;
        fill(m_path.change);
    }
    /// 3 dB denser, nothing else.
    static void fill(measure::DriveChange& change) {
        change.before.lufs = -20;
        change.before.peakDb = -3;
        change.after.lufs = -17;
        change.after.peakDb = -3;
        change.newDb = -20;
        change.shapes.hits = 20;
        change.thirds = {{100, 0.4}, {1000, -0.5}};
    }
    [[nodiscard]] std::vector<Finding> run() const {
        KitMeasures measures;
        measures.drive.modules = {m_drive};
        measures.drive.paths = {m_path};
        return driveFindings(m_session, measures, m_style);
    }
    [[nodiscard]] dsp::SaturationSettings after(const Finding& f) const {
        return std::get<dsp::SaturationSettings>(
            f.proposal->apply(m_session).element(m_snare)->chain.front().settings);
    }
    [[nodiscard]] session::ParallelPath pathAfter(const Finding& f) const {
        return *f.proposal->apply(m_session).bus(m_path.path)->path;
    }

    session::Session m_session = session::emptySession();
    session::Id m_snare = session::kNoId;
    session::Id m_shells = session::kNoId;
    DriveMeasure m_drive;
    PathMeasure m_path;
    HouseStyle m_style;
};

TEST_F(DriveFindingsTest, WhatMakesItDenserAtNoCostIsNoFinding) {
    EXPECT_TRUE(run().empty());
}

TEST_F(DriveFindingsTest, AResonatorTakesNothingAwayByBeingLoud) {
    m_drive.change.thirds = {{100, 4}, {4000, -4}};
    ASSERT_EQ(run().size(), 1U) << "a saturation that does so is told";
    m_drive.settings = dsp::BodySettings{};
    m_session = session::withModule(m_session, m_drive.module,
                                    [](session::Module& m) { m.settings = dsp::BodySettings{}; });
    EXPECT_TRUE(run().empty());
    m_drive.change.newDb = -84;
    ASSERT_EQ(run().size(), 1U);
    EXPECT_EQ(run()[0].sentence,
              "The resonator on Snare Top does nothing: what it makes new lies 84 dB under the sound.");
}

TEST_F(DriveFindingsTest, WhatDoesNothingIsToldAlone) {
    m_drive.change.newDb = -84;
    m_drive.aliasDb = -20;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].severity, Severity::Note);
    EXPECT_EQ(found[0].sentence,
              "The saturation on Snare Top does nothing: what it makes new lies 84 dB under the sound.");
}

TEST_F(DriveFindingsTest, CymbalsOverTheStyleAreSparedByBendingTheLowsAlone) {
    m_drive.change.cymbalsDb = 1.9;
    EXPECT_TRUE(run().empty());
    m_drive.change.cymbalsDb = 3.4;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].id, "drive-cymbals-" + std::to_string(m_snare) + "-" + std::to_string(m_drive.module));
    EXPECT_EQ(found[0].stage, Stage::Drive);
    EXPECT_EQ(after(found[0]).band, dsp::GateReach::Below);
    EXPECT_EQ(after(found[0]).toHz, 5000);
    // Where it bends a part alone already, nothing more is proposed.
    auto part = dsp::SaturationSettings{};
    part.band = dsp::GateReach::Below;
    m_session =
        session::withModule(m_session, m_drive.module, [&](session::Module& m) { m.settings = part; });
    m_drive.settings = part;
    ASSERT_EQ(run().size(), 1U);
    EXPECT_FALSE(run()[0].proposal);
}

TEST_F(DriveFindingsTest, AliasesOverTheStyleAreToldWithTheRateThatSuffices) {
    m_drive.aliasDb = -48;
    m_drive.enoughFactor = 8;
    m_drive.enoughAliasDb = -71;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].sentence,
              "The saturation on Snare Top folds back 48 dB under what comes out; this style "
              "allows 60 dB. At 8 times the rate it is 71 dB.");
    EXPECT_EQ(after(found[0]).oversampling, dsp::Oversampling::Eight);
}

TEST_F(DriveFindingsTest, AMatchedOutputThatNoLongerMatchesIsMatchedAnew) {
    m_drive.change.shapes.matchDb = -1.2;
    EXPECT_TRUE(run().empty()) << "a fixed one may be what it is";
    auto matched = dsp::SaturationSettings{};
    matched.output = dsp::SaturationOutput::Matched;
    matched.outputDb = 2;
    m_session =
        session::withModule(m_session, m_drive.module, [&](session::Module& m) { m.settings = matched; });
    m_drive.settings = matched;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NEAR(after(found[0]).outputDb, 0.8, 1e-9);
}

TEST_F(DriveFindingsTest, AThirdThatIsLostIsGivenBackByABell) {
    m_drive.change.thirds = {{100, 0.2}, {3150, -4.2}};
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].severity, Severity::Note);
    const auto s = found[0].proposal->apply(m_session);
    const auto* eq = session::findEq(*s.chain(m_snare), session::EqPlace::Colour);
    ASSERT_NE(eq, nullptr);
    const auto& band = std::get<dsp::EqSettings>(eq->settings).bands.front();
    EXPECT_EQ(band.frequencyHz, 3150);
    EXPECT_NEAR(band.gainDb, 4.2, 1e-9);
}

TEST_F(DriveFindingsTest, WhatAnotherSettingWasMeasuredWithIsNotTold) {
    m_drive.change.cymbalsDb = 5;
    m_session = session::withModule(m_session, m_drive.module, [](session::Module& m) {
        std::get<dsp::SaturationSettings>(m.settings).driveDb = 3;
    });
    EXPECT_TRUE(run().empty());
}

TEST_F(DriveFindingsTest, AHoleAtTheNoteOfTheKickIsToldWithItsCause) {
    m_path.combDipDb = 4.6;
    m_path.combNoteHz = 58;
    m_path.combElement = "Kick In";
    m_path.comb.dips = {{2000, 9, measure::CombCause::Delay}, {60, 4.6, measure::CombCause::Phase}};
    m_session = session::withBus(m_session, m_path.path, [](session::Bus& b) { b.path->lowCutHz = 120; });
    auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].sentence,
              "The path Crush takes 4.6 dB away from Kick In at its note of 58 Hz: the phase of "
              "its filters turns it. Without its low cut both add up.");
    EXPECT_EQ(pathAfter(found[0]).lowCutHz, session::ParallelPath::kLeastCutHz);
    m_path.comb.dips[1].cause = measure::CombCause::Delay;
    found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_NE(pathAfter(found[0]).pitchCents, 0);
    m_path.comb.dips[1].cause = measure::CombCause::Polarity;
    found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(pathAfter(found[0]).isInverted);
    EXPECT_EQ(pathAfter(found[0]).pitchCents, 0);
    m_path.combDipDb = 2.9;
    EXPECT_TRUE(run().empty());
}

TEST_F(DriveFindingsTest, SendsThatGoToWhatRingsByItselfAreToldAndMended) {
    session::Element tom;
    tom.id = m_session.nextId++;
    tom.name = "Tom";
    tom.role = Role::RackTom;
    tom.out.bus = m_shells;
    tom.out.sends.push_back({m_path.path, 0, false, {}});
    const auto id = tom.id;
    m_session.elements.emplace_back(std::move(tom));
    m_path.shares = {{id, 0, 60, -2.0, -7.0}, {m_snare, 0, 40, -9.0, 0.0}};
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].severity, Severity::Note);
    EXPECT_EQ(found[0].sentence,
              "In Crush, Snare Top falls off fastest and Tom rings longest, by 7 dB in its tail. "
              "Sent by who needs sustain: Tom -7.0 dB, Snare Top +0.0 dB.");
    const auto mended = found[0].proposal->apply(m_session);
    EXPECT_EQ(mended.output(id)->sends.back().levelDb, -7);
    m_path.shares[0].wantedDb = -3;
    EXPECT_TRUE(run().empty()) << "near enough";
}

TEST_F(DriveFindingsTest, APathThatIsOnlyLouderAndOneThatRaisesCymbalsAreTold) {
    m_path.change.after = m_path.change.before;
    m_path.change.thirds = {{100, 0.2}};
    m_path.blendErrorDb = 2.4;
    auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(found[0].id.starts_with("path-louder-"));
    fill(m_path.change);
    m_path.blendErrorDb = 0;
    m_path.change.cymbalsDb = 2.6;
    m_path.kneePercent = 30;
    m_session = session::withBus(m_session, m_path.path, [](session::Bus& b) {
        b.path->isEqualGain = true;
        b.path->blendPercent = 60;
    });
    found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_TRUE(found[0].id.starts_with("path-cymbals-"));
    EXPECT_EQ(pathAfter(found[0]).blendPercent, 30);
    // A low-pass that is not enough is no better; one that is keeps the blend.
    m_path.lowPass = {4000, -3, 0.25, 2.4, m_style.cymbalsRaisedDb + 0.1};
    EXPECT_EQ(pathAfter(run()[0]).blendPercent, 30);
    m_path.change.cymbalsDb = 4.5;
    m_path.lowPass->cymbalsDb = m_style.cymbalsRaisedDb - 0.1;
    found = run();
    const auto after = found[0].proposal->apply(m_session);
    const auto& bus = *after.bus(m_path.path);
    EXPECT_EQ(bus.path->blendPercent, 60);
    EXPECT_EQ(bus.path->matchDb, -3);
    EXPECT_EQ(bus.path->likeness, 0.25);
    const auto* eq = session::findModule<dsp::EqSettings>(bus.chain);
    ASSERT_NE(eq, nullptr);
    const auto& band = std::get<dsp::EqSettings>(eq->settings).bands.front();
    EXPECT_EQ(band.kind, dsp::FilterKind::LowPass);
    EXPECT_EQ(band.frequencyHz, 4000);
    EXPECT_NE(found[0].sentence.find("low-pass at 4000 Hz"), std::string::npos);
}

TEST_F(DriveFindingsTest, AnEqualGainOutOfDateIsMatchedAnew) {
    m_session = session::withBus(m_session, m_path.path, [](session::Bus& b) { b.path->isEqualGain = true; });
    m_path.blendErrorDb = -0.8;
    m_path.matchDb = 5;
    m_path.likeness = 0.4;
    const auto found = run();
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(pathAfter(found[0]).matchDb, 5);
    EXPECT_EQ(pathAfter(found[0]).likeness, 0.4);
}

} // namespace
} // namespace cask::advise
