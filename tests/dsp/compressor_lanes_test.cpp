// Compressors side by side: cut up, moved to other lanes, gliding, in every instruction set; delays of lanes.
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
Channels byLanes(const Channels& x, const CompressorSettings& s, double rate = kRate, int block = 480,
                 int lane = 2, const Channels* key = nullptr) {
    return test::throughLanes<CompressorLanes>(x, key != nullptr ? *key : x, s, rate, block, lane);
}

std::vector<CompressorSettings> varied() {
    std::vector<CompressorSettings> all(6);
    all[1].detector = CompressorDetector::Rms;
    all[1].lookAheadMs = 3;
    all[2].release = CompressorRelease::Programme;
    all[2].thresholdDb = -30;
    all[3].channels = CompressorChannels::Side;
    all[3].detector = CompressorDetector::Rms;
    all[4].direction = CompressorDirection::Up;
    all[4].lookAheadMs = 10;
    all[5].direction = CompressorDirection::Expand;
    all[5].ratio = 1.5;
    all[5].channels = CompressorChannels::Middle;
    all[5].release = CompressorRelease::Programme;
    return all;
}

Channels hits() {
    auto left = test::bursts(180, 0.11, 0.01, 0.04, 0.7);
    auto right = test::bursts(320, 0.17, 0.03, 0.05, 0.7);
    const auto n = test::noise(0.02, left.size(), 5);
    for (std::size_t i = 0; i < left.size(); ++i)
        left[i] += n[i];
    return {left, right};
}

TEST(Compressor, SoundsTheSameHoweverItIsCutUpAndOnAnyLanes) {
    for (const auto& s : varied()) {
        const auto whole = byLanes(hits(), s, kRate, 4096);
        for (const int block : {1, 7, 64, 333})
            EXPECT_EQ(byLanes(hits(), s, kRate, block), whole) << block;
        EXPECT_EQ(byLanes(hits(), s, kRate, 480, 0), whole);
        EXPECT_EQ(byLanes(hits(), s, kRate, 480, 6), whole);
        EXPECT_NE(whole, hits());
    }
}

TEST(Compressor, LanesDoNotHearEachOther) {
    // Four on one group, all unlike, sound as each alone.
    CompressorLanes lanes(kRate);
    const auto all = varied();
    for (int i = 0; i < 4; ++i)
        lanes.place(2 * i, 2, all[static_cast<std::size_t>(i)], true, i == 3 ? 100 : 0);
    lanes.prepare();
    const auto x = hits();
    const auto frames = static_cast<int>(x[0].size());
    LaneBuffer io(x[0].size() * kLanes);
    for (std::size_t n = 0; n < x[0].size(); ++n)
        for (std::size_t l = 0; l < kLanes; ++l)
            io[n * kLanes + l] = x[l % 2][n];
    const LaneBuffer heard = io;
    const test::AllocationCounter counter;
    lanes.process(heard.data(), io.data(), frames);
    EXPECT_EQ(test::AllocationCounter::count(), 0);
    for (std::size_t i = 0; i < 4; ++i) {
        const auto alone = byLanes(x, all[i]);
        const std::size_t wait = i == 3 ? 100 : 0;
        // A wait delays the sound, not what is heard: that one is otherwise.
        for (std::size_t c = 0; c < 2 && wait == 0; ++c)
            for (std::size_t n = 0; n < x[0].size(); ++n)
                ASSERT_NEAR(io[n * kLanes + 2 * i + c], alone[c][n], 1e-6) << i << " " << n;
    }
}

TEST(Compressor, LanesWithoutOnePassBitForBit) {
    CompressorLanes lanes(kRate);
    lanes.place(4, 2, varied()[4], true, 10);
    lanes.prepare();
    LaneBuffer io(4800 * kLanes);
    const auto x = test::noise(0.9, io.size(), 8);
    std::copy(x.begin(), x.end(), io.begin());
    const LaneBuffer heard = io;
    lanes.process(heard.data(), io.data(), 4800);
    for (std::size_t i = 0; i < io.size(); ++i)
        if (i % kLanes != 4 && i % kLanes != 5) {
            ASSERT_EQ(io[i], x[i]) << i;
        }
}

TEST(Compressor, ResetIsAsFresh) {
    for (const auto& s : varied()) {
        CompressorLanes lanes(kRate);
        lanes.place(0, 2, s, true, 0);
        lanes.prepare();
        const auto x = hits();
        const auto run = [&] {
            LaneBuffer io(x[0].size() * kLanes);
            for (std::size_t n = 0; n < x[0].size(); ++n)
                for (std::size_t c = 0; c < 2; ++c)
                    io[n * kLanes + c] = x[c][n];
            const LaneBuffer heard = io;
            lanes.process(heard.data(), io.data(), static_cast<int>(x[0].size()));
            return io;
        };
        const auto first = run();
        EXPECT_NE(run(), first);
        lanes.reset();
        EXPECT_EQ(run(), first);
    }
}

TEST(Compressor, TakenOverByOneOfOtherLanesItGoesOnAsIfNothingHadHappened) {
    for (const auto& s : varied()) {
        const auto x = hits();
        const auto whole = byLanes(x, s);
        CompressorLanes first(kRate);
        first.place(0, 2, s, true, 0);
        first.prepare();
        CompressorLanes second(kRate);
        second.place(4, 2, s, true, 0);
        second.prepare();
        const std::size_t change = 10007;
        std::size_t at = 0;
        const auto run = [&](CompressorLanes& lanes, std::size_t lane, std::size_t end) {
            for (; at < end; at += 1) {
                LaneBuffer io(kLanes);
                io[lane] = x[0][at];
                io[lane + 1] = x[1][at];
                const LaneBuffer heard = io;
                lanes.process(heard.data(), io.data(), 1);
                // The cells of the two lie otherwise against each other.
                EXPECT_NEAR(io[lane], whole[0][at], 2e-3) << at;
                EXPECT_NEAR(io[lane + 1], whole[1][at], 2e-3) << at;
            }
        };
        run(first, 0, change);
        second.copyLanes(4, first, 0, 2);
        second.set(4, s, true, 960);
        run(second, 4, 20000);
    }
}

TEST(Compressor, TakenOverWhatWasHeldForLongStillComesBackSlowly) {
    CompressorSettings s;
    s.thresholdDb = -40;
    s.release = CompressorRelease::Programme;
    CompressorLanes first(kRate);
    CompressorLanes second(kRate);
    first.place(1, 1, s, true, 0);
    second.place(6, 1, s, true, 0);
    first.prepare();
    second.prepare();
    LaneBuffer io(72000 * kLanes);
    for (std::size_t n = 0; n < 72000; ++n)
        io[n * kLanes + 1] = io[n * kLanes + 6] = n % 2 == 0 ? 0.5F : -0.5F;
    first.process(io.data(), io.data(), 72000);
    second.copyLanes(6, first, 1, 1);
    second.set(6, s, true, 960);
    LaneBuffer quiet(24000 * kLanes, 1e-5F);
    first.process(quiet.data(), quiet.data(), 24000);
    const float kept = first.gainNow(1);
    std::fill(quiet.begin(), quiet.end(), 1e-5F);
    second.process(quiet.data(), quiet.data(), 24000);
    EXPECT_LT(kept, 0.5F) << "half a second later it still holds down";
    EXPECT_NEAR(second.gainNow(6), kept, 1e-3);
}

TEST(Compressor, OtherValuesGlideWithoutAClick) {
    const auto x = test::sine(1000, 0.5, 1);
    CompressorSettings to;
    to.thresholdDb = -40;
    to.ratio = 10;
    to.makeupDb = 12;
    to.mixPercent = 60;
    to.kneeDb = 0;
    to.attackMs = 0.5;
    for (const bool isOn : {true, false}) {
        CompressorLanes lanes(kRate);
        lanes.place(0, 1, {}, true, 0);
        lanes.prepare();
        std::vector<float> y;
        for (std::size_t n = 0; n < x.size(); ++n) {
            if (n == 24000)
                lanes.set(0, to, isOn, 960);
            LaneBuffer io(kLanes);
            io[0] = x[n];
            lanes.process(io.data(), io.data(), 1);
            y.push_back(io[0]);
        }
        // A click is what a sine with a slow gain has not: a jump of its second difference.
        double most = 0;
        const double w = 2 * kPi * 1000 / kRate;
        for (std::size_t n = 23000; n < 26000; ++n)
            most = std::max(most, std::abs(y[n + 1] - 2 * std::cos(w) * y[n] + y[n - 1]));
        EXPECT_LT(linearToDb(most), -44) << isOn;
        if (!isOn) {
            for (std::size_t n = 25000; n < x.size(); ++n)
                ASSERT_EQ(y[n], x[n]) << "bypassed";
        }
    }
}

TEST(Compressor, AllKernelsAgree) {
    for (const auto& s : varied()) {
        std::vector<LaneBuffer> outputs;
        for (const auto* set : allKernels()) {
            CompressorLanes lanes(kRate);
            for (int lane = 0; lane < kLanes; lane += 2)
                lanes.place(lane, 2, s, true, 0);
            lanes.prepare();
            const auto x = hits();
            LaneBuffer io(x[0].size() * kLanes);
            for (std::size_t n = 0; n < x[0].size(); ++n)
                for (std::size_t l = 0; l < kLanes; ++l)
                    io[n * kLanes + l] = x[l % 2][n];
            const LaneBuffer heard = io;
            lanes.processWith(*set, heard.data(), io.data(), static_cast<int>(x[0].size()));
            outputs.push_back(io);
        }
        for (std::size_t k = 1; k < outputs.size(); ++k) {
            double most = 0;
            for (std::size_t i = 0; i < outputs[0].size(); ++i)
                most = std::max(most, static_cast<double>(std::abs(outputs[k][i] - outputs[0][i])));
            EXPECT_LT(most, 2e-4) << allKernels()[k]->name;
        }
    }
}

TEST(LaneDelay, DelaysEachLaneByItsOwn) {
    const std::array<int, kLanes> delays{0, 3, 480, 3, 0, 1, 127, 128};
    for (const auto* set : allKernels()) {
        LaneDelay delay;
        delay.prepare(delays);
        std::vector<float> before;
        LaneBuffer io(3000 * kLanes);
        const auto x = test::noise(1, io.size(), 4);
        std::copy(x.begin(), x.end(), io.begin());
        for (int at = 0; at < 3000; at += 100)
            set->delay(delay, io.data() + at * kLanes, 100);
        for (std::size_t n = 0; n < 3000; ++n)
            for (std::size_t l = 0; l < kLanes; ++l) {
                const auto late = static_cast<std::size_t>(delays[l]);
                ASSERT_EQ(io[n * kLanes + l], n < late ? 0 : x[(n - late) * kLanes + l]) << n << " " << l;
            }
        LaneDelay other;
        other.prepare({480, 0, 0, 0, 0, 0, 0, 0});
        other.copyLane(0, delay, 2);
        LaneBuffer silence(480 * kLanes);
        set->delay(other, silence.data(), 480);
        for (std::size_t n = 0; n < 480; ++n)
            ASSERT_EQ(silence[n * kLanes], x[(3000 - 480 + n) * kLanes + 2]);
    }
}

} // namespace
} // namespace cask::dsp
