// Elements rendered to files and taken in on the command line.
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

TEST(CliBounce, AFileIsMadeAndTakenIn) {
    const test::TempFolder folder;
    const auto kit = folder / "Kit.cask";
    test::writeWav(folder / "Snare Top.wav", test::noise(0.2, 24000, 1));
    ASSERT_EQ(call({"new", kit, folder / "Snare Top.wav"}).code, kDone);
    const auto made = call({"bounce", kit, "Snare Top", "--replace", "--json"});
    ASSERT_EQ(made.code, kDone) << made.err;
    const auto json = Json::parse(made.out);
    EXPECT_EQ(json["element"], "Snare Top bounced");
    EXPECT_EQ(json["frames"], 24000);
    EXPECT_EQ(test::readAll(json["file"].get<std::string>()).size(), 48000U);
    const auto values = Json::parse(call({"set", kit, "--json"}).out);
    EXPECT_EQ(values["Snare Top/muted"], "on");
    EXPECT_EQ(values["Snare Top bounced/role"], values["Snare Top/role"]);
    const auto again = Json::parse(call({"bounce", kit, "Snare Top", "--json"}).out);
    EXPECT_NE(again["file"], json["file"]);
    EXPECT_NE(again["element"], json["element"]);
}

TEST(CliBounce, WhatCantBeRenderedIsNamed) {
    const test::TempFolder folder;
    const auto kit = folder / "Kit.cask";
    test::writeWav(folder / "Kick.wav", test::noise(0.2, 24000, 1));
    ASSERT_EQ(call({"new", kit, folder / "Kick.wav"}).code, kDone);
    auto result = call({"bounce", kit, "Cowbell"});
    EXPECT_EQ(result.code, kBadInput);
    EXPECT_NE(result.err.find("Cowbell"), std::string::npos);
    result = call({"bounce", kit, "Kick", "--out", folder / "Kick.wav"});
    EXPECT_EQ(result.code, kBadInput) << "a source is never written over";
    result = call({"bounce", kit, "Kick", "--from", "1", "--to", "0.5"});
    EXPECT_EQ(result.code, kBadInput);
    EXPECT_EQ(call({"bounce", kit, "Kick", "--file-only", "--out", folder / "Out.wav"}).code, kDone);
    EXPECT_EQ(Json::parse(call({"set", kit, "--json"}).out).count("Kick bounced/muted"), 0U);
}

} // namespace
} // namespace cask::cli
