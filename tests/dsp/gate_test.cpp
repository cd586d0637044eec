#include "core/base/units.h"
#include "core/dsp/gate_lanes.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace cask::dsp {
namespace {

/// A mono sound through a gate with its own sound as the detector, unfiltered.
std::vector<float> gated(const std::vector<float>& x, const GateSettings& s, double rate = kRate,
                         const std::vector<float>* key = nullptr, bool isOn = true) {
    return test::throughLanes<GateLanes>({x}, {key != nullptr ? *key : x}, s, rate, 256, 3, isOn)[0];
}

GateSettings alwaysClosed(double floorDb) {
    GateSettings s;
    s.openDb = 0;
    s.closeDb = 0;
    s.floorDb = floorDb;
    s.lookAheadMs = 0;
    return s;
}

/// Magnitude of the gate's part filter at one frequency while the gain stands still, dB.
double responseDb(const GateSettings& s, double hz, double rate = kRate) {
    const auto x = test::sine(hz, 0.1, 1, rate);
    auto y = gated(x, s, rate);
    const std::size_t skip = y.size() / 2;
    return linearToDb(test::amplitudeAt(std::span(y).subspan(skip), hz, rate) /
                      test::amplitudeAt(std::span(x).subspan(skip), hz, rate));
}

TEST(Gate, OpenItPassesBitForBitLater) {
    const auto x = test::noise(0.5, 20000, 3);
    for (const auto reach : {GateReach::All, GateReach::Above, GateReach::Below, GateReach::Between}) {
        GateSettings s;
        s.openDb = -80; // opens with the first frame
        s.closeDb = -90;
        s.reach = reach;
        s.lookAheadMs = 5;
        s.attackMs = 0;
        const auto y = gated(x, s);
        const int late = gateLatency(s, kRate);
        EXPECT_EQ(late, 240);
        for (std::size_t n = 1; n + 240 < x.size(); ++n)
            ASSERT_EQ(y[n + 240], x[n]) << n;
    }
}

TEST(Gate, WithLookAheadTheFirstTwoMillisecondsOfTheHitAreWhole) {
    for (const double rate : {44100.0, 48000.0, 96000.0})
        for (const double attackMs : {0.5, 2.0, 5.0}) {
            // Hits of 200 Hz whose envelope jumps, on a bed of soft noise.
            auto x = test::bursts(200, 0.25, 0.1, 0.03, 2, rate);
            GateSettings s;
            s.openDb = -30;
            s.closeDb = -40;
            s.floorDb = kSilentFloorDb;
            s.attackMs = attackMs;
            s.lookAheadMs = attackMs + 1; // the wave needs a moment to reach the threshold
            s.releaseMs = 40;
            const auto y = gated(x, s, rate);
            const int late = gateLatency(s, rate);
            for (double at = 0.1; at < 1.9; at += 0.25) {
                double in = 0;
                double out = 0;
                const auto from = static_cast<std::size_t>(std::lround(at * rate));
                for (std::size_t n = from; n < from + static_cast<std::size_t>(0.002 * rate); ++n) {
                    in += static_cast<double>(x[n]) * x[n];
                    const double v = y[n + static_cast<std::size_t>(late)];
                    out += v * v;
                }
                EXPECT_NEAR(10 * std::log10(out / in), 0, 0.2) << at << " " << attackMs << " " << rate;
            }
        }
}

/// Greatest line of a Hann-windowed spectrum more than half an octave from a tone, against the tone, dB.
double splatterDb(const std::vector<float>& y, double hz, double rate) {
    const std::size_t n = y.size();
    std::vector<float> w(n);
    for (std::size_t i = 0; i < n; ++i)
        w[i] = y[i] * static_cast<float>(
                          0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(i) / static_cast<double>(n)));
    double worst = 0;
    for (double f = 20; f < 0.45 * rate; f *= 1.03) {
        const double a = test::amplitudeAt(w, f, rate);
        if (f < hz / std::numbers::sqrt2 || f > hz * std::numbers::sqrt2)
            worst = std::max(worst, a);
    }
    return linearToDb(worst / test::amplitudeAt(w, hz, rate));
}

TEST(Gate, AnAttackFromOneMillisecondOnDoesNotSplatter) {
    for (const double hz : {1000.0, 3000.0}) {
        std::vector<float> key(48000, 0.0F);
        std::fill(key.begin() + 12000, key.begin() + 36000, 0.5F);
        GateSettings s;
        s.floorDb = kSilentFloorDb;
        s.lookAheadMs = 0;
        s.attackMs = 1;
        s.releaseMs = 20;
        const auto tone = test::sine(hz, 0.5, 1, kRate);
        const double smoothDb = splatterDb(gated(tone, s, kRate, &key), hz, kRate);
        EXPECT_LT(smoothDb, -60) << hz;
        s.attackMs = 0; // near the tone only the number of edges counts; far from it their shape does
        if (hz > 2000) {
            EXPECT_GT(splatterDb(gated(tone, s, kRate, &key), hz, kRate), smoothDb + 6) << hz;
        }
    }
}

TEST(Gate, AKeyOpensItForAnotherSound) {
    const auto tone = test::sine(300, 0.5, 1);
    std::vector<float> key(tone.size(), 0.0F);
    std::fill(key.begin() + 20000, key.begin() + 30000, 0.3F);
    GateSettings s;
    s.floorDb = -40;
    s.lookAheadMs = 0;
    s.holdMs = 0;
    s.releaseMs = 20;
    const auto y = gated(tone, s, kRate, &key);
    const auto levelDb = [&](std::size_t from) {
        return linearToDb(test::rmsOf(std::span(y).subspan(from, 4800)) /
                          test::rmsOf(std::span(tone).subspan(from, 4800)));
    };
    EXPECT_NEAR(levelDb(10000), -40, 0.1);
    EXPECT_NEAR(levelDb(22000), 0, 0.001);
    EXPECT_NEAR(levelDb(40000), -40, 0.1);
}

TEST(Gate, ReachesItsFloorWithinItsPartAndLeavesTheRest) {
    for (const double rate : {44100.0, 48000.0, 96000.0})
        for (const double floorDb : {-6.0, -18.0, -40.0}) {
            auto s = alwaysClosed(floorDb);
            s.reach = GateReach::Above;
            s.fromHz = 1000;
            EXPECT_NEAR(responseDb(s, 12000, rate), floorDb, 0.1);
            EXPECT_NEAR(responseDb(s, 60, rate), 0, 0.1);
            s.reach = GateReach::Below;
            s.toHz = 2000;
            EXPECT_NEAR(responseDb(s, 40, rate), floorDb, 0.1);
            EXPECT_NEAR(responseDb(s, 18000, rate), 0, 0.1);
            s.reach = GateReach::Between;
            s.fromHz = 200;
            s.toHz = 8000;
            EXPECT_NEAR(responseDb(s, 1270, rate), floorDb, 0.1);
            EXPECT_NEAR(responseDb(s, 10, rate), 0, 0.1);
        }
}

/// The analogue prototype of the part filter: two stages of the shelf in p with the root of the gain.
double prototypeDb(const GateSettings& s, double hz) {
    using C = std::complex<double>;
    const auto warped = [](double f) { return std::tan(kPi * f / kRate); };
    const C w(0, warped(hz));
    const double from = warped(s.fromHz);
    const double to = warped(s.toHz);
    const C p = s.reach == GateReach::Above   ? from / w
                : s.reach == GateReach::Below ? w / to
                                              : (w * w + from * to) / (w * (to - from));
    const double g = std::sqrt(dbToLinear(s.floorDb));
    const C h = (p * p + std::sqrt(2 * g) * p + g) / (p * p + std::numbers::sqrt2 * p + 1.0);
    return linearToDb(std::norm(h)); // two stages: |h|^2
}

TEST(Gate, ThePartFilterIsTheOneOfItsFormula) {
    for (const auto reach : {GateReach::Above, GateReach::Below, GateReach::Between})
        for (const double floorDb : {-9.0, -30.0, 6.0})
            for (const double hz : {100.0, 400.0, 1000.0, 2500.0, 6000.0, 15000.0}) {
                auto s = alwaysClosed(floorDb);
                s.reach = reach;
                s.fromHz = 500;
                s.toHz = 3000;
                EXPECT_NEAR(responseDb(s, hz), prototypeDb(s, hz), 0.02) << hz << " " << floorDb;
            }
}

TEST(Gate, TwoChannelsKeepTheirBalance) {
    const auto left = test::bursts(200, 0.25, 0.1, 0.03, 1);
    auto right = left;
    for (float& v : right)
        v *= 0.05F; // alone it would not open
    GateSettings s;
    s.openDb = -20;
    s.closeDb = -30;
    s.lookAheadMs = 0;
    const auto y = test::throughLanes<GateLanes>({left, right}, {left, right}, s, kRate);
    const auto& l = y[0];
    const auto& r = y[1];
    for (std::size_t n = 0; n < l.size(); ++n)
        ASSERT_NEAR(r[n], 0.05F * l[n], 1e-6);
}

TEST(Gate, SwitchedOffItIsOnlyItsDelay) {
    const auto x = test::noise(0.01, 20000, 4);
    GateSettings s;
    s.lookAheadMs = 2;
    const auto y = gated(x, s, kRate, nullptr, false);
    for (std::size_t n = 96; n < x.size(); ++n)
        ASSERT_EQ(y[n], x[n - 96]);
}

TEST(Gate, TheDetectorFilterKeepsItsCorners) {
    GateSettings s;
    EXPECT_TRUE(designDetectorFilter(s, kRate).empty());
    s.lowCutHz = 100;
    s.highCutHz = 2000;
    const auto db = [&](double hz) {
        double sum = 0;
        for (const auto& c : designDetectorFilter(s, kRate))
            sum += powerToDb(magnitudeSquared(c, hz, kRate));
        return sum;
    };
    EXPECT_NEAR(db(100), -3.01, 0.05);
    EXPECT_NEAR(db(2000), -3.01, 0.05);
    EXPECT_NEAR(db(500), 0, 0.05);
    EXPECT_NEAR(db(25), -48, 0.6);
}

} // namespace
} // namespace cask::dsp
