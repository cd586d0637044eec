#include "core/session/intake.h"
#include "core/session/kinds.h"
#include "core/session/parameter_path.h"

#include <gtest/gtest.h>

#include <set>

namespace cask::session {
namespace {

struct Typed {
    const char* text;
    double value;
};

const ParameterInfo& eq(std::string_view id) {
    return field(eqBandFields(), id).info;
}
const ParameterInfo& out(std::string_view id) {
    return field(outputFields(), id).info;
}

TEST(Parameters, ReadWhatAPersonTypes) {
    for (const auto& [text, value] :
         {Typed{"1.2k", 1200}, {"1,2 kHz", 1200}, {"350 Hz", 350}, {"350", 350}, {" 80hz ", 80}})
        EXPECT_DOUBLE_EQ(*parseValue(eq("frequency_hz"), text), value) << text;
    for (const auto& [text, value] : {Typed{"-4dB", -4}, {"\u22124.5 dB", -4.5}, {"+3", 3}})
        EXPECT_DOUBLE_EQ(*parseValue(eq("gain_db"), text), value) << text;
    for (const auto& [text, value] :
         {Typed{"L 30", -0.3}, {"r20", 0.2}, {"centre", 0}, {"right", 1}, {"0.5", 0.5}})
        EXPECT_NEAR(*parseValue(out("pan"), text), value, 1e-12) << text;
    EXPECT_DOUBLE_EQ(*parseValue(field(inputFields(), "shift_ms").info, "0.25 s"), 250);
    EXPECT_DOUBLE_EQ(*parseValue(field(inputFields(), "shift_ms").info, "-500 us"), -0.5);
    EXPECT_DOUBLE_EQ(*parseValue(out("muted"), "on"), 1);
    EXPECT_DOUBLE_EQ(*parseValue(eq("kind"), "high-pass"), static_cast<double>(dsp::FilterKind::HighPass));
    EXPECT_DOUBLE_EQ(*parseValue(eq("kind"), "high_shelf"), static_cast<double>(dsp::FilterKind::HighShelf));
}

TEST(Parameters, RefuseNonsenseAndNameTheRange) {
    for (const char* text : {"", "loud", "12 Hz", "99 dB", "nan", "inf", "--3", "3 4"}) {
        const auto value = parseValue(eq("gain_db"), text);
        ASSERT_FALSE(value) << text;
        EXPECT_NE(value.error().message.find("+24.0 dB"), std::string::npos) << value.error().message;
    }
}

template <class T> void roundTrip(std::span<const Field<T>> fields) {
    std::set<std::string_view> ids;
    for (const auto& f : fields) {
        EXPECT_TRUE(ids.insert(f.info.id).second);
        EXPECT_FALSE(f.info.help.empty()) << f.info.id;
        for (const double share : {0.0, 0.13, 0.5, 0.77, 1.0}) {
            T target{};
            f.set(target, fromShare(f.info, share));
            const double value = f.get(target);
            const auto typed = parseValue(f.info, formatValue(f.info, value));
            ASSERT_TRUE(typed) << f.info.id << " " << formatValue(f.info, value);
            // What is shown can be typed back, to the digits shown.
            EXPECT_NEAR(toShare(f.info, *typed), toShare(f.info, value), 0.03) << f.info.id;
        }
        T target{};
        EXPECT_EQ(f.get(target), f.info.standard)
            << f.info.id << ": the table and the struct agree on the standard value";
    }
}

TEST(Parameters, ShowAndTypeAndShareAgree) {
    roundTrip(inputFields());
    roundTrip(outputFields());
    roundTrip(sendFields());
    roundTrip(eqBandFields());
    roundTrip(fieldsOf<dsp::LimiterSettings>());
}

TEST(Parameters, ShowUnits) {
    EXPECT_EQ(formatValue(eq("frequency_hz"), 350), "350 Hz");
    EXPECT_EQ(formatValue(eq("frequency_hz"), 1200), "1.20 kHz");
    EXPECT_EQ(formatValue(eq("gain_db"), -0.01), "0.0 dB");
    EXPECT_EQ(formatValue(eq("gain_db"), 3), "+3.0 dB");
    EXPECT_EQ(formatValue(out("pan"), -0.3), "L 30");
    EXPECT_EQ(formatValue(out("pan"), 0), "centre");
}

TEST(ParameterPath, SetsValuesRoutesAndBands) {
    Session s = withFiles(emptySession(),
                          {{"/k/Snare Top.wav", "Snare Top.wav", 48000, 1, 48000, "WAV", std::nullopt}});
    const auto set = [&](std::string_view path, std::string_view value) {
        auto next = withValueAt(s, path, value);
        ASSERT_TRUE(next) << path << ": " << next.error().message;
        s = *next;
    };
    set("Snare Top/level_db", "-4 dB");
    set("Snare Top/pan", "L 20");
    set("Snare Top/inverted", "on");
    set("Snare Top/role", "snare bottom");
    set("Snare Top/eq/add", "high-pass");
    set("Snare Top/eq/1/frequency_hz", "90");
    set("Snare Top/bus", "Kit");
    set("Snare Top/send/Rooms/level_db", "-12");
    set("master/ceiling/ceiling_db", "-1.5");
    const Element& e = *s.elements[0];
    EXPECT_EQ(e.out.levelDb, -4);
    EXPECT_EQ(e.role, Role::SnareBottom);
    EXPECT_TRUE(e.input.isInverted);
    EXPECT_EQ(s.nameOf(e.out.bus), "Kit");
    EXPECT_EQ(e.out.sends.at(0).levelDb, -12);
    EXPECT_EQ(std::get<dsp::EqSettings>(e.chain[0].settings).bands[0].frequencyHz, 90);
    EXPECT_EQ(std::get<dsp::LimiterSettings>(s.master().chain[0].settings).ceilingDb, -1.5);
    const auto values = listValues(s);
    EXPECT_TRUE(std::any_of(values.begin(), values.end(), [](const PathValue& v) {
        return v.path == "Snare Top/eq/1/frequency_hz" && v.value == "90.0 Hz";
    }));
    set("Snare Top/eq/1/remove", "");
    EXPECT_TRUE(std::get<dsp::EqSettings>(s.elements[0]->chain[0].settings).bands.empty());
    for (const char* path :
         {"Snare Top", "Nobody/level_db", "Snare Top/eq/9/gain_db", "Snare Top/loudness", "Kit/bus"})
        EXPECT_FALSE(withValueAt(s, path, "Shells")) << path;
}

TEST(Parameters, APumpIsMadeByItsFirstValueAnEqualiserByItsFirstBand) {
    const auto pumped = withValueAt(emptySession(), "Kit/pump/depth_db", "9");
    ASSERT_TRUE(pumped) << pumped.error().message;
    for (const auto& bus : pumped->buses)
        if (bus->name == "Kit") {
            const auto* pump = findModule<dsp::PumpSettings>(bus->chain);
            ASSERT_NE(pump, nullptr);
            EXPECT_EQ(std::get<dsp::PumpSettings>(pump->settings).depthDb, 9);
        }
    EXPECT_FALSE(withValueAt(emptySession(), "Kit/eq/on", "on"));
    EXPECT_FALSE(withValueAt(emptySession(), "Kit/pump/remove", ""));
}

} // namespace
} // namespace cask::session
