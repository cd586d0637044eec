// Driving, parallel paths and the push test on the command line.
#include "core/base/units.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

/// Kick and snare in turn at 120 BPM, and a hat on every eighth.
class CliDrive : public testing::Test {
  protected:
    CliDrive() : m_session(m_folder / "S.cask") {
        const auto drum = [](double hz, double everyS, double firstS, double gain, double click,
                             unsigned seed) {
            std::vector<float> x(16 * 48000, 0.0F);
            const auto hiss = test::noise(1, x.size(), seed);
            for (double at = firstS; at < 15.5; at += everyS)
                for (std::size_t n = 0; n < 14400; ++n) {
                    const double t = static_cast<double>(n) / 48000;
                    const auto from = static_cast<std::size_t>(at * 48000);
                    x[from + n] += static_cast<float>(
                        gain * (click * hiss[from + n] * std::exp(-t / 0.02) +
                                0.6 * std::pow(10, -3 * t / 0.3) * std::sin(2 * kPi * hz * t)));
                }
            return x;
        };
        test::writeWav(m_folder / "Kick In.wav", drum(60, 1, 0, 0.9, 0.1, 1));
        test::writeWav(m_folder / "Snare Top.wav", drum(190, 1, 0.5, 0.6, 0.4, 2));
        test::writeWav(m_folder / "Hat.wav", drum(6000, 0.25, 0.125, 0.1, 0.8, 3));
        EXPECT_EQ(call({"new", m_session, m_folder / "Kick In.wav", m_folder / "Snare Top.wav",
                        m_folder / "Hat.wav"})
                      .code,
                  kDone);
    }
    [[nodiscard]] std::string value(const std::string& path) const {
        const auto values = Json::parse(call({"set", m_session, "--json"}).out);
        return values.contains(path) ? values[path].get<std::string>() : std::string("none");
    }
    test::TempFolder m_folder;
    std::string m_session;
};

TEST_F(CliDrive, APathIsMadeFedBlendedAndRemoved) {
    const auto made = call({"parallel", m_session, "Crush", "--of", "Shells", "--json"});
    ASSERT_EQ(made.code, kDone) << made.err;
    const auto json = Json::parse(made.out);
    EXPECT_EQ(json["of"], "Shells");
    EXPECT_EQ(json["bus"], "Kit");
    ASSERT_EQ(json["sends"].size(), 2U) << "kick and snare, no hat";
    EXPECT_EQ(value("path/Crush/of"), "Shells");
    EXPECT_EQ(call({"set", m_session, "path/Crush/of", "Kit"}).code, kBadInput) << "it is told, not set";
    EXPECT_EQ(value("Snare Top/send/Crush/level_db"), "0.0 dB");
    EXPECT_EQ(call({"set", m_session, "path/Crush/compressor/ratio", "20"}).code, kDone);
    EXPECT_EQ(call({"set", m_session, "path/Crush/low_cut_hz", "150"}).code, kDone);
    EXPECT_EQ(value("path/Crush/low_cut_hz"), "150 Hz");
    const auto blended = call({"parallel", m_session, "Crush", "--blend", "40", "--json"});
    ASSERT_EQ(blended.code, kDone) << blended.err;
    EXPECT_EQ(Json::parse(blended.out)["equal_gain"], true);
    EXPECT_EQ(value("path/Crush/blend_percent"), "40 %");
    const auto again = call({"parallel", m_session, "Crush", "--of", "Shells"});
    EXPECT_EQ(again.code, kBadInput);
    EXPECT_NE(again.err.find("already a path Crush"), std::string::npos) << again.err;
    EXPECT_EQ(call({"parallel", m_session, "Crush", "--of", "master"}).code, kBadInput);
    EXPECT_EQ(call({"parallel", m_session, "Other"}).code, kBadInput) << "nothing of that name";
    EXPECT_EQ(call({"parallel", m_session, "Other", "--of", "Nobody"}).code, kBadInput);
    EXPECT_EQ(call({"parallel", m_session, "Crush", "--remove"}).code, kDone);
    EXPECT_EQ(value("path/Crush/low_cut_hz"), "none");
}

TEST_F(CliDrive, WhatIsDrivenIsMeasuredAtEqualLoudness) {
    EXPECT_EQ(call({"drive", m_session}).out, "Nothing is driven and there is no parallel path.\n");
    for (const auto& [path, text] : std::vector<std::pair<std::string, std::string>>{
             {"Snare Top/saturation/drive_db", "20"}, {"Snare Top/saturation/shape", "tape"}})
        ASSERT_EQ(call({"set", m_session, path, text}).code, kDone);
    ASSERT_EQ(call({"parallel", m_session, "Crush", "--of", "Shells"}).code, kDone);
    ASSERT_EQ(call({"set", m_session, "path/Crush/clipper/ceiling_db", "-20"}).code, kDone);
    const auto ran = call({"drive", m_session, "--json"});
    ASSERT_EQ(ran.code, kDone) << ran.err;
    const auto json = Json::parse(ran.out);
    ASSERT_EQ(json["modules"].size(), 2U);
    const auto& snare = json["modules"][0];
    EXPECT_EQ(snare["owner"], "Snare Top");
    EXPECT_EQ(snare["module"], "saturation");
    EXPECT_GT(snare["change"]["density_after_db"].get<double>(),
              snare["change"]["density_before_db"].get<double>());
    EXPECT_LT(snare["alias_db"].get<double>(), -45) << "white hiss is the worst there is";
    ASSERT_EQ(json["paths"].size(), 1U);
    EXPECT_GT(json["paths"][0]["louder_db"].get<double>(), 0);
    EXPECT_EQ(json["paths"][0]["shares"].size(), 2U);
    EXPECT_GT(json["paths"][0]["blends"].size(), 5U);
    EXPECT_NE(call({"drive", m_session}).out.find("Path Crush beside Shells"), std::string::npos);
}

TEST_F(CliDrive, TheDrumThatIsDrivenFarthestBreaksFirst) {
    ASSERT_EQ(call({"set", m_session, "Shells/saturation/drive_db", "6"}).code, kDone);
    const auto ran = call({"push", m_session, "--into", "Shells", "--json"});
    ASSERT_EQ(ran.code, kDone) << ran.err;
    const auto json = Json::parse(ran.out);
    EXPECT_EQ(json["into"], "Shells");
    ASSERT_GE(json["drums"].size(), 2U);
    for (const auto& drum : json["drums"])
        EXPECT_EQ(drum["steps"].size(), 11U);
    EXPECT_EQ(call({"push", m_session, "--into", "Nobody"}).code, kBadInput);
}

} // namespace
} // namespace cask::cli
