// The pitch shifter as the audio thread runs it.
#include "core/dsp/pitch.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

LaneBuffer shifted(int block) {
    PitchLanes lanes(48000);
    lanes.place(2, 2, {-300}, true, 0);
    const auto x = test::bursts(200, 0.3, 0.1, 0.1, 1.5);
    LaneBuffer io(x.size() * kLanes);
    for (std::size_t n = 0; n < x.size(); ++n)
        io[n * kLanes + 2] = io[n * kLanes + 3] = x[n];
    for (int at = 0; at < static_cast<int>(x.size()); at += block)
        lanes.process(nullptr, io.data() + at * kLanes, std::min(block, static_cast<int>(x.size()) - at));
    return io;
}

TEST(Pitch, BlocksDoNotMatterAndOtherLanesPass) {
    const auto whole = shifted(512);
    EXPECT_EQ(whole, shifted(77));
    double loudest = 0;
    for (std::size_t i = 0; i < whole.size(); ++i) {
        if (i % kLanes == 2)
            loudest = std::max(loudest, std::abs(static_cast<double>(whole[i])));
        if (i % kLanes != 2 && i % kLanes != 3) {
            ASSERT_EQ(whole[i], 0);
        }
    }
    EXPECT_GT(loudest, 0.3);
}

TEST(Pitch, AllocatesNothingWhileItRunsOrStartsAnew) {
    PitchLanes lanes(48000);
    lanes.place(0, 2, {700}, true, 0);
    LaneBuffer io(512 * kLanes, 0.1F);
    lanes.process(nullptr, io.data(), 512);
    const test::AllocationCounter counter;
    for (int i = 0; i < 100; ++i)
        lanes.process(nullptr, io.data(), 512);
    lanes.reset();
    EXPECT_EQ(test::AllocationCounter::count(), 0);
}

} // namespace
} // namespace cask::dsp
