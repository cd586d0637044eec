#include "core/measure/file_analysis.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <fstream>

namespace cask::measure {
namespace {

TEST(FileAnalysis, MeasuresAndCachesByName) {
    const test::TempFolder folder;
    test::writeWav(folder / "a.wav", test::bursts(200, 0.5, 0.2, 0.05, 3));
    const auto fresh = analyseFile(folder / "a.wav", folder / "a.wav", folder / "cache", "name");
    ASSERT_TRUE(fresh);
    EXPECT_EQ((*fresh)->facts.arrivals, 6);
    EXPECT_EQ((*fresh)->facts.framesRead, 144000);
    std::filesystem::remove(folder / "a.wav"); // the cache alone must do
    const auto cached = analyseFile(folder / "a.wav", folder / "a.wav", folder / "cache", "name");
    ASSERT_TRUE(cached);
    EXPECT_EQ(factsToJson((*cached)->facts), factsToJson((*fresh)->facts));
    EXPECT_EQ((*cached)->overview.serialise(), (*fresh)->overview.serialise());
}

TEST(FileAnalysis, ADamagedCacheIsMadeAnew) {
    const test::TempFolder folder;
    test::writeWav(folder / "a.wav", test::sine(100, 0.5, 0.3));
    ASSERT_TRUE(analyseFile(folder / "a.wav", folder / "a.wav", folder / "cache", "name"));
    std::ofstream((folder / "cache") / "name.facts.json") << "{}";
    const auto again = analyseFile(folder / "a.wav", folder / "a.wav", folder / "cache", "name");
    ASSERT_TRUE(again);
    EXPECT_NEAR((*again)->facts.levels.peakDb, -6.02, 0.01);
}

TEST(FileAnalysis, CanBeStopped) {
    const test::TempFolder folder;
    test::writeWav(folder / "a.wav", test::sine(100, 0.5, 5));
    CancelToken cancel;
    const auto result =
        analyseFile(folder / "a.wav", folder / "a.wav", {}, {}, cancel, [&](double) { cancel.cancel(); });
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().code, ErrorCode::Cancelled);
}

} // namespace
} // namespace cask::measure
