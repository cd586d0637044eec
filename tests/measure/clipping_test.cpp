#include "core/measure/clipping.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cask::measure {
namespace {

std::vector<ClipFinder::Run> clipsIn(const std::vector<float>& x, std::size_t piece = 256) {
    ClipFinder finder;
    for (std::size_t at = 0; at < x.size(); at += piece)
        finder.add(std::span(x).subspan(at, std::min(piece, x.size() - at)));
    return finder.result();
}

/// Rounded to a number of bits, with triangular dither of one step where it is asked for.
std::vector<float> inBits(std::vector<float> x, int bits, bool isDithered = false) {
    std::mt19937 random(7);
    std::uniform_real_distribution<float> half(-0.5F, 0.5F);
    const auto scale = static_cast<float>(1 << (bits - 1));
    for (float& v : x)
        v = std::round(v * scale + (isDithered ? half(random) + half(random) : 0.0F)) / scale;
    return x;
}

/// Strokes of a low drum with a noisy attack, 4 a second, over a noise floor of -70 dBFS.
std::vector<float> strokes(double gain) {
    auto x = test::noise(0.0003, 4 * 48000, 5);
    const auto snap = test::noise(0.5, 4 * 48000, 6);
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double t = std::fmod(static_cast<double>(i) / kRate, 0.25);
        x[i] += static_cast<float>(
            gain * (0.8 * std::exp(-t / 0.06) * std::sin(2 * kPi * (55 + 60 * std::exp(-t / 0.02)) * t) +
                    std::exp(-t / 0.01) * snap[i]));
    }
    return x;
}

std::vector<float> clippedAt(std::vector<float> x, double ceiling) {
    for (float& v : x)
        v = std::clamp(v, -static_cast<float>(ceiling), static_cast<float>(ceiling));
    return x;
}

/// Stretches of at least three samples that were beyond the ceiling.
int runsBeyond(const std::vector<float>& x, double ceiling) {
    int runs = 0;
    int length = 0;
    for (std::size_t i = 0; i <= x.size(); ++i) {
        const bool isBeyond = i < x.size() && std::fabs(x[i]) > ceiling;
        const bool goesOn = isBeyond && length > 0 && (x[i] > 0) == (x[i - 1] > 0);
        if (length > 0 && !goesOn) {
            runs += length >= 3 ? 1 : 0;
            length = 0;
        }
        length += isBeyond ? 1 : 0;
    }
    return runs;
}

TEST(ClipFinder, CleanTonesOfSixteenBitsHaveNone) {
    for (const double hz : {20.0, 50.0, 117.3, 440.0})
        for (const double level : {0.05, 0.3, 0.989, 1.0})
            EXPECT_TRUE(clipsIn(inBits(test::sine(hz, 32767.0 / 32768 * level, 4), 16)).empty())
                << hz << " Hz at " << level;
}

TEST(ClipFinder, CleanStrokesHaveNoneAtAnyResolution) {
    for (const double gain : {0.05, 0.5})
        for (const int bits : {16, 24})
            for (const bool isDithered : {false, true})
                EXPECT_TRUE(clipsIn(inBits(strokes(gain), bits, isDithered)).empty()) << gain << " " << bits;
}

TEST(ClipFinder, ClippingIsFoundBehindAnyFaderAndResolution) {
    const auto played = strokes(1.5);
    const int beyond = runsBeyond(played, 0.9);
    ASSERT_GT(beyond, 50);
    for (const double faderDb : {-0.1, -4.5, -20.0})
        for (const int bits : {16, 24})
            for (const bool isDithered : {false, true}) {
                auto x = clippedAt(played, 0.9);
                for (float& v : x)
                    v *= static_cast<float>(dbToLinear(faderDb) / 0.9);
                const auto runs = clipsIn(inBits(std::move(x), bits, isDithered));
                // One long top may count as two, and a short one beside a higher wave as none.
                EXPECT_NEAR(static_cast<double>(runs.size()), beyond, 0.07 * beyond)
                    << faderDb << " dB, " << bits << " bits, dither " << isDithered;
                for (const auto& run : runs)
                    EXPECT_NEAR(linearToDb(std::fabs(run.value)), faderDb, 0.01);
            }
}

TEST(ClipFinder, OneStrokeThatClipsTwiceIsNoPassage) {
    auto x = strokes(0.5);
    x[5000] = x[5001] = x[5002] = x[5003] = 0.97F;
    x[9000] = x[9001] = x[9002] = x[9003] = 0.97F;
    EXPECT_TRUE(clipsIn(x).empty());
    x[19000] = x[19001] = x[19002] = x[19003] = 0.97F;
    EXPECT_EQ(clipsIn(x).size(), 3U);
}

TEST(ClipFinder, HeldSamplesAreNoClipping) {
    auto x = strokes(0.5);
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] = std::round(128 * x[i - i % 6]) / 128;
    EXPECT_TRUE(clipsIn(x).empty());
}

TEST(ClipFinder, PiecesMakeNoDifference) {
    const auto x = clippedAt(strokes(1.5), 0.6);
    const auto whole = clipsIn(x, x.size());
    ASSERT_FALSE(whole.empty());
    for (const std::size_t piece : {1U, 7U, 256U}) {
        const auto runs = clipsIn(x, piece);
        int found = 0;
        for (const auto& run : whole)
            found += std::any_of(runs.begin(), runs.end(), [&](const auto& other) {
                return other.start == run.start && other.frames == run.frames;
            });
        EXPECT_EQ(found, static_cast<int>(whole.size())) << piece;
    }
}

} // namespace
} // namespace cask::measure
