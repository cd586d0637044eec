#include "core/advise/house_style_files.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <fstream>
#include <iterator>

namespace cask::advise {
namespace {

using Json = nlohmann::json;

TEST(HouseStyle, ShippedOnesAreWholeAndDiffer) {
    ASSERT_GE(shippedStyleTexts().size(), 2U);
    std::vector<HouseStyle> styles;
    for (const auto text : shippedStyleTexts()) {
        const auto style = houseStyleFromJson(text, "shipped");
        ASSERT_TRUE(style) << style.error().message;
        EXPECT_FALSE(style->words.empty());
        // Nothing of a shipped file is left to defaults, so that a copy shows all there is to change.
        const auto json = Json::parse(text);
        for (const auto& field : houseStyleFields())
            EXPECT_TRUE(json.contains(std::string(field.info.id))) << style->id << ": " << field.info.id;
        styles.push_back(*style);
    }
    EXPECT_NE(styles[0].id, styles[1].id);
    EXPECT_NE(styles[0].nearPairs, styles[1].nearPairs);
    EXPECT_EQ(standardStyle(), styles[0]);
}

TEST(HouseStyle, EveryValueSurvivesARoundTrip) {
    HouseStyle style;
    style.id = "mine";
    style.name = "My \"own\"";
    style.words = "Two\nlines";
    for (const auto& field : houseStyleFields()) {
        const double share = 0.75;
        field.set(style, session::fromShare(field.info, share));
    }
    const auto read = houseStyleFromJson(houseStyleToJson(style), "text");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(*read, style);
}

TEST(HouseStyle, WhatIsMissingIsStandard) {
    const auto style = houseStyleFromJson(
        R"({"format": "ember-cask house style", "version": 1, "id": "a", "name": "A", "gate_room_db": 12})",
        "a");
    ASSERT_TRUE(style) << style.error().message;
    HouseStyle wanted;
    wanted.id = "a";
    wanted.name = "A";
    wanted.gateRoomDb = 12;
    EXPECT_EQ(*style, wanted);
}

TEST(HouseStyle, BadOnesAreRefusedWithTheFileAndTheValue) {
    const std::string head = R"({"format": "ember-cask house style", "version": 1, "id": "a", "name": "A")";
    const auto errorOf = [](const std::string& text) {
        const auto style = houseStyleFromJson(text, "odd.json");
        EXPECT_FALSE(style) << text;
        return style ? std::string() : style.error().message;
    };
    for (const std::string& text :
         {std::string("no json"), std::string("[]"), std::string("{}"), std::string(R"({"format": 3})"),
          std::string(R"({"format": "ember-cask house style", "version": 2, "id": "a", "name": "A"})"),
          std::string(R"({"format": "ember-cask house style", "version": 1, "id": "", "name": "A"})")})
        EXPECT_NE(errorOf(text).find("odd.json"), std::string::npos);
    EXPECT_NE(errorOf(head + R"(, "gate_room_db": 400})").find("gate_room_db"), std::string::npos);
    EXPECT_NE(errorOf(head + R"(, "near_pairs": "twist"})").find("near_pairs"), std::string::npos);
    EXPECT_NE(errorOf(head + R"(, "near_pairs": {}})").find("near_pairs"), std::string::npos);
}

TEST(HouseStyle, TheUsersOwnStandBesideOrInPlaceOfTheShipped) {
    const test::TempFolder folder;
    const auto copied = copyStyleForEditing(standardStyle(), folder / "styles");
    ASSERT_TRUE(copied);
    auto json = Json::parse(std::ifstream(*copied));
    json["gate_room_db"] = 17;
    std::ofstream(*copied) << json;
    json["id"] = "loud";
    json["name"] = "Loud";
    std::ofstream(folder.path() / "styles" / "loud.json") << json;
    std::ofstream(folder.path() / "styles" / "broken.json") << "{";
    const auto found = loadHouseStyles(folder / "styles");
    ASSERT_EQ(found.styles.size(), shippedStyleTexts().size() + 1);
    EXPECT_EQ(found.find(standardStyle().id).gateRoomDb, 17);
    EXPECT_TRUE(found.has("loud"));
    EXPECT_EQ(found.find("nobody").gateRoomDb, 17) << "the standard style as the user has it";
    ASSERT_EQ(found.problems.size(), 1U);
    EXPECT_NE(found.problems[0].find("broken.json"), std::string::npos);
    // A second copy leaves what was edited.
    ASSERT_TRUE(copyStyleForEditing(standardStyle(), folder / "styles"));
    EXPECT_EQ(loadHouseStyles(folder / "styles").find(standardStyle().id).gateRoomDb, 17);
}

measure::ToneShape shape(float db) {
    measure::ToneShape filled{};
    filled.fill(db);
    filled[4] = -12.3F;
    return filled;
}

TEST(ToneReferences, RangesAreWrittenReadAndChecked) {
    HouseStyle style;
    style.id = "mine";
    style.name = "Mine";
    style.references.ranges[Role::FloorTom] = {shape(-20), shape(2.5F)};
    style.references.ranges[Role::KickIn] = {shape(-13), shape(0)};
    const auto text = houseStyleToJson(style);
    const auto read = houseStyleFromJson(text, "text");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(*read, style);
    EXPECT_NE(text.find("[ -20.0, -20.0, -20.0, -20.0, -12.3, -20.0"), std::string::npos)
        << "a list stands on one line\n"
        << text;
    auto json = Json::parse(text);
    const auto errorWith = [&](const Json& ranges) {
        json["tone_ranges"] = ranges;
        const auto bad = houseStyleFromJson(json.dump(), "odd.json");
        EXPECT_FALSE(bad) << ranges.dump();
        return bad ? std::string() : bad.error().message;
    };
    const auto good = Json::parse(text)["tone_ranges"]["kick_in"];
    EXPECT_NE(errorWith({{"gong", good}}).find("gong"), std::string::npos);
    EXPECT_NE(errorWith(Json::array()).find("tone_ranges"), std::string::npos);
    EXPECT_NE(errorWith({{"kick_in", 3}}).find("kick_in"), std::string::npos);
    auto odd = good;
    odd["from_db"].erase(0);
    EXPECT_NE(errorWith({{"kick_in", odd}}).find("27 values"), std::string::npos);
    odd = good;
    odd["to_db"][2] = "loud";
    EXPECT_NE(errorWith({{"kick_in", odd}}).find("27 values"), std::string::npos);
    odd["to_db"][2] = -60;
    EXPECT_NE(errorWith({{"kick_in", odd}}).find("value 3"), std::string::npos);
}

TEST(ToneReferences, DrumsAreKeptBesideTheStylesAndMakeARangeFromThreeOn) {
    const test::TempFolder folder;
    const auto& standard = standardStyle();
    HouseStyle style = standard;
    const auto usual = style.references.of(Role::SnareTop);
    ASSERT_TRUE(usual) << "a shipped style has one";
    EXPECT_EQ(usual->drums, 0);
    for (const char* name : {"a", "b", "a"}) // the same drum again is no third
        style.references.keep({Role::SnareTop, name, shape(1)});
    EXPECT_EQ(style.references.of(Role::SnareTop)->range, usual->range);
    style.references.keep({Role::SnareTop, "c", shape(9)});
    const auto own = style.references.of(Role::SnareTop);
    EXPECT_EQ(own->drums, 3);
    EXPECT_FLOAT_EQ(own->range.fromDb[0], 1);
    EXPECT_FLOAT_EQ(own->range.toDb[0], 9);
    const auto saved = saveReferences(style, folder.path());
    ASSERT_TRUE(saved) << saved.error().message;
    const auto found = loadHouseStyles(folder.path());
    EXPECT_TRUE(found.problems.empty());
    EXPECT_EQ(found.find(standard.id).references, style.references);
    EXPECT_TRUE(found.styles[1].references.drums.empty()) << "each style has its own";
    style.references.forget(Role::SnareTop, "c");
    ASSERT_TRUE(saveReferences(style, folder.path()));
    EXPECT_EQ(loadHouseStyles(folder.path()).find(standard.id).references.of(Role::SnareTop)->drums, 0);
    EXPECT_FALSE(style.references.of(Role::Effect));
}

TEST(ToneReferences, AFileThatCanNotBeReadIsNamedAndLeftAsItIs) {
    const test::TempFolder folder;
    const auto path = *saveReferences(standardStyle(), folder.path());
    for (const char* text :
         {"[", R"({"format": "x"})", R"({"format": "ember-cask tone references", "version": 2})",
          R"({"format": "ember-cask tone references", "version": 1})",
          R"({"format": "ember-cask tone references", "version": 1, "drums": [3]})"}) {
        std::ofstream(path) << text;
        const auto found = loadHouseStyles(folder.path());
        ASSERT_EQ(found.problems.size(), 1U) << text;
        EXPECT_NE(found.problems[0].find(path.string()), std::string::npos) << found.problems[0];
        EXPECT_EQ(found.find(standardStyle().id), standardStyle());
        const auto saved = saveReferences(standardStyle(), folder.path());
        ASSERT_FALSE(saved) << "what the user has there is not written over";
        EXPECT_NE(saved.error().message.find(path.string()), std::string::npos);
        std::ifstream in(path);
        EXPECT_EQ(std::string(std::istreambuf_iterator<char>(in), {}), text);
    }
}

} // namespace
} // namespace cask::advise
