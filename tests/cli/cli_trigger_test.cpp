// Sounds struck by hits on the command line, heard as the session renders them.
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <functional>

namespace cask::cli {
namespace {

using test::call;
using Json = nlohmann::json;

class CliTrigger : public testing::Test {
  protected:
    CliTrigger() : kit(folder / "Kit.cask"), click(folder / "Click.wav") {
        test::writeWav(folder / "Snare Top.wav", test::bursts(180, 0.5, 0.5, 0.08, 6));
        std::vector<float> x(600, 0.0F);
        x[300] = 0.5F;
        test::writeWav(click, x);
        EXPECT_EQ(call({"new", kit, folder / "Snare Top.wav"}).code, kDone);
    }
    /// Stem of an element; its left side.
    std::vector<float> stemOf(const std::string& name) {
        const auto out = folder / "out";
        const auto done = call({"render", kit, "--out", out, "--stems", "tracks", "--names", "{name}",
                                "--format", "wav32f", "--overwrite"});
        EXPECT_EQ(done.code, kDone) << done.err;
        return test::readAll(out / (name + ".wav"));
    }
    test::TempFolder folder;
    std::string kit, click;
};

TEST_F(CliTrigger, EveryGivenHitOnceAtItsFrameAndLevel) {
    Json hits = Json::array();
    for (int i = 0; i < 40; ++i)
        hits.push_back({{"time_s", 0.2 + 0.1173 * i}, {"level_db", -6.0 - 0.7 * (i % 20)}});
    hits.push_back({{"time_s", 0.2002}, {"level_db", -40}}); // the same hit once more
    std::ofstream(folder / "hits.json") << Json{{"hits", hits}}.dump();
    const auto done =
        call({"trigger", kit, "Snare Top", "--with", click, "--hits", folder / "hits.json", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto json = Json::parse(done.out);
    EXPECT_EQ(json["played"], 40);
    EXPECT_EQ(json["top_db"], -6);
    const auto x = stemOf(json["element"]);
    int heard = 0;
    for (const float v : x)
        heard += v != 0;
    EXPECT_EQ(heard, 40);
    for (int i = 0; i < 40; ++i)
        EXPECT_NEAR(linearToDb(static_cast<double>(
                        x[static_cast<std::size_t>(std::llround((0.2 + 0.1173 * i) * 48000))])),
                    linearToDb(0.5) - 0.7 * (i % 20), 0.1)
            << i;
}

TEST_F(CliTrigger, OnlyTheLouderHitsWhereTheyPart) {
    const auto hitsOf = [&](const char* name, const std::function<double(int)>& levelDb) {
        Json hits = Json::array();
        for (int i = 0; i < 24; ++i)
            hits.push_back({{"time_s", 0.2 + 0.1 * i}, {"level_db", levelDb(i)}});
        std::ofstream(folder / name) << hits.dump();
        return call(
            {"trigger", kit, "Snare Top", "--with", click, "--hits", folder / name, "--louder", "--json"});
    };
    const auto parted =
        hitsOf("parted.json", [](int i) { return i % 3 == 0 ? -6 - 0.1 * i : -24 - 0.1 * i; });
    ASSERT_EQ(parted.code, kDone) << parted.err;
    const auto json = Json::parse(parted.out);
    EXPECT_EQ(json["found"], 24);
    EXPECT_EQ(json["played"], 8) << "every third one is 18 dB louder";
    for (const auto& hit : json["hits"])
        EXPECT_GT(hit["level_db"], -10);
    const auto even = hitsOf("even.json", [](int i) { return -6 - 0.1 * i; });
    EXPECT_NE(even.code, kDone);
    EXPECT_NE(even.err.find("do not part"), std::string::npos) << even.err;
}

TEST_F(CliTrigger, FoundHitsStrikeOnce) {
    const auto found = Json::parse(call({"hits", kit, "--json", "--own"}).out);
    const auto done =
        call({"trigger", kit, "Snare Top", "--with", click, "--name", "Click", "--replace", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto json = Json::parse(done.out);
    EXPECT_EQ(json["played"], found["hits"].size());
    EXPECT_NEAR(json["played"].get<double>(), 11, 1);
    for (std::size_t i = 0; i < json["hits"].size(); ++i)
        EXPECT_NEAR(json["hits"][i]["time_s"].get<double>(), 0.5 + 0.5 * static_cast<double>(i), 0.001);
    const auto values = Json::parse(call({"set", kit, "--json"}).out);
    EXPECT_EQ(values["Snare Top/muted"], "on");
    EXPECT_EQ(values["Click/role"], values["Snare Top/role"]);
    // It is an element like the others: its own hits are found where it was struck.
    const auto own = Json::parse(call({"hits", kit, "--json", "--own"}).out);
    int ofClick = 0;
    for (const auto& hit : own["hits"])
        ofClick += hit["element"] == "Click";
    EXPECT_EQ(ofClick, json["played"]);
}

TEST_F(CliTrigger, ThePatternIsWhatIsHeardOfAPlayedElement) {
    // Strikes so near that in their sound alone they would be flams and one long rattle.
    Json hits = Json::array();
    const std::vector<double> times{0.3, 0.325, 0.35, 0.9, 0.91, 1.7, 2.4};
    for (std::size_t i = 0; i < times.size(); ++i)
        hits.push_back({{"time_s", times[i]}, {"level_db", -6}, {"class", i == 3 ? "accent" : "normal"}});
    std::ofstream(folder / "hits.json") << Json{{"hits", hits}}.dump();
    test::writeWav(folder / "Long.wav", test::bursts(300, 1, 0, 0.2, 0.4));
    const auto done = call({"trigger", kit, "Snare Top", "--with", folder / "Long.wav", "--name", "Long",
                            "--hits", folder / "hits.json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto own = Json::parse(call({"hits", kit, "--json", "--own"}).out);
    std::vector<Json> found;
    std::size_t others = 0;
    for (const auto& hit : own["hits"]) {
        if (hit["element"] == "Long")
            found.push_back(hit);
        else
            ++others;
    }
    ASSERT_EQ(found.size(), times.size());
    for (std::size_t i = 0; i < times.size(); ++i) {
        EXPECT_NEAR(found[i]["time_s"].get<double>(), times[i], 1e-6);
        EXPECT_EQ(found[i]["class"], i == 3 ? "accent" : "normal") << i;
    }
    EXPECT_NEAR(static_cast<double>(others), 11, 1) << "of the recorded snare";
}

TEST_F(CliTrigger, ALayersSoundIsNeverWrittenOver) {
    ASSERT_EQ(call({"trigger", kit, "Snare Top", "--with", click, "--name", "Click"}).code, kDone);
    const auto before = test::readAll(click);
    const auto done =
        call({"render", kit, "--out", folder.path(), "--mix", "--names", "Click", "--overwrite"});
    EXPECT_EQ(done.code, kBadInput);
    EXPECT_NE(done.err.find("Click.wav"), std::string::npos) << done.err;
    EXPECT_EQ(test::readAll(click), before);
}

TEST_F(CliTrigger, SofterAndHarderSoundsKeepTheLevelOfTheHits) {
    auto hard = test::bursts(300, 1, 0, 0.05, 0.2);
    test::writeWav(folder / "hard.wav", hard);
    for (float& sample : hard)
        sample *= 0.2F;
    test::writeWav(folder / "soft.wav", hard);
    const Json hits{{"hits", {{{"time_s", 1.0}, {"level_db", 0}}, {{"time_s", 2.0}, {"level_db", -20}}}}};
    std::ofstream(folder / "hits.json") << hits.dump();
    const auto done = call({"trigger", kit, "Snare Top", "--with", folder / "hard.wav", folder / "soft.wav",
                            "--by-velocity", "--name", "Two", "--hits", folder / "hits.json", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto stack =
        *layers::readStack(std::filesystem::path(kit) / Json::parse(done.out)["file"].get<std::string>());
    const auto source = layers::StackSource::make(stack, 48000);
    ASSERT_TRUE(source) << source.error().message;
    std::vector<float> x(static_cast<std::size_t>((*source)->frames()));
    (void)(*source)->read(0, 0, x);
    const auto peakFrom = [&](std::size_t from) {
        return static_cast<double>(*std::max_element(x.begin() + static_cast<std::ptrdiff_t>(from),
                                                     x.begin() + static_cast<std::ptrdiff_t>(from + 9600)));
    };
    ASSERT_EQ((*source)->voices().size(), 2U);
    EXPECT_NE((*source)->voices()[0].sound, (*source)->voices()[1].sound);
    EXPECT_NEAR(20 * std::log10(peakFrom(96000) / peakFrom(48000)), -20, 0.1);
}

TEST_F(CliTrigger, ALayerGetsAChainOfItsOwn) {
    ASSERT_EQ(call({"trigger", kit, "Snare Top", "--with", click, "--name", "Click"}).code, kDone);
    ASSERT_EQ(call({"layer", kit, "Click", "1", "own_chain"}).code, kBadInput) << "it has it already";
    ASSERT_EQ(call({"layer", kit, "Click", "add", click}).code, kDone);
    const auto done = call({"layer", kit, "Click", "2", "own_chain", "--json"});
    ASSERT_EQ(done.code, kDone) << done.err;
    const auto told = Json::parse(done.out);
    const auto name = told["element"].get<std::string>();
    EXPECT_EQ(told["of"], "Click");
    EXPECT_EQ(Json::parse(call({"layer", kit, name, "--json"}).out)["layers"].size(), 1U);
    EXPECT_EQ(Json::parse(call({"layer", kit, "Click", "--json"}).out)["layers"].size(), 1U);
}

TEST_F(CliTrigger, WhatCantBeIsSaid) {
    EXPECT_EQ(call({"trigger", kit, "Cowbell", "--with", click}).code, kBadInput);
    auto done = call({"trigger", kit, "Snare Top", "--with", folder / "None.wav"});
    EXPECT_EQ(done.code, kBadInput);
    EXPECT_NE(done.err.find("None.wav"), std::string::npos);
    std::ofstream(folder / "bad.json") << R"([{"time": 1}])";
    done = call({"trigger", kit, "Snare Top", "--with", click, "--hits", folder / "bad.json"});
    EXPECT_EQ(done.code, kBadInput);
    EXPECT_NE(done.err.find("bad.json"), std::string::npos);
    std::ofstream(folder / "none.json") << "[]";
    EXPECT_EQ(call({"trigger", kit, "Snare Top", "--with", click, "--hits", folder / "none.json"}).code,
              kBadInput);
    // A sound that is gone is told, and its element is silent.
    ASSERT_EQ(call({"trigger", kit, "Snare Top", "--with", click, "--name", "Click"}).code, kDone);
    std::filesystem::remove(click);
    done = call({"render", kit, "--out", folder / "gone", "--mix"});
    EXPECT_EQ(done.code, kBadInput);
    EXPECT_NE(done.err.find("Click.wav"), std::string::npos) << done.err;
}

} // namespace
} // namespace cask::cli
