#include "core/dsp/kernels.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::dsp {
namespace {

class MixKernel : public testing::TestWithParam<const Kernels*> {};

TEST_P(MixKernel, IsTheMatrixProductWhateverLanesAreUsed) {
    constexpr int kFrames = 23;
    const auto in = test::noise(1, kFrames * kLanes, 1);
    const auto there = test::noise(1, kFrames * kLanes, 2);
    for (unsigned used = 0; used < 1U << kLanes; ++used)
        for (const bool adds : {false, true}) {
            LaneBuffer out(there.begin(), there.end());
            MixMatrix m;
            for (std::size_t s = 0; s < kLanes; ++s) {
                m.isUsed[s] = (used >> s & 1U) != 0;
                for (int t = 0; t < kLanes && m.isUsed[s]; ++t)
                    m.gain[s][t] = static_cast<float>(0.1 * static_cast<double>(s) - 0.05 * t + 0.01);
            }
            GetParam()->mix(m, in.data(), out.data(), kFrames, adds);
            for (std::size_t n = 0; n < kFrames; ++n)
                for (int t = 0; t < kLanes; ++t) {
                    const auto place = n * kLanes + static_cast<std::size_t>(t);
                    double wanted = adds ? static_cast<double>(there[place]) : 0;
                    for (std::size_t s = 0; s < kLanes; ++s)
                        wanted += static_cast<double>(in[n * kLanes + s]) * m.gain[s][t];
                    ASSERT_NEAR(out[place], wanted, 1e-5) << "lanes " << used << ", frame " << n;
                }
        }
}

TEST_P(MixKernel, GlidesSmoothlyAndOddPiecesGiveTheSameBits) {
    const LaneBuffer ones(1000 * kLanes, 1.0F);
    const auto make = [] {
        MixMatrix m;
        m.isUsed[0] = true;
        m.from[0][0] = 0;
        m.gain[0][0] = 1;
        m.glideFrames = m.glideLeft = 480;
        return m;
    };
    LaneBuffer whole(1000 * kLanes, 0.0F);
    LaneBuffer pieces(1000 * kLanes, 0.0F);
    auto a = make();
    auto b = make();
    GetParam()->mix(a, ones.data(), whole.data(), 1000, true);
    for (int at = 0; at < 1000; at += 77)
        GetParam()->mix(b, ones.data() + at * kLanes, pieces.data() + at * kLanes, std::min(77, 1000 - at),
                        true);
    EXPECT_EQ(whole, pieces);
    EXPECT_EQ(whole[999 * kLanes], 1);
    float greatestStep = 0;
    for (std::size_t n = 1; n < 1000; ++n)
        greatestStep = std::max(greatestStep, std::abs(whole[n * kLanes] - whole[(n - 1) * kLanes]));
    EXPECT_LT(greatestStep, 1.6F / 480);
}

TEST_P(MixKernel, LevelsAreTheGreatestAndTheSumOfSquares) {
    const auto in = test::noise(1, 999 * kLanes, 4);
    LaneLevels levels;
    GetParam()->levels(in.data(), 999, levels);
    for (int lane = 0; lane < kLanes; ++lane) {
        float peak = 0;
        double sum = 0;
        for (std::size_t n = 0; n < 999; ++n) {
            const float x = in[n * kLanes + static_cast<std::size_t>(lane)];
            peak = std::max(peak, std::abs(x));
            sum += static_cast<double>(x) * x;
        }
        EXPECT_EQ(levels.peak[lane], peak);
        EXPECT_NEAR(levels.sumSquares[lane], sum, 1e-3 * sum);
    }
}

INSTANTIATE_TEST_SUITE_P(Sets, MixKernel, testing::ValuesIn(allKernels().begin(), allKernels().end()),
                         [](const auto& tested) { return std::string(tested.param->name); });

} // namespace
} // namespace cask::dsp
