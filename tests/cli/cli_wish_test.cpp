// Wishes on the command line.
#include "core/base/units.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::cli {
namespace {

using test::call;

/// A kick four times in two seconds and a bass.
class CliWish : public testing::Test {
  protected:
    CliWish() : m_session(m_folder / "S.cask") {
        std::vector<float> kick(8 * 48000, 0.0F);
        for (std::size_t from = 12000; from + 24000 <= kick.size(); from += 24000)
            for (std::size_t n = 0; n < 24000; ++n) {
                const double t = static_cast<double>(n) / 48000;
                kick[from + n] =
                    static_cast<float>(0.6 * std::exp(-t / 0.004) * std::sin(2 * kPi * 2500 * t) +
                                       0.4 * std::pow(10, -3 * t / 0.4) * std::sin(2 * kPi * 60 * t));
            }
        test::writeWav(m_folder / "Kick In.wav", kick);
        test::writeWav(m_folder / "Bass.wav", test::sine(50, 0.3, 8));
        EXPECT_EQ(call({"new", m_session, m_folder / "Kick In.wav", m_folder / "Bass.wav"}).code, kDone);
    }

    test::TempFolder m_folder;
    std::string m_session;
};

TEST_F(CliWish, WaysAreToldAndOneIsTaken) {
    const auto told = call({"wish", m_session, "Kick In", "snap", "--json"});
    ASSERT_EQ(told.code, kDone) << told.err;
    const auto json = nlohmann::json::parse(told.out);
    EXPECT_EQ(json["element"], "Kick In");
    EXPECT_EQ(json["goal_db"], 2.0);
    ASSERT_GE(json["ways"].size(), 2U);
    const auto& first = json["ways"][0];
    EXPECT_EQ(first["reached"], true);
    EXPECT_GE(first["reached_db"], 2.0);
    EXPECT_FALSE(first["changes"].empty());
    EXPECT_EQ(call({"set", m_session, "--json"}).out.find("Kick In/compressor"), std::string::npos)
        << "telling changes nothing";
    ASSERT_EQ(call({"wish", m_session, "Kick In", "snap", "--take", first["way"].get<std::string>()}).code,
              kDone);
    const auto values = nlohmann::json::parse(call({"set", m_session, "--json"}).out);
    for (const auto& change : first["changes"])
        EXPECT_EQ(values[change["path"].get<std::string>()], change["after"]) << change;
}

TEST_F(CliWish, DuckingGoesUnderTheKey) {
    ASSERT_EQ(call({"wish", m_session, "Bass", "duck", "--key", "Kick In", "--take", "key"}).code, kDone);
    const auto values = nlohmann::json::parse(call({"set", m_session, "--json"}).out);
    EXPECT_EQ(values["Bass/compressor/key"], "Kick In");
}

TEST_F(CliWish, WrongWishesAreOneSentence) {
    for (const auto& [arguments, part] : std::vector<std::pair<std::vector<std::string>, std::string>>{
             {{"wish", m_session, "Kick In", "louder"}, "snap"},
             {{"wish", m_session, "Kazoo", "snap"}, "Kazoo"},
             {{"wish", m_session, "Bass", "duck"}, "--key"},
             {{"wish", m_session, "Bass", "snap", "--key", "Kick In"}, "--key"},
             {{"wish", m_session, "Bass", "duck", "--key", "Bass"}, "itself"},
             {{"wish", m_session, "Kick In", "snap", "--style", "none"}, "none"},
             {{"wish", m_session, "Kick In", "snap", "--take", "magic"}, "magic"}}) {
        const auto said = call(arguments);
        EXPECT_EQ(said.code, kBadInput) << part;
        EXPECT_NE(said.err.find(part), std::string::npos) << said.err;
    }
}

} // namespace
} // namespace cask::cli
