#include "cli/commands.h"
#include "core/media/audio_reader.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <fstream>
#include <sstream>

namespace cask::cli {
namespace {

struct Ran {
    int code;
    std::string out;
    std::string err;
};

Ran call(std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), "ember-cask-cli");
    std::vector<const char*> argv;
    for (const auto& a : arguments)
        argv.push_back(a.c_str());
    std::ostringstream out;
    std::ostringstream err;
    const int code = run(static_cast<int>(argv.size()), argv.data(), {out, err});
    return {code, out.str(), err.str()};
}

TEST(Cli, MakesSetsChecksAndRenders) {
    const test::TempFolder folder;
    test::writeWav(folder / "Kick In.wav", test::bursts(60, 0.5, 0.1, 0.1, 4));
    test::writeWav(folder / "OH L.wav", test::noise(0.1, 192000, 1));
    test::writeWav(folder / "OH R.wav", test::noise(0.1, 192000, 2));
    const std::string session = folder / "S.cask";
    const auto made = call({"new", session, folder.path().string(), "--json"});
    ASSERT_EQ(made.code, kDone) << made.err;
    const auto json = nlohmann::json::parse(made.out);
    ASSERT_EQ(json["elements"].size(), 2U);
    EXPECT_EQ(json["elements"][0]["role"], "kick_in");
    EXPECT_EQ(json["elements"][1]["channels"], 2);

    EXPECT_EQ(call({"set", session, "Kick In/level_db", "-6 dB"}).code, kDone);
    EXPECT_EQ(call({"set", session, "Kick In/eq/add", "high-pass"}).code, kDone);
    const auto listed = call({"set", session, "--json"});
    EXPECT_EQ(nlohmann::json::parse(listed.out)["Kick In/level_db"], "-6.0 dB");

    const auto checked = call({"check", session, "--json"});
    EXPECT_EQ(checked.code, kDone) << checked.out;
    EXPECT_EQ(nlohmann::json::parse(checked.out)["files"][0]["hits"], 8);

    const auto rendered = call({"render", session, "--out", folder / "out", "--mix", "--stems", "elements",
                                "--format", "wav16", "--json"});
    ASSERT_EQ(rendered.code, kDone) << rendered.err;
    const auto files = nlohmann::json::parse(rendered.out)["files"];
    ASSERT_EQ(files.size(), 3U);
    const auto reader = media::AudioReader::open(files[0]["file"].get<std::string>());
    ASSERT_TRUE(reader);
    EXPECT_EQ(reader->info().frames, 192000);
    EXPECT_EQ(reader->info().format, "WAV, 16 bit");
}

TEST(Cli, BadInputIsOneSentenceAndCodeOne) {
    const test::TempFolder folder;
    std::ofstream(folder / "words.wav") << "no sound";
    const auto made = call({"new", folder / "S.cask", folder / "words.wav"});
    EXPECT_EQ(made.code, kBadInput);
    EXPECT_NE(made.err.find("words.wav"), std::string::npos);
    EXPECT_EQ(call({"check", folder / "none.cask"}).code, kBadInput);
    EXPECT_EQ(call({"render", folder / "none.cask", "--out", folder / "o"}).code, kBadInput);
}

TEST(Cli, WrongUseIsCodeTwo) {
    EXPECT_EQ(call({}).code, kWrongUse);
    EXPECT_EQ(call({"dance"}).code, kWrongUse);
    EXPECT_EQ(call({"render", "x", "--out", "y", "--format", "mp4"}).code, kWrongUse);
    EXPECT_EQ(call({"--help"}).code, kDone);
}

TEST(Cli, NeverOverwritesASession) {
    const test::TempFolder folder;
    test::writeWav(folder / "Kick.wav", test::sine(60, 0.5, 0.2));
    EXPECT_EQ(call({"new", folder / "S.cask", folder / "Kick.wav"}).code, kDone);
    const auto again = call({"new", folder / "S.cask", folder / "Kick.wav"});
    EXPECT_EQ(again.code, kBadInput);
    EXPECT_NE(again.err.find("left as it is"), std::string::npos);
    EXPECT_EQ(call({"demo", folder / "S.cask"}).code, kBadInput);
}

TEST(Cli, ACheckFindsWhatIsWrong) {
    const test::TempFolder folder;
    auto loud = test::sine(100, 0.5, 1);
    for (std::size_t i = 500; i < 520; ++i)
        loud[i] = 1;
    test::writeWav(folder / "Snare.wav", loud);
    ASSERT_EQ(call({"new", folder / "S.cask", folder / "Snare.wav"}).code, kDone);
    const auto checked = call({"check", folder / "S.cask"});
    EXPECT_EQ(checked.code, kBadInput);
    EXPECT_NE(checked.out.find("clipped in 1 places"), std::string::npos);
    std::filesystem::remove(folder / "Snare.wav");
    EXPECT_NE(call({"check", folder / "S.cask"}).out.find("is not there"), std::string::npos);
}

} // namespace
} // namespace cask::cli
