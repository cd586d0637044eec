// Recipes: round trips, what a newer program wrote, where their parts go.
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/recipe_files.h"
#include "core/session/session_json.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <fstream>

namespace cask::session {
namespace {

using RawJson = nlohmann::json;

/// Two toms and a kick; the first tom has a gate that listens to the kick, and an equaliser.
struct ThreeDrums {
    Session s = emptySession();
    Id kick = add("Kick In", Role::KickIn);
    Id tom = add("Tom 1", Role::RackTom);
    Id other = add("Tom 2", Role::RackTom);
    Id gate = kNoId;

    ThreeDrums() {
        dsp::GateSettings g;
        g.openDb = -30;
        gate = addModule(s, tom, g);
        s = *withKey(s, tom, gate, kick);
        dsp::EqBand band;
        band.frequencyHz = 400;
        band.gainDb = -4;
        addBand(s, tom, band);
    }
    Id add(const std::string& name, Role role) {
        Element e;
        e.id = s.nextId++;
        e.name = name;
        e.role = role;
        SourceFile file;
        file.id = s.nextId++;
        file.path = "/" + name + ".wav";
        file.channels = 1;
        file.frames = 48000;
        file.sampleRateHz = 48000;
        e.channels = {{file.id, 0, {}}};
        s.files.emplace_back(std::move(file));
        e.out.bus = s.buses.front()->id;
        s.elements.emplace_back(std::move(e));
        return s.elements.back()->id;
    }
};

DrumFacts noFacts(Id /*owner*/) {
    return {};
}

/// The session as it is stored: ids that clash or point nowhere are refused there.
void expectReadsBack(const Session& s) {
    const auto read = fromJson(toJson(s), "test");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(toJson(*read), toJson(s));
}

TEST(Recipe, SurvivesARoundTrip) {
    const ThreeDrums kit;
    auto recipe = recipeOf(kit.s, kit.tom, {-12, 110, 96}, RecipeScope::Chain);
    recipe.name = "Tom \"clean\"";
    recipe.notes = "Zwei\nZeilen";
    const auto read = recipeFromJson(toJson(recipe), "test");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(*read, recipe);
    EXPECT_EQ(read->parts[0].keys.at(kit.gate).name, "Kick In");
    const auto whole = kitRecipeOf(kit.s, noFacts);
    EXPECT_EQ(*recipeFromJson(toJson(whole), "test"), whole);
    EXPECT_EQ(whole.parts.size(), 1U) << "chains without modules are left out";
}

TEST(Recipe, WhatANewerProgramWroteIsKept) {
    const ThreeDrums kit;
    auto json = RawJson::parse(toJson(recipeOf(kit.s, kit.tom, {}, RecipeScope::Chain)));
    json["shelf"] = "upper";
    json["parts"][0]["facts"]["own_hits_db"] = -9;
    json["parts"][0]["mood"] = 3;
    json["parts"][0]["chain"][0]["wobble_percent"] = 12;
    json["parts"][0]["chain"].push_back({{"id", 900}, {"type", "transmogrifier"}, {"depth", 5}});
    const auto read = recipeFromJson(json.dump(), "test");
    ASSERT_TRUE(read) << read.error().message;
    const auto again = RawJson::parse(toJson(*read));
    EXPECT_EQ(again["shelf"], "upper");
    EXPECT_EQ(again["parts"][0]["mood"], 3);
    EXPECT_EQ(again["parts"][0]["chain"][0]["wobble_percent"], 12);
    EXPECT_EQ(again["parts"][0]["chain"][2]["depth"], 5);
    EXPECT_EQ(again["parts"][0]["chain"][2]["type"], "transmogrifier");
    // Put on twice, the unknown module has an id of its own each time.
    auto s = kit.s;
    for (int i = 0; i < 2; ++i)
        s = withRecipe(s, *read, planRecipe(s, *read, {kit.other, kit.kick}, noFacts));
    expectReadsBack(s);
    EXPECT_EQ(s.chain(kit.other)->size(), 3U);
    json["schema_version"] = 2;
    EXPECT_EQ(recipeFromJson(json.dump(), "test").error().code, ErrorCode::NewerVersion);
}

TEST(Recipe, BadOnesAreRefusedWithASentence) {
    const ThreeDrums kit;
    const auto good = RawJson::parse(toJson(recipeOf(kit.s, kit.tom, {}, RecipeScope::Chain)));
    const auto refused = [&](const std::function<void(RawJson&)>& spoil) {
        RawJson json = good;
        spoil(json);
        const auto read = recipeFromJson(json.dump(), "tom.json");
        return !read && read.error().message.starts_with("tom.json ") && read.error().message.ends_with('.');
    };
    EXPECT_TRUE(refused([](RawJson& j) { j["format"] = "other"; }));
    EXPECT_TRUE(refused([](RawJson& j) { j.erase("schema_version"); }));
    EXPECT_TRUE(refused([](RawJson& j) { j["scope"] = "planet"; }));
    EXPECT_TRUE(refused([](RawJson& j) { j["parts"] = RawJson::array(); }));
    EXPECT_TRUE(refused([](RawJson& j) { j["parts"][0]["chain"] = 5; }));
    EXPECT_TRUE(refused([](RawJson& j) { j["parts"][0]["facts"]["bpm"] = "fast"; }));
    EXPECT_FALSE(recipeFromJson("{", "x"));
    EXPECT_FALSE(recipeFromJson(std::string(200, '['), "x"));
}

TEST(Recipe, AChainTakesThePlaceAndModulesJoin) {
    ThreeDrums kit;
    dsp::CompressorSettings c;
    const Id old = addModule(kit.s, kit.other, c);
    dsp::GateSettings there;
    there.openDb = -50;
    const Id thereId = addModule(kit.s, kit.other, there);

    const auto chain = recipeOf(kit.s, kit.tom, {}, RecipeScope::Chain);
    const auto replaced = withRecipe(kit.s, chain, planRecipe(kit.s, chain, {kit.other}, noFacts));
    expectReadsBack(replaced);
    ASSERT_EQ(replaced.chain(kit.other)->size(), 2U);
    EXPECT_EQ(findModule<dsp::CompressorSettings>(*replaced.chain(kit.other)), nullptr);
    EXPECT_EQ(findModule<dsp::GateSettings>(*replaced.chain(kit.other))->key, kit.kick);

    const auto only = recipeOf(kit.s, kit.tom, {}, RecipeScope::Modules, [](const Module& m) {
        return std::holds_alternative<dsp::GateSettings>(m.settings);
    });
    const auto joined = withRecipe(kit.s, only, planRecipe(kit.s, only, {kit.other}, noFacts));
    expectReadsBack(joined);
    ASSERT_EQ(joined.chain(kit.other)->size(), 2U) << "the gate that was there has the new values";
    const auto* gate = findModule<dsp::GateSettings>(*joined.chain(kit.other));
    EXPECT_EQ(gate->id, thereId);
    EXPECT_EQ(std::get<dsp::GateSettings>(gate->settings).openDb, -30);
    EXPECT_NE(findModule<dsp::CompressorSettings>(*joined.chain(kit.other)), nullptr);
    EXPECT_GT(old, 0);
}

TEST(Recipe, KeysAreFoundByNameThenByRole) {
    const ThreeDrums kit;
    const auto recipe = recipeOf(kit.s, kit.tom, {}, RecipeScope::Chain);
    const auto keyOn = [&](Session s, Id owner, std::size_t notes) {
        const auto plan = planRecipe(s, recipe, {owner}, noFacts);
        EXPECT_EQ(plan.notes.size(), notes);
        s = withRecipe(std::move(s), recipe, plan);
        expectReadsBack(s);
        return findModule<dsp::GateSettings>(*s.chain(owner))->key;
    };
    EXPECT_EQ(keyOn(kit.s, kit.other, 0), kit.kick);
    EXPECT_EQ(keyOn(withName(kit.s, kit.kick, "Bass drum"), kit.other, 0), kit.kick) << "by its role";
    EXPECT_EQ(keyOn(withoutElement(kit.s, kit.kick), kit.other, 1), kNoId);
    EXPECT_EQ(keyOn(kit.s, kit.kick, 1), kNoId) << "nothing listens to itself as a key";
}

TEST(Recipe, PartsOfAKitGoToTheirRoles) {
    ThreeDrums kit;
    dsp::GateSettings second;
    second.openDb = -44;
    addModule(kit.s, kit.other, second);
    addModule(kit.s, kit.s.buses[0]->id, dsp::CompressorSettings{});
    const auto recipe = kitRecipeOf(kit.s, noFacts);
    ASSERT_EQ(recipe.parts.size(), 3U);
    // Another session: the toms the other way round, and a third one that gets nothing.
    ThreeDrums there;
    there.s = emptySession();
    const Id a = there.add("Low", Role::RackTom);
    const Id b = there.add("High", Role::RackTom);
    const Id c = there.add("More", Role::RackTom);
    const auto made = withRecipe(there.s, recipe, planRecipe(there.s, recipe, {}, noFacts));
    expectReadsBack(made);
    EXPECT_EQ(std::get<dsp::GateSettings>(findModule<dsp::GateSettings>(*made.chain(a))->settings).openDb,
              -30);
    EXPECT_EQ(std::get<dsp::GateSettings>(findModule<dsp::GateSettings>(*made.chain(b))->settings).openDb,
              -44);
    EXPECT_TRUE(made.chain(c)->empty());
    EXPECT_EQ(made.chain(made.buses[0]->id)->size(), 1U);
    const auto nobody = planRecipe(emptySession(), recipe, {}, noFacts);
    EXPECT_EQ(nobody.steps.size(), 1U) << "the bus";
    EXPECT_EQ(nobody.notes.size(), 2U) << "each tom is named";
}

TEST(Recipe, ValuesAreAdaptedWhereTheyGo) {
    const ThreeDrums kit;
    const auto recipe = recipeOf(kit.s, kit.tom, {-12, 200, 120}, RecipeScope::Chain);
    const auto factsOf = [&](Id id) { return id == kit.other ? DrumFacts{-20, 150, 120} : DrumFacts{}; };
    const auto plan = planRecipe(kit.s, recipe, {kit.other}, factsOf);
    const auto made = withRecipe(kit.s, recipe, plan);
    const auto& bands =
        std::get<dsp::EqSettings>(findEq(*made.chain(kit.other), EqPlace::Repair)->settings).bands;
    EXPECT_DOUBLE_EQ(bands[0].frequencyHz, 300);
    const auto plain = withRecipe(kit.s, recipe, planRecipe(kit.s, recipe, {kit.other}, factsOf, false));
    EXPECT_DOUBLE_EQ(std::get<dsp::EqSettings>(findEq(*plain.chain(kit.other), EqPlace::Repair)->settings)
                         .bands[0]
                         .frequencyHz,
                     400);
}

TEST(RecipeFiles, ShippedOnesAreWhole) {
    const auto found = loadRecipes({});
    EXPECT_GE(found.recipes.size(), 8U);
    EXPECT_TRUE(found.problems.empty());
    for (const auto& [recipe, file] : found.recipes) {
        EXPECT_FALSE(recipe.notes.empty()) << recipe.name;
        for (const auto& part : recipe.parts) {
            EXPECT_FALSE(part.chain.empty());
            EXPECT_TRUE(part.isBus || (part.role != Role::Unknown && part.facts.ownDb)) << recipe.name;
            for (const auto& module : part.chain) {
                EXPECT_FALSE(std::holds_alternative<UnknownModule>(module.settings)) << recipe.name;
                EXPECT_TRUE(module.extra.json.empty()) << recipe.name << " has a value that is not known";
            }
        }
        ThreeDrums kit;
        const auto made = withRecipe(kit.s, recipe, planRecipe(kit.s, recipe, {kit.kick}, noFacts));
        expectReadsBack(made);
    }
}

TEST(RecipeFiles, AreSavedListedReplacedAndRemoved) {
    const test::TempFolder folder;
    const ThreeDrums kit;
    auto recipe = recipeOf(kit.s, kit.tom, {}, RecipeScope::Chain);
    recipe.name = "My tom / low!";
    const auto saved = saveRecipe(recipe, false, folder.path());
    ASSERT_TRUE(saved) << saved.error().message;
    EXPECT_EQ(saved->filename(), "my-tom-low.json");
    EXPECT_EQ(saveRecipe(recipe, false, folder.path()).error().code, ErrorCode::Exists);
    recipe.notes = "newer";
    ASSERT_TRUE(saveRecipe(recipe, true, folder.path()));
    auto found = loadRecipes(folder.path());
    ASSERT_NE(found.find("my TOM / low!"), nullptr);
    EXPECT_EQ(found.find("my TOM / low!")->recipe, recipe);
    EXPECT_FALSE(removeRecipe(*found.find("Tom: clean"))) << "it ships";
    ASSERT_TRUE(removeRecipe(*found.find(recipe.name)));
    EXPECT_EQ(loadRecipes(folder.path()).find(recipe.name), nullptr);
    // What can't be read is told, stays, and is never written over.
    std::ofstream(*saved) << "{\"format\":\"ember-cask-recipe\",\"schema_version\":9}";
    EXPECT_EQ(loadRecipes(folder.path()).problems.size(), 1U);
    EXPECT_EQ(saveRecipe(recipe, true, folder.path()).error().code, ErrorCode::NewerVersion);
    recipe.parts[0].chain.clear();
    EXPECT_EQ(saveRecipe(recipe, true, folder.path()).error().code, ErrorCode::Empty);
}

} // namespace
} // namespace cask::session
