#include "core/session/edits.h"
#include "core/session/intake.h"
#include "core/session/reference.h"
#include "core/session/session_json.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>

namespace cask::session {
namespace {

Session fullSession() {
    Session s = withFiles(
        emptySession(96000),
        {{"/k/Kick In.wav", "Kick In.wav", 48000, 1, 48000, "WAV", 12345},
         {"/k/\u592a\u9f13 \"x\".wav", "\u592a\u9f13 \"x\".wav", 480, 2, 44100, "FLAC", std::nullopt}});
    s.name = "A name with \"quotes\" and \u00fcml\u00e4uts";
    const Id kick = s.elements[0]->id;
    addBand(s, kick, {0, dsp::FilterKind::HighShelf, false, 8123.5, -3.25, 0.61, 24});
    s = withElement(s, kick, [](Element& e) {
        e.input = {3.5, true, -1.375, true};
        e.startFrame = -17;
    });
    Module ceiling;
    ceiling.id = s.nextId++;
    ceiling.isOn = false;
    ceiling.settings = dsp::LimiterSettings{-2.5, 33};
    s = withChain(s, s.master().id, [&](auto& chain) { chain.push_back(ceiling); });
    s = *withSend(s, kick, {s.buses[2]->id, -7.5, true});
    s.sections = {{"verse", 0.5, 12.25}, {"chorus", 12.25, 30}};
    return s;
}

TEST(SessionJson, RoundTripsEverything) {
    const Session s = fullSession();
    const auto back = fromJson(toJson(s), "x");
    ASSERT_TRUE(back) << back.error().message;
    EXPECT_EQ(*back, s);
    EXPECT_EQ(toJson(*back), toJson(s));
}

TEST(SessionJson, KeepsUnknownFieldsAtEveryLevel) {
    auto json = nlohmann::ordered_json::parse(toJson(fullSession()));
    json["from_the_future"] = {1, 2, 3};
    json["elements"][0]["mood"] = "bright";
    json["elements"][0]["chain"][0]["colour"] = {{"r", 1}};
    json["buses"][1]["note"] = nullptr;
    json["files"][0]["recorder"] = 7;
    json["elements"][0]["output"]["aim"] = 0.5;
    json["elements"][0]["input"]["gain_stage"] = "b";
    json["elements"][0]["chain"][0]["bands"][0]["tilted"] = true;
    json["elements"][0]["output"]["sends"][0]["delay_ms"] = 1;
    json["sections"][0]["bars"] = 8;
    const auto s = fromJson(json.dump(), "x");
    ASSERT_TRUE(s) << s.error().message;
    EXPECT_EQ(nlohmann::ordered_json::parse(toJson(*s)), json);
}

TEST(SessionJson, RefusesNewerVersionsWithASentence) {
    auto json = nlohmann::json::parse(toJson(emptySession()));
    json["schema_version"] = 99;
    const auto s = fromJson(json.dump(), "/s/My.cask/session.json");
    ASSERT_FALSE(s);
    EXPECT_EQ(s.error().code, ErrorCode::NewerVersion);
    EXPECT_NE(s.error().message.find("My.cask"), std::string::npos);
    EXPECT_NE(s.error().message.find("left as it is"), std::string::npos);
    json["schema_version"] = 0;
    EXPECT_FALSE(fromJson(json.dump(), "x"));
    json.erase("schema_version");
    EXPECT_FALSE(fromJson(json.dump(), "x"));
}

TEST(SessionJson, BringsValuesIntoTheirRange) {
    auto json = nlohmann::json::parse(toJson(fullSession()));
    json["elements"][0]["output"]["level_db"] = 1e30;
    json["elements"][0]["chain"][0]["bands"][0]["frequency_hz"] = -5;
    const auto s = fromJson(json.dump(), "x");
    ASSERT_TRUE(s);
    EXPECT_EQ(s->elements[0]->out.levelDb, 24);
    EXPECT_EQ(std::get<dsp::EqSettings>(s->elements[0]->chain[0].settings).bands[0].frequencyHz, 10);
}

TEST(SessionJson, SaysWhatIsDamaged) {
    const auto json = nlohmann::json::parse(toJson(fullSession()));
    const auto broken = [&](const char* pointer, const nlohmann::json& value) {
        auto copy = json;
        copy[nlohmann::json::json_pointer(pointer)] = value;
        const auto s = fromJson(copy.dump(), "x");
        return s ? std::string() : s.error().message;
    };
    EXPECT_NE(broken("/elements/0/output/level_db", "loud").find("level_db"), std::string::npos);
    EXPECT_FALSE(broken("/elements/0/id", json["elements"][1]["id"]).empty());
    EXPECT_FALSE(broken("/elements/0/output/bus", 4711).empty());
    EXPECT_FALSE(broken("/elements/0/channels", nlohmann::json::array()).empty());
    EXPECT_FALSE(broken("/buses", nlohmann::json::array()).empty());
    EXPECT_FALSE(broken("/sample_rate_hz", 1).empty());
    for (const char* text : {"", "{", "[]", "null", "{\"format\":\"ember-cask-session\"}"})
        EXPECT_FALSE(fromJson(text, "x")) << text;
}

TEST(SessionJson, RandomDamageNeverCrashes) {
    const std::string good = toJson(fullSession());
    std::mt19937 random(7);
    for (int i = 0; i < 3000; ++i) {
        std::string text = good;
        for (unsigned n = random() % 4 + 1; n > 0; --n) {
            const auto at = random() % text.size();
            if (random() % 2 == 0)
                text[at] = static_cast<char>(random());
            else
                text.erase(at, random() % 40);
        }
        (void)fromJson(text, "x");
    }
}

TEST(SessionJson, MatchesTheSchemaInTheDocumentation) {
    const std::filesystem::path schema =
        std::filesystem::path(CASK_SOURCE_DIR) / "docs/formats/session.schema.json";
    ASSERT_TRUE(std::filesystem::exists(schema));
    const auto file = std::filesystem::temp_directory_path() / "cask-schema-test.json";
    std::ofstream(file) << toJson(fullSession());
    const std::string command =
        "/usr/bin/python3 -c 'import json,sys,jsonschema; "
        "jsonschema.validate(json.load(open(sys.argv[1])), json.load(open(sys.argv[2])))' " +
        file.string() + " " + schema.string() + " 2>&1";
    EXPECT_EQ(std::system(command.c_str()), 0); // NOLINT
    std::filesystem::remove(file);
}

std::string textOf(const std::filesystem::path& file) {
    std::ifstream in(std::filesystem::path(CASK_SOURCE_DIR) / file);
    return {std::istreambuf_iterator<char>(in), {}};
}

TEST(Reference, TheDocumentsSayWhatTheTablesSay) {
    EXPECT_EQ(textOf("docs/formats/parameters.md"), parameterPage()) << "scripts/write-reference writes it";
    const auto schema = nlohmann::json::parse(textOf("docs/formats/session.schema.json"));
    EXPECT_EQ(schema["definitions"]["module"], nlohmann::json::parse(moduleSchema()))
        << "scripts/write-reference writes it";
}

TEST(Reference, TheSchemaOfAModuleRefusesWhatIsWrong) {
    const auto schema = nlohmann::json::parse(moduleSchema());
    std::map<std::string, nlohmann::json> kinds;
    for (const auto& one : schema["anyOf"])
        if (one["properties"]["type"].contains("const"))
            kinds[one["properties"]["type"]["const"]] = one["properties"];
    ASSERT_EQ(kinds.size(), std::variant_size_v<ModuleSettings> - 1) << "all but the unknown";
    EXPECT_EQ(kinds["gate"]["ratio"]["maximum"], 20);
    EXPECT_EQ(kinds["compressor"]["key_tap"]["enum"], (nlohmann::json{"source", "chain"}));
    EXPECT_EQ(kinds["gate"]["reach"]["enum"].size(), 4U);
    EXPECT_TRUE(kinds["gate"].contains("key"));
    EXPECT_FALSE(kinds["body"].contains("key"));
    EXPECT_TRUE(kinds["eq"]["bands"]["items"]["properties"].contains("q"));
    const auto& values = kinds["eq"]["changes"]["items"]["properties"]["values"];
    EXPECT_TRUE(values["patternProperties"].contains("^[0-9]+/gain_db$"));
    EXPECT_FALSE(values["patternProperties"].contains("^[0-9]+/kind$"));
}

TEST(SessionJson, BeatsThatAreKeptComeBackAndMustRise) {
    auto s = emptySession();
    s.tempo.beatsS = {0.25, 0.75, 1.26};
    auto text = toJson(s);
    const auto back = fromJson(text, "x");
    ASSERT_TRUE(back) << back.error().message;
    EXPECT_EQ(back->tempo.beatsS, s.tempo.beatsS);
    text.replace(text.find("1.26"), 4, "0.26");
    const auto bad = fromJson(text, "x");
    ASSERT_FALSE(bad);
    EXPECT_NE(bad.error().message.find("beats"), std::string::npos) << bad.error().message;
}

TEST(SessionJson, ALimiterThatWasStoredAsACeilingIsOne) {
    auto s = emptySession();
    addModule(s, s.master().id, dsp::LimiterSettings{-2, 33, 1.5, dsp::LimiterRelease::Fixed});
    auto text = toJson(s);
    const auto at = text.find("\"limiter\"");
    ASSERT_NE(at, std::string::npos);
    text.replace(at, 9, "\"ceiling\"");
    const auto back = fromJson(text, "x");
    ASSERT_TRUE(back) << back.error().message;
    EXPECT_EQ(*back, s);
}

} // namespace
} // namespace cask::session
