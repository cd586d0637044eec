#include "core/project/played_files.h"

#include <gtest/gtest.h>

namespace cask::project {
namespace {

using measure::HitClass;

layers::Layer layerAt(double offsetMs, layers::LayerRule rule = {}) {
    layers::Layer layer;
    layer.offsetMs = offsetMs;
    layer.rule = rule;
    return layer;
}

TEST(GivenHitsOfAStack, AreWhereTheLayerThatIsLeastAsideHasThem) {
    layers::Stack stack;
    stack.strikes = {{0.5}, {1}, {1.5}, {2}};
    layers::LayerRule everySecond;
    everySecond.every = 2;
    stack.layers = {layerAt(-12), layerAt(4, everySecond)};
    auto hits = givenHits(stack);
    ASSERT_EQ(hits.size(), 4U);
    EXPECT_NEAR(hits[0].timeS, 0.504, 1e-12);
    EXPECT_NEAR(hits[1].timeS, 0.988, 1e-12);
    EXPECT_NEAR(hits[3].timeS, 1.988, 1e-12);
    EXPECT_FALSE(hits[0].hitClass) << "a pattern that calls all of them normal tells nothing apart";
    stack.layers[0].isOn = false; // then only two strikes play anything
    hits = givenHits(stack);
    ASSERT_EQ(hits.size(), 2U);
    EXPECT_NEAR(hits[1].timeS, 1.504, 1e-12);
    stack.layers.clear();
    EXPECT_TRUE(givenHits(stack).empty());
}

TEST(GivenHitsOfAStack, HaveTheClassesOfAPatternThatTellsThemApart) {
    layers::Stack stack;
    stack.strikes = {{0.5, 127, "accent"}, {1}, {1.5, 30, "ghost"}};
    stack.layers = {layerAt(0)};
    const auto hits = givenHits(stack);
    ASSERT_EQ(hits.size(), 3U);
    EXPECT_EQ(hits[0].hitClass, HitClass::Accent);
    EXPECT_EQ(hits[1].hitClass, HitClass::Normal);
    EXPECT_EQ(hits[2].hitClass, HitClass::Ghost);
}

} // namespace
} // namespace cask::project
