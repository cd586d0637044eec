// Loops cut on the command line, heard as the session renders them.
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

class CliLoop : public testing::Test {
  protected:
    CliLoop() : kit(folder / "Kit.cask") {
        const auto loop = test::bursts(180, 0.5, 0.5, 0.08, 8);
        test::writeWav(folder / "Snare Top.wav", loop);
        test::writeWav(folder / "Kick In.wav", test::bursts(60, 0.5, 0.25, 0.1, 8));
        EXPECT_EQ(call({"new", kit, folder / "Snare Top.wav", folder / "Kick In.wav"}).code, kDone);
    }
    std::vector<float> stemOf(const std::string& name) {
        const auto out = folder / "out";
        const auto done = call({"render", kit, "--out", out, "--stems", "tracks", "--names", "{name}",
                                "--format", "wav32f", "--overwrite"});
        EXPECT_EQ(done.code, kDone) << done.err;
        return test::readAll(out / (name + ".wav"));
    }
    test::TempFolder folder;
    std::string kit;
};

TEST_F(CliLoop, CutAndNotMovedItIsTheLoopBehindItsChain) {
    ASSERT_EQ(call({"set", kit, "Snare Top/level_db", "-3"}).code, kDone);
    const auto before = stemOf("Snare Top");
    const auto done = call({"loop", kit, "Snare Top", "--replace", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto json = Json::parse(done.out);
    EXPECT_EQ(json["element"], "Snare Top cut");
    EXPECT_EQ(json["length_percent"], 100);
    EXPECT_EQ(json["silent"], 0);
    EXPECT_NEAR(static_cast<double>(json["pieces"].size()), 16, 1) << "15 hits and what stands before";
    const auto after = stemOf("Snare Top cut");
    ASSERT_GE(after.size() + 2, before.size());
    for (std::size_t n = 0; n + 500 < std::min(before.size(), after.size()); ++n)
        ASSERT_NEAR(after[n], before[n], 2e-6F) << n;
    EXPECT_EQ(Json::parse(call({"set", kit, "--json"}).out)["Snare Top/muted"], "on");
    // Its hits are its pieces'.
    const auto own = Json::parse(call({"hits", kit, "--json", "--own"}).out);
    std::vector<double> times;
    for (const auto& hit : own["hits"])
        if (hit["element"] == "Snare Top cut")
            times.push_back(hit["time_s"].get<double>());
    std::vector<double> pieces;
    for (const auto& piece : json["pieces"])
        if (!piece["drums"].empty())
            pieces.push_back(piece["time_s"].get<double>());
    ASSERT_EQ(times.size(), pieces.size());
    for (std::size_t i = 0; i < times.size(); ++i)
        EXPECT_NEAR(times[i], pieces[i], 1e-5);
}

TEST_F(CliLoop, AtAnotherTempoTwiceDuckedUnderTheKick) {
    const auto done = call({"loop", kit, "Snare Top", "--tempo", "150", "--repeat", "2", "--duck-by",
                            "Kick In", "--duck-db", "9", "--name", "Fast", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto json = Json::parse(done.out);
    EXPECT_NEAR(json["length_percent"].get<double>(), 80, 0.5) << "the loop has 120 beats a minute";
    std::vector<double> times;
    for (const auto& piece : json["pieces"])
        if (!piece["drums"].empty())
            times.push_back(piece["time_s"].get<double>());
    for (std::size_t i = 1; i < times.size(); ++i)
        EXPECT_NEAR(times[i] - times[i - 1], 0.4, 0.003);
    const auto values = Json::parse(call({"set", kit, "--json"}).out);
    EXPECT_EQ(values["Fast/compressor/range_db"], "9.0 dB");
    EXPECT_EQ(values["Snare Top/muted"], "off");
}

TEST_F(CliLoop, WhatCantBeIsSaidAndAddsNothing) {
    EXPECT_EQ(call({"loop", kit, "Cowbell"}).code, kBadInput);
    EXPECT_EQ(call({"loop", kit, "Snare Top", "--duck-by", "Cowbell"}).code, kBadInput);
    const auto none = call({"loop", kit, "Snare Top", "--to", "0.2"});
    EXPECT_EQ(none.code, kBadInput);
    EXPECT_NE(none.err.find("Snare Top"), std::string::npos) << none.err;
    EXPECT_NE(call({"loop", kit, "Snare Top", "--drop", "cowbell"}).code, kDone);
    EXPECT_FALSE(std::filesystem::exists(std::filesystem::path(kit) / "layers"));
}

} // namespace
} // namespace cask::cli
