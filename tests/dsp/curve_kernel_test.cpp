// Half-bands and curves on every instruction set this machine has.
#include "core/dsp/kernels.h"
#include "core/dsp/shape_bank.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

class CurveKernel : public testing::TestWithParam<const Kernels*> {};

TEST_P(CurveKernel, HalfBandsAreTheirSumsForAnyNumberOfTapsAndFramesAndWriteNothingElse) {
    constexpr int kMostFrames = 75;
    const auto in = test::noise(1, static_cast<std::size_t>(2 * (kMostFrames + 120) * kLanes), 3);
    for (const int count : {2, 22, 110})
        for (const int frames : {0, 1, 7, 8, 16, 17, kMostFrames}) {
            const auto taps = test::noise(1, static_cast<std::size_t>(count), 13);
            LaneBuffer up(2 * (kMostFrames + 1) * kLanes, 77.0F);
            GetParam()->halfUp(taps, in.data(), up.data(), frames);
            LaneBuffer down((kMostFrames + 1) * kLanes, 77.0F);
            GetParam()->halfDown(taps, in.data(), down.data(), frames);
            for (int n = 0; n < frames; ++n)
                for (int l = 0; l < kLanes; ++l) {
                    const auto at = [&](int frame) {
                        return static_cast<double>(in[static_cast<std::size_t>(frame * kLanes + l)]);
                    };
                    double sum = 0;
                    double back = 0.5 * at(2 * n + count - 1);
                    for (int t = 0; t < count; ++t) {
                        sum += static_cast<double>(taps[static_cast<std::size_t>(t)]) * at(n + t);
                        back += static_cast<double>(taps[static_cast<std::size_t>(t)]) * at(2 * (n + t));
                    }
                    ASSERT_NEAR(up[static_cast<std::size_t>(2 * n * kLanes + l)], sum, 2e-5);
                    ASSERT_EQ(up[static_cast<std::size_t>((2 * n + 1) * kLanes + l)],
                              in[static_cast<std::size_t>((n + count / 2) * kLanes + l)]);
                    ASSERT_NEAR(down[static_cast<std::size_t>(n * kLanes + l)], back, 2e-5);
                }
            EXPECT_EQ(up[static_cast<std::size_t>(2 * frames * kLanes)], 77.0F);
            EXPECT_EQ(down[static_cast<std::size_t>(frames * kLanes)], 77.0F);
        }
}

/// Lanes of all curves, or of two that need no past.
ShapeBank bankOf(bool isMixed) {
    ShapeBank b;
    for (int l = 0; l < kLanes; ++l) {
        const auto shape = static_cast<std::size_t>(isMixed ? l % kShapes : l % 2);
        b.isShape[shape][l] = 1;
        b.hasShape[shape] = true;
        b.drive[l] = 1.5F + static_cast<float>(l);
        b.bias[l] = 0.05F * static_cast<float>(l);
        b.back[l] = 1 / b.drive[l];
        b.kneeHalf[l] = 0.3F;
        b.memory[l] = shape == static_cast<std::size_t>(Shape::Tape) ? 0.25F : 0.0F;
    }
    b.follow = 0.02F;
    return b;
}

TEST_P(CurveKernel, AllSetsAgreeAndPiecesGiveTheSameBits) {
    for (const bool isMixed : {false, true}) {
        const auto x = test::noise(1, 500 * kLanes, 5);
        auto plainBank = bankOf(isMixed);
        LaneBuffer plain(x.begin(), x.end());
        allKernels().front()->curve(plainBank, plain.data(), 500);
        auto bank = bankOf(isMixed);
        LaneBuffer whole(x.begin(), x.end());
        GetParam()->curve(bank, whole.data(), 500);
        for (std::size_t i = 0; i < x.size(); ++i)
            ASSERT_NEAR(whole[i], plain[i], 3e-6) << isMixed << " " << i;
        auto other = bankOf(isMixed);
        LaneBuffer pieces(x.begin(), x.end());
        for (int at = 0, n = 1; at < 500; at += n, n = n % 37 + 1)
            GetParam()->curve(other, pieces.data() + at * kLanes, std::min(n, 500 - at));
        EXPECT_EQ(whole, pieces);
        // Two frames late: in a lane of tanh what it changes of the sound
        for (std::size_t n = 2; n < 500; ++n) {
            const double x0 = static_cast<double>(x[(n - 2) * kLanes]);
            ASSERT_NEAR(whole[n * kLanes], std::tanh(1.5 * x0) / 1.5 - x0, 2e-6);
        }
    }
}

INSTANTIATE_TEST_SUITE_P(All, CurveKernel, testing::ValuesIn(allKernels().begin(), allKernels().end()),
                         [](const auto& test) { return std::string(test.param->name); });

} // namespace
} // namespace cask::dsp
