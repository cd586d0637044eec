// The clipper against its law, and what it must leave.
#include "core/base/units.h"
#include "core/dsp/clipper.h"
#include "core/dsp/compressor.h"
#include "tests/support/aliases.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

std::vector<float> clipped(const ClipperSettings& s, const std::vector<float>& x, bool isOn = true) {
    const auto late = static_cast<std::size_t>(ClipperLanes::latencyFrames(s, kRate));
    auto longer = x;
    longer.resize(x.size() + late);
    auto y = test::throughLanes<ClipperLanes>({longer}, {longer}, s, kRate, 480, 2, isOn)[0];
    y.erase(y.begin(), y.begin() + static_cast<std::ptrdiff_t>(late));
    return y;
}

/// The law in units of the ceiling.
double law(double u, double h) {
    const double a = std::abs(u);
    const double y = a <= 1 - h ? a : a >= 1 + h ? 1 : a - (a - 1 + h) * (a - 1 + h) / (4 * h);
    return std::copysign(y, u);
}

TEST(Clipper, HarmonicsAreThoseOfItsLaw) {
    for (const double kneeDb : {0.0, 3.0, 12.0}) {
        const ClipperSettings s{-12, kneeDb, Oversampling::Eight, false};
        const auto y = clipped(s, test::sine(500, 0.7, 1));
        const double c = dbToLinear(-12);
        const double h = std::max(1e-9, 1 - dbToLinear(-kneeDb));
        for (const int order : {1, 3, 5, 9}) {
            double wanted = 0;
            constexpr int kSteps = 1 << 15;
            for (int i = 0; i < kSteps; ++i) {
                const double t = 2 * kPi * (i + 0.5) / kSteps;
                wanted += c * law(0.7 / c * std::sin(t), h) * std::sin(order * t) * 2 / kSteps;
            }
            const double heard = test::amplitudeAt(std::span(y).subspan(4800, 38400), 500.0 * order, kRate);
            EXPECT_NEAR(heard, std::abs(wanted), 0.004 * std::abs(wanted) + 1e-4 * c)
                << kneeDb << " dB, order " << order;
        }
    }
}

TEST(Clipper, TheCapHoldsTheCeilingForEverySampleAndWithoutItPeaksPassByADecibel) {
    for (const auto& x :
         {test::noise(1, 48000, 3), test::sine(997, 1, 1), test::bursts(60, 0.3, 0.1, 0.1, 1)})
        for (const auto oversampling : {Oversampling::Twice, Oversampling::Four, Oversampling::Eight})
            for (const double kneeDb : {0.0, 6.0}) {
                ClipperSettings s{-9, kneeDb, oversampling, true};
                EXPECT_LE(test::peakOf(clipped(s, x)), dbToLinear(-9) * 1.000001);
                s.isCapped = false;
                const double over = linearToDb(test::peakOf(clipped(s, x))) + 9;
                EXPECT_LT(over, 6) << "noise of full band is the worst";
            }
    const ClipperSettings open{-9, 0, Oversampling::Four, false};
    EXPECT_LT(linearToDb(test::peakOf(clipped(open, test::sine(997, 1, 1)))) + 9, 1.2);
    EXPECT_LT(linearToDb(test::peakOf(clipped(open, test::bursts(60, 0.3, 0.1, 0.1, 1)))) + 9, 1.3);
}

TEST(Clipper, WhatStaysUnderTheKneePassesBitForBit) {
    const auto x = test::sine(1000, 0.2, 0.2);
    EXPECT_EQ(clipped({-6, 3, Oversampling::Four, true}, x), x);
    const auto loud = test::noise(1, 9600, 4);
    EXPECT_EQ(clipped({-20, 3, Oversampling::Four, true}, loud, false), loud) << "bypassed";
}

TEST(Clipper, AliasesStayUnderTheirLimitsWithoutTheCap) {
    for (const double kneeDb : {0.0, 3.0})
        for (const int hz : {997, 4999})
            for (const auto& [oversampling, most] :
                 {std::pair(Oversampling::Four, -80.0), std::pair(Oversampling::Eight, -100.0)}) {
                const auto y = clipped({-24, kneeDb, oversampling, false}, test::sine(hz, 0.5, 1.5));
                EXPECT_LT(test::aliasesDb(std::span(y).first(64800), hz), most) << kneeDb << " " << hz;
            }
}

TEST(Compressor, ASoftClippedOutputKeepsItsCeilingAndComesLaterByTheClipper) {
    CompressorSettings s;
    s.thresholdDb = -30;
    s.makeupDb = 18;
    s.isSoftClipped = true;
    s.clipDb = -6;
    auto plain = s;
    plain.isSoftClipped = false;
    EXPECT_EQ(compressorLatency(s, kRate) - compressorLatency(plain, kRate),
              ClipperLanes::latencyFrames({}, kRate));
    const auto x = test::bursts(200, 0.4, 0.1, 0.2, 1.5);
    const auto y = test::throughLanes<CompressorLanes>({x}, {x}, s, kRate)[0];
    const auto open = test::throughLanes<CompressorLanes>({x}, {x}, plain, kRate)[0];
    EXPECT_GT(test::peakOf(open), dbToLinear(-2));
    EXPECT_LE(test::peakOf(y), dbToLinear(-6) * 1.000001);
    EXPECT_GT(test::peakOf(y), dbToLinear(-7));
    // Bypassed it is its delay alone.
    const auto off = test::throughLanes<CompressorLanes>({x}, {x}, s, kRate, 480, 0, false)[0];
    const auto late = static_cast<std::size_t>(compressorLatency(s, kRate));
    for (std::size_t n = late; n < x.size(); ++n)
        ASSERT_EQ(off[n], x[n - late]);
}

} // namespace
} // namespace cask::dsp
