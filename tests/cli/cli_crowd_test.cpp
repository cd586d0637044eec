// crowd: who would not be missed, on a kit whose answer is known.
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::cli {
namespace {

using test::call;

TEST(CliCrowd, TellsWhoChangesNothingAndWhoIsOneDrum) {
    const test::TempFolder folder;
    auto kick = test::bursts(60, 1, 0.25, 0.1, 6);
    auto copy = kick;
    for (float& x : copy)
        x *= 0.05F; // 26 dB softer: the sum loses 0.42 dB without it
    test::writeWav(folder / "Kick In.wav", kick);
    test::writeWav(folder / "Kick Out.wav", copy);
    test::writeWav(folder / "Snare Top.wav", test::bursts(900, 1, 0.75, 0.1, 6));
    const auto session = folder / "Kit.cask";
    ASSERT_EQ(
        call({"new", session, folder / "Kick In.wav", folder / "Kick Out.wav", folder / "Snare Top.wav"})
            .code,
        kDone);
    const auto done = call({"crowd", session, "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto json = nlohmann::json::parse(done.out);
    ASSERT_EQ(json["elements"].size(), 3U);
    for (const auto& e : json["elements"]) {
        const std::string name = e["element"];
        EXPECT_EQ(e["changes_nothing"], name == "Kick Out") << name;
        if (name == "Kick Out") {
            EXPECT_NEAR(e["most_lost_db"].get<double>(), 20 * std::log10(1.05), 0.05);
            EXPECT_EQ(e["moves_most_with"], "Kick In");
            EXPECT_TRUE(e["one_drum"]);
        }
        if (name == "Snare Top") {
            EXPECT_FALSE(e["one_drum"]);
        }
    }
    EXPECT_NE(call({"crowd", session}).out.find("it changes nothing"), std::string::npos);
    EXPECT_NE(call({"crowd", folder / "None.cask"}).code, 0);
}

} // namespace
} // namespace cask::cli
