// Gates side by side: against the one-channel law, cut up, moved to other lanes, in every instruction set.
#include "core/dsp/gate_lanes.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/gate_law.h"
#include "tests/support/signals.h"
#include "tests/support/through_lanes.h"

#include <gtest/gtest.h>

namespace cask::dsp {
namespace {

/// Alone, with its own sound as the detector.
std::vector<float> gatedByLanes(const std::vector<float>& x, const GateSettings& s) {
    return test::throughLanes<GateLanes>({x}, {x}, s, kRate, 256, 3)[0];
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
    auto x = test::bursts(180, 0.45, 0.01, 0.04, 2);
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
            test::GateLaw law;
            law.prepare(rate, s);
            std::vector<float> gains(x.size());
            for (std::size_t n = 0; n < x.size(); ++n)
                gains[n] = law.next(x[n]);
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
        const auto alone = gatedByLanes(x, all[l]);
        for (std::size_t n = 0; n < x.size(); ++n)
            ASSERT_NEAR(io[n * kLanes + l], alone[n], 1e-6) << l << " " << n;
    }
}

/// The averages' memory grows with the attack, also while the others are in the middle of theirs.
TEST(GateLanes, ALongerAttackOfOneLeavesTheOthersAsTheyWere) {
    const auto x = hitsOverHiss();
    const auto run = [&](double laterAttackMs) {
        GateLanes lanes(kRate);
        auto s = variedGates()[0];
        s.attackMs = 2;
        for (int lane = 0; lane < kLanes; ++lane)
            lanes.place(lane, 1, s, true, 0);
        lanes.prepare();
        LaneBuffer io(x.size() * kLanes);
        for (std::size_t n = 0; n < x.size(); ++n)
            std::fill_n(io.begin() + static_cast<std::ptrdiff_t>(n * kLanes), kLanes, x[n]);
        std::vector<float> first;
        // At the onset of a hit, far from a multiple of any ring.
        const int turn = static_cast<int>(0.45 * kRate) + 61;
        for (int at = 0; at < static_cast<int>(x.size()); at += 37) {
            const int n = std::min(37, static_cast<int>(x.size()) - at);
            if (at <= turn && turn < at + 37) {
                s.attackMs = laterAttackMs;
                lanes.set(1, s, true, 480);
            }
            float* piece = io.data() + at * kLanes;
            lanes.processWith(kernels(), piece, piece, n);
        }
        for (std::size_t n = 0; n < x.size(); ++n)
            first.push_back(io[n * kLanes]);
        return first;
    };
    EXPECT_EQ(run(45), run(2));
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
        test::GateLaw law;
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
            const float gain = law.next(x[n]);
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
