// A MIDI file judged on the command line.
#include "tests/support/cli_call.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <fstream>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

TEST(CliPattern, AFileIsJudgedOrRefusedByName) {
    const test::TempFolder folder;
    const auto file = folder / "Beat.mid";
    // Sixteen closed hats on quarters of 96 ticks at 120 bpm, all alike: four bars.
    std::string track;
    for (int n = 0; n < 16; ++n)
        track += std::string{n == 0 ? '\0' : '\x60', '\x99', '\x2A', '\x50'};
    track += std::string("\0\xFF\x2F\0", 4);
    std::string bytes("MThd\0\0\0\6\0\0\0\1\0\x60MTrk\0\0\0", 21);
    bytes += static_cast<char>(track.size());
    std::ofstream(file, std::ios::binary) << bytes << track;
    const auto result = call({"pattern", file, "--json"});
    ASSERT_EQ(result.code, kDone) << result.err;
    const auto json = Json::parse(result.out);
    EXPECT_EQ(json["bars"], 4);
    EXPECT_EQ(json["bpm"], 120);
    EXPECT_EQ(json["metre"], "4/4");
    EXPECT_EQ(json["length_s"], 8);
    EXPECT_EQ(json["strokes"], 16);
    ASSERT_EQ(json["drums"].size(), 1U);
    EXPECT_EQ(json["drums"][0]["role"], "closed_hat");
    ASSERT_EQ(json["findings"].size(), 2U) << "four bars are not yet too many";
    EXPECT_EQ(json["findings"][0]["fault"], "even_velocities");
    EXPECT_EQ(json["findings"][1]["fault"], "exact_timing");
    EXPECT_EQ(json["findings"][1]["times_s"][3], 1.5);
    const auto told = call({"pattern", file});
    EXPECT_NE(told.out.find("closed hat has one velocity, 80, on 16 of 16 strokes."), std::string::npos)
        << told.out;
    std::ofstream(file) << "no music";
    const auto refused = call({"pattern", file});
    EXPECT_EQ(refused.code, kBadInput);
    EXPECT_NE(refused.err.find("Beat.mid is no MIDI file"), std::string::npos) << refused.err;
}

} // namespace
} // namespace cask::cli
