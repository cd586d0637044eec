#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parameter_path.h"
#include "core/session/session_json.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

Session small() {
    return test::memoryKit({{test::noise(0.1, 100, 1)}}).session;
}

TEST(ToneSession, EveryValueSurvivesTheFile) {
    Session s = small();
    const Id owner = s.elements[0]->id;
    for (const EqPlace place : {EqPlace::Repair, EqPlace::Colour})
        for (int kind = 0; kind < 8; ++kind) {
            dsp::EqBand band;
            band.kind = static_cast<dsp::FilterKind>(kind);
            band.part = static_cast<dsp::StereoPart>(kind % 3);
            band.frequencyHz = 100 + kind;
            addBand(s, owner, band, place);
        }
    s = withModule(s, findEq(*s.chain(owner), EqPlace::Colour)->id,
                   [](Module& m) { std::get<dsp::EqSettings>(m.settings).amountPercent = -37; });
    addModule(s, owner, dsp::LowEndSettings{47, 3.5, 2.5});
    addModule(s, owner, dsp::BodySettings{61.7, 420, -7});
    const auto back = fromJson(toJson(s), "x");
    ASSERT_TRUE(back) << back.error().message;
    EXPECT_EQ(*back, s);
}

TEST(ToneSession, RepairStandsAfterTheGatesAndColourBeforeTheCeiling) {
    Session s = small();
    const Id owner = s.elements[0]->id;
    const Id ceiling = addModule(s, owner, dsp::LimiterSettings{});
    const Id body = addModule(s, owner, dsp::BodySettings{});
    addBand(s, owner, {}, EqPlace::Colour);
    const Id gate = addModule(s, owner, dsp::GateSettings{});
    EXPECT_EQ(findEq(*s.chain(owner), EqPlace::Repair), nullptr) << "colour needs no repair before it";
    addBand(s, owner, {}, EqPlace::Repair);
    const auto& chain = *s.chain(owner);
    ASSERT_EQ(chain.size(), 5U);
    EXPECT_EQ(chain[0].id, gate);
    EXPECT_EQ(chain[1].id, findEq(chain, EqPlace::Repair)->id);
    EXPECT_EQ(chain[2].id, body);
    EXPECT_EQ(chain[3].id, findEq(chain, EqPlace::Colour)->id);
    EXPECT_EQ(std::get<dsp::EqSettings>(chain[3].settings).bands.size(), 1U);
    EXPECT_EQ(chain[4].id, ceiling);
}

TEST(ToneSession, PathsReachEveryModule) {
    Session s = small();
    const Id owner = s.elements[0]->id;
    const std::string name = s.nameOf(owner);
    const auto set = [&](const std::string& path, const std::string& value) {
        auto next = withValueAt(s, name + "/" + path, value);
        ASSERT_TRUE(next) << path << ": " << next.error().message;
        s = *next;
    };
    set("eq/add", "tilt");
    set("eq/1/gain_db", "2 dB");
    set("eq2/add", "bell");
    set("eq2/1/part", "side");
    set("eq2/1/frequency_hz", "A2");
    set("eq2/amount_percent", "50 %");
    set("eq2/on", "off");
    set("low_end/boost_db", "4");
    set("body/frequency_hz", "e1");
    const auto& chain = *s.chain(owner);
    const auto* colour = findEq(chain, EqPlace::Colour);
    ASSERT_NE(colour, nullptr);
    EXPECT_FALSE(colour->isOn);
    const auto& eq = std::get<dsp::EqSettings>(colour->settings);
    EXPECT_EQ(eq.amountPercent, 50);
    EXPECT_EQ(eq.bands[0].part, dsp::StereoPart::Side);
    EXPECT_NEAR(eq.bands[0].frequencyHz, 110, 1e-9);
    EXPECT_NEAR(std::get<dsp::BodySettings>(findModule<dsp::BodySettings>(chain)->settings).frequencyHz,
                41.2034, 1e-3);
    // What is listed can be set.
    for (const auto& v : listValues(s))
        if (!v.path.ends_with("/role")) {
            EXPECT_TRUE(withValueAt(s, v.path, v.value)) << v.path << " " << v.value;
        }
    set("body/remove", "");
    set("eq2/remove", "");
    EXPECT_EQ(findModule<dsp::BodySettings>(*s.chain(owner)), nullptr);
    EXPECT_FALSE(withValueAt(s, name + "/body/remove", ""));
    EXPECT_FALSE(withValueAt(s, name + "/eq2/1/gain_db", "3"));
    EXPECT_FALSE(withValueAt(s, name + "/low_end/boost_db", "40"));
}

TEST(ToneSession, NotesAreFrequencies) {
    const auto& hz = field(eqBandFields(), "frequency_hz").info;
    const auto near = [&](const char* text, double expected) {
        const auto value = parseValue(hz, text);
        ASSERT_TRUE(value) << text;
        EXPECT_NEAR(*value, expected, 0.01) << text;
    };
    near("A4", 440);
    near("c4", 261.63);
    near("C#2", 69.30);
    near("Db2", 69.30);
    near("Bb1", 58.27);
    near("b0", 30.87);
    EXPECT_FALSE(parseValue(hz, "H2"));
    EXPECT_FALSE(parseValue(hz, "A"));
    EXPECT_FALSE(parseValue(hz, "A4x"));
    EXPECT_FALSE(parseValue(hz, "A10")); // 28 kHz
}

} // namespace
} // namespace cask::session
