// One edit on several elements: what moves by as much, what becomes the same, what stays each one's own.
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/output_changes.h"
#include "core/session/spread_edit.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

/// Three toms at -3, -6 and -9 dB, panned apart.
struct Toms {
    Session s = emptySession();
    std::vector<Id> ids;

    Toms() {
        for (int n = 0; n < 3; ++n) {
            Element e;
            e.id = s.nextId++;
            e.name = "Tom " + std::to_string(n + 1);
            e.role = Role::RackTom;
            e.channels = {{1, n, {}}};
            e.out.bus = s.buses.front()->id;
            e.out.levelDb = -3.0 * (n + 1);
            e.out.pan = 0.3 * (n - 1);
            ids.push_back(e.id);
            s.elements.emplace_back(std::move(e));
        }
    }
    [[nodiscard]] Session spread(const Session& after) const {
        return spreadEdit(s, after, ids[0], {ids[1], ids[2]});
    }
    template <class T> [[nodiscard]] static const T& only(const Session& session, Id owner) {
        return std::get<T>(findModule<T>(*session.chain(owner))->settings);
    }
};

TEST(SpreadEdit, LevelsMoveByAsMuchAndFlagsBecomeTheSame) {
    const Toms toms;
    const auto after = toms.spread(withElement(toms.s, toms.ids[0], [](Element& e) {
        e.out.levelDb = -1;
        e.out.pan = 0.1;
        e.out.widthPercent = 50;
        e.input.trimDb = 2;
        e.out.isMuted = true;
    }));
    for (std::size_t n = 0; n < 3; ++n) {
        const auto& e = *after.element(toms.ids[n]);
        EXPECT_DOUBLE_EQ(e.out.levelDb, -3.0 * static_cast<double>(n + 1) + 2);
        EXPECT_NEAR(e.out.pan, 0.3 * (static_cast<double>(n) - 1) + 0.4, 1e-12);
        EXPECT_DOUBLE_EQ(e.out.widthPercent, 50);
        EXPECT_DOUBLE_EQ(e.input.trimDb, 2);
        EXPECT_TRUE(e.out.isMuted);
    }
    const auto floored = toms.spread(withOutput(toms.s, toms.ids[0], [](Output& out) { out.levelDb = -79; }));
    EXPECT_GE(floored.output(toms.ids[2])->levelDb, field(outputFields(), "level_db").info.least);
}

TEST(SpreadEdit, PolarityAndTimeStayEachOnesOwn) {
    const Toms toms;
    const auto edited = withElement(toms.s, toms.ids[0], [](Element& e) {
        e.input.isInverted = true;
        e.input.shiftMs = 1.5;
    });
    EXPECT_EQ(toms.spread(edited), edited);
}

TEST(SpreadEdit, ModulesAreAddedChangedAndTakenOutTogether) {
    Toms toms;
    dsp::GateSettings gate;
    gate.openDb = -30;
    Session after = toms.s;
    const Id made = addModule(after, toms.ids[0], gate);
    after = toms.spread(after);
    std::vector<Id> modules;
    for (const Id id : toms.ids) {
        ASSERT_NE(findModule<dsp::GateSettings>(*after.chain(id)), nullptr);
        modules.push_back(findModule<dsp::GateSettings>(*after.chain(id))->id);
    }
    EXPECT_NE(modules[0], modules[1]);
    EXPECT_NE(modules[1], modules[2]);
    // The second has another threshold: it moves by as much; the hold becomes the same.
    toms.s = withGate(after, modules[1], [](dsp::GateSettings& g) {
        g.openDb = -42;
        g.holdMs = 200;
    });
    after = toms.spread(withGate(toms.s, made, [](dsp::GateSettings& g) {
        g.openDb = -27;
        g.holdMs = 90;
    }));
    EXPECT_DOUBLE_EQ(Toms::only<dsp::GateSettings>(after, toms.ids[1]).openDb, -39);
    EXPECT_DOUBLE_EQ(Toms::only<dsp::GateSettings>(after, toms.ids[1]).holdMs, 90);
    EXPECT_DOUBLE_EQ(Toms::only<dsp::GateSettings>(after, toms.ids[2]).openDb, -27);
    toms.s = after;
    after = toms.spread(withModule(toms.s, made, [](Module& m) { m.isOn = false; }));
    EXPECT_FALSE(findModule<dsp::GateSettings>(*after.chain(toms.ids[2]))->isOn);
    after = toms.spread(withoutModule(toms.s, made));
    for (const Id id : toms.ids)
        EXPECT_TRUE(after.chain(id)->empty());
}

TEST(SpreadEdit, BandsGoByTheirPlace) {
    Toms toms;
    dsp::EqBand band;
    band.frequencyHz = 400;
    for (const Id id : toms.ids) {
        band.frequencyHz += 10;
        addBand(toms.s, id, band);
    }
    const auto bandOf = [](const Session& s, Id owner, std::size_t n) {
        return std::get<dsp::EqSettings>(findEq(*s.chain(owner), EqPlace::Repair)->settings).bands.at(n);
    };
    const Id first = bandOf(toms.s, toms.ids[0], 0).id;
    auto after = toms.spread(withBand(toms.s, toms.ids[0], first, [](dsp::EqBand& b) { b.gainDb = -5; }));
    EXPECT_DOUBLE_EQ(bandOf(after, toms.ids[1], 0).gainDb, -5);
    EXPECT_DOUBLE_EQ(bandOf(after, toms.ids[1], 0).frequencyHz, 420) << "what was not edited stays";
    toms.s = after;
    band.frequencyHz = 5000;
    addBand(after, toms.ids[0], band);
    after = toms.spread(after);
    EXPECT_DOUBLE_EQ(bandOf(after, toms.ids[2], 1).frequencyHz, 5000);
    EXPECT_NE(bandOf(after, toms.ids[2], 1).id, bandOf(after, toms.ids[1], 1).id);
    toms.s = after;
    after = toms.spread(withoutBand(toms.s, toms.ids[0], first));
    EXPECT_DOUBLE_EQ(bandOf(after, toms.ids[1], 0).frequencyHz, 5000);
}

TEST(SpreadEdit, OrderSendsAndSectionsGoAlong) {
    Toms toms;
    for (const Id id : toms.ids) {
        addModule(toms.s, id, dsp::CompressorSettings{});
        addModule(toms.s, id, dsp::TransientSettings{});
    }
    const auto& chain = *toms.s.chain(toms.ids[0]);
    auto after = toms.spread(withModulesSwapped(toms.s, toms.ids[0], chain[0].id, chain[1].id));
    EXPECT_TRUE(std::holds_alternative<dsp::TransientSettings>(after.chain(toms.ids[2])->front().settings));
    const Id rooms = toms.s.buses[2]->id;
    after = toms.spread(*withSend(toms.s, toms.ids[0], {rooms, -12, false, {}}));
    ASSERT_EQ(after.output(toms.ids[1])->sends.size(), 1U);
    toms.s = withOutput(after, toms.ids[1], [](Output& out) { out.sends[0].levelDb = -20; });
    after = toms.spread(*withSend(toms.s, toms.ids[0], {rooms, -10, false, {}}));
    EXPECT_DOUBLE_EQ(after.output(toms.ids[1])->sends[0].levelDb, -18);
    toms.s = after;
    after = toms.spread(withOutputChange(toms.s, toms.ids[0], {"chorus", 20, {{"level_db", 0.0}}, {}, {}}));
    EXPECT_DOUBLE_EQ(after.output(toms.ids[1])->changes.at(0).values.at("level_db"), -3) << "3 dB up from -6";
    toms.s = after;
    after = toms.spread(withoutSend(toms.s, toms.ids[0], rooms));
    EXPECT_TRUE(after.output(toms.ids[2])->sends.empty());
}

TEST(SpreadEdit, OtherEditsAreOfOneOnly) {
    const Toms toms;
    EXPECT_FALSE(isEditOf(toms.s, withName(toms.s, toms.ids[0], "Left tom"), toms.ids[0]));
    EXPECT_FALSE(isEditOf(toms.s, withoutElement(toms.s, toms.ids[1]), toms.ids[0]));
    auto two = withOutput(toms.s, toms.ids[0], [](Output& out) { out.levelDb = 0; });
    EXPECT_TRUE(isEditOf(toms.s, two, toms.ids[0]));
    two = withOutput(two, toms.ids[1], [](Output& out) { out.levelDb = 0; });
    EXPECT_FALSE(isEditOf(toms.s, two, toms.ids[0]));
    EXPECT_EQ(spreadEdit(toms.s, two, toms.ids[0], {toms.ids[2]}), two);
}

TEST(Links, HoldUntilTheyAreParted) {
    Toms toms;
    auto s = withLink(toms.s, {toms.ids[0], toms.ids[1]});
    EXPECT_EQ(linkedWith(s, toms.ids[1]), std::vector<Id>{toms.ids[0]});
    EXPECT_TRUE(linkedWith(s, toms.ids[2]).empty());
    s = withLink(s, {toms.ids[1], toms.ids[2]}); // out of the old link, which is none any more
    EXPECT_TRUE(linkedWith(s, toms.ids[0]).empty());
    EXPECT_EQ(s.links.size(), 1U);
    EXPECT_TRUE(withoutLink(s, {toms.ids[2]}).links.empty());
    EXPECT_TRUE(withLink(toms.s, {toms.ids[0], toms.ids[0]}).links.empty());
}

} // namespace
} // namespace cask::session
