// A MIDI file judged on the command line.
#include "core/base/units.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

/// Notes of velocity 80, one on each quarter (96 ticks, 0.5 s).
void writeQuarters(const std::filesystem::path& file, const std::vector<char>& notes) {
    std::string track;
    for (std::size_t n = 0; n < notes.size(); ++n)
        track += std::string{n == 0 ? '\0' : '\x60', '\x99', notes[n], '\x50'};
    track += std::string("\0\xFF\x2F\0", 4);
    std::string bytes("MThd\0\0\0\6\0\0\0\1\0\x60MTrk\0\0\0", 21);
    bytes += static_cast<char>(track.size());
    std::ofstream(file, std::ios::binary) << bytes << track;
}

TEST(CliPattern, AFileIsJudgedOrRefusedByName) {
    const test::TempFolder folder;
    const auto file = folder / "Beat.mid";
    // Sixteen closed hats on quarters at 120 bpm, all alike: four bars.
    writeQuarters(file, std::vector<char>(16, '\x2A'));
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

class PlayedKit : public testing::Test {
  protected:
    PlayedKit() : session(folder / "Beat.cask") {
        const auto click = [&](const char* name, float height) {
            std::vector<float> x(300, 0.0F);
            x[0] = height;
            test::writeWav(folder / name, x);
        };
        click("kick.wav", 0.5F);
        click("snare.wav", 0.25F);
        click("other.wav", 0.1F);
        test::writeWav(folder / "open.wav", std::vector<float>(96000, 0.2F));
        test::writeWav(folder / "closed.wav", std::vector<float>(480, 0.1F));
        std::ofstream(folder / "kit.sfz")
            << "<region> key=36 pitch_keycenter=36 sample=kick.wav\n"
               "<region> key=38 pitch_keycenter=38 sample=snare.wav amp_veltrack=0\n"
               "<region> key=46 pitch_keycenter=46 sample=open.wav off_by=1\n"
               "<region> key=42 pitch_keycenter=42 sample=closed.wav group=1\n";
        writeQuarters(folder / "beat.mid", {'\x24', '\x26', '\x2E', '\x2A'});
        const auto made =
            call({"pattern", folder / "beat.mid", "--kit", folder / "kit.sfz", "--into", session, "--json"});
        EXPECT_EQ(made.code, kDone) << made.err;
        elements = Json::parse(made.out)["elements"];
    }
    std::vector<float> trackOf(const std::string& name) {
        const auto done = call({"render", session, "--out", folder / "out", "--stems", "tracks", "--names",
                                "{name}", "--format", "wav32f", "--overwrite"});
        EXPECT_EQ(done.code, kDone) << done.err;
        return test::readAll(folder / "out" / (name + ".wav"));
    }
    test::TempFolder folder;
    std::string session;
    Json elements;
};

TEST_F(PlayedKit, AnElementForEachDrumAtItsFrames) {
    ASSERT_EQ(elements.size(), 3U) << "hats are one, so that they choke each other";
    EXPECT_EQ(elements[0]["element"], "Kick");
    EXPECT_EQ(elements[2]["element"], "Hi-hat");
    EXPECT_EQ(elements[2]["strokes"], 2);
    const auto kick = trackOf("Kick");
    EXPECT_NEAR(kick[0], 0.5 * 80 * 80 / 127 / 127, 1e-6);
    const auto snare = trackOf("Snare");
    EXPECT_NEAR(snare[24000], 0.25, 1e-6);
    EXPECT_EQ(std::count_if(snare.begin(), snare.end(), [](float x) { return x != 0; }), 1);
    const auto hat = trackOf("Hi-hat");
    EXPECT_NEAR(hat[72000 - 1], 0.2 * 80 * 80 / 127 / 127, 1e-6);
    EXPECT_EQ(hat[72000 + 480], 0) << "choked by the closed one, which has ended";
}

TEST_F(PlayedKit, ALayersBestPlaceIsToldAndKept) {
    // The first layer's own sound again, 2 ms late and turned: it must come back to it.
    auto listed = Json::parse(call({"layer", session, "Kick", "--json"}).out);
    test::writeWav(folder / "low.wav", test::bursts(60, 10, 0.0, 0.1, 0.4));
    for (int i = 0; i < 2; ++i)
        ASSERT_EQ(call({"layer", session, "Kick", "add", folder / "low.wav"}).code, kDone);
    ASSERT_EQ(call({"layer", session, "Kick", "1", "remove"}).code, kDone);
    ASSERT_EQ(call({"layer", session, "Kick", "2", "offset_ms", "2"}).code, kDone);
    ASSERT_EQ(call({"layer", session, "Kick", "2", "inverted", "on"}).code, kDone);
    const auto done = call({"layer", session, "Kick", "2", "place", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto told = Json::parse(done.out);
    EXPECT_NEAR(told["shift_ms"].get<double>(), -2, 0.3);
    EXPECT_TRUE(told["inverted"]);
    EXPECT_GT(told["attack_db"].get<double>(), 3);
    listed = Json::parse(call({"layer", session, "Kick", "--json"}).out);
    EXPECT_EQ(listed["layers"][1]["offset_ms"], 2) << "only told";
    ASSERT_EQ(call({"layer", session, "Kick", "2", "place", "keep"}).code, kDone);
    listed = Json::parse(call({"layer", session, "Kick", "--json"}).out);
    EXPECT_NEAR(listed["layers"][1]["offset_ms"].get<double>(), 0, 0.3);
    EXPECT_FALSE(listed["layers"][1].value("inverted", false));
    EXPECT_EQ(call({"layer", session, "Kick", "7", "place"}).code, kBadInput);
}

TEST_F(PlayedKit, LayersAreChangedAddedAndRemoved) {
    auto done = call({"layer", session, "Kick", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    EXPECT_EQ(Json::parse(done.out)["layers"][0]["plays"], 1);
    ASSERT_EQ(call({"layer", session, "Kick", "1", "gain_db", "--", "-6"}).code, kDone);
    EXPECT_NEAR(trackOf("Kick")[0], dbToLinear(-6) * 0.5 * 80 * 80 / 127 / 127, 1e-6);
    ASSERT_EQ(call({"layer", session, "Kick", "add", folder / "other.wav"}).code, kDone);
    ASSERT_EQ(call({"layer", session, "Kick", "2", "offset_ms", "10"}).code, kDone);
    ASSERT_EQ(call({"layer", session, "Kick", "2", "follow_percent", "0"}).code, kDone);
    EXPECT_NEAR(trackOf("Kick")[480], 0.1, 1e-6);
    ASSERT_EQ(call({"layer", session, "Kick", "2", "pan", "1"}).code, kDone);
    auto sides = trackOf("Kick"); // two channels as long as it is panned
    EXPECT_NEAR(sides[960], 0, 1e-6);
    EXPECT_NEAR(sides[961], 0.1 * std::sqrt(2), 1e-6);
    ASSERT_EQ(call({"layer", session, "Kick", "2", "rule/every", "2"}).code, kDone);
    ASSERT_EQ(call({"layer", session, "Kick", "2", "rule/first", "2"}).code, kDone);
    sides = trackOf("Kick");
    EXPECT_EQ(std::count_if(sides.begin(), sides.end(), [](float x) { return x != 0; }), 1)
        << "one stroke alone";
    ASSERT_EQ(call({"layer", session, "Kick", "2", "remove"}).code, kDone);
    done = call({"layer", session, "Kick", "--json"});
    EXPECT_EQ(Json::parse(done.out)["layers"].size(), 1U);
    EXPECT_EQ(call({"layer", session, "Kick", "5", "gain_db", "1"}).code, kBadInput);
    EXPECT_EQ(call({"layer", session, "Kick", "1", "colour", "1"}).code, kBadInput);
    done = call({"layer", session, "Kick", "1", "gain_db", "500"});
    EXPECT_EQ(done.code, kBadInput);
    EXPECT_NE(done.err.find("gain_db"), std::string::npos);
    // An earlier state still plays what it played.
    const auto versions = Json::parse(call({"versions", session, "--json"}).out)["versions"];
    ASSERT_FALSE(versions.empty());
    ASSERT_EQ(call({"restore", session, versions.front()["name"]}).code, kDone);
    done = call({"layer", session, "Kick", "--json"});
    EXPECT_EQ(Json::parse(done.out)["layers"].size(), 2U) << "as before the last change";
    EXPECT_NEAR(trackOf("Kick")[0], dbToLinear(-6) * 0.5 * 80 * 80 / 127 / 127, 1e-6);
    const std::filesystem::path file = Json::parse(done.out)["file"].get<std::string>();
    EXPECT_LT(file.filename().string().size(), std::string("Kick 10.stack.json").size() + 1)
        << "a name is numbered, it does not grow with each change";
}

} // namespace
} // namespace cask::cli
