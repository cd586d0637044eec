#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>

namespace cask::dsp {
namespace {

using test::Channels;

/// One or two channels through a compressor on some lane; the others are silent.
Channels compressed(const Channels& x, const CompressorSettings& s, double rate = kRate, int block = 480,
                    int lane = 2, const Channels* key = nullptr) {
    return test::throughLanes<CompressorLanes>(x, key != nullptr ? *key : x, s, rate, block, lane);
}

std::vector<float> compressed(const std::vector<float>& x, const CompressorSettings& s, double rate = kRate) {
    return compressed(Channels{x}, s, rate)[0];
}

/// A sound whose absolute value is always its level: plus and minus by turns.
std::vector<float> square(double levelDb, double seconds, double rate) {
    std::vector<float> x(static_cast<std::size_t>(seconds * rate));
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = static_cast<float>((n % 2 == 0 ? 1 : -1) * dbToLinear(levelDb));
    return x;
}

std::vector<float> joined(std::vector<float> a, const std::vector<float>& b) {
    a.insert(a.end(), b.begin(), b.end());
    return a;
}

double gainDbAt(const std::vector<float>& x, const std::vector<float>& y, std::size_t n) {
    return linearToDb(std::abs(static_cast<double>(y[n]) / x[n]));
}

struct Law {
    const char* name;
    CompressorSettings settings;
    std::function<double(double)> gainDb; ///< by hand, from the definition
};

std::vector<Law> laws() {
    std::vector<Law> all;
    CompressorSettings hard;
    hard.kneeDb = 0;
    hard.attackMs = 1;
    hard.releaseMs = 50;
    hard.thresholdDb = -30;
    const auto add = [&](const char* name, const std::function<void(CompressorSettings&)>& change,
                         std::function<double(double)> gain) {
        all.push_back({name, hard, std::move(gain)});
        change(all.back().settings);
    };
    add(
        "4:1", [](auto&) {}, [](double l) { return l > -30 ? -0.75 * (l + 30) : 0; });
    add(
        "1.1:1", [](auto& s) { s.ratio = 1.1; },
        [](double l) { return l > -30 ? -(1 - 1 / 1.1) * (l + 30) : 0; });
    add(
        "20:1", [](auto& s) { s.ratio = 20; }, [](double l) { return l > -30 ? -0.95 * (l + 30) : 0; });
    add(
        "infinite", [](auto& s) { s.ratio = kInfiniteRatio; },
        [](double l) { return l > -30 ? -(l + 30) : 0; });
    add(
        "knee", [](auto& s) { s.kneeDb = 24; },
        [](double l) {
            return l <= -42 ? 0 : l >= -18 ? -0.75 * (l + 30) : -0.75 * (l + 42) * (l + 42) / 48;
        });
    add(
        "range", [](auto& s) { s.rangeDb = 6; },
        [](double l) { return std::max(-6.0, l > -30 ? -0.75 * (l + 30) : 0); });
    add(
        "make-up", [](auto& s) { s.makeupDb = 5; },
        [](double l) { return 5 + (l > -30 ? -0.75 * (l + 30) : 0); });
    add(
        "up", [](auto& s) { s.direction = CompressorDirection::Up; },
        [](double l) { return l < -30 ? 0.75 * (-30 - l) : 0; });
    add(
        "up, knee and range",
        [](auto& s) {
            s.direction = CompressorDirection::Up;
            s.kneeDb = 12;
            s.rangeDb = 10;
        },
        [](double l) {
            const double past = -30 - l;
            const double over = past <= -6 ? 0 : past >= 6 ? past : (past + 6) * (past + 6) / 24;
            return std::min(10.0, 0.75 * over);
        });
    add(
        "expand",
        [](auto& s) {
            s.direction = CompressorDirection::Expand;
            s.ratio = 1.5;
        },
        [](double l) { return l > -30 ? 0.5 * (l + 30) : 0; });
    add(
        "expand, range",
        [](auto& s) {
            s.direction = CompressorDirection::Expand;
            s.ratio = 3;
            s.rangeDb = 12;
        },
        [](double l) { return l > -30 ? std::min(12.0, 2 * (l + 30)) : 0; });
    add(
        "mix", [](auto& s) { s.mixPercent = 50; },
        [](double l) { return linearToDb(0.5 + 0.5 * dbToLinear(l > -30 ? -0.75 * (l + 30) : 0)); });
    return all;
}

TEST(Compressor, StaticCurvesAreWithinATenthOfADecibelOnTonesAtAllRates) {
    double worst = 0;
    for (const auto& law : laws())
        for (const double rate : kRates)
            for (double level = -54; level <= -0.1; level += 6) {
                const auto x = test::sine(1000, dbToLinear(level), 0.6, rate);
                const auto y = compressed(x, law.settings, rate);
                const auto part = static_cast<std::size_t>(0.5 * rate);
                const double gain = linearToDb(test::rmsOf(std::span(y).subspan(part)) /
                                               test::rmsOf(std::span(x).subspan(part)));
                const double off = std::abs(gain - law.gainDb(level));
                worst = std::max(worst, off);
                EXPECT_LT(off, 0.1) << law.name << " at " << level << " dBFS, " << rate << " Hz";
            }
    RecordProperty("worst_db", std::to_string(worst));
    std::printf("worst error of a static curve: %.4f dB\n", worst);
}

TEST(Compressor, TheLawAsToldIsTheLawByHand) {
    for (const auto& law : laws()) {
        const auto& s = law.settings;
        for (double level = -80; level <= 0; level += 0.7) {
            const double told = compressorGainDb(s, level);
            const double heard = linearToDb(1 + s.mixPercent / 100 * (dbToLinear(told + s.makeupDb) - 1));
            EXPECT_NEAR(heard, law.gainDb(level), 1e-9) << law.name << " " << level;
        }
    }
}

TEST(Compressor, RmsIsOfItsWindow) {
    CompressorSettings s;
    s.detector = CompressorDetector::Rms;
    s.windowMs = 10;
    s.kneeDb = 0;
    s.thresholdDb = -30;
    s.releaseMs = 50;
    for (const double rate : kRates) {
        // Of a sine 3.01 dB under its peak; ten whole waves of 1 kHz are in the window.
        const auto x = test::sine(1000, dbToLinear(-10), 0.6, rate);
        const auto y = compressed(x, s, rate);
        const auto part = static_cast<std::size_t>(0.5 * rate);
        EXPECT_NEAR(
            linearToDb(test::rmsOf(std::span(y).subspan(part)) / test::rmsOf(std::span(x).subspan(part))),
            -0.75 * (20 - 3.0103), 0.1)
            << rate;
    }
    // Exactly so long: a step is whole in it after 10 ms and gone 10 ms after its end.
    s.attackMs = 0.02;
    s.releaseMs = 5;
    auto x = joined(joined(square(-60, 0.1, kRate), square(-10, 0.1, kRate)), square(-60, 0.1, kRate));
    const auto y = compressed(x, s);
    const std::size_t whole = 4800 + 480;
    EXPECT_NEAR(gainDbAt(x, y, whole + 2), -0.75 * 20, 0.01);
    EXPECT_GT(gainDbAt(x, y, whole - 48), -0.75 * 20 + 0.2);
    EXPECT_LT(gainDbAt(x, y, 9600 + 475), -1) << "still heard";
}

/// Frames from `from` on until 63.2 % of the way between two gains are gone, parts of a frame by the line
/// between two frames.
double framesTo63(const std::vector<float>& x, const std::vector<float>& y, std::size_t from, double startDb,
                  double endDb) {
    double before = startDb;
    const double goal = startDb + (1 - std::exp(-1.0)) * (endDb - startDb);
    for (std::size_t n = from; n < x.size(); ++n) {
        const double now = gainDbAt(x, y, n);
        if ((endDb < startDb) == (now <= goal))
            return static_cast<double>(n - from) + (goal - before) / (now - before);
        before = now;
    }
    return 1e9;
}

TEST(Compressor, AttackAndReleaseAre63PercentAtAllRates) {
    double worst = 0;
    for (const double rate : kRates)
        for (const auto& [attack, release] :
             {std::pair(0.02, 5.0), std::pair(0.1, 20.0), std::pair(1.0, 50.0), std::pair(20.0, 120.0),
              std::pair(200.0, 2000.0), std::pair(50.0, 10.0)}) {
            CompressorSettings s;
            s.kneeDb = 0;
            s.thresholdDb = -40;
            s.attackMs = attack;
            s.releaseMs = release;
            const double up = 0.05 + 8 * attack * 0.001;
            const double down = 0.05 + 3 * release * 0.001;
            const auto x =
                joined(joined(square(-40, 0.05, rate), square(-20, up, rate)), square(-40, down, rate));
            const auto y = compressed(x, s, rate);
            const auto first = static_cast<std::size_t>(0.05 * rate);
            const auto second = first + static_cast<std::size_t>(up * rate);
            const auto check = [&](double frames, double ms, const char* what) {
                const double wanted = 0.001 * ms * rate;
                const double off = std::abs(frames - wanted);
                if (off > 0.5)
                    worst = std::max(worst, off / wanted);
                EXPECT_LT(off, std::max(0.5, 0.05 * wanted)) << what << " " << ms << " ms at " << rate;
            };
            check(framesTo63(x, y, first, 0, -15), attack, "attack");
            check(framesTo63(x, y, second, -15, 0), release, "release");
        }
    std::printf("worst error of a time: %.2f %%\n", 100 * worst);
}

TEST(Compressor, UpwardsTheGainComesBackWithTheAttackAndGrowsWithTheRelease) {
    CompressorSettings s;
    s.direction = CompressorDirection::Up;
    s.kneeDb = 0;
    s.attackMs = 5;
    s.releaseMs = 100;
    const auto x = joined(joined(square(-20, 0.1, kRate), square(-40, 1, kRate)), square(-20, 0.2, kRate));
    const auto y = compressed(x, s);
    EXPECT_NEAR(framesTo63(x, y, 4800, 0, 15), 4800, 240);
    EXPECT_NEAR(framesTo63(x, y, 52800, 15, 0), 240, 12);
}

TEST(Compressor, AProgrammeDependentReleaseIsQuickAfterAHitAndSlowAfterALongStretch) {
    CompressorSettings s;
    s.kneeDb = 0;
    s.thresholdDb = -40;
    s.attackMs = 0.1;
    s.releaseMs = 100;
    const auto back = [&](CompressorRelease release, double heldS) {
        s.release = release;
        const auto x = joined(square(-20, heldS, kRate), square(-40, 4, kRate));
        const auto y = compressed(x, s);
        const auto end = static_cast<std::size_t>(heldS * kRate);
        return framesTo63(x, y, end, gainDbAt(x, y, end - 1), 0) / 48;
    };
    EXPECT_NEAR(back(CompressorRelease::Fixed, 0.004), 100, 5);
    EXPECT_NEAR(back(CompressorRelease::Fixed, 3), 100, 5);
    EXPECT_NEAR(back(CompressorRelease::Programme, 0.004), 100, 7) << "a hit";
    // 0.7 of the reduction fall with six times the release: 1 - 1/e are gone when e^(-t/600) = 1/(0.7 e).
    EXPECT_NEAR(back(CompressorRelease::Programme, 3), 600 * std::log(0.7 * std::exp(1.0)), 30);
    EXPECT_NEAR(compressorGainDb(s, -20), -15, 1e-9);
}

TEST(Compressor, AGrabPassesItsGoalByThreeFifthsAndForgetsThatInTwentyMilliseconds) {
    CompressorSettings s;
    s.kneeDb = 0;
    s.thresholdDb = -40;
    s.attackMs = 0.02;
    s.releaseMs = 5;
    s.character = CompressorCharacter::Grab;
    for (const double rate : kRates) {
        const auto x = joined(joined(square(-40, 0.1, rate), square(-20, 0.4, rate)), square(-40, 0.3, rate));
        const auto y = compressed(x, s, rate);
        const auto gainAt = [&](double atS) {
            return gainDbAt(x, y, static_cast<std::size_t>((0.1 + atS) * rate));
        };
        // g = 15 + 9 exp(-t / a) is followed by r' = (g - r) / b from r(0) = 24.
        const double a = 0.020;
        const double b = 0.005;
        for (const double t : {0.002, 0.01, 0.02, 0.04, 0.2}) {
            const double r = 15 + 9 / (1 - b / a) * (std::exp(-t / a) - b / a * std::exp(-t / b));
            EXPECT_NEAR(gainAt(t), -r, 0.45) << t << " s, " << rate;
        }
        EXPECT_NEAR(gainAt(0.39), -15, 0.02) << "what lasts is changed as the law says";
    }
    // No further than the range.
    s.rangeDb = 12;
    const auto x = joined(square(-60, 0.1, kRate), square(0, 0.1, kRate));
    EXPECT_NEAR(gainDbAt(x, compressed(x, s), 5300), -12, 0.05);
}

TEST(Compressor, OfAPartOfTheSpectrumTheRestIsLeftAlone) {
    CompressorSettings s;
    s.kneeDb = 0;
    s.attackMs = 1;
    s.thresholdDb = -40;
    s.reach = GateReach::Above;
    s.fromHz = 3000;
    // What its detector hears of both is a tone of 12 kHz at -10 dBFS: 22.5 dB down.
    const auto key = test::sine(12000, dbToLinear(-10), 0.5);
    const auto gainOf = [&](double hz) {
        const auto x = test::sine(hz, 0.1, 0.5);
        const auto y = compressed(Channels{x}, s, kRate, 480, 2, std::array{Channels{key}}.data())[0];
        const auto part = static_cast<std::size_t>(0.3 * kRate);
        return linearToDb(test::amplitudeAt(std::span(y).subspan(part), hz, kRate) / 0.1);
    };
    EXPECT_NEAR(gainOf(12000), -22.5, 0.3);
    EXPECT_NEAR(gainOf(200), 0, 0.05);
    const auto bands = detectorBands(s);
    ASSERT_EQ(bands.size(), 1U);
    EXPECT_EQ(bands[0].kind, FilterKind::HighPass);
    // Idle, every bit stays; of middle or side it means nothing.
    s.thresholdDb = -6;
    const auto soft = test::noise(0.05, 20000, 3);
    EXPECT_EQ(compressed(soft, s), soft);
    s.channels = CompressorChannels::Side;
    EXPECT_TRUE(detectorBands(s).empty());
}

TEST(Compressor, LookAheadLetsTheGainBeThereBeforeTheHit) {
    CompressorSettings s;
    s.kneeDb = 0;
    s.attackMs = 1;
    s.lookAheadMs = 5;
    EXPECT_EQ(compressorLatency(s, 48000), 240);
    const auto x = joined(square(-60, 0.1, kRate), square(0, 0.1, kRate));
    const auto y = compressed(x, s);
    for (std::size_t n = 240; n < 4800; ++n)
        EXPECT_EQ(y[n], x[n - 240]) << "at rest bit for bit, later";
    EXPECT_NEAR(linearToDb(std::abs(y[4800 + 240])), -15, 0.15) << "the first frame of the hit";
    s.lookAheadMs = 0;
    EXPECT_GT(linearToDb(std::abs(compressed(x, s)[4800])), -0.5);
}

TEST(Compressor, AtRestItPassesBitForBit) {
    const auto x = test::noise(0.05, 20000, 3); // under -26 dBFS
    CompressorSettings s;
    s.thresholdDb = -20;
    for (const double mix : {100.0, 37.0, 0.0}) {
        s.mixPercent = mix;
        EXPECT_EQ(compressed(x, s), x) << mix;
        EXPECT_EQ(compressed({x, x}, s)[1], x) << mix;
    }
    s.mixPercent = 0;
    s.thresholdDb = -60;
    EXPECT_EQ(compressed(x, s), x);
}

TEST(Compressor, APairFollowsItsLouderSideAsFarAsItIsLinked) {
    CompressorSettings s;
    s.kneeDb = 0;
    s.attackMs = 0.1;
    const auto loud = square(-4, 0.2, kRate);
    const auto soft = square(-24, 0.2, kRate);
    for (const auto& [link, wanted] : {std::pair(100.0, -12.0), std::pair(0.0, 0.0), std::pair(60.0, -6.0)}) {
        // At 60 % the quieter side is taken as -24 + 0.6 x 20 = -12 dBFS: 8 dB over the threshold.
        s.linkPercent = link;
        const auto y = compressed({soft, loud}, s);
        EXPECT_NEAR(gainDbAt(soft, y[0], 9000), wanted, 0.01) << link;
        EXPECT_NEAR(gainDbAt(loud, y[1], 9000), -12, 0.01) << link;
        const auto turned = compressed({loud, soft}, s);
        EXPECT_EQ(turned[0], y[1]);
        EXPECT_EQ(turned[1], y[0]);
    }
}

TEST(Compressor, MiddleOrSideAloneAreHeardAndLowered) {
    const auto middle = test::sine(1000, dbToLinear(-4), 0.3);
    const auto side = test::sine(3000, dbToLinear(-4), 0.3);
    Channels x(2, middle);
    for (std::size_t n = 0; n < middle.size(); ++n) {
        x[0][n] = 0.5F * (middle[n] + side[n]);
        x[1][n] = 0.5F * (middle[n] - side[n]);
    }
    CompressorSettings s;
    s.kneeDb = 0;
    s.attackMs = 1;
    s.thresholdDb = -30;
    s.linkPercent = 0; // means nothing here
    for (const auto part : {CompressorChannels::Middle, CompressorChannels::Side}) {
        s.channels = part;
        const auto y = compressed(x, s);
        std::vector<float> m;
        std::vector<float> d;
        for (std::size_t n = 9600; n < middle.size(); ++n) {
            m.push_back(y[0][n] + y[1][n]);
            d.push_back(y[0][n] - y[1][n]);
        }
        const auto change = [&](const std::vector<float>& sound, double hz) {
            return linearToDb(test::amplitudeAt(sound, hz, kRate)) + 4;
        };
        const bool isMiddle = part == CompressorChannels::Middle;
        // The middle is half of the sum: 6.02 dB lower than the sine, so -10.02 dBFS.
        const double lowered = -0.75 * (30 - 4 - 6.0206);
        EXPECT_NEAR(change(m, 1000), isMiddle ? lowered : 0, 0.05);
        EXPECT_NEAR(change(d, 3000), isMiddle ? 0 : lowered, 0.05);
    }
}

TEST(Compressor, AKeyMovesItAndNotItsOwnSound) {
    CompressorSettings s;
    s.kneeDb = 0;
    s.attackMs = 0.1;
    const Channels x{square(-30, 0.2, kRate)};
    const Channels key{square(-4, 0.2, kRate)};
    const auto y = compressed(x, s, kRate, 480, 2, &key);
    EXPECT_NEAR(gainDbAt(x[0], y[0], 9000), -12, 0.01);
    EXPECT_EQ(compressed(key, s, kRate, 480, 2, &x)[0], key[0]);
}

} // namespace
} // namespace cask::dsp
