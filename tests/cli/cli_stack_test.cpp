// One-shots judged as a stack on the command line.
#include "core/base/units.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <iterator>

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

TEST(CliStack, IsWrittenInLineWithItsSumAndAKit) {
    const test::TempFolder folder;
    const auto kick = folder / "Kick.wav";
    const auto copy = folder / "Copy.wav";
    test::writeWav(kick, stroke(60, 48000, 480));
    auto other = stroke(60, 48000, 960); // 10 ms later and turned around
    for (float& x : other)
        x *= -0.5F;
    test::writeWav(copy, other);
    const auto out = folder / "Out";
    const auto done = call({"stack", kick, copy, "--out", out, "--name", "Two", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    EXPECT_EQ(Json::parse(done.out)["files"].size(), 4U);
    const auto first = test::readAll(out / "Two - 1 Kick.wav");
    const auto sum = test::readAll(out / "Two.wav");
    ASSERT_EQ(first.size(), sum.size());
    EXPECT_NEAR(test::peakOf(sum), 1.5 * test::peakOf(first), 0.01) << "in line, both add up";
    // The kit plays the same sum.
    const auto played = call({"stack", out / "Two - 1 Kick.wav", out / "Two - 2 Copy.wav", "--json"});
    EXPECT_NEAR(Json::parse(played.out)["layers"][1]["shift_ms"].get<double>(), 0, 0.02);
    EXPECT_FALSE(Json::parse(played.out)["layers"][1]["inverted"].get<bool>());
    std::ifstream kit(out / "Two.sfz");
    EXPECT_NE(std::string(std::istreambuf_iterator<char>(kit), {}).find("sample=Two - 2 Copy.wav"),
              std::string::npos);
    EXPECT_EQ(call({"stack", kick, copy, "--out", out, "--name", "Two"}).code, kBadInput)
        << "not over what is there";
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
