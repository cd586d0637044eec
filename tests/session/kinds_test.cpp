// What every kind of module can do, from its description alone.
#include "core/graph/plan.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parameter_path.h"
#include "core/session/session_json.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <set>

namespace cask::session {
namespace {

using Json = nlohmann::ordered_json;

/// Another value than the standard one, that any field of this kind may have.
double otherValue(const ParameterInfo& info) {
    if (info.kind != ParameterKind::Number)
        return info.standard == 0 ? 1 : 0;
    const double value = fromShare(info, toShare(info, info.standard) > 0.5 ? 0.25 : 0.75);
    return info.scale == Scale::Linear ? info.least + info.step * std::round((value - info.least) / info.step)
                                       : value;
}

template <class T> class Kind : public testing::Test {
  protected:
    Kind() : m_kit(test::memoryKit({{test::noise(0.1, 100, 1)}, {test::noise(0.1, 100, 2)}})) {
        m_session = m_kit.session;
        m_session.sections = {{"fill", 0.5, 1, {}}};
        m_owner = m_kit.elements[0];
        m_id = addModule(m_session, m_owner, T{});
        if constexpr (HasItems<T>)
            for (int i = 0; i < 2; ++i) {
                ItemOf<T> item;
                item.id = m_session.nextId++;
                m_session = withModule(m_session, m_id, [&](Module& m) {
                    KindOf<T>::items(std::get<T>(m.settings)).push_back(item);
                });
            }
    }
    [[nodiscard]] const Module& module() const { return *findModule<T>(*m_session.chain(m_owner), 1); }
    [[nodiscard]] std::string path(const std::string& rest) const {
        return m_session.nameOf(m_owner) + "/" + std::string(KindOf<T>::id) + "/" + rest;
    }
    void set(const std::string& rest, const std::string& value) {
        const auto next = withValueAt(m_session, path(rest), value);
        ASSERT_TRUE(next) << rest << ": " << next.error().message;
        m_session = *next;
    }
    [[nodiscard]] static Session reread(const Session& s) {
        const auto back = fromJson(toJson(s), "x");
        EXPECT_TRUE(back) << back.error().message;
        return back ? *back : Session{};
    }

    test::MemoryKit m_kit;
    Session m_session;
    Id m_owner = kNoId;
    Id m_id = kNoId;
};

template <class List> struct TestTypes;
template <class... T> struct TestTypes<TypeList<T...>> { using type = testing::Types<T...>; };
TYPED_TEST_SUITE(Kind, typename TestTypes<Kinds>::type);

TYPED_TEST(Kind, ASettingsStructHasTheTablesStandardValues) {
    for (const auto& f : fieldsOf<TypeParam>())
        EXPECT_EQ(f.get(TypeParam{}), f.info.standard) << f.info.id;
    if constexpr (HasItems<TypeParam>) {
        for (const auto& f : itemFieldsOf<TypeParam>())
            EXPECT_EQ(f.get(ItemOf<TypeParam>{}), f.info.standard) << f.info.id;
    }
}

TYPED_TEST(Kind, EveryValueIsReachedByItsPathAndSurvivesTheFile) {
    for (const auto& f : fieldsOf<TypeParam>()) {
        const double value = otherValue(f.info);
        this->set(std::string(f.info.id), formatValue(f.info, value));
        const double now = f.get(std::get<TypeParam>(this->module().settings));
        EXPECT_NE(now, f.info.standard) << f.info.id;
        EXPECT_EQ(formatValue(f.info, now), formatValue(f.info, value)) << f.info.id;
    }
    if constexpr (HasItems<TypeParam>)
        for (const auto& f : itemFieldsOf<TypeParam>()) {
            this->set("2/" + std::string(f.info.id), formatValue(f.info, otherValue(f.info)));
            const auto& items = KindOf<TypeParam>::items(std::get<TypeParam>(this->module().settings));
            EXPECT_NE(f.get(items[1]), f.info.standard) << f.info.id;
            EXPECT_EQ(f.get(items[0]), f.info.standard) << f.info.id << ": the other one stays";
        }
    this->set("on", "off");
    EXPECT_FALSE(this->module().isOn);
    EXPECT_EQ(this->reread(this->m_session), this->m_session);
}

TYPED_TEST(Kind, WhatIsListedCanBeSetAgain) {
    for (const auto& f : fieldsOf<TypeParam>())
        this->set(std::string(f.info.id), formatValue(f.info, otherValue(f.info)));
    std::set<std::string> listed;
    for (const auto& v : listValues(this->m_session)) {
        if (!v.path.starts_with(this->path("")))
            continue;
        listed.insert(v.path);
        const auto next = withValueAt(this->m_session, v.path, v.value);
        ASSERT_TRUE(next) << v.path << " " << v.value << ": " << next.error().message;
    }
    for (const auto& f : fieldsOf<TypeParam>())
        EXPECT_TRUE(listed.contains(this->path(std::string(f.info.id)))) << f.info.id;
    EXPECT_TRUE(listed.contains(this->path("on")));
    EXPECT_EQ(listed.contains(this->path("key")), KindOf<TypeParam>::hearsKey);
}

TYPED_TEST(Kind, TypedNonsenseIsRefusedAndChangesNothing) {
    for (const auto* rest : {"loudness", "on/off", "section/fill/nothing", "9/gain_db", "1/2/3/4", ""})
        EXPECT_FALSE(withValueAt(this->m_session, this->path(rest), "1")) << rest;
    for (const auto& f : fieldsOf<TypeParam>())
        EXPECT_FALSE(withValueAt(this->m_session, this->path(std::string(f.info.id)), "soup")) << f.info.id;
}

TYPED_TEST(Kind, FieldsOfANewerProgramStayWhereTheyWere) {
    this->m_session = withSectionChange(
        this->m_session, this->m_id,
        {"fill",
         20,
         {{std::string(fieldsOf<TypeParam>()[0].info.id), fieldsOf<TypeParam>()[0].info.most}},
         {},
         {}});
    Json json = Json::parse(toJson(this->m_session));
    auto& module = json["elements"][0]["chain"][0];
    module["shimmer"] = 3;
    module["changes"][0]["shimmer"] = 4;
    module["changes"][0]["values"]["shimmer_db"] = 5;
    if constexpr (HasItems<TypeParam>)
        module[std::string(KindOf<TypeParam>::itemsId)][1]["shimmer"] = 6;
    const auto read = fromJson(json.dump(), "x");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(Json::parse(toJson(*read))["elements"][0]["chain"][0], module);
}

TYPED_TEST(Kind, AValueThatMakesNoSenseKeepsTheModuleWhole) {
    Json json = Json::parse(toJson(this->m_session));
    auto& module = json["elements"][0]["chain"][0];
    module[std::string(fieldsOf<TypeParam>()[0].info.id)] = "soup";
    const auto read = fromJson(json.dump(), "x");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_TRUE(std::holds_alternative<UnknownModule>(read->chain(this->m_owner)->front().settings));
    EXPECT_EQ(kindId(read->chain(this->m_owner)->front().settings), KindOf<TypeParam>::id);
    EXPECT_EQ(Json::parse(toJson(*read))["elements"][0]["chain"][0], module);
}

TYPED_TEST(Kind, WhatGlidesCanBeOtherInASection) {
    int count = 0;
    const auto check = [&](const ParameterInfo& info, const std::string& prefix) {
        const std::string rest = "section/fill/" + prefix + std::string(info.id);
        const std::string value = formatValue(info, otherValue(info));
        if (!info.glides) {
            EXPECT_FALSE(withValueAt(this->m_session, this->path(rest), value)) << rest;
            return;
        }
        ++count;
        this->set(rest, value);
    };
    for (const auto& f : fieldsOf<TypeParam>())
        check(f.info, "");
    if constexpr (HasItems<TypeParam>)
        for (const auto& f : itemFieldsOf<TypeParam>())
            check(f.info, "2/");
    ASSERT_EQ(this->module().changes.size(), 1U);
    EXPECT_EQ(this->module().changes[0].values.size(), static_cast<std::size_t>(count));
    EXPECT_GT(count, 0);
    const auto other = std::get<TypeParam>(withChange(this->module().settings, this->module().changes[0]));
    for (const auto& f : fieldsOf<TypeParam>())
        EXPECT_EQ(formatValue(f.info, f.get(other)),
                  formatValue(f.info, f.info.glides ? otherValue(f.info) : f.info.standard))
            << f.info.id;
    if constexpr (HasItems<TypeParam>) {
        for (const auto& f : itemFieldsOf<TypeParam>())
            EXPECT_EQ(f.get(KindOf<TypeParam>::items(other)[1]) != f.info.standard, f.info.glides)
                << f.info.id;
    }
    EXPECT_EQ(this->reread(this->m_session), this->m_session);
    // And all of it can be listed, set elsewhere, and taken back.
    for (const auto& v : listValues(this->m_session))
        if (v.path.starts_with(this->path("section/"))) {
            EXPECT_TRUE(withValueAt(this->m_session, v.path, v.value)) << v.path << " " << v.value;
        }
    this->set("section/fill/glide_ms", "0.5 s");
    EXPECT_EQ(this->module().changes[0].glideMs, 500);
    this->set("section/fill/remove", "");
    EXPECT_TRUE(this->module().changes.empty());
}

TYPED_TEST(Kind, OnlyOnesThatHearHaveAKey) {
    const std::string other = this->m_session.nameOf(this->m_kit.elements[1]);
    const auto keyed = withValueAt(this->m_session, this->path("key"), other);
    ASSERT_EQ(static_cast<bool>(keyed), KindOf<TypeParam>::hearsKey);
    if (keyed) {
        EXPECT_EQ(keyed->chain(this->m_owner)->front().key, this->m_kit.elements[1]);
        EXPECT_EQ(this->reread(*keyed), *keyed);
    }
}

TYPED_TEST(Kind, TheSecondStaysTheSecondWhateverIsRemovedOrMoved) {
    auto s = this->m_session;
    const Id second = addModule(s, this->m_owner, TypeParam{});
    const Id third = addModule(s, this->m_owner, TypeParam{});
    s = withModulesSwapped(s, this->m_owner, this->m_id, third);
    s = withoutModule(s, this->m_id);
    EXPECT_EQ(findModule<TypeParam>(*s.chain(this->m_owner), 1), nullptr);
    EXPECT_EQ(findModule<TypeParam>(*s.chain(this->m_owner), 2)->id, second);
    EXPECT_EQ(findModule<TypeParam>(*s.chain(this->m_owner), 3)->id, third);
    EXPECT_EQ(findModule<TypeParam>(*s.chain(this->m_owner))->id, second) << "of those that are left";
    EXPECT_EQ(this->reread(s), s);
    const std::string name = s.nameOf(this->m_owner) + "/" + std::string(KindOf<TypeParam>::id) + "#2/on";
    const auto off = withValueAt(s, name, "off");
    ASSERT_TRUE(off) << off.error().message;
    for (const auto& m : *off->chain(this->m_owner))
        EXPECT_EQ(m.isOn, m.id != second);
    const Id again = addModule(s, this->m_owner, TypeParam{});
    EXPECT_EQ(findModule<TypeParam>(*s.chain(this->m_owner), 1)->id, again) << "the lowest that is free";
}

TYPED_TEST(Kind, APartedPairHasItsOwnModulesWithTheSameChanges) {
    auto kit = test::memoryKit({{test::noise(0.1, 100, 1), test::noise(0.1, 100, 2)}});
    Session s = kit.session;
    s.elements[0].edit([&](Element& e) {
        e.chain = *this->m_session.chain(this->m_owner);
        for (auto& m : e.chain) {
            m.id = s.nextId++;
            renumberItems(m, [&] { return s.nextId++; });
        }
    });
    const std::string prefix = s.nameOf(kit.elements[0]) + "/" + std::string(KindOf<TypeParam>::id);
    for (const auto& f : fieldsOf<TypeParam>())
        if (f.info.glides)
            s = *withValueAt(s, prefix + "/section/fill/" + std::string(f.info.id),
                             formatValue(f.info, otherValue(f.info)));
    if constexpr (HasItems<TypeParam>)
        for (const auto& f : itemFieldsOf<TypeParam>())
            if (f.info.glides)
                s = *withValueAt(s, prefix + "/section/fill/2/" + std::string(f.info.id),
                                 formatValue(f.info, otherValue(f.info)));
    const auto parted = withPairParted(s, kit.elements[0]);
    ASSERT_TRUE(parted) << parted.error().message;
    const auto& left = parted->elements[0]->chain.front();
    const auto& right = parted->elements[1]->chain.front();
    EXPECT_NE(left.id, right.id);
    ASSERT_EQ(right.changes.size(), 1U);
    EXPECT_EQ(right.changes[0].values.size(), left.changes[0].values.size());
    const auto inFill = [](const Module& m) {
        auto settings = std::get<TypeParam>(withChange(m.settings, m.changes[0]));
        if constexpr (HasItems<TypeParam>)
            for (auto& item : KindOf<TypeParam>::items(settings))
                item.id = kNoId;
        return settings;
    };
    EXPECT_EQ(inFill(left), inFill(right));
    EXPECT_EQ(this->reread(*parted), *parted);
}

/// A new layout is a new sound faded in; what glides must not need one, nor change what is late.
TYPED_TEST(Kind, WhatGlidesKeepsTheLayoutAndTheLatency) {
    const auto compiled = [&](const Session& s) {
        const auto plan = graph::compile(s, this->m_kit.lookup);
        EXPECT_TRUE(plan) << plan.error().message;
        return *plan;
    };
    const auto before = compiled(this->m_session);
    for (const auto& f : fieldsOf<TypeParam>()) {
        if (!f.info.glides)
            continue;
        for (const double value : {f.info.least, f.info.most, otherValue(f.info)}) {
            const auto after = compiled(withModule(this->m_session, this->m_id, [&](Module& m) {
                f.set(std::get<TypeParam>(m.settings), value);
            }));
            EXPECT_EQ(after->layout, before->layout) << f.info.id << " " << value;
            EXPECT_EQ(after->latencyFrames, before->latencyFrames) << f.info.id << " " << value;
        }
    }
}

TEST(Words, OlderOnesCanStillBeTyped) {
    const auto& dynamics = field(eqBandFields(), "dynamics").info;
    EXPECT_EQ(*parseValue(dynamics, "when soft"), 2);
    EXPECT_EQ(*parseValue(dynamics, "below threshold"), 2);
    EXPECT_EQ(*parseValue(dynamics, "below"), 2);
    EXPECT_EQ(*parseValue(field(fieldsOf<dsp::GateSettings>(), "release_curve").info, "quick at first"), 2);
    EXPECT_EQ(*parseValue(field(fieldsOf<dsp::GateSettings>(), "reach").info, "everything"), 0);
    EXPECT_EQ(*parseValue(field(eqBandFields(), "part").info, "the middle"), 1);
    EXPECT_FALSE(parseValue(dynamics, "when wet"));
}

TEST(Ordinals, OlderSessionsAreNumberedByRank) {
    auto kit = test::memoryKit({{test::noise(0.1, 100, 1)}});
    Session s = kit.session;
    addBand(s, kit.elements[0], {}, EqPlace::Repair);
    addBand(s, kit.elements[0], {}, EqPlace::Colour);
    addModule(s, kit.elements[0], dsp::GateSettings{});
    Json json = Json::parse(toJson(s));
    for (auto& module : json["elements"][0]["chain"])
        module.erase("ordinal");
    const auto read = fromJson(json.dump(), "x");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(*read, s);
    // Twice the same, none at all and nonsense: those that say it keep theirs.
    auto& chain = json["elements"][0]["chain"];
    chain.push_back(chain[1]);
    chain.back()["id"] = 900;
    chain.back()["bands"][0]["id"] = 901;
    chain[1]["ordinal"] = -7;
    chain[2]["ordinal"] = 1;
    chain.back()["ordinal"] = 1;
    const auto odd = fromJson(json.dump(), "x");
    ASSERT_TRUE(odd) << odd.error().message;
    std::vector<int> ordinals;
    for (const auto& m : *odd->chain(kit.elements[0]))
        ordinals.push_back(m.ordinal);
    EXPECT_EQ(ordinals, (std::vector<int>{1, 2, 1, 3}));
}

TEST(Ordinals, ColourStaysColourWhenTheRepairIsRemoved) {
    auto kit = test::memoryKit({{test::noise(0.1, 100, 1)}});
    Session s = kit.session;
    addBand(s, kit.elements[0], {}, EqPlace::Repair);
    const Id colour = addBand(s, kit.elements[0], {}, EqPlace::Colour);
    s = withoutModule(s, findEq(*s.chain(kit.elements[0]), EqPlace::Repair)->id);
    s = *fromJson(toJson(s), "x");
    const auto* left = findEq(*s.chain(kit.elements[0]), EqPlace::Colour);
    ASSERT_NE(left, nullptr);
    EXPECT_EQ(std::get<dsp::EqSettings>(left->settings).bands[0].id, colour);
    EXPECT_EQ(wordsOf(*left), "colour");
    EXPECT_EQ(findEq(*s.chain(kit.elements[0]), EqPlace::Repair), nullptr);
    // A new move for repair makes a new equaliser, before the other.
    addBand(s, kit.elements[0], {}, EqPlace::Repair);
    EXPECT_EQ(s.chain(kit.elements[0])->front().ordinal, 1);
    EXPECT_EQ(s.chain(kit.elements[0])->size(), 2U);
}

TEST(Items, ABandThatGoesTakesItsChangesAlong) {
    auto kit = test::memoryKit({{test::noise(0.1, 100, 1)}});
    Session s = kit.session;
    const std::string eq = s.nameOf(kit.elements[0]) + "/eq/";
    for (const auto& [path, value] : {std::pair("add", "bell"),
                                      {"add", "bell"},
                                      {"section/fill/1/gain_db", "3"},
                                      {"section/fill/2/gain_db", "4"}})
        s = *withValueAt(s, eq + path, value);
    s = *withValueAt(s, eq + "1/remove", "");
    const auto& m = s.chain(kit.elements[0])->front();
    ASSERT_EQ(m.changes.size(), 1U);
    EXPECT_EQ(m.changes[0].values.size(), 1U);
    EXPECT_EQ(m.changes[0].values.begin()->second, 4);
    s = withoutBand(s, kit.elements[0], std::get<dsp::EqSettings>(m.settings).bands[0].id);
    EXPECT_TRUE(s.chain(kit.elements[0])->front().changes.empty());
}

} // namespace
} // namespace cask::session
