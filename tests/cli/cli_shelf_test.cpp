// The shelf on the command line.
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

TEST(CliShelf, IsIndexedSearchedAndCompared) {
    const test::TempFolder folder;
    std::filesystem::create_directories(folder / "S");
    const auto bursts = [](double hz) { return test::bursts(hz, 10, 0.02, 0.05, 0.6); };
    test::writeWav(folder / "S" / "Kick.wav", bursts(60));
    test::writeWav(folder / "S" / "Kick 2.wav", bursts(62));
    test::writeWav(folder / "S" / "Tick.wav", bursts(5000));
    const std::string shelf = folder / "shelf.db";
    const std::string kick = folder / "S" / "Kick.wav";
    auto done = call({"shelf", "index", folder / "S", "--shelf", shelf, "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    EXPECT_EQ(Json::parse(done.out)["measured"], 3);
    done = call({"shelf", "search", "kick", "--fundamental-hz", "50", "61", "--shelf", shelf, "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    auto json = Json::parse(done.out);
    ASSERT_EQ(json["sounds"].size(), 1U) << done.out;
    EXPECT_EQ(json["sounds"][0]["file"], kick);
    EXPECT_EQ(json["sounds"][0]["role"], "kick_in");
    json = Json::parse(call({"shelf", "like", kick, "--shelf", shelf, "--json"}).out);
    ASSERT_EQ(json["sounds"].size(), 2U);
    EXPECT_EQ(json["sounds"][0]["file"], (folder / "S" / "Kick 2.wav").string());
    json = Json::parse(call({"shelf", "complement", kick, "--shelf", shelf, "--json"}).out);
    EXPECT_EQ(json["sounds"][0]["file"], (folder / "S" / "Tick.wav").string());
    EXPECT_EQ(Json::parse(call({"shelf", "duplicates", "--shelf", shelf, "--json"}).out)["duplicates"].size(),
              0U);
    EXPECT_EQ(call({"shelf", "search", "--role", "violin", "--shelf", shelf}).code, kBadInput);
    EXPECT_EQ(call({"shelf", "like", folder / "None.wav", "--shelf", shelf}).code, kBadInput);
    EXPECT_EQ(call({"shelf", "index", folder / "None", "--shelf", shelf}).code, kBadInput);
    EXPECT_EQ(call({"shelf"}).code, kWrongUse);
}

} // namespace
} // namespace cask::cli
