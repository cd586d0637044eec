#include "core/media/overview.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace cask::media {
namespace {

Overview make(const std::vector<float>& x, int channels, std::size_t pieceFrames) {
    Overview o(channels);
    const std::size_t piece = pieceFrames * static_cast<std::size_t>(channels);
    for (std::size_t at = 0; at < x.size(); at += piece)
        o.add(std::span(x).subspan(at, std::min(piece, x.size() - at)));
    o.finish();
    return o;
}

TEST(Overview, EveryLevelHoldsTheTrueExtremes) {
    const auto x = test::noise(1, 100003, 1);
    const auto o = make(x, 1, 1000);
    EXPECT_EQ(o.frames(), 100003);
    for (int level = 0; level < o.levels(0); ++level) {
        const auto bins = o.level(0, level);
        const auto width = static_cast<std::size_t>(Overview::binFrames(level));
        ASSERT_EQ(bins.size(), (x.size() + width - 1) / width);
        for (std::size_t b = 0; b < bins.size(); ++b) {
            const auto first = x.begin() + static_cast<std::ptrdiff_t>(b * width);
            const auto last = x.begin() + static_cast<std::ptrdiff_t>(std::min(x.size(), (b + 1) * width));
            const auto [low, high] = std::minmax_element(first, last);
            ASSERT_EQ(bins[b].min, *low);
            ASSERT_EQ(bins[b].max, *high);
        }
    }
}

TEST(Overview, MeanSquareOfASineIsHalfItsSquare) {
    const auto o = make(test::sine(750, 0.8, 2), 1, 512);
    EXPECT_NEAR(o.range(0, 0, o.frames()).meanSquare, 0.32, 0.001);
}

TEST(Overview, DoesNotDependOnThePieces) {
    const auto x = test::noise(0.3, 30001 * 2, 2);
    EXPECT_EQ(make(x, 2, 30001).serialise(), make(x, 2, 13).serialise());
}

TEST(Overview, SurvivesTheCacheAndRefusesDamage) {
    const auto o = make(test::noise(0.3, 9999, 3), 1, 256);
    const std::string bytes = o.serialise();
    const auto back = Overview::parse(bytes);
    ASSERT_TRUE(back);
    EXPECT_EQ(back->serialise(), bytes);
    EXPECT_EQ(back->levels(0), o.levels(0));
    EXPECT_FALSE(Overview::parse(bytes.substr(0, bytes.size() - 1)));
    EXPECT_FALSE(Overview::parse("caskovw2"));
    EXPECT_FALSE(Overview::parse(""));
}

} // namespace
} // namespace cask::media
