// What a newer or foreign program wrote is kept; what no session can be is refused with a sentence, in time.
#include "core/session/edits.h"
#include "core/session/intake.h"
#include "core/session/session_json.h"
#include "core/session/session_limits.h"
#include "core/session/session_store.h"
#include "core/session/unknown_module.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <sys/stat.h>

namespace cask::session {
namespace {

using Json = nlohmann::ordered_json;

Session kit() {
    return withFiles(emptySession(),
                     {{"/a/Kick.wav", "Kick.wav", 48000, 1, 48000, "WAV", std::nullopt, "ab12"},
                      {"/a/Snare.wav", "Snare.wav", 48000, 1, 48000, "WAV", std::nullopt, "cd34"}});
}

Json json(const Session& s) {
    return Json::parse(toJson(s));
}

std::string refusal(const Json& changed) {
    const auto s = fromJson(changed.dump(), "x");
    return s ? std::string() : s.error().message;
}

TEST(UnknownModule, IsKeptWholeAndBypassedAndSaid) {
    auto j = json(kit());
    const Json widener = {{"id", 900}, {"on", true}, {"type", "widener"}, {"amount", {{"deep", {1, 2, 3}}}}};
    j["elements"][0]["chain"].push_back(widener);
    j["next_id"] = 1000;
    const auto s = fromJson(j.dump(), "x");
    ASSERT_TRUE(s) << s.error().message;
    ASSERT_EQ(s->elements[0]->chain.size(), 1U);
    EXPECT_FALSE(s->elements[0]->chain[0].isOn);
    const auto sentences = unknownModuleSentences(*s);
    ASSERT_EQ(sentences.size(), 1U);
    EXPECT_NE(sentences[0].find("\"widener\" on Kick"), std::string::npos) << sentences[0];
    // Edits around it leave it as it is, to the byte.
    auto edited = withElement(*s, s->elements[0]->id, [](Element& e) { e.out.levelDb = -3; });
    EXPECT_EQ(json(edited)["elements"][0]["chain"][0], widener);
}

TEST(UnknownModule, AKnownKindWithAnUnreadableValueToo) {
    auto j = json(kit());
    const Json gate = {{"id", 900}, {"on", true}, {"type", "gate"}, {"open_db", "rather loud"}};
    j["elements"][1]["chain"].push_back(gate);
    const auto s = fromJson(j.dump(), "x");
    ASSERT_TRUE(s) << s.error().message;
    EXPECT_NE(unknownModuleSentences(*s).at(0).find("open_db"), std::string::npos);
    EXPECT_EQ(json(*s)["elements"][1]["chain"][0], gate);
}

TEST(UnknownModule, MovesAndIsRemovedLikeAnyOther) {
    auto j = json(kit());
    j["elements"][0]["chain"] = {{{"id", 900}, {"on", true}, {"type", "widener"}},
                                 {{"id", 901}, {"on", true}, {"type", "low_end"}}};
    auto s = *fromJson(j.dump(), "x");
    s = withChain(std::move(s), s.elements[0]->id, [](auto& chain) { std::swap(chain[0], chain[1]); });
    EXPECT_EQ(json(s)["elements"][0]["chain"][1]["type"], "widener");
    s = withChain(std::move(s), s.elements[0]->id, [](auto& chain) { chain.pop_back(); });
    EXPECT_TRUE(unknownModuleSentences(s).empty());
}

TEST(UnknownFields, SurviveInChannelsAndInChangedValues) {
    auto j = json(kit());
    j["elements"][0]["channels"][0]["colour"] = "green";
    j["elements"][0]["chain"].push_back(
        {{"id", 900},
         {"on", true},
         {"type", "gate"},
         {"changes",
          {{{"section", "verse"}, {"values", {{"floor_db", -6}, {"shimmer", 7}}}, {"mood", "low"}}}}});
    const auto again = json(*fromJson(j.dump(), "x"));
    EXPECT_EQ(again["elements"][0]["channels"][0]["colour"], "green");
    const auto& change = again["elements"][0]["chain"][0]["changes"][0];
    EXPECT_EQ(change["values"]["shimmer"], 7);
    EXPECT_EQ(change["values"]["floor_db"], -6);
    EXPECT_EQ(change["mood"], "low");
}

TEST(UnknownFields, ARoleOfANewerProgramStaysUntilAPersonGivesAnother) {
    auto j = json(kit());
    j["elements"][0]["role"] = "gong";
    auto s = *fromJson(j.dump(), "x");
    EXPECT_EQ(s.elements[0]->role, Role::Unknown);
    EXPECT_EQ(json(s)["elements"][0]["role"], "gong");
    s = withElement(std::move(s), s.elements[0]->id, [](Element& e) { e.role = Role::Crash; });
    EXPECT_EQ(json(s)["elements"][0]["role"], "crash");
}

TEST(Paths, ThatAreNoUtf8SurviveByteByByte) {
    Session s = kit();
    s.files[0].edit([](SourceFile& f) { f.path = "/a/Kick \xff\xfe.wav"; });
    const std::string text = toJson(s);
    EXPECT_NE(text.find("path_bytes"), std::string::npos);
    EXPECT_EQ(fromJson(text, "x")->files[0]->path, "/a/Kick \xff\xfe.wav");
    EXPECT_EQ(toJson(kit()).find("path_bytes"), std::string::npos) << "only where it is needed";
}

TEST(Limits, AbsurdValuesAreRefusedByName) {
    const auto good = json(kit());
    const auto with = [&](const char* pointer, const Json& value) {
        auto j = good;
        j[Json::json_pointer(pointer)] = value;
        return refusal(j);
    };
    EXPECT_NE(with("/elements/0/start_frame", 1e15).find("Kick"), std::string::npos);
    EXPECT_NE(with("/elements/0/start_frame", -1e15).find("24 hours"), std::string::npos);
    EXPECT_NE(with("/files/0/frames", 1e15).find("Kick.wav"), std::string::npos);
    EXPECT_NE(with("/files/0/sample_rate_hz", 0.5).find("0.5 Hz"), std::string::npos);
    EXPECT_NE(with("/files/0/channels", 65).find("Kick.wav"), std::string::npos);
    EXPECT_NE(with("/sections", Json::array({{{"name", "a"}, {"start_s", 1e9}}})).find("section a"),
              std::string::npos);
    EXPECT_EQ(with("/elements/0/start_frame", 48000), "");
}

TEST(Limits, ThousandsOfBusesInAChainAreRefusedInTime) {
    auto j = json(kit());
    Json buses = Json::array();
    for (int i = 0; i < 20000; ++i)
        buses.push_back({{"id", 1000 + i}, {"name", "b"}, {"output", {{"bus", 1001 + i}}}});
    buses.push_back({{"id", 21000}, {"name", "Master"}, {"master", true}});
    j["buses"] = buses;
    EXPECT_NE(refusal(j).find("256 are the most"), std::string::npos) << refusal(j);
}

TEST(Limits, DeepNestingIsRefusedAndNeverCrashes) {
    std::string deep = toJson(kit());
    deep.insert(1, "\"odd\":" + std::string(60000, '[') + std::string(60000, ']') + ",");
    const auto s = fromJson(deep, "x");
    ASSERT_FALSE(s);
    EXPECT_NE(s.error().message.find("nested"), std::string::npos);
    std::string fine = toJson(kit());
    fine.insert(1, "\"odd\":" + std::string(50, '[') + std::string(50, ']') + ",");
    ASSERT_TRUE(fromJson(fine, "x"));
    EXPECT_NE(toJson(*fromJson(fine, "x")).find("odd"), std::string::npos);
}

TEST(OddFolders, EachIsASentence) {
    const test::TempFolder temp;
    const auto sentence = [&](const std::filesystem::path& folder) {
        const auto opened = SessionStore(diskFileSystem(), folder).open();
        return opened ? std::string() : opened.error().message;
    };
    const auto with = [&](const char* name) {
        std::filesystem::create_directories(temp / name);
        return temp / name / "session.json";
    };
    std::filesystem::create_symlink("session.json", with("loop"));
    EXPECT_NE(sentence(temp / "loop").find("links lead in a circle"), std::string::npos)
        << sentence(temp / "loop");
    ASSERT_EQ(::mkfifo(with("fifo").c_str(), 0644), 0);
    EXPECT_NE(sentence(temp / "fifo").find("is not a file"), std::string::npos) << sentence(temp / "fifo");
    std::filesystem::create_symlink("/dev/zero", with("zero"));
    EXPECT_NE(sentence(temp / "zero").find("is not a file"), std::string::npos);
    std::filesystem::create_directories(with("folder"));
    EXPECT_NE(sentence(temp / "folder").find("folder"), std::string::npos);
    for (const char* name : {"loop", "fifo", "zero", "folder"})
        EXPECT_EQ(sentence(temp / name).find(".."), std::string::npos) << sentence(temp / name);
}

} // namespace
} // namespace cask::session
