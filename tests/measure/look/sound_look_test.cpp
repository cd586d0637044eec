// What one-shots are like, against formulas.
#include "core/base/units.h"
#include "core/measure/look/sound_look.h"
#include "tests/support/random_kit.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

/// A tone that falls by 60 dB in t60S, behind a silence.
std::vector<float> struck(double hz, double t60S, double rateHz, double silenceS = 0.01, double toHz = 0,
                          double fallS = 0.02) {
    std::vector<float> x(static_cast<std::size_t>(rateHz * (silenceS + 1.5)), 0.0F);
    double phase = 0;
    for (std::size_t n = static_cast<std::size_t>(silenceS * rateHz); n < x.size(); ++n) {
        const double t = static_cast<double>(n) / rateHz - silenceS;
        const double now = toHz > 0 ? toHz + (hz - toHz) * std::exp(-t / fallS) : hz;
        phase += 2 * kPi * now / rateHz;
        x[n] = static_cast<float>(0.5 * std::sin(phase) * std::pow(10, -3 * t / t60S));
    }
    return x;
}

TEST(SoundLook, NumbersOfAStruckTone) {
    for (const double rate : {44100.0, 48000.0, 96000.0}) {
        const auto look = lookOf({struck(150, 0.6, rate)}, rate);
        ASSERT_TRUE(look);
        EXPECT_NEAR(look->onsetMs, 10, 0.5);
        EXPECT_NEAR(look->fundamentalHz, 150, 1);
        EXPECT_LT(look->noisiness, 0.2);
        EXPECT_NEAR(look->decayMs, 200, 10) << "a third of 60 dB";
        EXPECT_NEAR(look->lengthMs, 400, 12);
        EXPECT_EQ(look->widthPercent, 0);
        EXPECT_NEAR(look->brightnessHz, 150, 15);
        EXPECT_LT(look->fallMs, 5);
    }
}

TEST(SoundLook, APitchThatFalls) {
    const auto look = lookOf({struck(220, 0.8, 48000, 0.01, 55, 0.03)}, 48000);
    ASSERT_TRUE(look);
    EXPECT_NEAR(look->fundamentalHz, 55, 1.5);
    EXPECT_GT(look->fromHz, 150);
    EXPECT_LT(look->fromHz, 230);
    // Within 5 % of 55 where 165 exp(-t / 30 ms) is 2.75.
    EXPECT_NEAR(look->fallMs, 30 * std::log(165 / 2.75), 25);
    EXPECT_GT(look->lowShare, 0.5);
}

TEST(SoundLook, NoiseWidthLoudnessAndTops) {
    auto noise = test::noise(0.3, 24000, 5);
    auto look = lookOf({noise}, 48000);
    ASSERT_TRUE(look);
    EXPECT_GT(look->noisiness, 0.85);
    EXPECT_EQ(look->fundamentalHz, 0);
    look = lookOf({noise, test::noise(0.3, 24000, 6)}, 48000);
    EXPECT_NEAR(look->widthPercent, 50, 3) << "unlike sides";
    auto inverted = noise;
    for (float& x : inverted)
        x = -x;
    look = lookOf({noise, inverted}, 48000);
    EXPECT_GT(look->widthPercent, 99);
    // A tone of 1 kHz at full scale is at -3.01 LUFS, less the -0.691 that the standard adds.
    look = lookOf({test::sine(1000, 1, 1)}, 48000);
    EXPECT_NEAR(look->loudnessDb, -3.01 + 0.691, 0.1);
    EXPECT_TRUE(look->isHeld) << "no crest";
    std::vector<float> click(4800, 0.0F);
    for (std::size_t n = 100; n < 400; ++n)
        click[n] = static_cast<float>(std::exp(-static_cast<double>(n - 100) / 20));
    look = lookOf({click}, 48000);
    EXPECT_FALSE(look->isHeld);
    for (float& x : click)
        x = std::min(x, 0.3F);
    EXPECT_TRUE(lookOf({click}, 48000)->isHeld);
    EXPECT_FALSE(lookOf({std::vector<float>(4800, 0.0F)}, 48000));
}

TEST(SoundLook, LevelAndPlaceAreNoDifference) {
    const auto a = struck(180, 0.5, 48000, 0.002);
    auto b = struck(180, 0.5, 48000, 0.2);
    for (float& x : b)
        x *= 0.05F;
    const auto shape = [](const std::vector<float>& x) { return lookOf({x}, 48000)->shape; };
    EXPECT_LT(unlikeness(shape(a), shape(b)), 1);
    EXPECT_EQ(unlikeness(shape(a), shape(a)), 0);
    EXPECT_GT(unlikeness(shape(a), shape(struck(240, 0.5, 48000))), 4);
    EXPECT_GT(unlikeness(shape(a), shape(test::noise(0.3, 24000, 1))), 8);
}

TEST(SoundLook, PartialsTellMetalFromMetal) {
    // Two of 16 partials from 2 to 8 kHz each, of one level and decay: the same thirds of an octave.
    const auto metal = [](double offset, double gain) {
        std::vector<float> x(48000, 0.0F);
        for (int k = 0; k < 16; ++k) {
            const double hz = 2000 * std::exp2((k + offset) / 8);
            for (std::size_t n = 480; n < x.size(); ++n) {
                const double t = static_cast<double>(n - 480) / 48000;
                x[n] += static_cast<float>(gain * 0.05 * std::sin(2 * kPi * hz * t + k) * std::exp(-3 * t));
            }
        }
        return lookOf({x}, 48000)->shape;
    };
    EXPECT_LT(unlikeness(metal(0.25, 1), metal(0.25, 0.1)), 0.5 * unlikeness(metal(0.25, 1), metal(0.6, 1)));
    EXPECT_GT(unlikeness(metal(0.25, 1), metal(0.6, 1)), 4);
}

TEST(SoundLook, TheNearestIsAnotherStrokeOfTheSameDrum) {
    // Made-up drums of kits that nothing was fitted to: strokes made anew, from soft to hard.
    struct Stroke {
        int drum;
        bool hasHead;
        LookShape shape;
    };
    std::vector<Stroke> strokes;
    int drum = 0;
    for (std::uint64_t seed = 4100; seed < 4108; ++seed) {
        demo::Random r(seed);
        const auto kit = test::makeKit(r);
        for (const auto& piece : kit.pieces) {
            // Partials of made-up cymbals are drawn anew for each stroke, which those of real ones are not.
            const bool hasHead = piece.name.starts_with("kick") || piece.name.starts_with("snare") ||
                                 piece.name.ends_with("tom") || piece.name.find(" tom ") != std::string::npos;
            const test::StrokeStore store(piece, kit.tuning, 48000, r);
            for (const double velocity : {0.15, 0.4, 0.7, 1.0}) {
                double gain = 1;
                auto sound = store.take(velocity, gain, r).top;
                sound.insert(sound.begin(), 480, 0.0F);
                if (const auto look = lookOf({sound}, 48000))
                    strokes.push_back({drum, hasHead, look->shape});
            }
            ++drum;
        }
    }
    int right = 0;
    int asked = 0;
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        if (!strokes[i].hasHead)
            continue;
        ++asked;
        std::size_t best = i == 0 ? 1 : 0;
        for (std::size_t k = 0; k < strokes.size(); ++k)
            if (k != i && unlikeness(strokes[i].shape, strokes[k].shape) <
                              unlikeness(strokes[i].shape, strokes[best].shape))
                best = k;
        right += strokes[best].drum == strokes[i].drum;
    }
    RecordProperty("right", right);
    RecordProperty("of", asked);
    EXPECT_GE(right, 0.95 * asked) << right << " of " << asked;
}

} // namespace
} // namespace cask::measure
