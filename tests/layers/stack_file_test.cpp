// Stacks on the disk.
#include "core/layers/stack_file.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <fstream>

namespace cask::layers {
namespace {

Stack example() {
    Stack stack;
    stack.lengthS = 12.5;
    stack.strikes = {{0.5, 100.25, "accent"}, {1, 30, "ghost", 40}};
    Layer layer;
    layer.name = "Click";
    layer.purpose = LayerPurpose::Impact;
    layer.sounds = {{"/kit/a.wav", 0, 63}, {"/kit/sub/b.wav", 64, 127, -4.5}};
    layer.chokeGroup = 3;
    layer.chokedBy = 1000;
    layer.isInverted = true;
    layer.decayMs = 80;
    layer.rule = {StrikeKind::NoGhosts, 10, 120, 1, 9, 2, 1, true, 75, 99, 3, 200, {4, 9}};
    double value = 0.25;
    for (const auto& number : layerNumbers())
        layer.*number.value = std::clamp(value += 0.25, number.least, number.most);
    Layer kit;
    kit.kit = "/other/kit.sfz";
    kit.note = 36;
    kit.noteShift = -40;
    kit.isOn = false;
    stack.layers = {layer, kit};
    return stack;
}

TEST(StackFile, ComesBackAsItWas) {
    const auto text = toJson(example(), "/kit");
    EXPECT_NE(text.find("\"sub/b.wav\""), std::string::npos) << "below its folder by a relative name";
    const auto back = stackFromJson(text, "x", "/kit");
    ASSERT_TRUE(back) << back.error().message;
    EXPECT_EQ(*back, example());
    const auto moved = stackFromJson(text, "x", "/elsewhere");
    EXPECT_EQ(moved->layers[0].sounds[1].file, "/elsewhere/sub/b.wav");
    EXPECT_EQ(moved->layers[1].kit, "/other/kit.sfz");
}

TEST(StackFile, WhatIsWrongIsSaid) {
    const auto saysOf = [](const std::string& text) {
        const auto read = stackFromJson(text, "Name", "/");
        return read ? std::string() : read.error().message;
    };
    EXPECT_NE(saysOf("{}").find("Name"), std::string::npos);
    EXPECT_NE(saysOf("[1").find("no JSON"), std::string::npos);
    EXPECT_NE(saysOf(R"({"ember_cask_stack": 2})").find("newer"), std::string::npos);
    const auto with = [&](const std::string& rest) {
        return saysOf(R"({"ember_cask_stack": 1, )" + rest + "}");
    };
    EXPECT_EQ(with(R"("layers": [])"), "");
    EXPECT_NE(with(R"("layers": [{"gain_db": 1e9}])").find("gain_db"), std::string::npos);
    EXPECT_NE(with(R"("layers": [{"pan": "left"}])").find("pan"), std::string::npos);
    EXPECT_NE(with(R"("layers": [{"sounds": [{}]}])").find("no file"), std::string::npos);
    EXPECT_NE(with(R"("layers": [{"purpose": "fun"}])").find("fun"), std::string::npos);
    EXPECT_NE(with(R"("strikes": [{"time_s": 2}, {"time_s": 1}])").find("before"), std::string::npos);
    EXPECT_NE(with(R"("strikes": [{"time_s": -1}])").find("time_s"), std::string::npos);
    EXPECT_NE(with(R"("length_s": 1e300)").find("length_s"), std::string::npos);
    std::string many = R"("layers": [{})";
    for (std::size_t i = 0; i < kMostLayers; ++i)
        many += ",{}";
    EXPECT_NE(with(many + "]").find("the most"), std::string::npos);
    // Cut anywhere, it is refused and nothing worse.
    const auto text = toJson(example(), "/");
    for (std::size_t n = 0; n + 2 < text.size(); n += 3)
        EXPECT_FALSE(stackFromJson(text.substr(0, n), "x", "/")) << n;
}

TEST(StackFile, IsReadFromTheDisk) {
    const test::TempFolder folder;
    EXPECT_FALSE(readStack(folder / "none.stack.json"));
    std::ofstream(folder / "a.stack.json") << toJson(example(), folder.path());
    ASSERT_TRUE(readStack(folder / "a.stack.json"));
    EXPECT_TRUE(isStackFile(folder / "a.stack.json"));
    EXPECT_FALSE(isStackFile(folder / "a.json"));
    EXPECT_EQ(filesOf(example()),
              (std::vector<std::filesystem::path>{"/kit/a.wav", "/kit/sub/b.wav", "/other/kit.sfz"}));
}

} // namespace
} // namespace cask::layers
