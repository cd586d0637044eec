#include "core/demo/random.h"
#include "core/measure/hits/tempo.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

using Part = PlayedNote::Part;

/// A rock bar again and again: kicks on one and three, snares on two and four, hats on eighths.
std::vector<PlayedNote> rock(double bpm, double firstBarS, double seconds, double swing = 0.5,
                             double jitterS = 0, unsigned seed = 1, double drift = 0) {
    demo::Random random(seed);
    std::vector<PlayedNote> notes;
    double barS = firstBarS;
    double beatS = 60 / bpm;
    while (barS < seconds) {
        const auto at = [&](double beat, double weight, Part part) {
            const double whole = std::floor(beat);
            const double in = beat - whole;
            const double bent = in < 0.5 ? in * 2 * swing : swing + (in - 0.5) * 2 * (1 - swing);
            notes.push_back({barS + (whole + bent) * beatS + jitterS * random.normal(), weight, part});
        };
        at(0, 1, Part::Kick);
        at(2, 0.9, Part::Kick);
        if (random.uniform() < 0.4)
            at(2.5, 0.7, Part::Kick);
        at(1, 1, Part::Snare);
        at(3, 1, Part::Snare);
        for (double beat = 0; beat < 4; beat += 0.5)
            at(beat, std::fmod(beat, 1) == 0 ? 0.6 : 0.4, Part::Other);
        barS += 4 * beatS;
        beatS *= 1 + drift;
    }
    std::sort(notes.begin(), notes.end(), [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return notes;
}

double barError(const Tempo& tempo, double firstBarS, double bpm) {
    const double bars = (tempo.firstBarS - firstBarS) * bpm / 240;
    return (bars - std::round(bars)) * 240 / bpm;
}

TEST(Tempo, WithinATenthOfAPercentAndTheBarRightOnSteadyTakes) {
    for (const double bpm : {72.0, 83.3, 96.5, 104.0, 118.2, 131.0, 147.7, 165.0, 188.0}) {
        const auto tempo = findTempo(rock(bpm, 0.43, 40, 0.5, 0.004, 7));
        ASSERT_TRUE(tempo.isKnown) << bpm;
        EXPECT_NEAR(tempo.bpm / bpm, 1, 0.001) << bpm;
        EXPECT_NEAR(barError(tempo, 0.43, bpm), 0, 0.01) << bpm;
        EXPECT_LT(tempo.swingPercent, 52) << bpm;
        EXPECT_LT(tempo.driftPercent, 0.1) << bpm;
        EXPECT_EQ(tempo.beatsPerBar, 4) << bpm;
    }
}

TEST(Tempo, SwingWithinThreePercent) {
    for (const double bpm : {88.0, 112.0, 138.0})
        for (const double swing : {0.56, 0.60, 0.64, 0.667}) {
            const auto tempo = findTempo(rock(bpm, 0.2, 40, swing, 0.004, 3));
            EXPECT_NEAR(tempo.bpm / bpm, 1, 0.001) << bpm << " " << swing;
            EXPECT_NEAR(tempo.swingPercent, 100 * swing, 3) << bpm;
            EXPECT_FALSE(tempo.isSwingOnSixteenths);
        }
}

TEST(Tempo, FollowsABandThatGetsFaster) {
    // A third of a percent a bar: 104 becomes 115 over 30 bars.
    const auto notes = rock(104, 0.3, 65, 0.5, 0.003, 5, -0.0033);
    const auto tempo = findTempo(notes);
    ASSERT_TRUE(tempo.isKnown);
    EXPECT_GT(tempo.driftPercent, 5);
    int far = 0;
    for (const auto& n : notes)
        far += std::abs(n.timeS - tempo.nearestLineS(n.timeS)) > 0.03 ? 1 : 0;
    EXPECT_LT(far, static_cast<int>(notes.size()) / 20);
}

/// Bars of three, five or seven: kick on one (and where the second half begins), snares elsewhere.
std::vector<PlayedNote> oddBars(int beats, double bpm, double firstBarS, double seconds) {
    demo::Random random(3);
    std::vector<PlayedNote> notes;
    const double beatS = 60 / bpm;
    for (double barS = firstBarS; barS < seconds; barS += beats * beatS) {
        const auto at = [&](double beat, double weight, Part part) {
            notes.push_back({barS + beat * beatS + 0.003 * random.normal(), weight, part});
        };
        at(0, 1, Part::Kick);
        if (beats > 3)
            at(3, 0.9, Part::Kick);
        for (int beat = 1; beat < beats; ++beat)
            if (beats == 3 || beat % 2 == 0)
                at(beat, 0.9, Part::Snare);
        if (random.uniform() < 0.3)
            at(beats - 0.5, 0.6, Part::Kick);
        for (double beat = 0; beat < beats; beat += 0.5)
            at(beat, std::fmod(beat, 1) == 0 ? 0.6 : 0.4, Part::Other);
    }
    std::sort(notes.begin(), notes.end(), [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return notes;
}

TEST(Tempo, OddMetresAreHeard) {
    for (const int beats : {3, 5, 7})
        for (const double bpm : {92.0, 108.0, 126.0, 144.0}) {
            const auto tempo = findTempo(oddBars(beats, bpm, 0.4, 50));
            ASSERT_TRUE(tempo.isKnown);
            EXPECT_EQ(tempo.beatsPerBar, beats) << bpm;
            EXPECT_NEAR(tempo.bpm / bpm, 1, 0.001) << beats << " beats at " << bpm;
            const double barS = beats * 60 / bpm;
            const double bars = (tempo.firstBarS - 0.4) / barS;
            EXPECT_NEAR((bars - std::round(bars)) * barS, 0, 0.012) << beats << " beats at " << bpm;
        }
}

TEST(Tempo, WhatAPersonSaysGoesFirst) {
    const auto notes = rock(104, 0.43, 30, 0.5, 0.003);
    EXPECT_NEAR(findTempo(notes, {208, 0, -1}).bpm, 208, 0.3);
    const auto moved = findTempo(notes, {0, 0, 0.43 + 60.0 / 104});
    EXPECT_NEAR(moved.firstBarS, 0.43 + 60.0 / 104, 0.01);
}

TEST(Tempo, TooFewNotesHaveNone) {
    EXPECT_FALSE(findTempo({}).isKnown);
    EXPECT_FALSE(findTempo({{0, 1, Part::Kick}, {0.5, 1, Part::Snare}, {1, 1, Part::Kick}}).isKnown);
}

TEST(Tempo, BeatsAndTimesLeadToEachOther) {
    const auto tempo = findTempo(rock(120, 0.5, 20));
    for (const double beat : {0.0, 0.25, 3.5, 10.75, 20.0})
        EXPECT_NEAR(tempo.beatAt(tempo.timeOf(beat)), beat, 1e-6);
}

TEST(Timing, SaysHowADrumIsPlayedAndWhichHitsAreFarOff) {
    KitHits hits;
    hits.kit.drums = {{"Kick", Role::KickIn, {0}}, {"Snare", Role::SnareTop, {1}}};
    hits.kit.drumOf = {0, 1};
    demo::Random random(3);
    for (int bar = 0; bar < 16; ++bar)
        for (int beat = 0; beat < 4; ++beat) {
            const double at = 0.5 + (bar * 4 + beat) * 0.5;
            hits.strokes.push_back({0, at + 0.002 * random.normal(), -6, 1, HitClass::Normal, 1, false});
            if (beat % 2 == 1) // the snare lies 9 ms back, one of them 48 ms
                hits.strokes.push_back(
                    {1, at + (bar == 7 && beat == 1 ? 0.048 : 0.009 + 0.002 * random.normal()), -6, 1,
                     HitClass::Normal, 1, false});
        }
    std::sort(hits.strokes.begin(), hits.strokes.end(),
              [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    const auto tempo = findTempo(playedNotes(hits));
    const auto timing = measureTiming(hits, tempo);
    EXPECT_NEAR(timing.drums[1].feelMs - timing.drums[0].feelMs, 9, 1.2);
    EXPECT_NEAR(timing.drums[0].spreadMs, 2, 1);
    ASSERT_EQ(timing.drums[1].gross.size(), 1U);
    EXPECT_NEAR(hits.strokes[static_cast<std::size_t>(timing.drums[1].gross[0])].timeS,
                0.5 + 29 * 0.5 + 0.048, 1e-6);
    EXPECT_TRUE(timing.drums[0].gross.empty());
}

TEST(Timing, ADragBeforeABackbeatIsAnOrnamentAndALoudHitThereIsNot) {
    for (const auto hitClass : {HitClass::Ghost, HitClass::Normal}) {
        KitHits hits;
        hits.kit.drums = {{"Snare", Role::SnareTop, {0}}};
        hits.kit.drumOf = {0};
        for (int beat = 0; beat < 32; ++beat) {
            const double at = 0.5 + 0.5 * beat;
            if (beat == 9 || beat == 21) // a sixteenth and a thirty-second before it
                for (const double sooner : {0.125, 0.0625})
                    hits.strokes.push_back({0, at - sooner, -26, 0.1, hitClass, 1, false});
            hits.strokes.push_back({0, at, -6, 1, HitClass::Normal, 1, false});
        }
        Tempo tempo;
        tempo.isKnown = true;
        tempo.bpm = 120;
        for (int beat = 0; beat < 34; ++beat)
            tempo.beatsS.push_back(0.5 + 0.5 * beat);
        tempo.firstBarS = 0.5;
        EXPECT_EQ(measureTiming(hits, tempo).drums[0].gross.empty(), hitClass == HitClass::Ghost);
    }
}

} // namespace
} // namespace cask::measure
