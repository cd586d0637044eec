#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parameter_path.h"
#include "core/session/session_json.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

const dsp::GateSettings& gateOf(const Session& s, Id owner) {
    return std::get<dsp::GateSettings>(findModule<dsp::GateSettings>(*s.chain(owner))->settings);
}

TEST(GateSession, EveryValueSurvivesTheFile) {
    auto kit = test::memoryKit({{test::noise(0.1, 100, 1)}, {test::noise(0.1, 100, 2)}});
    Session& s = kit.session;
    const Id gate = addModule(s, kit.elements[0], dsp::GateSettings{});
    double share = 0.13;
    for (const auto& f : fieldsOf<dsp::GateSettings>()) {
        share = share > 0.8 ? 0.13 : share + 0.07;
        s = withGate(s, gate, [&](auto& g) { f.set(g, fromShare(f.info, share)); });
    }
    s = *withKey(s, kit.elements[0], gate, kit.elements[1]);
    SectionChange change;
    change.section = "fill";
    change.glideMs = 250;
    change.values = {{"floor_db", -3}, {"hold_ms", 80}};
    s = withSectionChange(s, gate, change);
    const auto back = fromJson(toJson(s), "x");
    ASSERT_TRUE(back) << back.error().message;
    EXPECT_EQ(*back, s);
}

TEST(GateSession, AKeyThatIsNotThereOrGoesRoundIsRefusedByTheReader) {
    auto kit = test::memoryKit({{test::noise(0.1, 100, 1)}});
    Session& s = kit.session;
    const Id gate = addModule(s, kit.elements[0], dsp::GateSettings{});
    auto bad = withModule(s, gate, [](Module& m) { m.key = 9999; });
    EXPECT_FALSE(fromJson(toJson(bad), "x"));
    bad = withModule(s, gate, [&](Module& m) { m.key = s.master().id; });
    const auto refused = fromJson(toJson(bad), "x");
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().message.find("feed itself"), std::string::npos);
}

TEST(GateSession, PathsReachEveryValue) {
    auto kit = test::memoryKit({{test::noise(0.1, 100, 1)}, {test::noise(0.1, 100, 2)}});
    Session s = kit.session;
    const Id first = kit.elements[0];
    const std::string name = s.nameOf(first);
    const auto set = [&](const std::string& path, const std::string& value) {
        auto next = withValueAt(s, name + "/gate/" + path, value);
        ASSERT_TRUE(next) << path << ": " << next.error().message;
        s = *next;
    };
    set("open_db", "-31 dB");
    set("release_curve", "fast start");
    set("ratio", "3:1");
    set("key", s.nameOf(kit.elements[1]));
    set("section/fill/floor_db", "-3");
    set("section/fill/glide_ms", "0.5 s");
    set("on", "off");
    EXPECT_EQ(gateOf(s, first).openDb, -31);
    EXPECT_EQ(gateOf(s, first).releaseCurve, dsp::ReleaseCurve::Quick);
    EXPECT_EQ(gateOf(s, first).ratio, 3);
    const Module module = *findModule<dsp::GateSettings>(*s.chain(first));
    EXPECT_EQ(module.key, kit.elements[1]);
    EXPECT_FALSE(module.isOn);
    ASSERT_EQ(module.changes.size(), 1U);
    EXPECT_EQ(module.changes[0].glideMs, 500);
    // What is listed can be set again.
    Session other = kit.session;
    for (const auto& [path, value, isStandard, owner, module, words] : listValues(s))
        if (path.starts_with(name + "/gate/")) {
            const auto next = withValueAt(other, path, value);
            ASSERT_TRUE(next) << path << " " << value << ": " << next.error().message;
            other = *next;
        }
    EXPECT_EQ(gateOf(other, first), gateOf(s, first));
    EXPECT_EQ(findModule<dsp::GateSettings>(*other.chain(first))->key, module.key);
    EXPECT_FALSE(withValueAt(s, name + "/gate/look_behind_ms", "3"));
    EXPECT_FALSE(withValueAt(s, name + "/gate/key", "nobody"));
    EXPECT_FALSE(withValueAt(s, name + "/gate/section/fill/look_ahead_ms", "3"));
    set("section/fill/remove", "");
    EXPECT_TRUE(findModule<dsp::GateSettings>(*s.chain(first))->changes.empty());
    set("remove", "");
    EXPECT_EQ(findModule<dsp::GateSettings>(*s.chain(first)), nullptr);
}

TEST(GateSession, TheGateStandsBeforeTheEqualiser) {
    auto kit = test::memoryKit({{test::noise(0.1, 100, 1)}});
    for (const bool gateFirst : {false, true}) {
        Session s = kit.session;
        if (gateFirst)
            addModule(s, kit.elements[0], dsp::GateSettings{});
        addBand(s, kit.elements[0], {});
        if (!gateFirst)
            addModule(s, kit.elements[0], dsp::GateSettings{});
        const auto& chain = *s.chain(kit.elements[0]);
        ASSERT_EQ(chain.size(), 2U);
        EXPECT_TRUE(std::holds_alternative<dsp::GateSettings>(chain[0].settings));
    }
}

} // namespace
} // namespace cask::session
