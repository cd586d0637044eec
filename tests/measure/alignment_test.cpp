#include "core/measure/alignment.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cask::measure {
namespace {

struct Take {
    std::vector<float> first;
    std::vector<float> second;
    std::vector<Arrival> hits;
};

/// One drum at known times: a falling low note and a click, both by formula, so that any delay is exact.
Take lateDrum(double rate, double delayS, double sign, double noise, double gain = 0.6) {
    Take take;
    const auto frames = static_cast<std::size_t>(8 * rate);
    const auto a = test::noise(noise, frames, 1);
    const auto b = test::noise(noise, frames, 2);
    take.first.assign(a.begin(), a.end());
    take.second.assign(b.begin(), b.end());
    std::mt19937 random(5);
    const auto sound = [](double t, double hz, double level) {
        // A smooth start (1.5 ms) keeps it within the band, so that a shift by a part of a frame is exact.
        if (t <= 0)
            return 0.0;
        const double rise = t < 0.0015 ? 0.5 - 0.5 * std::cos(kPi * t / 0.0015) : 1;
        return level * rise *
               (std::exp(-t / 0.08) * std::sin(2 * kPi * hz * t) +
                0.4 * std::exp(-t / 0.004) * std::sin(2 * kPi * 2300 * t));
    };
    for (double at = 0.2; at < 7.5; at += 0.35 + 0.1 * static_cast<double>(random() % 100) / 100) {
        const double hz = 75 + static_cast<double>(random() % 100) / 10;
        const double level = 0.3 + 0.4 * static_cast<double>(random() % 100) / 100;
        take.hits.push_back({at, linearToDb(level), 60});
        const auto from = static_cast<std::size_t>((at - 0.01) * rate); // the second may come first
        for (std::size_t n = from; n < std::min(frames, from + static_cast<std::size_t>(0.3 * rate)); ++n) {
            const double t = static_cast<double>(n) / rate - at;
            take.first[n] += static_cast<float>(sound(t, hz, level));
            take.second[n] += static_cast<float>(sign * gain * sound(t - delayS, hz, level));
        }
    }
    return take;
}

TEST(Alignment, DelayWithinHalfASampleAndPolarityRight) {
    for (const double rate : {44100.0, 48000.0, 96000.0})
        for (const double delayMs : {0.0, 0.37, 1.913, 4.2, -2.71})
            for (const double sign : {1.0, -1.0})
                for (const double noise : {0.0005, 0.02}) {
                    const Take take = lateDrum(rate, delayMs / 1000, sign, noise);
                    const auto found = alignPair(take.first, take.second, rate, take.hits);
                    EXPECT_NEAR(found.delayMs, delayMs, 500 / rate)
                        << rate << " Hz, " << delayMs << " ms, sign " << sign << ", noise " << noise;
                    EXPECT_EQ(found.isInverted, sign < 0) << rate << " Hz, " << delayMs << " ms";
                    EXPECT_GT(found.confidence, 0.5);
                }
}

TEST(Alignment, LowSumIsThatOfTheFormula) {
    // Equal sounds: 10 log10((2 + 2 cos(2 pi f t)) / 2) for a delay t; the note is at 80 Hz, give or take.
    const auto sum = [](double delayMs, double sign) {
        return 10 * std::log10(1 + sign * std::cos(2 * kPi * 79.5 * delayMs / 1000));
    };
    for (const double delayMs : {0.0, 1.0, 2.0}) {
        const Take take = lateDrum(48000, delayMs / 1000, 1, 1e-5, 1);
        const auto found = alignPair(take.first, take.second, 48000, take.hits);
        EXPECT_NEAR(found.lowSumDb, sum(delayMs, 1), 0.4) << delayMs;
        EXPECT_NEAR(found.lowSumMovedDb, 10 * std::log10(2), 0.1) << delayMs;
    }
    const Take against = lateDrum(48000, 0, -1, 1e-5, 1);
    const auto found = alignPair(against.first, against.second, 48000, against.hits);
    EXPECT_LT(found.lowSumDb, -40) << "equal and opposite";
    EXPECT_NEAR(found.lowSumMovedDb, 10 * std::log10(2), 0.1);
}

TEST(Alignment, UnrelatedSoundsGainNothingAndAreNotTrusted) {
    Take take = lateDrum(48000, 0, 1, 0.0005);
    take.second = test::noise(0.3, take.first.size(), 77);
    const auto found = alignPair(take.first, take.second, 48000, take.hits);
    EXPECT_NEAR(found.lowSumDb, 0, 1);
    EXPECT_LT(found.confidence, 0.5);
}

struct LowPair {
    std::vector<float> first, second;
    std::vector<Arrival> hits;
};

LowPair decayingPair(double hz, double laterS) {
    LowPair pair;
    pair.first = test::bursts(hz, 0.5, 0.3, 0.15, 8, kRate);
    pair.second = test::bursts(hz, 0.5, 0.3 + laterS, 0.15, 8, kRate);
    const auto clicks = test::noise(0.4, pair.first.size(), 5);
    const auto others = test::noise(0.4, pair.first.size(), 6);
    for (double at = 0.3; at < 7.9; at += 0.5) {
        pair.hits.push_back({at, -6, 60});
        for (std::size_t n = 0; n < 96; ++n) {
            const auto from = static_cast<std::size_t>(at * kRate) + n;
            pair.first[from] += clicks[from];
            pair.second[from + static_cast<std::size_t>(laterS * kRate)] += others[from];
        }
    }
    return pair;
}

TEST(Alignment, OnsetsGuideWhereOnlyTheLowEndIsShared) {
    // Two sides of one low drum: the same 55 Hz, 3.7 ms apart, each with a click of its own.
    auto take = decayingPair(55, 0.0037);
    const auto free = alignPair(take.first, take.second, 48000, take.hits);
    AlignmentSettings guide;
    guide.expectedMs = 4.2;
    guide.reachMs = 1.5;
    const auto found = alignPair(take.first, take.second, 48000, take.hits, guide);
    EXPECT_NEAR(found.delayMs, 3.7, 0.3) << "unguided: " << free.delayMs;
    EXPECT_FALSE(found.isInverted);
    EXPECT_GT(found.lowSumMovedDb, found.lowSumDb);
}

TEST(Alignment, PortraitShowsBothAndTheSumOverTheShift) {
    // 10 log10(1 + cos(2 pi f (t + shift))) for equal sounds t apart, with the minus sign when flipped.
    const auto sum = [](double ms, double sign) {
        return 10 * std::log10(1 + sign * std::cos(2 * kPi * 79.5 * ms / 1000));
    };
    const Take take = lateDrum(48000, 0.002, 1, 1e-5, 1);
    const auto reader = [](const std::vector<float>& x) {
        return [&x](Frames from, std::span<float> out) {
            for (std::size_t n = 0; n < out.size(); ++n) {
                const auto at = static_cast<std::size_t>(from) + n;
                out[n] = at < x.size() ? x[at] : 0.0F;
            }
        };
    };
    const auto p = portrayPair(reader(take.first), reader(take.second), 48000, take.hits, 5);
    EXPECT_EQ(p.hits, std::min<int>(24, static_cast<int>(take.hits.size())));
    for (const double shift : {-2.0, -1.0, 0.0, 0.5, 1.5}) {
        EXPECT_NEAR(p.lowSumAtDb(shift, false), sum(2 + shift, 1), 0.5) << shift;
        if (shift > -1.5) { // near nothing at all the spread of the notes' pitch decides
            EXPECT_NEAR(p.lowSumAtDb(shift, true), sum(2 + shift, -1), 0.6) << shift;
        }
    }
    EXPECT_EQ(p.lowSumAtDb(99, false), p.lowSumDb.back());
    // The averages begin 5 ms before the hit in the first, and the second comes 2 ms later.
    const auto onset = [&](const std::vector<float>& x) {
        const float peak = *std::max_element(x.begin(), x.end());
        const auto at = std::find_if(x.begin(), x.end(), [&](float v) { return v > 0.1F * peak; });
        return p.startMs + 1000 * static_cast<double>(at - x.begin()) / p.sampleRateHz;
    };
    EXPECT_NEAR(onset(p.second) - onset(p.first), 2, 0.05);
    EXPECT_NEAR(onset(p.first), 0.6, 0.5);
    EXPECT_EQ(portrayPair(reader(take.first), reader(take.second), 48000, {}, 5).lowSumAtDb(0, false), 0);
}

TEST(Alignment, OfNothingIsNothing) {
    const std::vector<float> silence(48000, 0.0F);
    EXPECT_EQ(alignPair(silence, silence, 48000, {}).hits, 0);
    const auto found = alignPair(silence, silence, 48000, {{0.2, -20, 60}});
    EXPECT_EQ(found.confidence, 0);
    EXPECT_EQ(found.lowSumDb, 0);
    EXPECT_TRUE(std::isfinite(found.delayMs));
}

} // namespace
} // namespace cask::measure
