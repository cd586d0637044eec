// Delays of lanes on every instruction set this machine has, against the sound that came so many frames
// before.
#include "core/dsp/kernels.h"
#include "core/dsp/lane_delay.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <string>

namespace cask::dsp {
namespace {

constexpr int kFrames = 700;
constexpr std::array kBlocks{1, 2, 3, 64, 7, 300, 5};

class DelayKernel : public testing::TestWithParam<const Kernels*> {
  protected:
    /// act(delay, first float, frames) over kFrames in uneven blocks.
    template <class Act> static void inBlocks(LaneDelay& delay, const Act& act) {
        for (int at = 0, b = 0; at < kFrames; ++b) {
            const int n = std::min(kFrames - at, kBlocks[static_cast<std::size_t>(b) % kBlocks.size()]);
            act(delay, at * kLanes, n);
            at += n;
        }
    }
    static float before(const std::vector<float>& x, std::size_t place, int late) {
        const auto floats = static_cast<std::size_t>(late) * kLanes;
        return place < floats ? 0.0F : x[place - floats];
    }
    const std::vector<float> m_x = test::noise(1, kFrames* kLanes, 21);
    const std::vector<float> m_y = test::noise(1, kFrames* kLanes, 22);
};

TEST_P(DelayKernel, WhatComesIsThatOfSoManyFramesBefore) {
    for (const bool isAll : {true, false})
        for (int late = 1; late <= 130; ++late) { // rings that are filled to the last frame among them
            std::array<int, kLanes> frames{};
            frames.fill(late);
            if (!isAll)
                frames[2] = frames[7] = 0;
            LaneDelay delay, withGains;
            delay.prepare(frames);
            withGains.prepare(frames);
            LaneBuffer io(m_x.begin(), m_x.end());
            LaneBuffer gained(m_x.begin(), m_x.end());
            inBlocks(delay, [&](LaneDelay& d, int at, int n) { GetParam()->delay(d, io.data() + at, n); });
            inBlocks(withGains, [&](LaneDelay& d, int at, int n) {
                GetParam()->delayAndMultiply(d, m_y.data() + at, gained.data() + at, n);
            });
            for (std::size_t i = 0; i < m_x.size(); ++i) {
                const float wanted = before(m_x, i, frames[i % kLanes]);
                ASSERT_EQ(io[i], wanted) << late << " frames, float " << i;
                ASSERT_EQ(gained[i], wanted * m_y[i]) << late << " frames, float " << i;
            }
        }
}

TEST_P(DelayKernel, WhatIsChangedIsAddedToTheDelayedSound) {
    for (const int late : {0, 1, 2, 3, 15, 16, 31}) {
        std::array<int, kLanes> frames{};
        frames.fill(late);
        for (const bool takesOff : {false, true}) {
            LaneDelay delay;
            delay.prepare(frames);
            ShapedMix mix;
            mix.share = 0.01F;
            for (int l = 0; l < kLanes; ++l) {
                mix.mix[l] = 0.1F * static_cast<float>(l);
                mix.output[l] = 1.0F + static_cast<float>(l);
                mix.blocks[l] = takesOff && l % 2 == 1 ? 1.0F : 0.0F;
            }
            LaneBuffer io(m_x.begin(), m_x.end());
            inBlocks(delay, [&](LaneDelay& d, int at, int n) {
                GetParam()->addShaped(mix, d, m_y.data() + at, io.data() + at, n);
            });
            std::array<double, kLanes> mean{};
            for (std::size_t i = 0; i < m_x.size(); ++i) {
                const auto l = i % kLanes;
                const double x = before(m_x, i, late);
                const double d = m_y[i];
                mean[l] += 0.01 * (x + d - mean[l]);
                const double off = takesOff && l % 2 == 1 ? mean[l] : 0;
                const double n = static_cast<double>(l);
                ASSERT_NEAR(io[i], (1 + n) * (x + 0.1 * n * (d - off)), 1e-5) << late << ", float " << i;
            }
        }
    }
}

INSTANTIATE_TEST_SUITE_P(All, DelayKernel, testing::ValuesIn(allKernels().begin(), allKernels().end()),
                         [](const auto& test) { return std::string(test.param->name); });

} // namespace
} // namespace cask::dsp
