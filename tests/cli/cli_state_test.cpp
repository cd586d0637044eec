// Mixes kept under names, rides and names of files on the command line.
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

class CliState : public testing::Test {
  protected:
    CliState() : m_session(m_folder / "S.cask") {
        test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.5, 2));
        EXPECT_EQ(call({"new", m_session, m_folder / "Kick.wav"}).code, kDone);
    }
    void set(const std::string& path, const std::string& value) {
        const auto ran = call({"set", m_session, path, value});
        ASSERT_EQ(ran.code, kDone) << ran.err;
    }
    test::TempFolder m_folder;
    std::string m_session;
};

TEST_F(CliState, IsKeptComparedAndTakenUpAgain) {
    set("Kick/level_db", "-3");
    EXPECT_EQ(call({"state", "save", m_session, "first"}).code, kDone);
    set("Kick/level_db", "2");
    const auto told = call({"state", "compare", m_session, "first"});
    EXPECT_EQ(told.out, "Kick: level -3.0 dB, now +2.0 dB\n") << told.err;
    const auto list = Json::parse(call({"state", "list", m_session, "--json"}).out);
    EXPECT_EQ(list["states"][0]["name"], "first");
    EXPECT_EQ(list["states"][0]["differences"], 1);
    EXPECT_EQ(call({"state", "apply", m_session, "first"}).code, kDone);
    EXPECT_EQ(Json::parse(call({"set", m_session, "--json"}).out)["Kick/level_db"], "-3.0 dB");
    EXPECT_EQ(call({"state", "compare", m_session, "first"}).out, "Nothing differs.\n");
    const auto missing = call({"state", "apply", m_session, "second"});
    EXPECT_EQ(missing.code, kBadInput);
    EXPECT_EQ(missing.err, "There is no state \"second\"; there are first.\n");
    EXPECT_EQ(call({"state", "save", m_session, "B"}).code, kBadInput);
    EXPECT_EQ(call({"state", "remove", m_session, "first"}).code, kDone);
    EXPECT_EQ(call({"state", "list", m_session}).out, "");
}

TEST_F(CliState, ARideIsSetAndRendered) {
    set("Kick/pan", "L 100");
    set("Kick/ride/level_db", "0.5:0 1.5:-20");
    const auto ran = call({"render", m_session, "--out", m_folder / "out", "--format", "wav32f", "--names",
                           "{session} {name}"});
    ASSERT_EQ(ran.code, kDone) << ran.err;
    const auto mix = test::readAll(m_folder / "out/S mix.wav");
    const auto levelAt = [&](double seconds) {
        const auto from = static_cast<std::size_t>(seconds * 48000);
        return 20 * std::log10(test::amplitudeAt(std::span(mix).subspan(2 * from, 9600), 60, 48000, 2) / 0.5);
    };
    EXPECT_NEAR(levelAt(0.1), 0, 0.05);
    EXPECT_NEAR(levelAt(0.95), -10, 0.3);
    EXPECT_NEAR(levelAt(1.8), -20, 0.05);
    const auto bad = call({"render", m_session, "--out", m_folder / "out", "--names", "{colour}"});
    EXPECT_NE(bad.code, kDone);
    EXPECT_NE(bad.err.find("\"{colour}\""), std::string::npos) << bad.err;
}

TEST_F(CliState, ReferencesAreToldBesideTheMix) {
    std::vector<float> beat;
    const auto kick = test::bursts(60, 1, 0.25, 0.05, 12);
    const auto snare = test::bursts(900, 1, 0.75, 0.05, 12);
    for (std::size_t n = 0; n < kick.size(); ++n)
        beat.push_back(0.5F * kick[n] + 0.3F * snare[n]);
    test::writeWav(m_folder / "Finished mix.wav", beat);
    const std::string session = m_folder / "R.cask";
    ASSERT_EQ(call({"new", session, m_folder / "Kick.wav", m_folder / "Finished mix.wav"}).code, kDone);
    ASSERT_EQ(call({"set", session, "Finished mix/role", "reference"}).code, kDone);
    const auto ran = call({"reference", session, "--json"});
    ASSERT_EQ(ran.code, kDone) << ran.err;
    const auto mixes = Json::parse(ran.out)["mixes"];
    ASSERT_EQ(mixes.size(), 2U);
    EXPECT_EQ(mixes[1]["name"], "Finished mix");
    EXPECT_FALSE(mixes[1]["drums"].empty());
    EXPECT_LT(mixes[1]["integrated_lufs"].get<double>(), mixes[0]["integrated_lufs"].get<double>());
    EXPECT_EQ(call({"reference", m_folder / "nothing"}).code, kBadInput);
}

} // namespace
} // namespace cask::cli
