// Recipes on the command line, adapted by what is measured of generated drums.
#include "core/base/units.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

constexpr double kSofterDb = -8;

/// Two toms in turn at 120 BPM, the second 8 dB softer and at another note.
class CliRecipe : public testing::Test {
  protected:
    CliRecipe() : m_session(m_folder / "S.cask") {
        setenv("XDG_CONFIG_HOME", m_folder.path().c_str(), 1);
        const auto drum = [](double hz, double firstS, double gain) {
            std::vector<float> x(16 * 48000, 0.0F);
            for (std::size_t from = static_cast<std::size_t>(48000 * firstS); from + 24000 <= x.size();
                 from += 48000)
                for (std::size_t n = 0; n < 24000; ++n) {
                    const double t = static_cast<double>(n) / 48000;
                    x[from + n] = static_cast<float>(
                        gain * (0.3 * std::exp(-t / 0.003) * std::sin(2 * kPi * 3000 * t) +
                                0.6 * std::pow(10, -3 * t / 0.4) * std::sin(2 * kPi * hz * t)));
                }
            return x;
        };
        test::writeWav(m_folder / "Rack Tom 1.wav", drum(160, 0.0, 0.9));
        test::writeWav(m_folder / "Rack Tom 2.wav", drum(120, 0.5, 0.9 * std::pow(10, kSofterDb / 20)));
        EXPECT_EQ(call({"new", m_session, m_folder / "Rack Tom 1.wav", m_folder / "Rack Tom 2.wav"}).code,
                  kDone);
        for (const auto& [path, value] :
             std::vector<std::pair<std::string, std::string>>{{"Rack Tom 1/gate/open_db", "-30"},
                                                              {"Rack Tom 1/eq/add", "bell"},
                                                              {"Rack Tom 1/eq/1/frequency_hz", "480"}})
            EXPECT_EQ(call({"set", m_session, path, value}).code, kDone);
    }
    ~CliRecipe() override { unsetenv("XDG_CONFIG_HOME"); }
    [[nodiscard]] double value(const std::string& path) const {
        const auto text = call({"set", m_session, "--json"}).out;
        const auto values = Json::parse(text);
        if (values.contains(path))
            return std::atof(values[path].get<std::string>().c_str());
        return NAN;
    }

    test::TempFolder m_folder;
    std::string m_session;
};

TEST_F(CliRecipe, IsSavedListedShownAndAppliedWithTheMeasuredDifference) {
    const auto saved =
        call({"recipe", "save", m_session, "Tom mine", "--from", "Rack Tom 1", "--notes", "test"});
    ASSERT_EQ(saved.code, kDone) << saved.err;
    EXPECT_EQ(call({"recipe", "save", m_session, "Tom mine", "--from", "Rack Tom 1"}).code, kBadInput)
        << "one of that name is there";
    const auto list = Json::parse(call({"recipe", "list", "--role", "rack_tom", "--json"}).out)["recipes"];
    ASSERT_EQ(list.size(), 2U) << "mine and the one that ships";
    const auto shown =
        call({"recipe", "apply", m_session, "tom mine", "--to", "Rack Tom 2", "--show", "--json"});
    ASSERT_EQ(shown.code, kDone) << shown.err;
    EXPECT_TRUE(std::isnan(value("Rack Tom 2/gate/open_db"))) << "showing changes nothing";
    const auto told = Json::parse(shown.out);
    ASSERT_EQ(told["steps"].size(), 1U);
    EXPECT_EQ(told["applied"], false);
    double open = NAN;
    double hz = NAN;
    for (const auto& v : told["steps"][0]["values"]) {
        if (v["parameter"] == "open_db")
            open = v["after"].get<double>();
        if (v["parameter"] == "frequency_hz")
            hz = v["after"].get<double>();
    }
    EXPECT_NEAR(open, -30 + kSofterDb, 0.5);
    EXPECT_NEAR(hz, 480 * 120.0 / 160, 8);
    ASSERT_EQ(call({"recipe", "apply", m_session, "Tom mine", "--to", "Rack Tom 2"}).code, kDone);
    EXPECT_NEAR(value("Rack Tom 2/gate/open_db"), open, 0.06);
    EXPECT_NEAR(value("Rack Tom 2/eq/1/frequency_hz"), hz, 0.6);
    ASSERT_EQ(call({"recipe", "apply", m_session, "Tom mine", "--to", "Rack Tom 2", "--as-it-is"}).code,
              kDone);
    EXPECT_EQ(value("Rack Tom 2/gate/open_db"), -30.0);
}

TEST_F(CliRecipe, MistakesAreToldInASentence) {
    EXPECT_EQ(call({"recipe", "apply", m_session, "No such", "--to", "Rack Tom 2"}).code, kBadInput);
    EXPECT_EQ(call({"recipe", "apply", m_session, "Tom: clean"}).code, kWrongUse);
    EXPECT_EQ(call({"recipe", "apply", m_session, "Tom: clean", "--to", "Gong"}).code, kBadInput);
    EXPECT_EQ(call({"recipe", "save", m_session, "x"}).code, kWrongUse);
    EXPECT_EQ(call({"recipe", "save", m_session, "x", "--from", "Rack Tom 2"}).code, kBadInput)
        << "nothing on it";
    EXPECT_EQ(call({"recipe", "list", "--role", "gong"}).code, kWrongUse);
}

} // namespace
} // namespace cask::cli
