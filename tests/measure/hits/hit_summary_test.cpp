#include "core/measure/hits/hit_summary.h"

#include <gtest/gtest.h>

namespace cask::measure {
namespace {

TEST(HitSummary, IsThatOfTheFormulas) {
    KitHits hits;
    Timing timing;
    Tempo tempo;
    tempo.isKnown = true;
    // Levels -20 ... -10 in steps of 1 dB; errors 0 ... 10 ms; the last is a flam.
    for (int n = 0; n <= 10; ++n) {
        DrumHit hit;
        hit.levelDb = -20 + n;
        hit.hitClass = n == 10 ? HitClass::Flam : HitClass::Normal;
        hits.strokes.push_back(hit);
        timing.errorMs.push_back(n);
    }
    std::vector<int> all(11);
    for (int n = 0; n <= 10; ++n)
        all[static_cast<std::size_t>(n)] = n;
    const auto s = summariseHits(hits, tempo, timing, all);
    EXPECT_EQ(s.count, 11);
    EXPECT_DOUBLE_EQ(s.medianDb, -15);
    EXPECT_DOUBLE_EQ(s.rangeDb, 8); // -19 to -11
    EXPECT_EQ(s.timed, 10);
    EXPECT_DOUBLE_EQ(s.feelMs, 4.5);
    EXPECT_DOUBLE_EQ(s.spreadMs, 1.48 * 2.5); // deviations 0.5, 0.5, 1.5, 1.5 ... 4.5, 4.5
    const std::vector<int> two = {0, 4};
    EXPECT_DOUBLE_EQ(summariseHits(hits, tempo, timing, two).medianDb, -18);
    EXPECT_EQ(summariseHits(hits, tempo, timing, {}).count, 0);
    tempo.isKnown = false;
    EXPECT_EQ(summariseHits(hits, tempo, timing, all).timed, 0);
}

} // namespace
} // namespace cask::measure
