// What a person made, against every command: sources stay, unsaved work stays, silence is said.
#include "core/session/edits.h"
#include "core/session/session_json.h"
#include "tests/support/cli_call.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <fstream>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace cask::cli {
namespace {

namespace fs = std::filesystem;
using test::call;

class CliSafety : public testing::Test {
  protected:
    void SetUp() override {
        fs::create_directories(m_folder / "kit");
        test::writeWav(kick(), test::bursts(60, 0.5, 0.1, 0.1, 2));
        test::writeWav(m_folder.path() / "kit/Snare.wav", test::bursts(200, 0.5, 0.35, 0.05, 2));
        ASSERT_EQ(call({"new", s(), m_folder / "kit"}).code, kDone);
    }
    [[nodiscard]] fs::path kick() const { return m_folder.path() / "kit/Kick.wav"; }
    [[nodiscard]] std::string s() const { return m_folder / "S.cask"; }
    [[nodiscard]] std::string out() const { return m_folder / "out"; }
    [[nodiscard]] session::SessionStore store() const { return {diskFileSystem(), s()}; }
    test::TempFolder m_folder;
};

TEST_F(CliSafety, RenderIntoTheFolderOfItsSourcesLeavesThem) {
    // A source that is called as the mix would be.
    fs::create_directories(m_folder / "odd");
    test::writeWav(m_folder.path() / "odd/Odd - mix.wav", test::sine(100, 0.5, 1));
    const auto before = test::readAll(m_folder.path() / "odd/Odd - mix.wav");
    ASSERT_EQ(call({"new", m_folder / "Odd.cask", m_folder / "odd"}).code, kDone);
    for (const char* flag : {"--mix", "--overwrite"}) {
        const auto ran = call({"render", m_folder / "Odd.cask", "--out", m_folder / "odd", flag});
        EXPECT_EQ(ran.code, kBadInput);
        EXPECT_NE(ran.err.find("is a source of this session"), std::string::npos) << ran.err;
    }
    EXPECT_EQ(test::readAll(m_folder.path() / "odd/Odd - mix.wav"), before);
    EXPECT_EQ(std::distance(fs::directory_iterator(m_folder / "odd"), {}), 1);
}

TEST_F(CliSafety, RenderAsksForOverwriteAndCuesNeverReplaceASource) {
    ASSERT_EQ(call({"render", s(), "--out", out()}).code, kDone);
    const auto again = call({"render", s(), "--out", out()});
    EXPECT_EQ(again.code, kBadInput);
    EXPECT_NE(again.err.find("--overwrite"), std::string::npos);
    EXPECT_EQ(call({"render", s(), "--out", out(), "--overwrite"}).code, kDone);
    test::writeWav(m_folder.path() / "kit/Kick - hits.wav", test::sine(100, 0.5, 1));
    ASSERT_EQ(call({"new", m_folder / "T.cask", m_folder / "kit"}).code, kDone);
    const auto before = test::readAll(m_folder.path() / "kit/Kick - hits.wav");
    const auto hits = call({"hits", m_folder / "T.cask", "--out", m_folder / "kit", "--cues", "--overwrite"});
    EXPECT_EQ(hits.code, kBadInput);
    EXPECT_NE(hits.err.find("is a source"), std::string::npos) << hits.err;
    EXPECT_EQ(test::readAll(m_folder.path() / "kit/Kick - hits.wav"), before);
}

TEST_F(CliSafety, SetKeepsUnsavedWorkAlsoOfAnotherVersionOfTheSession) {
    auto work = store();
    auto unsaved = work.open()->session;
    unsaved.name = "precious";
    ASSERT_TRUE(work.autosave(unsaved));
    const auto ran = call({"set", s(), "Kick/level_db", "-3"});
    EXPECT_EQ(ran.code, kDone);
    EXPECT_NE(ran.err.find("unsaved work"), std::string::npos);
    auto later = store();
    const auto opened = later.open();
    ASSERT_TRUE(opened && opened->unsaved.size() == 1);
    EXPECT_EQ(opened->unsaved.front().session.name, "precious");
    // Taken on the command line, it is the session; the other state is kept.
    ASSERT_EQ(call({"restore", s(), opened->unsaved.front().file}).code, kDone);
    EXPECT_EQ(store().open()->session.name, "precious");
    EXPECT_TRUE(store().open()->unsaved.empty());
    const auto listed = call({"versions", s()});
    EXPECT_NE(listed.out.find("-unsaved.json"), std::string::npos) << listed.out;
}

TEST_F(CliSafety, ADamagedSessionIsNotRenderedFromAnOlderState) {
    ASSERT_EQ(call({"set", s(), "Kick/level_db", "-3"}).code, kDone);
    std::ofstream(m_folder.path() / "S.cask/session.json", std::ios::trunc) << "{";
    const auto ran = call({"render", s(), "--out", out()});
    EXPECT_EQ(ran.code, kBadInput);
    EXPECT_NE(ran.err.find("restore"), std::string::npos) << ran.err;
    EXPECT_FALSE(fs::exists(out()));
    ASSERT_EQ(call({"restore", s(), "000001.json"}).code, kDone);
    EXPECT_EQ(call({"render", s(), "--out", out()}).code, kDone);
}

TEST_F(CliSafety, AModuleOfANewerProgramIsKeptAndSaidWithCodeOne) {
    auto text = *diskFileSystem().read(store().sessionFile());
    const auto at = text.find("\"chain\": []");
    text.replace(at, 11, "\"chain\": [{\"id\": 900, \"on\": true, \"type\": \"widener\", \"x\": 1}]");
    ASSERT_TRUE(diskFileSystem().writeAtomically(store().sessionFile(), text));
    const auto ran = call({"set", s(), "Kick/level_db", "-3"});
    EXPECT_EQ(ran.code, kBadInput);
    EXPECT_NE(ran.err.find("widener"), std::string::npos);
    EXPECT_NE(diskFileSystem().read(store().sessionFile())->find("\"x\": 1"), std::string::npos)
        << "and it was set";
    EXPECT_EQ(call({"render", s(), "--out", out()}).code, kBadInput);
    EXPECT_TRUE(fs::exists(out()));
}

TEST_F(CliSafety, MissingAndChangedSourcesAreNotRenderedAsSilence) {
    test::writeWav(kick(), test::bursts(60, 0.5, 0.1, 0.1, 1));
    const auto ran = call({"render", s(), "--out", out()});
    EXPECT_EQ(ran.code, kBadInput);
    EXPECT_NE(ran.err.find("1.000 s long now, 2.000 s then"), std::string::npos) << ran.err;
    EXPECT_FALSE(fs::exists(out()));
    const auto allowed = call({"render", s(), "--out", out(), "--allow-missing", "--json"});
    EXPECT_EQ(allowed.code, kBadInput) << "it is incomplete, and says so";
    const auto json = nlohmann::json::parse(allowed.out);
    EXPECT_FALSE(json["complete"].get<bool>());
    EXPECT_EQ(json["missing"].size(), 1U);
    EXPECT_TRUE(fs::exists(fs::path(out()) / "S - incomplete.txt"));
    ASSERT_EQ(call({"relink", s(), "Kick.wav"}).code, kDone);
    EXPECT_EQ(call({"render", s(), "--out", out(), "--overwrite"}).code, kDone);
    EXPECT_EQ(call({"check", s()}).code, kDone);
}

TEST_F(CliSafety, CheckSaysTheSame) {
    fs::resize_file(kick(), fs::file_size(kick()) / 2);
    const auto ran = call({"check", s()});
    EXPECT_EQ(ran.code, kBadInput);
    EXPECT_NE((ran.out + ran.err).find("Kick.wav has changed since it was imported"), std::string::npos);
}

TEST_F(CliSafety, TwoWritersLoseNothingThatWasDone) {
    // Each process sets its own element; all that exit with 0 must be there in the end.
    constexpr int kRounds = 15;
    for (int round = 1; round <= kRounds; ++round) {
        std::vector<pid_t> children;
        for (const char* element : {"Kick", "Snare"}) {
            const pid_t child = ::fork();
            ASSERT_GE(child, 0);
            if (child == 0)
                ::_exit(call({"set", s(), std::string(element) + "/level_db", std::to_string(-round)}).code);
            children.push_back(child);
        }
        for (const pid_t child : children) {
            int status = 0;
            ::waitpid(child, &status, 0);
            EXPECT_EQ(WEXITSTATUS(status), kDone);
        }
        const auto now = store().open()->session;
        for (const auto& e : now.elements)
            EXPECT_EQ(e->out.levelDb, -round) << e->name << " in round " << round;
    }
}

TEST_F(CliSafety, ASessionThatIsOpenInAWindowIsNotChangedUnderIt) {
    const auto window = store().lock();
    ASSERT_TRUE(window);
    const auto before = *diskFileSystem().read(store().sessionFile());
    std::thread closes([&] {
        std::this_thread::sleep_for(std::chrono::milliseconds(300));
        const_cast<std::unique_ptr<FolderLock>&>(*window).reset();
    });
    EXPECT_EQ(call({"set", s(), "Kick/level_db", "-3"}).code, kDone) << "it waits a little";
    closes.join();
    EXPECT_NE(*diskFileSystem().read(store().sessionFile()), before);
}

TEST_F(CliSafety, NamesThatAreNoUtf8AreUsedAndPrinted) {
    fs::create_directories(m_folder / "latin");
    fs::copy_file(kick(), m_folder.path() / "latin/K\xef"
                                            "ck.wav");
    const auto made = call({"new", m_folder / "L.cask", m_folder / "latin", "--json"});
    ASSERT_EQ(made.code, kDone) << made.err;
    EXPECT_TRUE(nlohmann::json::accept(made.out));
    EXPECT_EQ(call({"render", m_folder / "L.cask", "--out", out(), "--json"}).code, kDone);
    EXPECT_EQ(call({"check", m_folder / "L.cask", "--json"}).code, kDone);
}

TEST_F(CliSafety, ResultsThatCannotBeWrittenAreAProblem) {
    std::ofstream full("/dev/full");
    std::ostringstream err;
    const std::vector<std::string> arguments{"ember-cask-cli", "hits", s(), "--csv"};
    std::vector<const char*> argv;
    for (const auto& a : arguments)
        argv.push_back(a.c_str());
    EXPECT_EQ(run(static_cast<int>(argv.size()), argv.data(), {full, err}), kBadInput);
    EXPECT_NE(err.str().find("standard output"), std::string::npos) << err.str();
}

TEST_F(CliSafety, AStoppedRenderLeavesNothing) {
    std::ostringstream outText;
    std::ostringstream err;
    const std::vector<std::string> arguments{"ember-cask-cli", "render", s(), "--out", out()};
    std::vector<const char*> argv;
    for (const auto& a : arguments)
        argv.push_back(a.c_str());
    Streams streams{outText, err};
    streams.cancel.cancel();
    EXPECT_EQ(run(static_cast<int>(argv.size()), argv.data(), streams), kBadInput);
    EXPECT_TRUE(!fs::exists(out()) || fs::is_empty(out()));
}

TEST_F(CliSafety, NewLeavesNoFolderBehindWhenThereIsNothingToImport) {
    std::ofstream(m_folder / "junk.wav") << "no sound";
    EXPECT_EQ(call({"new", m_folder / "Junk.cask", m_folder / "junk.wav"}).code, kBadInput);
    EXPECT_FALSE(fs::exists(m_folder / "Junk.cask"));
}

} // namespace
} // namespace cask::cli
