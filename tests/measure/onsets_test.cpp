#include "core/measure/onsets.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::measure {
namespace {

std::vector<Hit> find(const std::vector<float>& x, double rate = 48000) {
    OnsetFinder finder(rate, 1);
    finder.add(x);
    return finder.result();
}

TEST(Onsets, FindsEveryBurstOnceWithinAMillisecond) {
    for (const double rate : {44100.0, 48000.0, 96000.0})
        for (const double hz : {55.0, 180.0, 4000.0}) {
            auto x = test::bursts(hz, 0.37, 0.25, 0.06, 6, rate);
            const auto n = test::noise(0.0005, x.size(), 3);
            for (std::size_t i = 0; i < x.size(); ++i)
                x[i] += n[i];
            const auto hits = find(x, rate);
            std::size_t expected = 0;
            for (double at = 0.25; at < 6; at += 0.37)
                ++expected;
            ASSERT_EQ(hits.size(), expected) << hz << " Hz at " << rate;
            for (std::size_t i = 0; i < hits.size(); ++i)
                EXPECT_NEAR(hits[i].timeS, 0.25 + 0.37 * static_cast<double>(i), 0.0012) << hz;
        }
}

TEST(Onsets, SoftHitsAreGhosts) {
    auto x = test::bursts(180, 0.5, 0.2, 0.04, 8);
    const auto soft = test::bursts(180, 0.5, 0.45, 0.04, 8);
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] += 0.12F * soft[i];
    int ghosts = 0;
    for (const auto& hit : find(x))
        ghosts += hit.hitClass == HitClass::Ghost ? 1 : 0;
    EXPECT_EQ(ghosts, 16);
}

TEST(Onsets, NothingInSilenceOrSteadyNoise) {
    EXPECT_TRUE(find(std::vector<float>(48000, 0)).empty());
    EXPECT_TRUE(find({}).empty());
    EXPECT_LE(find(test::noise(0.1, 480000, 5)).size(), 1U); // its beginning
}

} // namespace
} // namespace cask::measure
