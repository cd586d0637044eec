// One-shots judged as a stack on the command line.
#include "core/base/units.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

std::vector<float> stroke(double hz, double rateHz, std::size_t at) {
    auto x = test::sine(hz, 0.5, 0.5, rateHz);
    x.insert(x.begin(), at, 0.0F);
    for (std::size_t n = at; n < x.size(); ++n)
        x[n] *= static_cast<float>(std::exp(-static_cast<double>(n - at) / (0.08 * rateHz)));
    return x;
}

TEST(CliStack, FilesAreJudgedWithoutASession) {
    const test::TempFolder folder;
    const auto kick = folder / "Kick.wav";
    const auto click = folder / "Click.wav";
    test::writeWav(kick, stroke(60, 48000, 480));
    test::writeWav(click, stroke(2500, 44100, 1323), 1, 44100); // 30 ms, at another rate
    const auto result = call({"stack", kick, click, "--json"});
    ASSERT_EQ(result.code, kDone) << result.err;
    const auto json = Json::parse(result.out);
    ASSERT_EQ(json["layers"].size(), 2U);
    EXPECT_EQ(json["layers"][0]["file"], kick.string());
    EXPECT_EQ(json["layers"][0]["shift_ms"], 0);
    EXPECT_NEAR(json["layers"][1]["shift_ms"].get<double>(), -20, 0.8);
    EXPECT_EQ(json["low_end_owner"], kick.string());
    EXPECT_GT(json["layers"][0]["low_share"].get<double>(), 0.99);
    EXPECT_EQ(json["layers"][0]["third_shares"].size(), json["thirds_hz"].size());
    const auto told = call({"stack", kick, click});
    EXPECT_EQ(told.code, kDone);
    EXPECT_NE(told.out.find("owns the low end"), std::string::npos) << told.out;
}

TEST(CliStack, WhatIsNoOneShotIsRefusedByName) {
    const test::TempFolder folder;
    const auto missing = folder / "None.wav";
    auto result = call({"stack", missing});
    EXPECT_EQ(result.code, kBadInput);
    EXPECT_NE(result.err.find("None.wav"), std::string::npos);
    const auto longOne = folder / "Long.wav";
    test::writeWav(longOne, test::noise(0.1, 61 * 8000, 1), 1, 8000);
    result = call({"stack", longOne});
    EXPECT_EQ(result.code, kBadInput);
    EXPECT_NE(result.err.find("longer than 60 s"), std::string::npos) << result.err;
    EXPECT_EQ(call({"stack"}).code, kWrongUse);
}

} // namespace
} // namespace cask::cli
