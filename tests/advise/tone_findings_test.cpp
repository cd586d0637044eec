// What is said of tones, from measures made by formula.
#include "core/advise/advise.h"
#include "core/advise/tone_moves.h"
#include "core/base/units.h"
#include "core/dsp/eq_design.h"
#include "core/measure/tone/hump.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <span>

namespace cask::advise {
namespace {

using dsp::EqBand;
using session::Id;
using session::Session;

class ToneFindingsTest : public testing::Test {
  protected:
    ToneFindingsTest() {
        auto kit = test::memoryKit({{test::noise(0.1, 100, 1)}, {test::noise(0.1, 100, 2)}});
        m_session = kit.session;
        m_element = kit.elements[0];
        m_other = kit.elements[1];
        setRole(m_element, Role::KickIn);
        m_tone.element = m_element;
        m_tone.spectra.own.bandDb.assign(measure::kSpectrumPoints, -50);
        m_tone.spectra.spill = m_tone.spectra.own;
    }
    void setRole(Id element, Role role) {
        m_session = session::withElement(m_session, element, [&](auto& e) { e.role = role; });
    }
    void lift(double hz, double gainDb) {
        EqBand band;
        band.frequencyHz = hz;
        band.gainDb = gainDb;
        band.q = 2;
        m_tone.spectra.own = measure::filtered(m_tone.spectra.own, [eq = dsp::EqSettings{{band}}](double f) {
            return dsp::responseDb(eq, f, 48000);
        });
        m_tone.levels.push_back({measure::measureBoxiness(m_tone.spectra.own).hz, -20});
    }
    [[nodiscard]] const Finding* find(const std::string& start) {
        KitMeasures measures;
        measures.tones = {m_tone};
        if (m_second.element != session::kNoId)
            measures.tones.push_back(m_second);
        measures.hits = m_hits;
        m_findings = toneFindings(m_session, measures, m_style);
        for (auto& f : mixFindings(m_session, measures, m_style))
            m_findings.push_back(std::move(f));
        for (const auto& f : m_findings)
            if (f.id.starts_with(start))
                return &f;
        return nullptr;
    }
    [[nodiscard]] EqBand proposed(const Finding& finding) const {
        const auto next = finding.proposal->apply(m_session);
        return std::get<dsp::EqSettings>(
                   session::findModule<dsp::EqSettings>(*next.chain(m_element))->settings)
            .bands.front();
    }

    Session m_session;
    Id m_element = session::kNoId;
    Id m_other = session::kNoId;
    ToneMeasure m_tone;
    ToneMeasure m_second;
    HouseStyle m_style;
    std::shared_ptr<const HitAnalysis> m_hits;
    std::vector<Finding> m_findings;
};

TEST_F(ToneFindingsTest, ABoxyKickGetsACutThatDoesWhatItSays) {
    EXPECT_EQ(find("box-"), nullptr);
    lift(360, 12);
    const auto* box = find("box-");
    ASSERT_NE(box, nullptr);
    EXPECT_TRUE(box->isOpen());
    const auto cut = proposed(*box);
    EXPECT_NEAR(cut.frequencyHz / 360, 1, 0.06);
    EXPECT_LT(cut.gainDb, -2);
    const double expected = box->numbers[3].value;
    EXPECT_EQ(box->numbers[3].name, "excess after");
    const auto after = measure::measureBoxiness(
        measure::filtered(m_tone.spectra.own,
                          [eq = dsp::EqSettings{{cut}}](double f) { return dsp::responseDb(eq, f, 48000); }));
    EXPECT_NEAR(after.excessDb, expected, 0.01);
    EXPECT_LT(after.excessDb, m_style.boxKickDb + 0.5);
    m_session = box->proposal->apply(m_session);
    EXPECT_EQ(find("box-"), nullptr) << "made once, it is not proposed again";
}

TEST_F(ToneFindingsTest, AMicrophoneThatAddsWhatTheOthersDoNotHearIsBoxyWhateverTheDrum) {
    setRole(m_element, Role::RackTom);
    lift(360, 9);
    EXPECT_EQ(find("box-"), nullptr) << "a tom may rise so far";
    Beside beside;
    beside.other = m_other;
    beside.difference.bandDb.assign(measure::kSpectrumPoints, 3);
    m_tone.beside = beside;
    EXPECT_EQ(find("box-"), nullptr) << "the overheads hear it too: it is the drum";
    EqBand band;
    band.frequencyHz = 360;
    band.gainDb = 12;
    band.q = 2;
    m_tone.beside->difference =
        measure::filtered(beside.difference,
                          [eq = dsp::EqSettings{{band}}](double f) { return dsp::responseDb(eq, f, 48000); });
    const auto* box = find("box-");
    ASSERT_NE(box, nullptr);
    EXPECT_NE(box->sentence.find("more of the drum than"), std::string::npos) << box->sentence;
    EXPECT_NEAR(proposed(*box).frequencyHz / 360, 1, 0.06);
    m_session = box->proposal->apply(m_session);
    EXPECT_EQ(find("box-"), nullptr) << "made once, it is not proposed again";
    m_session = session::withChain(m_session, m_element, [](auto& chain) { chain.clear(); });
    m_tone.spectra.own.bandDb.assign(measure::kSpectrumPoints, -50);
    EXPECT_EQ(find("box-"), nullptr) << "what does not rise at all is not boxy";
}

TEST_F(ToneFindingsTest, WhatIsUsualDependsOnTheDrumAndTheStyle) {
    lift(360, 12);
    setRole(m_element, Role::SnareTop);
    EXPECT_EQ(find("box-"), nullptr) << "a snare's shell sounds there";
    m_style.boxSnareDb = 5;
    EXPECT_NE(find("box-"), nullptr);
}

TEST_F(ToneFindingsTest, TheThreeSchoolsCutInTheirOwnWays) {
    lift(360, 12);
    const auto narrow = proposed(*find("box-"));
    m_style.toneSchool = ToneSchool::Broad;
    const auto broad = proposed(*find("box-"));
    EXPECT_NEAR(broad.gainDb, narrow.gainDb / 2, 0.11);
    EXPECT_LE(broad.q, narrow.q);
    EXPECT_FALSE(broad.isDynamic());
    m_style.toneSchool = ToneSchool::Moving;
    const auto moving = proposed(*find("box-"));
    EXPECT_EQ(moving.dynamics, dsp::Dynamics::Above);
    EXPECT_DOUBLE_EQ(moving.gainDb, 0);
    EXPECT_DOUBLE_EQ(moving.rangeDb, narrow.gainDb);
    EXPECT_NEAR(moving.thresholdDb, -20 + narrow.gainDb, 0.51)
        << "a middling hit reaches the end of the range";
    EXPECT_EQ(find("box-")->school, "bands that move");
}

measure::Ring ringAt(double hz, int hits) {
    measure::Ring ring;
    ring.hz = hz;
    ring.decayMs = 900;
    ring.aroundMs = 225;
    ring.excessDb = 30;
    ring.hits = hits;
    ring.hitsLookedAt = 20;
    return ring;
}

TEST_F(ToneFindingsTest, WhatWasMeasuredOfACutIsToldOfThatCutAlone) {
    measure::Ring ring{417, 850, 300, 20, 17, 17, {}};
    m_tone.partials.rings = {ring};
    m_tone.ringCuts = {{ringCut(ring, 2), 340, 300, 21}};
    m_tone.levels = {{417, -30}};
    const auto tells = [&](ToneSchool school) {
        m_style.toneSchool = school;
        const auto* found = find("ring-");
        EXPECT_NE(found, nullptr);
        return found != nullptr && std::any_of(found->numbers.begin(), found->numbers.end(),
                                               [](const auto& n) { return n.name == "softer after"; });
    };
    EXPECT_TRUE(tells(ToneSchool::Narrow));
    EXPECT_DOUBLE_EQ(proposed(*find("ring-")).gainDb, m_tone.ringCuts[0].band.gainDb)
        << "the cut that was tried";
    EXPECT_DOUBLE_EQ(proposed(*find("ring-")).q, m_tone.ringCuts[0].band.q);
    EXPECT_NE(find("ring-")->sentence.find("21 dB softer"), std::string::npos);
    EXPECT_FALSE(tells(ToneSchool::Broad));
    EXPECT_FALSE(tells(ToneSchool::Moving));
}

TEST_F(ToneFindingsTest, OwnReferencesAreJudgedByAndShippedRangesAreNot) {
    const auto usual = *measure::shapeOf(m_tone.spectra.own);
    m_style.references.ranges[Role::KickIn] = measure::rangeOf(std::span(&usual, 1));
    lift(3000, 14);
    EXPECT_EQ(find("range-"), nullptr) << "a shipped range is only shown";
    for (const char* name : {"a", "b"})
        m_style.references.keep({Role::KickIn, name, usual});
    m_style.references.keep({Role::SnareTop, "c", usual});
    EXPECT_EQ(find("range-"), nullptr) << "two kicks are too few";
    m_style.references.keep({Role::KickIn, "c", usual});
    const auto* range = find("range-");
    ASSERT_NE(range, nullptr);
    EXPECT_EQ(range->severity, Severity::Advice);
    EXPECT_NE(range->sentence.find("your 3 references"), std::string::npos) << range->sentence;
    EXPECT_LT(range->numbers[0].value, 3000);
    EXPECT_GT(range->numbers[1].value, 3000);
    EXPECT_GT(range->numbers[2].value, 3);
    const auto cut = proposed(*range);
    EXPECT_NEAR(cut.frequencyHz / 3000, 1, 0.15);
    EXPECT_LE(cut.gainDb, -3);
    EXPECT_GE(cut.gainDb, -6);
    // The cut is heard by the measure: what is left is less.
    const double before = range->numbers[2].value;
    m_session = range->proposal->apply(m_session);
    const auto* after = find("range-");
    EXPECT_TRUE(after == nullptr || after->numbers[2].value < before - 1.5);
}

TEST_F(ToneFindingsTest, WhatIsMissingIsToldButNotBoosted) {
    for (const char* name : {"a", "b", "c"})
        m_style.references.keep({Role::KickIn, name, *measure::shapeOf(m_tone.spectra.own)});
    lift(3000, -14);
    const auto* range = find("range-");
    ASSERT_NE(range, nullptr);
    EXPECT_EQ(range->severity, Severity::Note);
    EXPECT_NE(range->sentence.find("under the range"), std::string::npos) << range->sentence;
    EXPECT_FALSE(range->proposal);
}

TEST_F(ToneFindingsTest, ARingOnSomeHitsIsCutOnlyThen) {
    m_tone.partials.rings = {ringAt(500, 20)};
    m_tone.levels = {{500, -18}};
    const auto always = proposed(*find("ring-"));
    EXPECT_FALSE(always.isDynamic());
    EXPECT_NEAR(always.gainDb, 20 * std::log10(225.0 / 900), 0.1);
    m_tone.partials.rings = {ringAt(500, 13)};
    const auto sometimes = proposed(*find("ring-"));
    EXPECT_TRUE(sometimes.isDynamic());
    EXPECT_NEAR(sometimes.rangeDb, always.gainDb, 1e-9);
    // Behind a cut of any kind it is not spoken of again.
    m_session = find("ring-")->proposal->apply(m_session);
    EXPECT_EQ(find("ring-"), nullptr);
}

TEST_F(ToneFindingsTest, WhatIsMeantIsHeardOnTheLoudestOwnHit) {
    m_tone.partials.rings = {ringAt(500, 20)};
    EXPECT_FALSE(find("ring-")->hearing.has_value());
    auto hits = std::make_shared<HitAnalysis>();
    hits->elements = {m_element};
    hits->hits.heard = {
        {0, 0, 0, true, 2.0, -12, 1}, {0, 0, 1, true, 5.0, -6, 1}, {0, 1, 2, false, 7.0, -3, 1}};
    m_hits = hits;
    const auto* ring = find("ring-");
    ASSERT_TRUE(ring->hearing.has_value());
    EXPECT_EQ(ring->hearing->alone, std::vector<Id>{m_element});
    EXPECT_NEAR(ring->hearing->fromS, 4.9, 1e-9);
    EXPECT_GT(ring->hearing->toS, 6);
}

TEST_F(ToneFindingsTest, ALowCutStaysUnderTheNote) {
    // All of its energy lies high, but it is known to sound at 100 Hz.
    for (int i = 0; i < measure::kSpectrumPoints; ++i)
        if (measure::Spectrum::pointHz(i) < 600)
            m_tone.spectra.own.bandDb[static_cast<std::size_t>(i)] = -100;
        else
            m_tone.spectra.spill.bandDb[static_cast<std::size_t>(i)] = -80;
    m_tone.spectra.spillHits = 20;
    EXPECT_EQ(find("low-cut-"), nullptr) << "of a drum whose note is not known nobody can say";
    setRole(m_element, Role::ClosedHat);
    const auto* cut = find("low-cut-");
    ASSERT_NE(cut, nullptr);
    EXPECT_GT(cut->numbers[0].value, 300) << "a hat's energy tells";
    EXPECT_DOUBLE_EQ(proposed(*cut).slopeDbPerOct, 12) << "a gentle one first";
    setRole(m_element, Role::KickIn);
    m_tone.partials.fundamental = {100, 300, 0.9};
    cut = find("low-cut-");
    ASSERT_NE(cut, nullptr);
    EXPECT_EQ(cut->numbers[0].name, "corner");
    EXPECT_LE(cut->numbers[0].value, 70);
    EXPECT_GE(cut->numbers[0].value, 60);
    m_tone.isNoteAnothers = true; // then it may be the other drum's
    EXPECT_EQ(find("low-cut-"), nullptr);
}

TEST_F(ToneFindingsTest, ATomThatHumsAlongIsHeldDownBetweenItsHits) {
    setRole(m_element, Role::RackTom);
    m_tone.partials.fundamental = {128, 600, 1};
    m_tone.levels = {{128, -12}};
    m_tone.sympathy = {128, 900, 18, 20, -28, true, 0.9};
    const auto* hum = find("sympathy-");
    ASSERT_NE(hum, nullptr);
    const auto band = proposed(*hum);
    EXPECT_EQ(band.dynamics, dsp::Dynamics::Below);
    EXPECT_LT(band.rangeDb, -6);
    EXPECT_LT(band.thresholdDb, -12) << "under its own hits";
    EXPECT_GT(band.thresholdDb, -12 - 28) << "and over the humming";
    m_session = hum->proposal->apply(m_session);
    EXPECT_EQ(find("sympathy-"), nullptr);
    m_session = session::withoutBand(m_session, m_element, band.id);
    m_tone.sympathy.hits = 5;
    EXPECT_EQ(find("sympathy-"), nullptr);
    m_tone.sympathy.hits = 18;
    setRole(m_element, Role::KickIn);
    EXPECT_EQ(find("sympathy-"), nullptr);
}

TEST_F(ToneFindingsTest, OverheadsKeepTheBodyOfWhatHasNoMicrophone) {
    setRole(m_element, Role::Overhead);
    m_tone.hearsAll = true;
    for (int i = 0; i < measure::kSpectrumPoints; ++i)
        if (measure::Spectrum::pointHz(i) < 400)
            m_tone.spectra.own.bandDb[static_cast<std::size_t>(i)] = -90;
    m_tone.spectra.attack = m_tone.spectra.own;
    m_tone.spectra.spillHits = 10;
    const auto* cut = find("low-cut-");
    ASSERT_NE(cut, nullptr);
    EXPECT_NE(cut->sentence.find("costs the cymbals"), std::string::npos) << cut->sentence;
    EXPECT_EQ(proposed(*cut).kind, dsp::FilterKind::HighPass);
    m_tone.carried = {"rack tom", "floor tom"};
    EXPECT_EQ(find("low-cut-"), nullptr);
    const auto* carried = find("carried-");
    ASSERT_NE(carried, nullptr);
    EXPECT_NE(carried->sentence.find("rack tom and floor tom"), std::string::npos) << carried->sentence;
    EXPECT_FALSE(carried->isOpen());
}

TEST_F(ToneFindingsTest, TomsTellHowFarTheyAreApart) {
    setRole(m_element, Role::RackTom);
    setRole(m_other, Role::FloorTom);
    m_tone.partials.fundamental = {130, 600, 1};
    m_second = m_tone;
    m_second.element = m_other;
    m_second.partials.fundamental = {65, 600, 1};
    const auto* toms = find("toms-");
    ASSERT_NE(toms, nullptr);
    EXPECT_NEAR(toms->numbers[0].value, 12, 1e-9);
    EXPECT_NE(find("fundamental-"), nullptr);
    m_second.isNoteAnothers = true;
    EXPECT_EQ(find("toms-"), nullptr);
    m_second.isNoteAnothers = false;
    m_second.partials.fundamental.confidence = 0.3;
    EXPECT_EQ(find("toms-"), nullptr);
}

TEST_F(ToneFindingsTest, WhatTheFiltersMadeOfItIsToldWhileItIsTrue) {
    Session changed = m_session;
    session::addBand(changed, m_element, EqBand{});
    m_session = changed;
    ToneAfter after;
    after.chain = *m_session.chain(m_element);
    after.ownDb = -0.4;
    after.spillDb = -7.9;
    after.rings = {{417, 870, 270, 260}};
    m_tone.after = after;
    const auto* told = find("after-");
    ASSERT_NE(told, nullptr);
    EXPECT_NE(told->sentence.find("-7.9 dB of spill"), std::string::npos) << told->sentence;
    EXPECT_NE(told->sentence.find("0.27 s (0.87 s before"), std::string::npos) << told->sentence;
    session::addBand(m_session, m_element, EqBand{});
    EXPECT_EQ(find("after-"), nullptr);
}

} // namespace
} // namespace cask::advise
