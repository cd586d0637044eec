// A kind of a few lines has all that the others have.
#include "core/base/units.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parameter_path.h"
#include "core/session/reference.h"
#include "core/session/session_json.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask {
namespace {

TEST(ExampleKind, IsInEveryListAndDocument) {
    EXPECT_NE(session::parameterPage().find("NAME/example/gain_db"), std::string::npos);
    EXPECT_NE(session::moduleSchema().find("\"example\""), std::string::npos);
    const session::ModuleSettings settings = dsp::ExampleSettings{};
    EXPECT_EQ(session::parametersOf(settings).size(), 2U);
    EXPECT_EQ(session::valueOf(session::withSetting(settings, "gain_db", 100), "gain_db"), 24)
        << "in its range";
    EXPECT_EQ(session::cellText(settings), "0.0 dB");
    EXPECT_EQ(session::kindsOf(Stage::Punch).size(), 5U) << "a bench of its step offers it";
}

TEST(ExampleKind, SoundsAsItIsSetInItsSectionsAndByItsKey) {
    const std::vector<float> one(96000, 0.5F);
    std::vector<float> key(96000, 0.0F);
    std::fill(key.begin() + 72000, key.end(), 1.0F);
    auto kit = test::memoryKit({{one}, {key}});
    auto s = kit.session;
    s.sections = {{"fill", 0.5, 1, {}}};
    s = session::withOutput(std::move(s), kit.elements[0], [](session::Output& out) { out.pan = -1; });
    s = session::withOutput(std::move(s), kit.elements[1], [](session::Output& out) { out.isMuted = true; });
    const std::string name = s.nameOf(kit.elements[0]) + "/example/";
    for (const auto& [path, value] :
         {std::pair("gain_db", "-6"), std::pair("late_ms", "5"), std::pair("section/fill/gain_db", "6")}) {
        const auto next = session::withValueAt(s, name + path, value);
        ASSERT_TRUE(next) << next.error().message;
        s = *next;
    }
    s = *session::withValueAt(s, name + "key", s.nameOf(kit.elements[1]));
    s = *session::fromJson(session::toJson(s), "x");
    const auto mix = test::render(s, kit.lookup, 96000);
    const auto gainAt = [&](std::size_t frame) { return mix[2 * frame] / 0.5; };
    EXPECT_NEAR(gainAt(20000), dbToLinear(-6), 1e-4);
    EXPECT_NEAR(gainAt(40000), dbToLinear(6), 1e-4);
    EXPECT_NEAR(gainAt(60000), dbToLinear(-6), 1e-4);
    EXPECT_NEAR(gainAt(90000), dbToLinear(-6) + 0.1, 1e-4) << "and by the key";
    const auto off = test::render(*session::withValueAt(s, name + "on", "off"), kit.lookup, 96000);
    EXPECT_EQ(off[2 * 90000], 0.5F);
}

} // namespace
} // namespace cask
