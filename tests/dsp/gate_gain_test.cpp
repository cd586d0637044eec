// The law of a gate against what is known of it: levels, times, curves, splits, glides.
#include "core/base/units.h"
#include "core/dsp/gate_lanes.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

namespace cask::dsp {
namespace {

/// What a gate makes of a constant one is its gain.
class OneGate {
  public:
    OneGate(GateSettings s, double rate) : m_lanes(rate) {
        s.lookAheadMs = 0;
        m_lanes.place(2, 1, s, true, 0);
        m_lanes.prepare();
    }
    void set(GateSettings s, int glideFrames) {
        s.lookAheadMs = 0;
        m_lanes.set(2, s, true, glideFrames);
    }
    void hear(std::span<const float> detector, std::span<float> gains) {
        std::array<float, 64 * kLanes> heard{};
        std::array<float, 64 * kLanes> io{};
        for (std::size_t at = 0; at < detector.size(); at += 64) {
            const std::size_t n = std::min<std::size_t>(64, detector.size() - at);
            for (std::size_t i = 0; i < n; ++i) {
                heard[i * kLanes + 2] = detector[at + i];
                io[i * kLanes + 2] = 1;
            }
            m_lanes.process(heard.data(), io.data(), static_cast<int>(n));
            for (std::size_t i = 0; i < n; ++i)
                gains[at + i] = io[i * kLanes + 2];
        }
    }

  private:
    GateLanes m_lanes;
};

std::vector<float> gains(const std::vector<float>& detector, const GateSettings& settings,
                         double rate = kRate, int piece = 256) {
    OneGate gate(settings, rate);
    std::vector<float> out(detector.size());
    for (std::size_t at = 0; at < detector.size(); at += static_cast<std::size_t>(piece)) {
        const auto n = std::min(static_cast<std::size_t>(piece), detector.size() - at);
        gate.hear(std::span(detector).subspan(at, n), std::span(out).subspan(at, n));
    }
    return out;
}

/// Steps of a constant level: {seconds, dBFS}.
std::vector<float> steps(const std::vector<std::pair<double, double>>& list, double rate = kRate) {
    std::vector<float> x;
    for (const auto& [s, db] : list)
        x.insert(x.end(), static_cast<std::size_t>(std::lround(s * rate)),
                 static_cast<float>(dbToLinear(db)));
    return x;
}

std::size_t firstAtLeast(const std::vector<float>& g, double gain, std::size_t from = 0) {
    return static_cast<std::size_t>(std::find_if(g.begin() + static_cast<std::ptrdiff_t>(from), g.end(),
                                                 [&](float v) { return v >= gain; }) -
                                    g.begin());
}
std::size_t firstAtMost(const std::vector<float>& g, double gain, std::size_t from = 0) {
    return static_cast<std::size_t>(std::find_if(g.begin() + static_cast<std::ptrdiff_t>(from), g.end(),
                                                 [&](float v) { return v <= gain; }) -
                                    g.begin());
}

GateSettings hard() {
    GateSettings s;
    s.openDb = -30;
    s.closeDb = -36;
    s.windowMs = 1;
    s.floorDb = -40;
    return s;
}

TEST(GateGain, AnAttackOfThreeFramesIsTheSumOfItsAverages) {
    auto s = hard();
    s.floorDb = kSilentFloorDb;
    s.attackMs = 3; // at 1 kHz: averages of two and three frames
    s.releaseMs = 1000;
    const auto g = gains({0, 0, 0, 0, 1, 1, 1, 1, 1, 1}, s, 1000);
    const float expected[] = {0, 0, 0, 0, 1 / 6.0F, 3 / 6.0F, 5 / 6.0F, 1, 1, 1};
    for (std::size_t n = 0; n < g.size(); ++n)
        EXPECT_NEAR(g[n], expected[n], 1e-4) << n;
}

TEST(GateGain, StandsOnTheFloorClosedAndOnOneOpen) {
    for (const double floorDb : {-6.0, -24.0, -60.0, -80.0}) {
        auto s = hard();
        s.floorDb = floorDb;
        const auto g = gains(steps({{0.1, -40}, {0.3, -20}, {1, -60}}), s);
        EXPECT_NEAR(linearToDb(g[2000]), floorDb, 0.1);
        EXPECT_EQ(g[static_cast<std::size_t>(0.35 * kRate)], 1.0F);
        EXPECT_NEAR(linearToDb(g.back()), floorDb, 0.1);
    }
    auto s = hard();
    s.floorDb = kSilentFloorDb;
    EXPECT_EQ(gains(steps({{0.1, -40}}), s).back(), 0.0F);
}

TEST(GateGain, AttackEndsWhenItSaysAndRisesAsAnS) {
    for (const double rate : {44100.0, 48000.0, 192000.0})
        for (const double attackMs : {0.0, 0.5, 1.0, 5.0, 50.0}) {
            auto s = hard();
            s.attackMs = attackMs;
            s.floorDb = kSilentFloorDb;
            const auto x = steps({{0.1, -50}, {0.3, -20}}, rate);
            const auto g = gains(x, s, rate);
            const auto opens = static_cast<std::size_t>(std::lround(0.1 * rate));
            EXPECT_EQ(g[opens - 1], 0.0F);
            EXPECT_NEAR(static_cast<double>(firstAtLeast(g, 1) - opens), attackMs * 0.001 * rate, 1.5)
                << attackMs << " " << rate;
            EXPECT_NEAR(static_cast<double>(firstAtLeast(g, 0.5) - opens), attackMs * 0.0005 * rate, 1.5);
            for (std::size_t n = opens; n < opens + 1000; ++n)
                EXPECT_GE(g[n], g[n - 1]);
        }
}

TEST(GateGain, HysteresisAndHoldDecideWhenItCloses) {
    auto s = hard();
    s.attackMs = 0;
    s.holdMs = 25;
    s.releaseMs = 10;
    // Between the thresholds: stays as it was, closed before and open after.
    const auto g = gains(steps({{0.1, -33}, {0.1, -29}, {0.3, -33}, {0.2, -37}}), s);
    EXPECT_NEAR(linearToDb(g[static_cast<std::size_t>(0.099 * kRate)]), -40, 0.1);
    EXPECT_EQ(g[static_cast<std::size_t>(0.4 * kRate)], 1.0F);
    const auto falls = firstAtMost(g, 0.999, static_cast<std::size_t>(0.2 * kRate));
    // Under the close threshold from 0.5 s on; the 1 ms window still sees what was before.
    EXPECT_NEAR(static_cast<double>(falls) / kRate, 0.5 + 0.025 + 0.001, 0.0003);
}

TEST(GateGain, ReleaseLastsAsLongAsItSaysOnEveryCurve) {
    for (const auto curve : {ReleaseCurve::Even, ReleaseCurve::Straight, ReleaseCurve::Quick})
        for (const double floorDb : {-12.0, -40.0, kSilentFloorDb}) {
            auto s = hard();
            s.attackMs = 0;
            s.holdMs = 0;
            s.releaseMs = 200;
            s.floorDb = floorDb;
            s.releaseCurve = curve;
            const auto g = gains(steps({{0.1, -20}, {0.6, -60}}), s);
            const auto closed = static_cast<float>(floorDb <= kSilentFloorDb ? 0 : dbToLinear(floorDb));
            const auto begins = firstAtMost(g, 0.9999999F, static_cast<std::size_t>(0.1 * kRate));
            const auto ends = firstAtMost(g, closed * 1.00001 + 1e-9, begins);
            EXPECT_NEAR(static_cast<double>(ends - begins) / kRate, 0.2, 0.001);
            const double half = g[begins + static_cast<std::size_t>(0.1 * kRate)];
            if (curve == ReleaseCurve::Even)
                EXPECT_NEAR(linearToDb(half), floorDb / 2, 0.1);
            else if (curve == ReleaseCurve::Straight)
                EXPECT_NEAR(half, (1 + closed) / 2, 0.002);
            else
                EXPECT_NEAR(half, closed + (1 - closed) * std::exp(-3.5), 0.002);
        }
}

TEST(GateGain, ARatioFollowsTheStaticCurve) {
    for (const double ratio : {1.5, 2.0, 4.0, 10.0})
        for (const double underDb : {1.0, 3.0, 6.0, 20.0}) {
            auto s = hard();
            s.ratio = ratio;
            s.floorDb = -30;
            const auto g = gains(steps({{0.3, s.openDb - underDb}}), s);
            EXPECT_NEAR(linearToDb(g.back()), std::max(-30.0, -(ratio - 1) * underDb), 0.1);
            EXPECT_EQ(gains(steps({{0.3, s.openDb + 1}}), s).back(), 1.0F);
        }
}

TEST(GateGain, RmsOpensAtThePowerAndPeakAtThePeak) {
    // A sine's RMS is 3.01 dB under its peak.
    for (const double overDb : {-0.3, 0.3})
        for (const auto detector : {GateDetector::Peak, GateDetector::Rms}) {
            auto s = hard();
            s.detector = detector;
            s.windowMs = 10;
            const double peakDb = s.openDb + overDb + (detector == GateDetector::Rms ? 3.0103 : 0);
            const auto gain = gains(test::sine(1000, dbToLinear(peakDb), 0.2, kRate), s);
            EXPECT_EQ(gain.back() > 0.5F, overDb > 0) << overDb;
        }
}

TEST(GateGain, InvertedPassesBetweenTheHits) {
    auto s = hard();
    s.isInverted = true;
    s.floorDb = -18;
    s.attackMs = 2;
    s.holdMs = 0;
    s.releaseMs = 50;
    const auto g = gains(steps({{0.1, -60}, {0.1, -10}, {0.3, -60}}), s);
    EXPECT_EQ(g[4000], 1.0F);
    EXPECT_NEAR(linearToDb(g[static_cast<std::size_t>(0.15 * kRate)]), -18, 0.1);
    EXPECT_NEAR(linearToDb(g[static_cast<std::size_t>(0.2267 * kRate)]), -9, 0.5); // half of the release
    EXPECT_EQ(g.back(), 1.0F);
}

TEST(GateGain, LiftsOnTheHits) {
    auto s = hard();
    s.floorDb = 0;
    s.liftDb = 6;
    const auto g = gains(steps({{0.1, -60}, {0.1, -10}, {0.5, -60}}), s);
    EXPECT_EQ(g[4000], 1.0F);
    EXPECT_NEAR(linearToDb(g[static_cast<std::size_t>(0.19 * kRate)]), 6, 0.01);
    EXPECT_EQ(g.back(), 1.0F);
}

TEST(GateGain, SameBitsHoweverTheFramesAreSplit) {
    const auto hits = test::bursts(200, 0.13, 0.05, 0.02, 3, kRate);
    auto soft = test::noise(0.02, hits.size(), 7);
    for (std::size_t i = 0; i < soft.size(); ++i)
        soft[i] += hits[i];
    auto expander = hard();
    expander.ratio = 3;
    auto rms = hard();
    rms.detector = GateDetector::Rms;
    auto silent = hard();
    silent.floorDb = kSilentFloorDb;
    for (const auto& s : {hard(), expander, rms, silent}) {
        const auto whole = gains(soft, s, kRate, static_cast<int>(soft.size()));
        for (const int piece : {1, 7, 64, 333})
            EXPECT_EQ(whole, gains(soft, s, kRate, piece)) << piece;
    }
}

TEST(GateGain, AGlideMovesTheFloorWithoutAStep) {
    auto s = hard();
    OneGate g(s, kRate);
    std::vector<float> silence(4800);
    std::vector<float> out(4800);
    g.hear(silence, out);
    float last = out.back();
    s.floorDb = -6;
    const test::AllocationCounter counter;
    g.set(s, 960);
    g.hear(silence, out);
    EXPECT_EQ(test::AllocationCounter::count(), 0);
    for (const float v : out) {
        EXPECT_LT(std::abs(v - last), 0.005F);
        last = v;
    }
    EXPECT_NEAR(linearToDb(out.back()), -6, 0.01);
}

TEST(GateGain, AnotherAttackInTheMiddleOfARiseDoesNotJump) {
    auto s = hard();
    s.attackMs = 20;
    OneGate g(s, kRate);
    const auto x = steps({{0.01, -10}});
    std::vector<float> out(x.size());
    g.hear(x, out);
    const float last = out.back();
    s.attackMs = 3;
    g.set(s, 960);
    g.hear(std::span(x).first(200), out);
    EXPECT_NEAR(out[0], last, 0.01F);
}

} // namespace
} // namespace cask::dsp
