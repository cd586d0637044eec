// Values ridden by a rule, and patterns played by the built-in kit, on the command line.
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

TEST(CliRide, ValuesAreListedAndRiddenAtTheHitsThatAreMeant) {
    test::TempFolder folder;
    const std::string kit = folder / "Kit.cask";
    test::writeWav(folder / "Snare Top.wav", test::bursts(180, 0.5, 0.5, 0.08, 6));
    ASSERT_EQ(call({"new", kit, folder / "Snare Top.wav"}).code, kDone);
    const auto listed = call({"ride", kit, "Snare Top"});
    EXPECT_EQ(listed.code, kDone);
    EXPECT_NE(listed.out.find("level\n"), std::string::npos) << listed.out;
    EXPECT_EQ(call({"ride", kit, "Snare Top", "level"}).code, kBadInput) << "by nothing";
    EXPECT_EQ(call({"ride", kit, "Snare Top", "loudness", "--change", "3"}).code, kBadInput);
    EXPECT_EQ(call({"ride", kit, "Snare Top", "level", "--change", "3", "--rule", "ghosts"}).code, kBadInput);
    const auto done = call({"ride", kit, "Snare Top", "level", "--change", "-6", "--every", "2", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto json = Json::parse(done.out);
    EXPECT_EQ(json["hits"], 11);
    EXPECT_EQ(json["chosen"], 6);
    const auto values = Json::parse(call({"set", kit, "--json"}).out);
    EXPECT_NE(values["Snare Top/ride/level_db"].get<std::string>().find(":-6"), std::string::npos);
}

TEST(CliRide, APatternIsPlayedByTheBuiltInKit) {
    test::TempFolder folder;
    const std::string demo = folder / "Demo.cask";
    const std::string own = folder / "Own.cask";
    ASSERT_EQ(call({"demo", demo, "--programmed"}).code, kDone);
    const auto done = call({"pattern", demo + "/Beat.mid", "--kit", "built-in", "--into", own, "--no-room",
                            "--spill", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto json = Json::parse(done.out);
    std::map<std::string, int> strokes;
    for (const auto& element : json["elements"])
        strokes[element["element"]] = element["strokes"];
    EXPECT_EQ(strokes.count("Room"), 0U);
    EXPECT_EQ(strokes["Overheads"], 122);
    // What is found is the pattern, spill or not.
    const auto hits = Json::parse(call({"hits", own, "--json", "--own"}).out);
    std::map<std::string, int> found;
    for (const auto& hit : hits["hits"])
        ++found[hit["element"]];
    for (const auto& [name, count] : found)
        EXPECT_EQ(count, strokes[name]) << name;
    EXPECT_EQ(found.size(), strokes.size() - 1) << "all but the overheads";
}

} // namespace
} // namespace cask::cli
