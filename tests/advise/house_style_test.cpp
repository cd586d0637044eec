#include "core/advise/house_style_files.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <fstream>

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
    EXPECT_EQ(found.find("nobody"), standardStyle());
    ASSERT_EQ(found.problems.size(), 1U);
    EXPECT_NE(found.problems[0].find("broken.json"), std::string::npos);
    // A second copy leaves what was edited.
    ASSERT_TRUE(copyStyleForEditing(standardStyle(), folder / "styles"));
    EXPECT_EQ(loadHouseStyles(folder / "styles").find(standardStyle().id).gateRoomDb, 17);
}

} // namespace
} // namespace cask::advise
