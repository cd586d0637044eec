// Wishes on the command line.
#include "core/base/units.h"
#include "core/session/session_store.h"
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

TEST_F(CliWish, CheckTellsWhatACompressorDoesToEveryHitAndSection) {
    for (const auto& [path, value] :
         {std::pair("Kick In/compressor/threshold_db", "-20"), std::pair("Kick In/compressor/ratio", "4"),
          std::pair("Kick In/compressor/attack_ms", "0.1"), std::pair("Kick In/compressor/release_ms", "40")})
        ASSERT_EQ(call({"set", m_session, path, "--", value}).code, kDone);
    session::SessionStore store(diskFileSystem(), m_session);
    auto stored = store.open()->session;
    stored.sections = {{"verse", 0, 4, {}}};
    ASSERT_TRUE(store.save(stored));
    const auto told = call({"check", m_session, "--stage", "punch", "--json"});
    ASSERT_EQ(told.code, kDone) << told.err;
    const auto json = nlohmann::json::parse(told.out);
    ASSERT_EQ(json["compressors"].size(), 1U);
    const auto& c = json["compressors"][0];
    EXPECT_EQ(c["in"], "Kick In");
    ASSERT_EQ(c["each_hit"].size(), c["hits"].get<std::size_t>());
    // So quick that the stick's peak is held near the law's: 4:1 over -20 dBFS.
    const auto& hit = c["each_hit"][3];
    EXPECT_NEAR(hit["change_db"].get<double>(), -0.75 * (hit["level_db"].get<double>() + 20), 1);
    EXPECT_LT(c["kept_attack_db"].get<double>(), 0);
    ASSERT_EQ(c["sections"].size(), 1U);
    EXPECT_EQ(c["sections"][0]["section"], "verse");
    EXPECT_EQ(c["sections"][0]["hits"], 8U);
    EXPECT_EQ(c["recovered"], c["followed"]);
    const auto words = call({"check", m_session, "--stage", "punch"}).out;
    EXPECT_NE(words.find("Kick In"), std::string::npos);
    EXPECT_NE(words.find("verse"), std::string::npos);
    EXPECT_NE(call({"check", m_session, "--stage", "tone"}).code, kDone) << "no such report";
}

} // namespace
} // namespace cask::cli
