// Half-bands over planes and curves on every instruction set this machine has.
#include "core/base/units.h"
#include "core/dsp/curve_lanes.h"
#include "core/dsp/half_band_design.h"
#include "core/dsp/kernels.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

class CurveKernel : public testing::TestWithParam<const Kernels*> {};

TEST_P(CurveKernel, HalfBandsAreTheirSumsForAnyPlacesAndColumns) {
    constexpr int kFrames = 1000;
    const auto in = test::noise(1, kFrames + kColumns, 3);
    for (const int count : {8, 12, 16, 24, 32, 40}) {
        HalfBand band;
        band.taps = test::noise(1, static_cast<std::size_t>(count - HalfBand::kAtOnce), 13);
        band.taps.resize(static_cast<std::size_t>(count)); // zeros where outputs beside each other end
        band.outputs = 8;
        for (int t = 0; t < band.outputs + count; ++t)
            band.from.push_back(t * 37 % kFrames);
        for (int i = 0; i < band.outputs; ++i)
            band.middle.push_back((91 + 17 * i) % kFrames);
        constexpr int kStride = kPlaneStride;
        for (const int columns : {1, 9, 16, 33, kColumns}) {
            std::vector<float> up(16 * kStride, 77);
            GetParam()->planesUp(band, in.data(), up.data(), columns);
            std::vector<float> down(8 * kStride, 77);
            GetParam()->planesDown(band, in.data(), down.data(), columns);
            for (int i = 0; i < band.outputs; ++i)
                for (int c = 0; c < columns; ++c) {
                    double sum = 0;
                    for (int t = 0; t < count; ++t)
                        sum +=
                            static_cast<double>(band.taps[static_cast<std::size_t>(t)]) *
                            static_cast<double>(
                                in[static_cast<std::size_t>(band.from[static_cast<std::size_t>(i + t)] + c)]);
                    const float middle =
                        in[static_cast<std::size_t>(band.middle[static_cast<std::size_t>(i)] + c)];
                    ASSERT_NEAR(up[static_cast<std::size_t>(2 * i * kStride + c)], sum, 3e-5);
                    ASSERT_EQ(up[static_cast<std::size_t>((2 * i + 1) * kStride + c)], middle);
                    ASSERT_NEAR(down[static_cast<std::size_t>(i * kStride + c)],
                                sum + 0.5 * static_cast<double>(middle), 3e-5);
                }
            for (int c = kColumns; c < kStride; ++c)
                ASSERT_EQ(down[static_cast<std::size_t>(c)], 77) << "behind a plane's columns";
        }
    }
}

TEST(HalfBandDesign, IsEvenlyGoodOverItsPassBandAndNoLongerThanNeeded) {
    constexpr int kStep = 4;
    for (const double pass : {20.0 / 88.2, 0.1875, 0.09375, 0.01})
        for (const double stopDb : {84.0, 110.0}) {
            const auto& taps = halfBandTaps(pass, stopDb, kStep);
            const auto count = static_cast<int>(taps.size());
            ASSERT_EQ(count % kStep, 0);
            // Sizes of the error over the pass band, each between two places where there is none.
            std::vector<double> bumps = {0};
            double last = 0;
            for (int i = 0; i <= 20000; ++i) {
                const double w = 2 * kPi * pass * i / 20000;
                double sum = -0.5;
                for (int t = 0; t < count; ++t)
                    sum += taps[static_cast<std::size_t>(t)] * std::cos(w * (2 * t - (count - 1)));
                if (i > 0 && (sum < 0) != (last < 0))
                    bumps.push_back(0);
                bumps.back() = std::max(bumps.back(), std::abs(sum));
                last = sum;
            }
            const double worst = *std::max_element(bumps.begin(), bumps.end());
            EXPECT_LE(worst, std::pow(10, -stopDb / 20)) << pass << " " << stopDb;
            for (int t = 0; t < count; ++t)
                EXPECT_EQ(taps[static_cast<std::size_t>(t)], taps[static_cast<std::size_t>(count - 1 - t)]);
            if (worst < 1e-7)
                continue; // the last bits of what is added decide
            // The theorem of Chebyshev: with one more bump than taps of a half nothing is better.
            ASSERT_EQ(bumps.size(), taps.size() / 2 + 1);
            EXPECT_NEAR(*std::min_element(bumps.begin(), bumps.end()), worst, 0.05 * worst);
            // A step shorter is not enough: by Kaiser's rule the error is then larger by this.
            const double step = kStep * 2 * 14.6 * (0.5 - 2 * pass);
            EXPECT_GT(20 * std::log10(worst) + step, -stopDb - 1) << pass << " " << stopDb;
        }
}

TEST_P(CurveKernel, LanesBecomePlanesAndBack) {
    const auto in = test::noise(1, kPlaneFrames * kLanes, 4);
    for (const int frames : {1, 3, 4, 18, 63, 64}) {
        std::array<std::array<float, PlaneSampler::kBlockFloats>, kLanes> planes{};
        std::array<float*, kLanes> at{};
        for (std::size_t l = 0; l < kLanes; ++l)
            at[l] = planes[l].data();
        GetParam()->lanesToPlanes(in.data(), at.data(), frames);
        for (std::size_t n = 0; n < static_cast<std::size_t>(frames); ++n)
            ASSERT_EQ(planes[3][n % kPlanes * kPlaneStride + n / kPlanes], in[n * kLanes + 3]);
        std::vector<float> back(kPlaneFrames * kLanes, 77);
        GetParam()->planesToLanes(at.data(), back.data(), frames);
        for (std::size_t i = 0; i < back.size(); ++i)
            ASSERT_EQ(back[i], i < static_cast<std::size_t>(frames * kLanes) ? in[i] : 77);
    }
}

/// The means that a curve with corners has between two samples, by sums of many.
double takenOff(double from, double to, double half) {
    constexpr int kParts = 20000;
    double sum = 0;
    for (int i = 0; i < kParts; ++i) {
        const double u = from + (to - from) * (i + 0.5) / kParts;
        const double a = std::abs(u);
        const double y = a <= 1 - half   ? a
                         : a >= 1 + half ? 1
                                         : a - (a - 1 + half) * (a - 1 + half) / (4 * half);
        sum += std::copysign(a - y, u) / kParts;
    }
    return -sum;
}

TEST_P(CurveKernel, CurvesAreTheirFormulasAlsoWhereTheirPlacesMove) {
    constexpr int kFactor = 2;
    constexpr int kFrames = kPlaneFrames * kFactor;
    const auto x = test::noise(1, kFrames, 5);
    for (const auto shape : {Shape::Soft, Shape::Fold, Shape::Hard, Shape::Knee})
        for (const bool isMoving : {false, true}) {
            LaneBuffer scratch(CurvePlanes::scratchFloats(kFactor));
            CurvePlanes curve{shape, {2.5F, 0.1F, 0.05F, 0.4F, 0.3F}, nullptr, 0.1F, {}, scratch.data()};
            LaneBuffer moving(CurvePlace::kAll.size() * kPlaneFrames);
            const auto placeAt = [&](int n) {
                CurvePlace place = curve.place;
                place.drive += isMoving ? 0.01F * static_cast<float>(n) : 0.0F;
                return place;
            };
            for (std::size_t v = 0; v < CurvePlace::kAll.size(); ++v)
                for (int n = 0; n < kPlaneFrames; ++n)
                    moving[v * kPlaneFrames +
                           static_cast<std::size_t>(n % kPlanes * kColumns + n / kPlanes)] =
                        placeAt(n).*CurvePlace::kAll[v];
            curve.moving = isMoving ? moving.data() : nullptr;
            constexpr int kPlanesHere = kPlanes * kFactor;
            const auto place = [](int n) {
                return static_cast<std::size_t>(n % kPlanesHere * kPlaneStride + n / kPlanesHere);
            };
            LaneBuffer io(static_cast<std::size_t>(kPlanesHere) * kPlaneStride);
            for (int n = 0; n < kFrames; ++n)
                io[place(n)] = x[static_cast<std::size_t>(n)];
            GetParam()->curve(curve, io.data(), kFactor, kPlaneFrames);
            const auto where = [&](int n) {
                const CurvePlace p = placeAt(std::max(n, 0) / kFactor);
                return n < 0 ? 0.1
                             : static_cast<double>(p.drive) *
                                       static_cast<double>(x[static_cast<std::size_t>(n)]) +
                                   0.1;
            };
            for (int n = 0; n < kFrames; ++n) {
                double wanted = 0;
                if (hasCorners(shape)) {
                    const auto mean = [&](int m) {
                        return m < 0 ? 0.0
                                     : takenOff(where(m - 1), where(m), shape == Shape::Hard ? 1e-9 : 0.3);
                    };
                    wanted = 0.4 * (0.625 * (mean(n - 1) + mean(n - 2)) - 0.125 * (mean(n) + mean(n - 3)));
                } else {
                    const double u = where(n);
                    wanted = 0.4 * ((shape == Shape::Fold ? std::sin(u) : std::tanh(u)) - 0.05) -
                             static_cast<double>(x[static_cast<std::size_t>(n)]);
                }
                ASSERT_NEAR(io[place(n)], wanted, 2e-6)
                    << "shape " << static_cast<int>(shape) << ", " << isMoving << ", frame " << n;
            }
        }
}

TEST_P(CurveKernel, TapeIsItsLawFrameByFrame) {
    TapeBank bank;
    bank.follow = 0.02F;
    for (int l = 0; l < kLanes; ++l) {
        bank.drive[l] = 1.5F + static_cast<float>(l);
        bank.bias[l] = 0.05F * static_cast<float>(l);
        bank.back[l] = 1 / bank.drive[l];
    }
    const auto x = test::noise(1, 300 * kLanes, 6);
    LaneBuffer io(x.begin(), x.end());
    GetParam()->tape(bank, io.data(), 300);
    double kept = 0;
    double step = 0;
    double before = 0;
    for (std::size_t n = 0; n < 300; ++n) { // the last lane
        const double sound = static_cast<double>(x[n * kLanes + 7]);
        const double moved = TapeBank::kMemory * (kept + step);
        const double bent = std::tanh(8.5 * sound + static_cast<double>(0.35F) + moved);
        step = static_cast<double>(0.02F) * (0.5 * (bent + before) - kept);
        kept += step;
        before = bent;
        ASSERT_NEAR(io[n * kLanes + 7], (bent - moved) / 8.5 - sound, 2e-6) << n;
    }
}

INSTANTIATE_TEST_SUITE_P(All, CurveKernel, testing::ValuesIn(allKernels().begin(), allKernels().end()),
                         [](const auto& test) { return std::string(test.param->name); });

/// All shapes at once, in six of the lanes.
CurveLanes allCurves() {
    CurveLanes curves(48000);
    constexpr std::array kAll{Shape::Soft, Shape::Warm, Shape::Tape, Shape::Hard, Shape::Fold, Shape::Knee};
    for (int l = 0; l < 6; ++l) {
        curves.place(l, kAll[static_cast<std::size_t>(l)],
                     l % 2 == 0 ? Oversampling::Four : Oversampling::Eight);
        curves.set(l, 2.0 + l, 0.05 * l, 0.2);
    }
    curves.reset();
    return curves;
}

/// White noise at full level through all shapes, in blocks of the given length and its remainders.
LaneBuffer throughCurves(int block, bool glides) {
    CurveLanes curves = allCurves();
    constexpr int kFrames = 1500;
    const auto x = test::noise(1, kFrames * kLanes, 9);
    LaneBuffer out(x.size());
    for (int at = 0, n = 0; at < kFrames; at += n) {
        n = std::min(kFrames - at, block);
        for (int i = 0; glides && i < n; ++i)
            if (const int frame = at + i; frame > 200 && frame < 700)
                for (int l = 0; l < 6; ++l)
                    curves.set(l, 2.0 + l + 0.01 * (frame - 200), 0.05 * l, 0.2, i);
        curves.process(x.data() + at * kLanes, out.data() + at * kLanes, n);
    }
    return out;
}

TEST(CurveLanes, GiveTheSameBitsInAnyBlocksAlsoWhileTheyMoveAndNothingInLanesWithoutACurve) {
    for (const bool glides : {false, true}) {
        const auto whole = throughCurves(CurveLanes::kPiece, glides);
        for (const int block : {1, 7, 48, 63, 64, 300})
            EXPECT_EQ(throughCurves(block, glides), whole) << block << " " << glides;
        for (std::size_t n = 0; n < whole.size(); n += kLanes) {
            ASSERT_EQ(whole[n + 6], 0);
            ASSERT_EQ(whole[n + 7], 0);
        }
        for (std::size_t l = 0; l < 6; ++l)
            EXPECT_NE(whole[500 * kLanes + l], 0) << l;
    }
}

TEST(CurveLanes, GoOnWhereAnothersLanesWereAndBeginAnewAfterAReset) {
    const auto x = test::noise(1, CurveLanes::kPiece * kLanes, 10);
    const auto next = [&x](CurveLanes& curves, int frames) {
        LaneBuffer out(static_cast<std::size_t>(frames) * kLanes);
        curves.process(x.data(), out.data(), frames);
        return out;
    };
    auto curves = allCurves();
    const auto fresh = next(curves, 301);
    auto other = allCurves();
    (void)next(other, 77);
    for (int l = 0; l < 6; ++l)
        other.copyLane(l, curves, l);
    EXPECT_EQ(next(other, 301), next(curves, 301));
    curves.reset();
    EXPECT_EQ(next(curves, 301), fresh);
}

} // namespace
} // namespace cask::dsp
