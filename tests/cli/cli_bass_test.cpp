// shelf bass: kicks ranked on the bass of a session.
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <map>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

TEST(CliShelfBass, TheKickThatDoesNotBeatIsFirst) {
    const test::TempFolder folder;
    // A bass of 50 Hz through four seconds, and a kick that strikes it once a second.
    std::vector<float> bass(5 * 48000);
    for (std::size_t n = 0; n < bass.size(); ++n)
        bass[n] = static_cast<float>(0.2 * std::sin(2 * kPi * 50 * static_cast<double>(n) / 48000));
    test::writeWav(folder / "Kick In.wav", test::bursts(60, 1, 0.5, 0.1, 4));
    test::writeWav(folder / "Bass.wav", bass);
    const auto sounds = folder / "Sounds";
    std::filesystem::create_directories(sounds);
    test::writeWav(sounds / "Kick beats.wav", test::bursts(57, 10, 0.01, 0.25, 0.6));
    test::writeWav(sounds / "Kick apart.wav", test::bursts(110, 10, 0.01, 0.25, 0.6));
    auto half = test::bursts(60, 10, 0.01, 0.1, 0.6);
    for (float& x : half)
        x *= 0.5F;
    test::writeWav(sounds / "Kick half.wav", half);
    test::writeWav(sounds / "Snare.wav", test::bursts(50, 10, 0.01, 0.25, 0.6));
    const auto session = folder / "Kit.cask";
    const auto shelf = folder / "shelf.db";
    ASSERT_EQ(call({"new", session, folder / "Kick In.wav", folder / "Bass.wav"}).code, kDone);
    ASSERT_EQ(call({"shelf", "index", sounds, "--shelf", shelf}).code, kDone);
    const auto done = call({"shelf", "bass", session, "--shelf", shelf, "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto json = nlohmann::json::parse(done.out);
    EXPECT_EQ(json["kick"], "Kick In");
    EXPECT_EQ(json["bass"], "Bass");
    ASSERT_EQ(json["sounds"].size(), 3U) << "kicks alone";
    EXPECT_NE(json["sounds"][0]["file"].get<std::string>().find("apart"), std::string::npos);
    std::map<std::string, Json> byName;
    for (const auto& sound : json["sounds"])
        byName[std::filesystem::path(sound["file"].get<std::string>()).stem()] = sound;
    EXPECT_NEAR(byName["Kick half"]["gain_db"].get<double>(), 6.02, 0.2)
        << "as loud as the kick that is there";
    EXPECT_GT(byName["Kick beats"]["beating_db"].get<double>(),
              byName["Kick apart"]["beating_db"].get<double>() + 1);
    EXPECT_EQ(call({"shelf", "bass", session, "--shelf", shelf, "--kick", "None", "--json"}).code, kBadInput);
    ASSERT_EQ(call({"new", folder / "No bass.cask", folder / "Kick In.wav"}).code, kDone);
    const auto none = call({"shelf", "bass", folder / "No bass.cask", "--shelf", shelf});
    EXPECT_EQ(none.code, kBadInput);
    EXPECT_NE(none.err.find("no bass"), std::string::npos);
}

} // namespace
} // namespace cask::cli
