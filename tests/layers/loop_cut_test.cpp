// Loops cut at their hits, against loops whose hits are known.
#include "core/layers/loop_cut.h"
#include "core/layers/prepared_sound.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

namespace cask::layers {
namespace {

using test::amplitudeAt;

measure::Tempo tempoOf(double bpm, double seconds) {
    measure::Tempo tempo;
    tempo.isKnown = true;
    tempo.bpm = bpm;
    for (double t = 0; t < seconds; t += 60 / bpm)
        tempo.beatsS.push_back(t);
    return tempo;
}

class LoopCut : public testing::Test {
  protected:
    /// The pieces of a loop as files with their kit.
    void write(const std::vector<float>& loop, const std::vector<LoopPiece>& pieces, double rateHz) {
        std::vector<std::string> files;
        for (std::size_t i = 0; i < pieces.size(); ++i) {
            std::vector<float> piece;
            for (Frames n = pieces[i].from; n < pieces[i].to; ++n)
                piece.push_back(n < 0 ? 0.0F : loop[static_cast<std::size_t>(n)]);
            files.push_back(std::to_string(i) + " of " + pieces[i].name() + ".wav");
            test::writeWav(folder / files.back(), piece, 1, rateHz);
        }
        for (std::size_t i = 0; i < made.stack.layers.size(); ++i)
            std::ofstream(made.stack.layers[i].kit) << loopKit(made, i, files);
    }
    std::vector<float> play(const std::vector<float>& loop, const std::vector<LoopPiece>& pieces,
                            const measure::Tempo& tempo, const LoopFit& fit, double rateHz) {
        made = *loopStack(pieces, 0, rateHz, tempo, fit, folder.path());
        write(loop, pieces, rateHz);
        // As it is stored: nothing is lost on the way.
        const auto stored = stackFromJson(toJson(made.stack, folder.path()), "x", folder.path());
        EXPECT_EQ(*stored, made.stack);
        const auto source = StackSource::make(*stored, rateHz);
        EXPECT_TRUE(source) << source.error().message;
        std::vector<float> out(static_cast<std::size_t>((*source)->frames()));
        (void)(*source)->read(0, 0, out);
        return out;
    }
    test::TempFolder folder;
    LoopMade made;
};

TEST_F(LoopCut, ThePiecesTogetherAreTheLoop) {
    for (const double rateHz : {48000.0, 44100.0}) {
        const auto loop = test::noise(0.3, static_cast<std::size_t>(4 * rateHz), 5);
        std::vector<CutHit> hits;
        for (int i = 0; i < 24; ++i)
            hits.push_back({0.1 + 0.1571 * i, -6, i % 3 == 0 ? "kick" : "hat", "normal"});
        const auto pieces = cutAtHits(hits, static_cast<Frames>(loop.size()), rateHz);
        ASSERT_EQ(pieces.size(), 25U);
        EXPECT_EQ(pieces.front().name(), "start");
        const auto out = play(loop, pieces, {}, {}, rateHz);
        ASSERT_EQ(out.size(), loop.size());
        float most = 0;
        for (std::size_t n = 0; n + 200 < loop.size(); ++n) // the last 4 ms fade
            most = std::max(most, std::abs(out[n] - loop[n]));
        EXPECT_LT(most, 1e-6F) << rateHz;
    }
}

TEST_F(LoopCut, HitsOfOneInstantAreOnePieceAndDrumsStandInTheirOrder) {
    const auto pieces = cutAtHits({{0.502, -9, "hat", "normal"},
                                   {0.5, -3, "kick", "accent"},
                                   {0.006, -6, "snare", "ghost"},
                                   {0.54, -6, "hat", "normal"},
                                   {9, -6, "hat", "normal"},
                                   {-1, -6, "hat", "normal"}},
                                  48000, 48000);
    ASSERT_EQ(pieces.size(), 3U);
    EXPECT_EQ(pieces[0].name(), "snare") << "10 ms before a hit lead to it";
    EXPECT_EQ(pieces[0].hitClass, "ghost");
    EXPECT_EQ(pieces[0].from, 288 - 240);
    EXPECT_EQ(pieces[1].name(), "kick + hat");
    EXPECT_EQ(pieces[1].hit, 24000);
    EXPECT_EQ(pieces[1].hitClass, "accent");
    EXPECT_EQ(pieces[0].to, 24000 - 240 + 192);
    EXPECT_EQ(pieces[2].to, 48000);
    EXPECT_EQ(cutAtHits({}, 48000, 48000).size(), 1U);
}

TEST_F(LoopCut, TighterAndShuffledHitsAreWhereTheFormulaPutsThem) {
    // 120 a minute: a sixteenth is 0.125 s.
    const std::vector<double> aside{0, 0.02, -0.03, 0.012, 0.031};
    std::vector<CutHit> hits;
    for (std::size_t i = 0; i < aside.size(); ++i)
        hits.push_back({0.5 + 0.125 * static_cast<double>(i) + aside[i], -6, "hat", "normal"});
    const auto pieces = cutAtHits(hits, 96000, 48000);
    const auto tempo = tempoOf(120, 4);
    const auto timesOf = [&](const LoopFit& fit) {
        std::vector<double> times;
        const auto stack = loopStack(pieces, 0, 48000, tempo, fit, "k")->stack;
        for (const auto& strike : stack.strikes)
            times.push_back(strike.timeS);
        times.erase(times.begin()); // what stands before
        return times;
    };
    LoopFit fit;
    fit.tightenPercent = 75;
    auto times = timesOf(fit);
    for (std::size_t i = 0; i < aside.size(); ++i)
        EXPECT_NEAR(times[i], 0.5 + 0.125 * static_cast<double>(i) + 0.25 * aside[i], 2e-5) << i;
    fit.tightenPercent = 100;
    fit.shufflePercent = 60;
    times = timesOf(fit);
    for (std::size_t i = 0; i < aside.size(); ++i) // sixteenths between eighths stand at 60 % of 0.25 s
        EXPECT_NEAR(times[i], 0.5 + 0.125 * static_cast<double>(i) + (i % 2 == 1 ? 0.025 : 0), 1e-6) << i;
    fit.stepsPerBeat = 3;
    fit.shufflePercent = 50;
    times = timesOf(fit);
    EXPECT_NEAR(times[1], 0.5 + 0.5 / 3, 1e-6) << "triplets";
}

TEST_F(LoopCut, AtAnotherTempoHitsAreAtItsPlacesAndAttacksAsTheyWere) {
    // A falling tone every half second; the room between hits shrinks and grows.
    const auto loop = test::bursts(700, 0.5, 0.25, 0.1, 4);
    std::vector<CutHit> hits;
    for (int i = 0; i < 8; ++i)
        hits.push_back({0.25 + 0.5 * i, -6, "snare", "normal"});
    const auto pieces = cutAtHits(hits, 4 * 48000, 48000);
    for (const double bpm : {96.0, 150.0}) {
        LoopFit fit;
        fit.bpm = bpm;
        fit.repeats = 2;
        const auto out = play(loop, pieces, tempoOf(120, 4), fit, 48000);
        EXPECT_NEAR(made.lengthPercent, 100 * 120 / bpm, 1e-9);
        const double beatS = 60 / bpm;
        for (std::size_t i = 0; i < 16; ++i) {
            const auto at =
                static_cast<std::size_t>(std::llround((0.5 + static_cast<double>(i)) * beatS * 48000));
            for (std::size_t n = 0; n < 900; ++n) // nearly 20 ms
                ASSERT_NEAR(out[at + n], loop[12000 + 24000 * (i % 8) + n], 2e-4F)
                    << bpm << " " << i << " " << n;
        }
        // No silence between them: what follows an attack lasts as long as there is room.
        const auto levelAt = [&](double timeS) {
            double sum = 0;
            for (std::size_t n = 0; n < 2400; ++n)
                sum += std::pow(out[static_cast<std::size_t>(timeS * 48000) + n], 2);
            return 10 * std::log10(sum / 2400 + 1e-20);
        };
        const double late = levelAt(1.5 * beatS + 0.9 * beatS - 0.05);
        const double before = levelAt(1.5 * beatS + 0.5 * beatS);
        EXPECT_GT(late, -90);
        EXPECT_LT(late, before);
    }
}

TEST_F(LoopCut, WithoutTheKickHatsStay) {
    constexpr double kRate = 48000;
    std::vector<float> loop(4 * 48000, 0.0F);
    std::vector<CutHit> hits;
    for (int i = 0; i < 8; ++i) {
        const double at = 0.2 + 0.4 * i;
        const bool hasKick = i % 4 != 1;
        const bool hasHat = i % 4 != 3;
        for (std::size_t n = 0; n < 12000; ++n) {
            const double t = static_cast<double>(n) / kRate;
            const double x = (hasKick ? 0.5 * std::exp(-t / 0.08) * std::sin(2 * kPi * 60 * t) : 0) +
                             (hasHat ? 0.1 * std::exp(-t / 0.05) * std::sin(2 * kPi * 8000 * t) : 0);
            loop[static_cast<std::size_t>(at * kRate) + n] += static_cast<float>(x);
        }
        if (hasKick)
            hits.push_back({at, -6, "kick", "normal"});
        if (hasHat)
            hits.push_back({at + 0.001, -20, "hat", "normal"});
    }
    const auto pieces = cutAtHits(hits, static_cast<Frames>(loop.size()), kRate);
    LoopFit fit;
    fit.dropped = {"kick"};
    const auto out = play(loop, pieces, {}, fit, kRate);
    EXPECT_EQ(made.dropped, 2);
    EXPECT_EQ(made.besides, 4);
    const std::span<const float> before(loop);
    const std::span<const float> after(out);
    const auto partDb = [](std::span<const float> x, double at, double hz) {
        return linearToDb(amplitudeAt(x.subspan(static_cast<std::size_t>(at * kRate), 9600), hz, kRate));
    };
    // Alone it is silent (hit 3), with the hat it is filtered (hit 0), the hat alone is as it was (hit 1).
    for (std::size_t n = 0; n < 9000; ++n)
        EXPECT_EQ(out[static_cast<std::size_t>(1.4 * kRate) + n], 0.0F);
    EXPECT_LT(partDb(after, 0.2, 60), partDb(before, 0.2, 60) - 30);
    EXPECT_NEAR(partDb(after, 0.2, 8000), partDb(before, 0.2, 8000), 0.2);
    EXPECT_NEAR(partDb(after, 0.6, 8000), partDb(before, 0.6, 8000), 0.05);
    // What is heard is told by the layers' names.
    std::vector<std::string> drums;
    for (const auto& layer : made.stack.layers)
        if (layer.isOn)
            for (const auto& drum : drumsOfLayer(layer))
                drums.push_back(drum);
    EXPECT_EQ(drums, (std::vector<std::string>{"hat", "hat"}));
}

TEST_F(LoopCut, MorePiecesThanAKitHasNotes) {
    const auto loop = test::noise(0.3, 48000 * 10, 8);
    std::vector<CutHit> hits;
    for (int i = 0; i < 300; ++i)
        hits.push_back({0.005 + 0.033 * i, -6, "hat", "normal"});
    const auto pieces = cutAtHits(hits, static_cast<Frames>(loop.size()), 48000);
    const auto out = play(loop, pieces, {}, {}, 48000);
    EXPECT_EQ(made.stack.layers.size(), 3U);
    for (std::size_t n = 240; n + 200 < loop.size(); ++n)
        ASSERT_NEAR(out[n], loop[n], 1e-6F) << n;
}

TEST_F(LoopCut, WhatCantBeIsSaid) {
    const auto pieces = cutAtHits({{0.5, -6, "hat", "normal"}}, 48000, 48000);
    LoopFit fit;
    fit.bpm = 100;
    EXPECT_FALSE(loopStack(pieces, 0, 48000, {}, fit, "k")) << "no tempo is known";
    EXPECT_FALSE(loopStack({}, 0, 48000, {}, {}, "k"));
    EXPECT_FALSE(loopStack(std::vector<LoopPiece>(kMostPieces + 1), 0, 48000, {}, {}, "k"));
    Layer layer;
    layer.name = "kick";
    EXPECT_TRUE(drumsOfLayer(layer).empty()) << "a layer of any stack";
}

TEST(StretchedSound, KeepsItsAttackToTheFrameItsPitchAndTheLengthAsked) {
    constexpr double kRate = 48000;
    OneShot shot;
    shot.rateHz = shot.fileRateHz = kRate;
    shot.sound = {test::sine(1000, 0.5, 0.5)};
    for (const double percent : {60.0, 135.0, 220.0}) {
        Layer layer;
        layer.atTransient = false;
        layer.leadMs = 5;
        layer.lengthPercent = percent;
        const auto made = prepareSound(shot, layer);
        ASSERT_TRUE(made);
        const auto& x = made->sound.front();
        ASSERT_EQ(x.size(), static_cast<std::size_t>(std::lround(24000 * percent / 100)));
        for (std::size_t n = 0; n < 1200; ++n)
            ASSERT_EQ(x[n], shot.sound.front()[n]) << n;
        // Loudest within a few hertz of where it was.
        const std::span<const float> tail = std::span(x).subspan(2400, x.size() - 4800);
        double best = 0;
        for (double hz = 980; hz <= 1020; hz += 0.25)
            if (amplitudeAt(tail, hz, kRate) > amplitudeAt(tail, best, kRate))
                best = hz;
        EXPECT_NEAR(best, 1000, 1) << percent;
        EXPECT_NEAR(linearToDb(amplitudeAt(tail, 1000, kRate)), linearToDb(0.5), 1) << percent;
    }
    Layer tooShort;
    tooShort.lengthPercent = 50;
    shot.sound = {test::sine(1000, 0.5, 1000 / 48000.0)};
    EXPECT_EQ(prepareSound(shot, tooShort)->sound.front().size(), 500U);
}

} // namespace
} // namespace cask::layers
