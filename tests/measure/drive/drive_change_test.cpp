// What driving changes, against signals whose answer is known.
#include "core/measure/drive/drive_change.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

constexpr double kDrivenEveryS = 0.5;
constexpr double kDrivenNoteHz = 110;

/// Strokes of a decaying note; where `highs` is more than 0 a hiss goes on all the time.
HitMaterial drivenDrum(double decayS = 0.15, double highs = 0, double seconds = 8) {
    HitMaterial m;
    m.rateHz = 48000;
    m.sound = {test::bursts(kDrivenNoteHz, kDrivenEveryS, 0.25, decayS, seconds)};
    if (highs > 0) {
        const auto hiss = test::noise(highs, m.sound[0].size(), 3);
        float before = 0;
        for (std::size_t n = 0; n < hiss.size(); ++n) { // the difference of neighbours is all highs
            m.sound[0][n] += 0.5F * (hiss[n] - before);
            before = hiss[n];
        }
    }
    for (double t = 0.25; t < seconds; t += kDrivenEveryS)
        m.hits.push_back({t, true, HitClass::Normal, 0, -6});
    return m;
}

Sound bentBy(const Sound& x, double d) {
    Sound y = x;
    for (auto& channel : y)
        for (float& sample : channel)
            sample = static_cast<float>(std::tanh(d * static_cast<double>(sample)) / d);
    return y;
}

TEST(DriveChange, AGainAloneChangesNothingAndIsNothingNew) {
    auto m = drivenDrum();
    Sound louder = m.sound;
    for (float& x : louder[0])
        x *= 0.5F;
    const auto change = measureDrive(m, louder, kDrivenNoteHz);
    EXPECT_NEAR(change.shapes.matchDb, 6.02, 0.01);
    EXPECT_NEAR(change.denserDb(), 0, 0.01);
    EXPECT_LT(change.newDb, -100);
    for (const auto& third : change.thirds)
        EXPECT_NEAR(third.db, 0, 0.02);
    for (const auto& h : change.harmonics)
        EXPECT_NEAR(h.afterDb, h.beforeDb, 0.05);
    EXPECT_FALSE(givesBack(change));
}

TEST(DriveChange, HarmonicsOfTheNoteAreThoseOfTheCurve) {
    // A note that hardly falls, so that the curve sees one level.
    const auto m = drivenDrum(30);
    const double d = 4;
    const double a = test::peakOf(m.sound[0]);
    const auto change = measureDrive(m, bentBy(m.sound, d), kDrivenNoteHz);
    ASSERT_GE(change.harmonics.size(), 5U);
    std::array<double, 6> wanted{};
    constexpr int kSteps = 1 << 14;
    for (const int order : {1, 3, 5})
        for (int i = 0; i < kSteps; ++i) {
            const double t = 2 * kPi * (i + 0.5) / kSteps;
            wanted[static_cast<std::size_t>(order)] += std::tanh(d * a * std::sin(t)) * std::sin(order * t);
        }
    for (const auto& h : change.harmonics) {
        if (h.order == 3 || h.order == 5) {
            EXPECT_NEAR(h.afterDb,
                        20 * std::log10(std::abs(wanted[static_cast<std::size_t>(h.order)] / wanted[1])), 0.6)
                << h.order;
            EXPECT_GT(h.afterDb, h.beforeDb + 20);
        }
    }
}

TEST(DriveChange, ADrivenResonanceAddsTheHarmonicsOfItsCurve) {
    // One stroke that hardly falls, and a resonance that is there at once; its level raises what bends.
    const auto m = drivenDrum(30, 0, 0.7);
    const dsp::BodySettings body{kDrivenNoteHz, 20, 6, 20};
    const double dry = test::peakOf(m.sound[0]);
    const double a = dry * dbToLinear(body.levelDb);
    const double d = dbToLinear(body.driveDb) - 1;
    const auto change = measureDrive(m, drivenSound(m, body), kDrivenNoteHz);
    std::array<double, 4> wanted{};
    wanted[1] = dry; // the sound itself
    constexpr int kSteps = 1 << 14;
    for (const int order : {1, 3})
        for (int i = 0; i < kSteps; ++i) {
            const double t = 2 * kPi * (i + 0.5) / kSteps;
            wanted[static_cast<std::size_t>(order)] +=
                std::tanh(d * a * std::sin(t)) / d * std::sin(order * t) * 2 / kSteps;
        }
    ASSERT_GE(change.harmonics.size(), 3U);
    EXPECT_NEAR(change.harmonics[2].afterDb, 20 * std::log10(wanted[3] / wanted[1]), 0.6);
    EXPECT_GT(change.harmonics[2].afterDb, change.harmonics[2].beforeDb + 15);
}

TEST(DriveChange, TheResonanceThatIsDrivenIsThatOfItsFormula) {
    // Of a click: G k w / rate, falling by 60 dB in the decay (H = G k s / (s^2 + k s + 1)).
    HitMaterial m;
    m.rateHz = 48000;
    m.sound = {std::vector<float>(48000, 0.0F)};
    constexpr double kClick = 1000; // so loud that its drive would bend what rings
    m.sound[0][4800] = kClick;
    m.hits.push_back({0.1, true, HitClass::Normal, 0, 0});
    const dsp::BodySettings body{80, 500, 6, 24};
    const auto resonance = resonanceOf(m, body)[0];
    const double first = kClick * dbToLinear(6) * 2 * std::log(1000.0) / (0.5 * m.rateHz);
    EXPECT_NEAR(test::peakOf(resonance), first, 0.02 * first) << "its drive is left out";
    const auto periods = std::span(resonance).subspan(4800);
    EXPECT_NEAR(
        20 * std::log10(test::peakOf(periods.subspan(12000, 1200)) / test::peakOf(periods.subspan(0, 1200))),
        -60 * 0.25 / 0.5, 0.3);
}

TEST(DriveChange, WhatIsBentIsDenserAndItsTailsComeUp) {
    const auto m = drivenDrum();
    const auto change = measureDrive(m, bentBy(m.sound, 10), kDrivenNoteHz);
    EXPECT_GT(change.denserDb(), 3);
    EXPECT_GT(change.shapes.sustainDb, 1);
    EXPECT_LT(change.shapes.crestAfterDb, change.shapes.crestBeforeDb - 1);
    EXPECT_GT(change.newDb, -20);
}

TEST(DriveChange, ASoftHissBetweenLoudHitsIsRaisedByWhatTheHitsLose) {
    const auto m = drivenDrum(0.04, 0.004);
    const auto after = bentBy(m.sound, 12);
    const auto change = measureDrive(m, after, kDrivenNoteHz);
    ASSERT_TRUE(change.cymbalsDb);
    // The hiss lies where the curve is straight: it stays, and the hits lose.
    double was = 0;
    double is = 0;
    for (std::size_t n = 12000; n < 12000 + 5760; ++n) {
        was += std::pow(static_cast<double>(m.sound[0][n]), 2);
        is += std::pow(static_cast<double>(after[0][n]), 2);
    }
    EXPECT_NEAR(*change.cymbalsDb, 10 * std::log10(was / is), 0.3);
}

TEST(DriveChange, AThirdThatIsTakenAwayIsFoundAndGivenBack) {
    HitMaterial m;
    m.sound = {test::noise(0.3, 6 * 48000, 5)};
    for (double t = 0.2; t < 6; t += 0.5)
        m.hits.push_back({t, true, HitClass::Normal, 0, -6});
    // A band of 6 dB less around 1 kHz: a bell by its formula.
    const double w = 2 * kPi * 1000 / 48000;
    const double A = std::pow(10, -6.0 / 40);
    const double alpha = std::sin(w) / (2 * 3);
    Sound after = m.sound;
    double x1 = 0;
    double x2 = 0;
    double y1 = 0;
    double y2 = 0;
    for (float& sample : after[0]) {
        const double x = sample;
        const double y = ((1 + alpha * A) * x - 2 * std::cos(w) * x1 + (1 - alpha * A) * x2 +
                          2 * std::cos(w) * y1 - (1 - alpha / A) * y2) /
                         (1 + alpha / A);
        x2 = x1;
        x1 = x;
        y2 = y1;
        y1 = y;
        sample = static_cast<float>(y);
    }
    const auto change = measureDrive(m, after, 0);
    const auto lost = change.mostLost();
    ASSERT_TRUE(lost);
    EXPECT_NEAR(std::log2(lost->hz / 1000), 0, 0.2);
    EXPECT_NEAR(lost->db, -5.5, 0.8);
    const auto band = givesBack(change);
    ASSERT_TRUE(band);
    EXPECT_NEAR(band->gainDb, -lost->db, 1e-9);
}

TEST(DriveChange, DensityIsLoudnessUnderTruePeak) {
    // A sine of 997 Hz at -20 dBFS reads -23 LUFS in one channel (EBU Tech 3341).
    const Sound sine{test::sine(997, 0.1, 5)};
    const auto d = densityOf(sine, 48000);
    EXPECT_NEAR(d.lufs, -23, 0.1);
    EXPECT_NEAR(d.peakDb, -20, 0.05);
    EXPECT_NEAR(d.densityDb(), -3, 0.12);
    EXPECT_NEAR(d.rangeDb, 0, 0.1);
}

TEST(DriveChange, AliasesAreThoseOfTheFactor) {
    HitMaterial m;
    m.sound = {test::sine(4999, 0.5, 2)};
    for (double t = 0.1; t < 2; t += 0.3)
        m.hits.push_back({t, true, HitClass::Normal, 0, -6});
    dsp::SaturationSettings s;
    s.driveDb = 18;
    s.shape = dsp::Shape::Hard;
    s.oversampling = dsp::Oversampling::Twice;
    const double twice = aliasesDb(m, s);
    s.oversampling = dsp::Oversampling::Eight;
    const double eight = aliasesDb(m, s);
    EXPECT_GT(twice, -75);
    EXPECT_LT(eight, -80);
}

TEST(DrivenSound, IsTheModulesOwnSoundWithoutItsDelay) {
    auto m = drivenDrum();
    m.sound.push_back(test::noise(0.2, m.sound[0].size(), 8));
    dsp::SaturationSettings s;
    s.driveDb = 18;
    s.shape = dsp::Shape::Warm;
    const auto got = drivenSound(m, s);
    dsp::SaturationLanes lanes(m.rateHz);
    lanes.place(0, 2, s, true, 0);
    lanes.prepare();
    const auto late = static_cast<std::size_t>(dsp::SaturationLanes::latencyFrames(s, m.rateHz));
    const std::size_t frames = m.frames();
    dsp::LaneBuffer io((frames + late) * dsp::kLanes);
    for (std::size_t n = 0; n < frames; ++n)
        for (std::size_t c = 0; c < 2; ++c)
            io[n * dsp::kLanes + c] = m.sound[c][n];
    lanes.process(nullptr, io.data(), static_cast<int>(frames + late));
    for (std::size_t n = 0; n < frames; ++n)
        for (std::size_t c = 0; c < 2; ++c)
            ASSERT_NEAR(got[c][n], io[(n + late) * dsp::kLanes + c], 2e-4) << n << " " << c;
}

TEST(DriveSample, HoldsHitsAsTheySoundAndNothingElse) {
    const auto m = drivenDrum(0.15, 0, 20);
    const auto sample = sampleOf(m, 10);
    EXPECT_EQ(sample.hits.size(), 10U);
    EXPECT_LT(sample.endS(), 10 * 0.43);
    for (const auto& hit : sample.hits) {
        const auto at = static_cast<std::size_t>(std::lround(hit.timeS * 48000));
        ASSERT_LT(at + 480, sample.frames());
        for (std::size_t n = 0; n < 480; ++n)
            ASSERT_NEAR(sample.sound[0][at + n], m.sound[0][12000 + n], 0.04)
                << hit.timeS << " (a tail may lie under it)";
    }
}

} // namespace
} // namespace cask::measure
