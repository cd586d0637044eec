// The rough balance on the command line.
#include "core/base/units.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

namespace cask::cli {
namespace {

using test::call;

/// A kick and a snare in turn.
class CliBalance : public testing::Test {
  protected:
    CliBalance() : m_session(m_folder / "S.cask") {
        const auto drum = [](double hz, double firstS, double gain) {
            std::vector<float> x(12 * 48000, 0.0F);
            for (std::size_t from = static_cast<std::size_t>(48000 * firstS); from + 24000 <= x.size();
                 from += 48000)
                for (std::size_t n = 0; n < 24000; ++n) {
                    const double t = static_cast<double>(n) / 48000;
                    x[from + n] = static_cast<float>(
                        gain * (0.6 * std::exp(-t / 0.004) * std::sin(2 * kPi * 2500 * t) +
                                0.4 * std::pow(10, -3 * t / 0.4) * std::sin(2 * kPi * hz * t)));
                }
            return x;
        };
        test::writeWav(m_folder / "Kick In.wav", drum(60, 0.25, 1));
        test::writeWav(m_folder / "Snare Top.wav", drum(200, 0.75, 0.3));
        EXPECT_EQ(call({"new", m_session, m_folder / "Kick In.wav", m_folder / "Snare Top.wav"}).code, kDone);
    }
    [[nodiscard]] nlohmann::json values() const {
        return nlohmann::json::parse(call({"set", m_session, "--json"}).out);
    }

    test::TempFolder m_folder;
    std::string m_session;
};

TEST_F(CliBalance, StepsAreToldThenTaken) {
    const auto before = values();
    const auto told = call({"balance", m_session, "--json"});
    ASSERT_EQ(told.code, kDone) << told.err;
    const auto json = nlohmann::json::parse(told.out);
    EXPECT_EQ(json["target_true_peak_db"], -8.0);
    EXPECT_EQ(json["applied"], false);
    EXPECT_EQ(values(), before) << "telling changes nothing";
    ASSERT_EQ(json["steps"].size(), 2U);
    for (const auto& step : json["steps"]) {
        EXPECT_EQ(step["before"], 0.0);
        EXPECT_NE(step["after"], 0.0);
        EXPECT_FALSE(step["reason"].get<std::string>().empty());
    }
    ASSERT_EQ(json["drums"].size(), 2U);
    for (const auto& drum : json["drums"])
        EXPECT_NEAR(drum["after_lufs"].get<double>(), drum["target_lufs"].get<double>(), 0.2);
    EXPECT_EQ(json["headroom"][1]["heard"], "kit");
    EXPECT_NEAR(json["headroom"][1]["after"].get<double>(), -8, 0.35);
    ASSERT_EQ(call({"balance", m_session, "--apply"}).code, kDone);
    const auto after = values();
    for (const auto& step : json["steps"])
        EXPECT_EQ(after[step["element"].get<std::string>() + "/level_db"].get<std::string>(),
                  fmt::format("{:+.1f} dB", step["after"].get<double>()))
            << step;
}

TEST_F(CliBalance, WhatIsRefusedStaysAndOddWishesAreRefused) {
    ASSERT_EQ(call({"balance", m_session, "--apply", "--refuse", "Kick In"}).code, kDone);
    EXPECT_EQ(values()["Kick In/level_db"], "0.0 dB");
    EXPECT_NE(values()["Snare Top/level_db"], "0.0 dB");
    EXPECT_EQ(call({"balance", m_session, "--refuse", "Cowbell"}).code, kBadInput);
    EXPECT_EQ(call({"balance", m_session, "--style", "nobody"}).code, kBadInput);
    EXPECT_EQ(call({"balance", m_session, "--view", "roof"}).code, kWrongUse);
}

} // namespace
} // namespace cask::cli
