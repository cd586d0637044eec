// Where the louder strikes begin.
#include "core/layers/louder_strikes.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cask::layers {
namespace {

std::vector<Strike> strikesOfLevels(const std::vector<double>& levelsDb) {
    std::vector<Strike> strikes;
    for (const double level : levelsDb)
        strikes.push_back({0.5 * static_cast<double>(strikes.size()), velocityOf(level), "normal", -1});
    return strikes;
}

TEST(LouderStrikes, BeginHalfwayBetweenTwoLevels) {
    const auto strikes = strikesOfLevels({0, -20, -1, -22, -20, -2, -21});
    ASSERT_TRUE(louderFromDb(strikes));
    EXPECT_NEAR(*louderFromDb(strikes), -11, 1e-9);
    EXPECT_EQ(countFrom(strikes, *louderFromDb(strikes)), 3);
    EXPECT_EQ(countFrom(strikes, 0), 1);
    EXPECT_EQ(countFrom(strikes, -40), 7);
}

TEST(LouderStrikes, LieBetweenTheMeansOfTwoSpreadLevelsHoweverManyThereAreOfEach) {
    std::mt19937 random(7);
    for (const double loudShare : {0.2, 0.5, 0.8}) {
        std::vector<double> levels;
        for (int i = 0; i < 400; ++i)
            levels.push_back(std::min(0.0, (i < 400 * loudShare ? -3 : -17) +
                                               std::normal_distribution<double>(0, 1.5)(random)));
        const auto from = louderFromDb(strikesOfLevels(levels));
        ASSERT_TRUE(from) << loudShare;
        EXPECT_NEAR(*from, -10, 2.5) << loudShare;
    }
}

TEST(LouderStrikes, AreNotPartedWhereLevelsAreOneHeapOrSpreadEvenlyOrHardlyApart) {
    std::mt19937 random(8);
    std::vector<double> heap;
    for (int i = 0; i < 300; ++i)
        heap.push_back(std::min(0.0, -10 + std::normal_distribution<double>(0, 3)(random)));
    EXPECT_FALSE(louderFromDb(strikesOfLevels(heap)));
    std::vector<double> even;
    for (int i = 0; i <= 100; ++i)
        even.push_back(-0.24 * i);
    EXPECT_FALSE(louderFromDb(strikesOfLevels(even)));
    EXPECT_FALSE(louderFromDb(strikesOfLevels({0, -3, 0, -3, 0, -3})));
    std::vector<double> fewSoft(40, -1.0);
    fewSoft[7] = fewSoft[20] = -25;
    EXPECT_FALSE(louderFromDb(strikesOfLevels(fewSoft))) << "two that were touched are no part";
    EXPECT_FALSE(louderFromDb(strikesOfLevels({0, 0, 0})));
    EXPECT_FALSE(louderFromDb(strikesOfLevels({0})));
    EXPECT_FALSE(louderFromDb({}));
}

} // namespace
} // namespace cask::layers
