// Whose sound a compressor's gain reduction is due to, against cases that can be counted by hand.
#include "core/base/units.h"
#include "core/measure/punch/drivers.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

/// Bursts of a tone from `firstS` on, every second.
std::vector<float> hits(double hz, double firstS, double amplitude, double decayS) {
    auto x = test::bursts(hz, 1, firstS, decayS, 12, kRate);
    for (float& v : x)
        v *= static_cast<float>(amplitude);
    return x;
}

HitMaterial sumOf(const std::vector<Contribution>& parts) {
    HitMaterial m;
    m.rateHz = kRate;
    m.sound.assign(1, std::vector<float>(parts[0][0].size(), 0.0F));
    for (const auto& part : parts)
        for (std::size_t n = 0; n < part[0].size(); ++n)
            m.sound[0][n] += part[0][n];
    return m;
}

dsp::CompressorSettings followsStrokes() {
    dsp::CompressorSettings s;
    s.thresholdDb = -30;
    s.attackMs = 1;
    s.releaseMs = 60;
    return s;
}

TEST(Drivers, WhereDrumsDoNotOverlapEachOwnsWhatFollowsItsHits) {
    const std::vector<Contribution> parts{{hits(80, 0.25, 0.9, 0.06)}, {hits(400, 0.75, 0.3, 0.04)}};
    const auto m = sumOf(parts);
    const auto shares = driverShares(m, followsStrokes(), parts);
    ASSERT_EQ(shares.size(), 2U);
    EXPECT_NEAR(shares[0] + shares[1], 1, 1e-9);
    // By hand: the reduction from one hit to the next one.
    const auto reduction = reductionsDb(m, followsStrokes());
    double first = 0;
    double all = 0;
    for (std::size_t t = 0; t < reduction.size(); ++t) {
        const double inSecond = std::fmod(0.001 * static_cast<double>(t), 1.0);
        all += reduction[t];
        first += inSecond >= 0.25 && inSecond < 0.75 ? reduction[t] : 0;
    }
    EXPECT_GT(first / all, 0.55) << "the louder, longer one";
    EXPECT_NEAR(shares[0], first / all, 0.03);
}

TEST(Drivers, ASlowReleaseStaysWithWhoBroughtTheReductionAbout) {
    // A soft tone goes on all the time under loud hits: the hits own the reduction, also while it dies away.
    const std::vector<Contribution> parts{{hits(80, 0.25, 0.9, 0.03)}, {test::sine(700, 0.001, 12, kRate)}};
    auto s = followsStrokes();
    s.releaseMs = 300;
    const auto shares = driverShares(sumOf(parts), s, parts);
    EXPECT_GT(shares[0], 0.97);
}

TEST(Drivers, ADetectorCutTakesItsShareAway) {
    // Lows that swell and fade, so that no click of theirs passes the cut.
    auto low = test::sine(60, 0.9, 12, kRate);
    for (std::size_t n = 0; n < low.size(); ++n) {
        const double at = std::fmod(static_cast<double>(n) / kRate, 1.0) - 0.2;
        low[n] *= at < 0 || at > 0.3 ? 0.0F : static_cast<float>(std::pow(std::sin(kPi * at / 0.3), 2));
    }
    const std::vector<Contribution> parts{{low}, {hits(2000, 0.75, 0.9, 0.06)}};
    auto s = followsStrokes();
    const auto before = driverShares(sumOf(parts), s, parts);
    EXPECT_GT(before[0], 0.5);
    s.lowCutHz = 250;
    s.cutSlopeDbPerOct = 24;
    EXPECT_LT(driverShares(sumOf(parts), s, parts)[0], 0.05);
}

TEST(Drivers, TwoSidesAreOneAndSilenceOwnsNothing) {
    const auto x = hits(80, 0.25, 0.9, 0.06);
    const std::vector<float> silence(x.size(), 0.0F);
    HitMaterial m;
    m.rateHz = kRate;
    m.sound = {x, x};
    const auto shares = driverShares(m, followsStrokes(), {{x, x}, {silence, silence}});
    EXPECT_NEAR(shares[0], 1, 1e-9);
    EXPECT_EQ(shares[1], 0);
    m.sound = {silence, silence};
    EXPECT_EQ(driverShares(m, followsStrokes(), {{silence, silence}})[0], 0);
}

} // namespace
} // namespace cask::measure
