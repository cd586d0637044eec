#include "core/base/units.h"
#include "core/dsp/gate_gain.h"
#include "core/dsp/gate_lanes.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace cask::dsp {
namespace {

constexpr double kRate = 48000;

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

std::vector<GateSettings> variedGates() {
    std::vector<GateSettings> all(8);
    for (auto& s : all) {
        s.openDb = -26;
        s.closeDb = -34;
        s.lookAheadMs = 0;
    }
    all[1].attackMs = 0;
    all[1].releaseCurve = ReleaseCurve::Straight;
    all[2].attackMs = 7.3;
    all[2].releaseCurve = ReleaseCurve::Quick;
    all[2].floorDb = kSilentFloorDb;
    all[3].detector = GateDetector::Rms;
    all[4].ratio = 3;
    all[4].floorDb = -60;
    all[5].isInverted = true;
    all[5].attackMs = 20;
    all[6].liftDb = 6;
    all[6].holdMs = 0;
    all[6].releaseMs = 300;
    all[6].floorDb = 0;
    all[7].ratio = 1.5;
    all[7].detector = GateDetector::Rms;
    all[7].isInverted = true;
    return all;
}

std::vector<float> hitsOverHiss() {
    auto x = test::bursts(180, 0.21, 0.01, 0.05, 2);
    const auto hiss = test::noise(0.01, x.size(), 5);
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] += hiss[n];
    return x;
}

/// The eight lanes against the one-channel law, frame by frame.
TEST(GateLanes, HaveTheGainOfTheLawAtAllRates) {
    for (const double rate : {44100.0, 48000.0, 96000.0, 192000.0})
        for (const auto& s : variedGates()) {
            const auto x = hitsOverHiss();
            const std::vector<float> ones(x.size(), 1.0F);
            const auto lanes = test::throughLanes<GateLanes>({ones}, {x}, s, rate)[0];
            GateGain law;
            law.prepare(rate, s);
            std::vector<float> gains(x.size());
            for (std::size_t n = 0; n < x.size(); ++n)
                (void)law.process(&x[n], &gains[n], 1);
            for (std::size_t n = 0; n < x.size(); ++n)
                ASSERT_NEAR(lanes[n], gains[n], 1e-6 + 1e-3 * gains[n])
                    << n << " at " << rate << ", ratio " << s.ratio << ", curve "
                    << static_cast<int>(s.releaseCurve);
        }
}

TEST(GateLanes, StandSideBySideWithoutHearingEachOther) {
    GateLanes lanes(kRate);
    const auto all = variedGates();
    for (int i = 0; i < kLanes; ++i)
        lanes.place(i, 1, all[static_cast<std::size_t>(i)], true, 0);
    lanes.prepare();
    const auto x = hitsOverHiss();
    LaneBuffer io(x.size() * kLanes);
    for (std::size_t n = 0; n < x.size(); ++n)
        for (std::size_t l = 0; l < kLanes; ++l)
            io[n * kLanes + l] = x[n];
    const LaneBuffer heard = io;
    const test::AllocationCounter counter;
    lanes.process(heard.data(), io.data(), static_cast<int>(x.size()));
    EXPECT_EQ(test::AllocationCounter::count(), 0);
    for (std::size_t l = 0; l < kLanes; ++l) {
        const auto alone = gated(x, all[l]);
        for (std::size_t n = 0; n < x.size(); ++n)
            ASSERT_NEAR(io[n * kLanes + l], alone[n], 1e-6) << l << " " << n;
    }
}

TEST(GateLanes, LanesWithoutAGatePassBitForBit) {
    GateLanes lanes(kRate);
    lanes.place(2, 2, variedGates()[2], true, 30);
    lanes.prepare();
    LaneBuffer io(4800 * kLanes);
    const auto x = test::noise(0.5, io.size(), 8);
    std::copy(x.begin(), x.end(), io.begin());
    const LaneBuffer heard = io;
    lanes.process(heard.data(), io.data(), 2000);
    lanes.set(2, variedGates()[5], true, 500);
    lanes.process(heard.data() + 2000 * kLanes, io.data() + 2000 * kLanes, 2800);
    for (std::size_t i = 0; i < io.size(); ++i)
        if (i % kLanes != 2 && i % kLanes != 3) {
            ASSERT_EQ(io[i], x[i]) << i;
        }
}

TEST(GateLanes, SoundTheSameHoweverTheyAreCutUpAndFreshAfterAReset) {
    for (const auto& s : variedGates()) {
        const auto x = hitsOverHiss();
        const auto whole = test::throughLanes<GateLanes>({x, x}, {x, x}, s, kRate, 4096);
        for (const int block : {1, 37, 333})
            ASSERT_EQ(test::throughLanes<GateLanes>({x, x}, {x, x}, s, kRate, block, 4), whole) << block;
        GateLanes lanes(kRate);
        lanes.place(0, 1, s, true, 0);
        lanes.prepare();
        const auto run = [&] {
            LaneBuffer io(x.size() * kLanes);
            for (std::size_t n = 0; n < x.size(); ++n)
                io[n * kLanes] = x[n];
            const LaneBuffer heard = io;
            lanes.process(heard.data(), io.data(), static_cast<int>(x.size()));
            return io;
        };
        const auto first = run();
        lanes.reset();
        EXPECT_EQ(run(), first);
    }
}

TEST(GateLanes, GoOnOnOtherLanesAndGlideAsTheLawDoes) {
    auto to = variedGates()[0];
    to.floorDb = -6;
    to.openDb = -40;
    to.closeDb = -50;
    to.attackMs = 3;
    for (const auto& from : variedGates()) {
        if (from.isInverted || from.detector == GateDetector::Rms || from.ratio < kHardRatio)
            continue;
        const auto x = hitsOverHiss();
        GateLanes first(kRate);
        GateLanes second(kRate);
        first.place(0, 1, from, true, 0);
        second.place(5, 1, from, true, 0);
        first.prepare();
        second.prepare();
        GateGain law;
        law.prepare(kRate, from);
        for (std::size_t n = 0; n < x.size(); ++n) {
            if (n == 30000) {
                second.copyLanes(5, first, 0, 1);
                second.set(5, to, true, 960);
                law.set(to, 960);
            }
            GateLanes& now = n < 30000 ? first : second;
            const std::size_t lane = n < 30000 ? 0 : 5;
            LaneBuffer io(kLanes);
            LaneBuffer heard(kLanes);
            io[lane] = 1;
            heard[lane] = x[n];
            now.process(heard.data(), io.data(), 1);
            float gain = 0;
            (void)law.process(&x[n], &gain, 1);
            ASSERT_NEAR(io[lane], gain, 1e-5 + 2e-3 * gain) << n;
        }
    }
}

TEST(GateLanes, AllKernelsAgree) {
    for (const auto& s : variedGates()) {
        std::vector<LaneBuffer> outputs;
        for (const auto* set : allKernels()) {
            GateLanes lanes(kRate);
            for (int lane = 0; lane < kLanes; lane += 2)
                lanes.place(lane, 2, s, true, 0);
            lanes.prepare();
            const auto x = hitsOverHiss();
            LaneBuffer io(x.size() * kLanes);
            for (std::size_t n = 0; n < x.size(); ++n)
                for (std::size_t l = 0; l < kLanes; ++l)
                    io[n * kLanes + l] = x[n] * static_cast<float>(l % 3 + 1) * 0.3F;
            const LaneBuffer heard = io;
            lanes.processWith(*set, heard.data(), io.data(), static_cast<int>(x.size()));
            outputs.push_back(io);
        }
        for (std::size_t k = 1; k < outputs.size(); ++k)
            for (std::size_t i = 0; i < outputs[0].size(); ++i)
                ASSERT_NEAR(outputs[k][i], outputs[0][i], 1e-4) << allKernels()[k]->name;
    }
}

} // namespace
} // namespace cask::dsp
