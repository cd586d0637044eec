#include "core/base/units.h"
#include "core/measure/gate/gate_judge.h"
#include "core/measure/tone/decay_map.h"
#include "core/measure/tone/own_spectrum.h"
#include "core/measure/tone/partials.h"
#include "tests/support/hit_score.h"
#include "tests/support/random_take.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cask::measure {
namespace {

struct MadePartial {
    double hz;
    double amplitude;
    double decayS; ///< 60 dB
};

/// Adds a stroke of decaying sines.
void strike(HitMaterial& m, double atS, double gain, const std::vector<MadePartial>& partials) {
    const auto from = static_cast<std::size_t>(atS * m.rateHz);
    for (const auto& p : partials)
        for (std::size_t n = 0; from + n < m.sound[0].size() && n < p.decayS * 1.5 * m.rateHz; ++n) {
            const double t = static_cast<double>(n) / m.rateHz;
            m.sound[0][from + n] += static_cast<float>(gain * p.amplitude * std::pow(1000.0, -t / p.decayS) *
                                                       std::sin(2 * kPi * p.hz * t));
        }
}

HitMaterial silence(double seconds, double rate = 48000) {
    HitMaterial m;
    m.rateHz = rate;
    m.sound.push_back(test::noise(0.0003, static_cast<std::size_t>(seconds * rate), 5));
    return m;
}

/// A drum of six modes of a membrane, the higher the shorter.
std::vector<MadePartial> membrane(double hz, double decayS) {
    std::vector<MadePartial> all;
    double weight = 0.5;
    double decay = decayS;
    for (const double ratio : {1.0, 1.594, 2.136, 2.296, 2.653, 2.918}) {
        all.push_back({hz * ratio, weight, decay});
        weight *= 0.6;
        decay *= 0.75;
    }
    return all;
}

TEST(Partials, DecayIsThatOfTheTone) {
    for (const double rate : {44100.0, 96000.0})
        for (const double decayS : {0.2, 0.5, 1.0}) {
            auto m = silence(8, rate);
            for (double t = 0.3; t < 7; t += 0.7) {
                strike(m, t, 0.5, {{200, 1, decayS}});
                m.hits.push_back({t, true, HitClass::Normal, 0, -6});
            }
            const auto p = measurePartials(m, {100, 400});
            EXPECT_NEAR(p.fundamental.hz, 200, 1);
            EXPECT_NEAR(p.fundamental.decayMs, 1000 * decayS, 60 * decayS) << rate;
            EXPECT_GT(p.fundamental.confidence, 0.9);
            EXPECT_TRUE(p.rings.empty());
        }
}

TEST(Partials, PlantedRingsAreFoundAndNoOthers) {
    std::mt19937 random(11);
    const auto between = [&](double a, double b) {
        return a + (b - a) * static_cast<double>(random()) / 4294967296.0;
    };
    int planted = 0;
    int found = 0;
    int falseOnes = 0;
    double worstRing = 0;
    double worstFundamental = 0;
    constexpr int kDrums = 40;
    for (int d = 0; d < kDrums; ++d) {
        const double hz = between(60, 240);
        const double decayS = between(0.2, 0.4);
        auto drum = membrane(hz, decayS);
        const bool hasRing = d % 2 == 0;
        const double ringHz = hz * between(3.3, 6);
        if (hasRing)
            drum.push_back({ringHz, between(0.03, 0.1), between(2.5, 3.5) * decayS});
        auto m = silence(16);
        for (double t = 0.3; t < 15; t += between(0.45, 0.7)) {
            const double gain = between(0.3, 0.9);
            strike(m, t, gain, drum);
            m.hits.push_back({t, true, HitClass::Normal, 0, linearToDb(gain)});
            // Another drum, softer, with tones of its own.
            const double later = t + between(0.25, 0.4);
            strike(m, later, 0.05, membrane(310, 0.3));
            m.hits.push_back({later, false, HitClass::Normal, 1, -26});
        }
        std::sort(m.hits.begin(), m.hits.end(),
                  [](const MaterialHit& a, const MaterialHit& b) { return a.timeS < b.timeS; });
        const auto p = measurePartials(m, {50, 300});
        worstFundamental = std::max(worstFundamental, std::abs(p.fundamental.hz / hz - 1));
        planted += hasRing;
        for (const auto& ring : p.rings)
            if (hasRing && std::abs(ring.hz / ringHz - 1) < 0.03) {
                ++found;
                worstRing = std::max(worstRing, std::abs(ring.hz / ringHz - 1));
                EXPECT_GT(ring.decayMs, 1.5 * ring.aroundMs);
                EXPECT_GE(2 * ring.hits, ring.hitsLookedAt);
            } else {
                ++falseOnes;
            }
    }
    printf("rings: %d of %d found, %d false on %d drums, worst %.2f %%; fundamental worst %.2f %%\n", found,
           planted, falseOnes, kDrums, 100 * worstRing, 100 * worstFundamental);
    EXPECT_GE(found, 18);
    EXPECT_LE(falseOnes, 2);
    EXPECT_LT(worstRing, 0.01);
    EXPECT_LT(worstFundamental, 0.02);
}

TEST(Partials, WhatSoundsOnFromAnotherDrumIsNoRing) {
    auto m = silence(12);
    const auto drum = membrane(180, 0.25);
    for (double t = 0.5; t < 11; t += 0.5) {
        strike(m, t, 0.5, drum);
        m.hits.push_back({t, true, HitClass::Normal, 0, -6});
    }
    for (double t = 0.1; t < 11; t += 1.5) // a cymbal that rings through, louder than the drum's tail
        strike(m, t, 0.05, {{700, 1, 2.2}});
    EXPECT_TRUE(measurePartials(m, {120, 400}).rings.empty());
}

TEST(Partials, AHumIsNotTheFundamental) {
    auto m = silence(8);
    for (double t = 0.5; t < 7; t += 0.7) {
        strike(m, t, 0.3, {{200, 1, 0.3}});
        m.hits.push_back({t, true, HitClass::Normal, 0, -10});
    }
    for (std::size_t n = 0; n < m.sound[0].size(); ++n)
        m.sound[0][n] += static_cast<float>(0.05 * std::sin(2 * kPi * 150 * static_cast<double>(n) / 48000));
    EXPECT_NEAR(measurePartials(m, {120, 400}).fundamental.hz, 200, 2);
}

TEST(Partials, NothingIsSaidOfTooFewHits) {
    auto m = silence(2);
    EXPECT_EQ(measurePartials(m, {50, 300}).fundamental.hz, 0);
    strike(m, 0.5, 0.5, membrane(100, 0.3));
    m.hits.push_back({0.5, true, HitClass::Normal, 0, -6});
    const auto p = measurePartials(m, {50, 300});
    EXPECT_EQ(p.fundamental.hz, 0);
    EXPECT_TRUE(p.rings.empty());
    EXPECT_EQ(measureToneSpectra(HitMaterial{}).ownHits, 0);
}

TEST(Partials, NotesAreNamed) {
    EXPECT_EQ(nearestNote(440).name, "A4");
    EXPECT_NEAR(nearestNote(440).cents, 0, 1e-9);
    EXPECT_EQ(nearestNote(55 * std::pow(2.0, 0.3 / 12)).name, "A1");
    EXPECT_NEAR(nearestNote(55 * std::pow(2.0, 0.3 / 12)).cents, 30, 1e-6);
    EXPECT_EQ(nearestNote(69.3).name, "C#2");
    EXPECT_EQ(nearestNote(0).name, "");
}

TEST(ToneSpectra, OwnHitsAndSpillArePartedAndLevelsAreThoseOfTones) {
    auto m = silence(40);
    // Steady through the window, so that the level is that of the tone.
    for (double t = 0.5; t < 38; t += 2.0) {
        const auto add = [&](double at, double hz, double amplitude) {
            for (std::size_t n = 0; n < 16800; ++n)
                m.sound[0][static_cast<std::size_t>(at * 48000) + n] +=
                    static_cast<float>(amplitude * std::sin(2 * kPi * hz * static_cast<double>(n) / 48000));
        };
        add(t, 200, 0.25);
        m.hits.push_back({t, true, HitClass::Normal, 0, -12});
        add(t + 1, 5000, 0.05);
        m.hits.push_back({t + 1, false, HitClass::Normal, 1, -26});
    }
    const auto s = measureToneSpectra(m);
    EXPECT_EQ(s.ownHits, 19);
    EXPECT_GT(s.spillHits, 10);
    EXPECT_NEAR(s.own.levelBetween(150, 270), linearToDb(0.25), 0.3);
    EXPECT_NEAR(s.decay.levelBetween(150, 270), linearToDb(0.25), 0.3);
    EXPECT_LT(s.own.levelBetween(4000, 6000), -60);
    EXPECT_NEAR(s.spill.levelBetween(4000, 6000), linearToDb(0.05), 0.3);
    EXPECT_LT(s.spill.levelBetween(150, 270), -60);
}

TEST(Partials, ARingIsFoundWhereItNeverDiesAway) {
    // Struck five times a second, the ring of the hit before is still there at the next one.
    auto drum = membrane(190, 0.25);
    drum.push_back({520, 0.08, 0.9});
    for (const bool rings : {true, false}) {
        if (!rings)
            drum.pop_back();
        auto m = silence(12);
        for (double t = 0.3; t < 11; t += 0.2) {
            strike(m, t, 0.5, drum);
            m.hits.push_back({t, true, HitClass::Normal, 0, -6});
        }
        const auto p = measurePartials(m, {120, 400});
        ASSERT_EQ(p.rings.size(), rings ? 1U : 0U);
        if (rings) {
            EXPECT_NEAR(p.rings[0].hz / 520, 1, 0.01);
            EXPECT_NEAR(p.rings[0].decayMs, 900, 180);
        }
    }
}

TEST(Partials, TunedDrumsOfTakesHaveTheirFundamentals) {
    int sure = 0;
    int right = 0;
    int microphones = 0;
    int falseRings = 0;
    int rings = 0;
    int heard = 0;
    int taken = 0;
    for (const auto& recipe : test::takeRecipes()) {
        if (taken++ == 4)
            break;
        const auto take = test::makeRandomTake(recipe);
        const auto trails = test::trailsOf(take);
        const auto hits = findKitHits(trails.inputs);
        for (std::size_t i = 0; i < take.microphones.size(); ++i) {
            const auto& microphone = take.microphones[i];
            if (microphone.drum < 0 || microphone.role == Role::SnareBottom)
                continue;
            const auto& tone = take.tones[static_cast<std::size_t>(microphone.drum)];
            if (tone.fundamentalHz == 0)
                continue;
            HitMaterial m;
            m.rateHz = recipe.sampleRateHz;
            m.sound = microphone.channels;
            m.hits = materialHitsOf(hits, static_cast<int>(i));
            const auto p = measurePartials(m, fundamentalRange(microphone.role));
            ++microphones;
            if (p.fundamental.confidence >= 0.6) {
                ++sure;
                right += std::abs(p.fundamental.hz / tone.fundamentalHz - 1) < 0.02;
            }
            for (const auto& ring : p.rings)
                if (tone.ringHz > 0 && std::abs(ring.hz / tone.ringHz - 1) < 0.02)
                    ++rings;
                else
                    ++falseRings;
            heard += tone.ringHz > 0;
        }
    }
    printf("fundamentals: %d of %d microphones sure, %d right; rings %d of %d, %d false\n", sure, microphones,
           right, rings, heard, falseRings);
    EXPECT_GE(sure, microphones / 2);
    EXPECT_GE(right, sure - sure / 20 - 1);
    EXPECT_GE(rings, heard - 1);
    EXPECT_LE(falseRings, 1);
}

} // namespace
} // namespace cask::measure
