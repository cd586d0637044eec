#include "core/advise/advise.h"
#include "core/advise/tone_moves.h"
#include "core/base/units.h"
#include "core/kit_measures/gates.h"
#include "core/kit_measures/tones.h"
#include "core/measure/gate/gate_judge.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <span>

namespace cask::kit {
namespace {

using session::Id;
using session::Session;

constexpr double kToneEveryS = 0.6;

void addTone(std::vector<float>& x, double atS, double hz, double amplitude, double decayS) {
    const auto from = static_cast<std::size_t>(atS * kRate);
    for (std::size_t n = 0; from + n < x.size(); ++n) {
        const double t = static_cast<double>(n) / kRate;
        if (t > 1.5 * decayS)
            break;
        x[from + n] +=
            static_cast<float>(amplitude * std::pow(1000.0, -t / decayS) * std::sin(2 * kPi * hz * t));
    }
}

/// A snare with a ring and a kick in its microphone, struck in turn.
struct Take {
    test::MemoryKit kit;
    HitAnalysis hits;
    Id snare = session::kNoId;
};

/// `wander`: the ring's pitch goes up and down by so much from hit to hit, as a share.
Take ringingSnare(double ringHz = 520, double ringS = 0.9, double wander = 0) {
    auto sound = test::noise(0.0002, static_cast<std::size_t>(14 * kRate), 3);
    Take take;
    for (double t = 0.3; t < 13; t += kToneEveryS) {
        const bool isOwn = take.hits.hits.strokes.size() % 2 == 0;
        if (isOwn) {
            double weight = 0.4;
            double decay = 0.3;
            for (const double ratio : {1.0, 1.594, 2.136, 2.296, 2.653, 2.918, 3.6, 4.2}) {
                addTone(sound, t, 190 * ratio, weight, decay);
                weight *= 0.7;
                decay *= 0.93;
            }
            wander = -wander;
            addTone(sound, t, ringHz * (1 + wander), 0.06, ringS);
        } else {
            addTone(sound, t, 55, 0.06, 0.3);
        }
        const int stroke = static_cast<int>(take.hits.hits.strokes.size());
        take.hits.hits.heard.push_back({0, isOwn ? 0 : 1, stroke, isOwn, t, isOwn ? -4.0 : -24.0, 1});
        take.hits.hits.strokes.push_back({isOwn ? 0 : 1, t, -4, 1, measure::HitClass::Normal, 1, true});
    }
    take.kit = test::memoryKit({{sound}});
    take.snare = take.kit.elements[0];
    take.kit.session =
        session::withElement(take.kit.session, take.snare, [](auto& e) { e.role = Role::SnareTop; });
    take.hits.elements = {take.snare};
    take.hits.hits.inputs = 1;
    take.hits.hits.kit.drumOf = {0};
    return take;
}

advise::KitMeasures takeMeasures(const Take& take, const Session& s) {
    advise::KitMeasures measures;
    measures.tones = *measureTones(s, take.hits, take.kit.lookup);
    return measures;
}

std::vector<advise::Finding> findingsOf(const Take& take, const Session& s) {
    return advise::toneFindings(s, takeMeasures(take, s), {});
}

const advise::Finding* named(const std::vector<advise::Finding>& findings, const std::string& start) {
    for (const auto& f : findings)
        if (f.id.starts_with(start))
            return &f;
    return nullptr;
}

/// What the partials of the element are after its chain.
measure::HitMaterial afterChain(const Take& take, const Session& s) {
    auto material = **hitMaterial(s, take.snare, session::kNoId, take.hits, take.kit.lookup);
    const auto out = test::render(s, take.kit.lookup, static_cast<Frames>(material.frames()));
    for (std::size_t n = 0; n < material.frames(); ++n)
        material.sound[0][n] = out[2 * n];
    return material;
}

TEST(Tones, TheProposedCutEndsTheRingWithItsSurroundings) {
    for (const double ringHz : {350.0, 520.0, 983.0}) {
        const auto take = ringingSnare(ringHz);
        const auto& s = take.kit.session;
        const auto findings = findingsOf(take, s);
        const auto* ring = named(findings, "ring-");
        ASSERT_NE(ring, nullptr) << ringHz;
        EXPECT_NE(ring->sentence.find("rings at"), std::string::npos) << ring->sentence;
        ASSERT_TRUE(ring->proposal);
        const auto mended = ring->proposal->apply(s);
        const auto before = afterChain(take, s);
        const auto after = afterChain(take, mended);
        const auto rings = [](const measure::HitMaterial& m) {
            return measure::measurePartials(m, measure::fundamentalRange(Role::SnareTop)).rings;
        };
        ASSERT_FALSE(rings(before).empty());
        EXPECT_NEAR(rings(before)[0].hz / ringHz, 1, 0.01);
        for (const auto& left : rings(after))
            EXPECT_TRUE(std::abs(left.hz / ringHz - 1) > 0.03 || left.decayMs < 1.3 * left.aroundMs)
                << left.hz << " " << left.decayMs << ", around " << left.aroundMs;
        // Elsewhere nothing of the hits is lost.
        const auto was = measure::measureToneSpectra(before).own;
        const auto is = measure::measureToneSpectra(after).own;
        for (const double hz : {100.0, 200.0, 1600.0, 4000.0})
            EXPECT_NEAR(is.thirdOctaveDb(hz), was.thirdOctaveDb(hz), 1) << ringHz << " at " << hz;
        // Made once, it is not proposed again; an equaliser that is off has made nothing.
        EXPECT_EQ(named(findingsOf(take, mended), "ring-"), nullptr);
        const auto off = session::withModule(mended, mended.element(take.snare)->chain[0].id,
                                             [](session::Module& m) { m.isOn = false; });
        EXPECT_NE(named(findingsOf(take, off), "ring-"), nullptr);
    }
}

TEST(Tones, ARingThatIsTheSameOnEveryHitGetsTheShallowestCut) {
    const auto take = ringingSnare(520, 0.9);
    const auto tones = *measureTones(take.kit.session, take.hits, take.kit.lookup);
    ASSERT_EQ(tones[0].ringCuts.size(), 1U);
    const auto& cut = tones[0].ringCuts[0];
    EXPECT_GT(cut.band.gainDb, advise::ringCut(tones[0].partials.rings[0]).gainDb - 4);
    EXPECT_LE(cut.endsMs, 1.2 * cut.aroundMs);
}

TEST(Tones, ARingThatWandersIsCutDeeperAndWhatIsSaidOfItIsTrue) {
    const auto take = ringingSnare(520, 0.9, 0.0015);
    const auto& s = take.kit.session;
    const auto tones = *measureTones(s, take.hits, take.kit.lookup);
    ASSERT_EQ(tones[0].ringCuts.size(), 1U);
    const auto& ring = tones[0].partials.rings[0];
    const auto& cut = tones[0].ringCuts[0];
    EXPECT_LT(cut.band.gainDb, advise::ringCut(ring).gainDb - 1);
    EXPECT_GE(cut.band.gainDb, -24);
    const auto findings = findingsOf(take, s);
    const auto* finding = named(findings, "ring-");
    ASSERT_NE(finding, nullptr);
    EXPECT_NE(finding->sentence.find("softer 0.15 s"), std::string::npos) << finding->sentence;
    // Rendered through the cut, heard in 60 ms from 0.15 s after each own hit on.
    const auto before = afterChain(take, s);
    const auto after = afterChain(take, finding->proposal->apply(s));
    double was = 0;
    double is = 0;
    for (const auto& hit : before.hits)
        if (hit.isOwn) {
            const auto from = static_cast<std::size_t>((hit.timeS - before.startS + 0.15) * kRate);
            const auto piece = [&](const measure::HitMaterial& m) {
                const double a = test::amplitudeAt(std::span(m.sound[0]).subspan(from, 2880), ring.hz, kRate);
                return a * a;
            };
            was += piece(before);
            is += piece(after);
        }
    EXPECT_NEAR(powerToDb(was / is), cut.softerDb, 3);
    EXPECT_GT(cut.softerDb, 10);
}

TEST(Tones, TheFundamentalIsNamedWithItsNote) {
    const auto take = ringingSnare();
    const auto findings = findingsOf(take, take.kit.session);
    const auto* fundamental = named(findings, "fundamental-");
    ASSERT_NE(fundamental, nullptr);
    EXPECT_NE(fundamental->sentence.find("190"), std::string::npos) << fundamental->sentence;
    EXPECT_NE(fundamental->sentence.find("F#3"), std::string::npos) << fundamental->sentence; // 185 Hz
    EXPECT_FALSE(fundamental->isOpen());
}

TEST(Tones, TheLowCutKeepsTheDrumAndTakesTheKick) {
    const auto take = ringingSnare();
    const auto findings = findingsOf(take, take.kit.session);
    const auto* cut = named(findings, "low-cut-");
    ASSERT_NE(cut, nullptr);
    const auto mended = cut->proposal->apply(take.kit.session);
    const auto before = measure::measureToneSpectra(afterChain(take, take.kit.session));
    const auto after = measure::measureToneSpectra(afterChain(take, mended));
    EXPECT_NEAR(after.own.levelBetween(20, 20000), before.own.levelBetween(20, 20000), 0.5);
    EXPECT_LT(after.spill.levelBetween(20, 20000), before.spill.levelBetween(20, 20000) - 5);
    EXPECT_EQ(named(findingsOf(take, mended), "low-cut-"), nullptr);
}

TEST(Tones, WhatIsKnownIsTakenOverAndStoppingIsTold) {
    const auto take = ringingSnare();
    auto known = *measureTones(take.kit.session, take.hits, take.kit.lookup);
    known[0].partials.fundamental.hz = 123;
    const auto again = *measureTones(take.kit.session, take.hits, take.kit.lookup, {}, {}, known);
    EXPECT_EQ(again[0].partials.fundamental.hz, 123);
    CancelToken cancel;
    cancel.cancel();
    const auto stopped = measureTones(take.kit.session, take.hits, take.kit.lookup, cancel);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
}

TEST(Tones, ALowCutIsAsHighAsTheLossAllows) {
    measure::ToneSpectra spectra;
    spectra.own.bandDb.assign(measure::kSpectrumPoints, -200);
    for (int i = 0; i < measure::kSpectrumPoints; ++i)
        if (std::abs(std::log2(measure::Spectrum::pointHz(i) / 100)) < 0.02)
            spectra.own.bandDb[static_cast<std::size_t>(i)] = -6;
    // One tone: 1 / (1 + (hz / tone)^8) is -0.5 dB at hz = tone * (10^0.05 - 1)^(1/8).
    const auto cut = measure::findLowCut(spectra.own, spectra.spill);
    EXPECT_NEAR(std::log2(cut.hz / (100 * std::pow(std::pow(10, 0.05) - 1, 0.125))), 0, 0.06);
    EXPECT_GE(cut.ownLossDb, -0.5);
    EXPECT_EQ(cut.spillDb, 0);
    EXPECT_EQ(measure::findLowCut({}, {}).hz, 0);
}

} // namespace
} // namespace cask::kit
