// How files are written, who may write, and what happens to jobs.
#include "core/base/cache_file.h"
#include "core/base/file_system.h"
#include "core/base/folder_lock.h"
#include "core/base/job_group.h"
#include "core/base/new_file.h"
#include "core/base/parallel.h"
#include "core/base/sha256.h"
#include "core/base/system_error.h"
#include "core/base/utf8.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <atomic>
#include <csignal>
#include <fstream>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace cask {
namespace {

namespace fs = std::filesystem;

std::string contentOf(const fs::path& path) {
    const auto text = diskFileSystem().read(path);
    return text ? *text : "(" + text.error().message + ")";
}

Status writeTo(const fs::path& path, const WriteRules& rules) {
    auto file = NewFile::create(path, rules);
    if (!file)
        return file.error();
    if (auto written = file->write("new"); !written)
        return written;
    return file->commit();
}

class NewFileTest : public testing::Test {
  protected:
    void SetUp() override { std::ofstream(m_folder / "old.wav") << "old"; }
    test::TempFolder m_folder;
};

TEST_F(NewFileTest, WhatIsThereIsReplacedOnlyWhenThatIsSaid) {
    const auto refused = writeTo(m_folder / "old.wav", {IfExists::Refuse, nullptr});
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().code, ErrorCode::Exists);
    EXPECT_EQ(contentOf(m_folder / "old.wav"), "old");
    ASSERT_TRUE(writeTo(m_folder / "old.wav", {IfExists::Replace, nullptr}));
    EXPECT_EQ(contentOf(m_folder / "old.wav"), "new");
}

TEST_F(NewFileTest, AFileThatAppearsWhileItIsWrittenIsNotLost) {
    auto file = NewFile::create(m_folder / "late.wav", {IfExists::Refuse, nullptr});
    ASSERT_TRUE(file);
    ASSERT_TRUE(file->write("new"));
    std::ofstream(m_folder / "late.wav") << "somebody else's";
    EXPECT_EQ(file->commit().error().code, ErrorCode::Exists);
    EXPECT_EQ(contentOf(m_folder / "late.wav"), "somebody else's");
}

TEST_F(NewFileTest, ASourceIsNeverReplacedWhateverItIsCalled) {
    ProtectedFiles sources;
    sources.add(m_folder / "old.wav");
    fs::create_hard_link(m_folder / "old.wav", m_folder / "other name.wav");
    fs::create_directory_symlink(m_folder.path(), m_folder / "link");
    for (const auto& path : {m_folder / "old.wav", m_folder / "other name.wav", m_folder / "link/old.wav"}) {
        const auto refused = writeTo(path, {IfExists::Replace, &sources});
        ASSERT_FALSE(refused) << path;
        EXPECT_EQ(refused.error().code, ErrorCode::IsSource) << path;
        EXPECT_NE(refused.error().message.find(path.string()), std::string::npos);
    }
    EXPECT_EQ(contentOf(m_folder / "old.wav"), "old");
    ASSERT_TRUE(writeTo(m_folder / "link/new.wav", {IfExists::Refuse, &sources}))
        << "linked folders are normal";
}

TEST_F(NewFileTest, ThePlaceOfAMissingSourceStaysFree) {
    ProtectedFiles sources;
    sources.add(m_folder / "gone.wav");
    EXPECT_EQ(writeTo(m_folder / "gone.wav", {IfExists::Refuse, &sources}).error().code, ErrorCode::IsSource);
    EXPECT_FALSE(fs::exists(m_folder / "gone.wav"));
}

TEST_F(NewFileTest, NothingIsWrittenThroughALink) {
    fs::create_symlink("old.wav", m_folder / "link.wav");
    fs::create_symlink("not there", m_folder / "dangling.wav");
    for (const char* name : {"link.wav", "dangling.wav"}) {
        const auto refused = writeTo(m_folder / name, {IfExists::Replace, nullptr});
        ASSERT_FALSE(refused);
        EXPECT_NE(refused.error().message.find("is a link"), std::string::npos) << refused.error().message;
    }
    EXPECT_EQ(contentOf(m_folder / "old.wav"), "old");
    EXPECT_FALSE(fs::exists(m_folder / "not there"));
}

TEST_F(NewFileTest, WithoutCommitNothingIsLeftAndTwoWritersDoNotMeet) {
    {
        auto first = NewFile::create(m_folder / "x", {});
        auto second = NewFile::create(m_folder / "x", {});
        ASSERT_TRUE(first && second);
        EXPECT_NE(first->temporary(), second->temporary());
        ASSERT_TRUE(first->write("first"));
        ASSERT_TRUE(second->write("second"));
        ASSERT_TRUE(first->commit());
        EXPECT_EQ(contentOf(m_folder / "x"), "first");
    }
    EXPECT_EQ(contentOf(m_folder / "x"), "first");
    EXPECT_EQ(diskFileSystem().list(m_folder.path()), (std::vector<std::string>{"old.wav", "x"}));
}

TEST_F(NewFileTest, NamesAsLongAsTheDiskAllowsCanBeWritten) {
    const std::string longest(255, 'n');
    ASSERT_TRUE(writeTo(m_folder / longest, {}));
    const auto refused = writeTo(m_folder / (longest + "n"), {});
    ASSERT_FALSE(refused);
    EXPECT_NE(refused.error().message.find("name is too long"), std::string::npos) << refused.error().message;
}

TEST_F(NewFileTest, PartsOfTheDeadAreClearedAwayThoseOfTheLivingStay) {
    const auto alive = NewFile::create(m_folder / "a", {});
    const pid_t child = ::fork();
    if (child == 0) {
        auto file = NewFile::create(m_folder / "b", {});
        auto staging = StagingFolder::create(m_folder.path());
        std::ofstream(staging->path() / "inside") << "x";
        ::kill(::getpid(), SIGKILL);
    }
    ::waitpid(child, nullptr, 0);
    const auto parts = [&] {
        return std::count_if(fs::directory_iterator(m_folder.path()), {},
                             [](const auto& e) { return e.path().extension() == ".part"; });
    };
    EXPECT_EQ(parts(), 3);
    removeStaleParts(m_folder.path());
    EXPECT_EQ(parts(), 1);
    EXPECT_TRUE(fs::exists(alive->temporary()));
}

TEST(FolderLock, OneAtATimeAndItNamesTheHolder) {
    const test::TempFolder folder;
    auto first = FolderLock::take(folder.path());
    ASSERT_TRUE(first);
    const auto second = FolderLock::take(folder.path(), std::chrono::milliseconds(30));
    ASSERT_FALSE(second);
    EXPECT_EQ(second.error().code, ErrorCode::InUse);
    EXPECT_NE(second.error().message.find("process " + std::to_string(::getpid())), std::string::npos)
        << second.error().message;
    first->reset();
    EXPECT_TRUE(FolderLock::take(folder.path()));
}

TEST(FolderLock, OfADeadProcessIsNoLock) {
    const test::TempFolder folder;
    int ends[2];
    ASSERT_EQ(::pipe(ends), 0);
    const pid_t child = ::fork();
    if (child == 0) {
        const auto lock = FolderLock::take(folder.path());
        (void)!::write(ends[1], "x", 1);
        ::pause();
    }
    char ready = 0;
    ASSERT_EQ(::read(ends[0], &ready, 1), 1);
    EXPECT_FALSE(FolderLock::take(folder.path()));
    ::kill(child, SIGKILL);
    ::waitpid(child, nullptr, 0);
    EXPECT_TRUE(FolderLock::take(folder.path()));
    ::close(ends[0]);
    ::close(ends[1]);
}

TEST(SystemError, SaysWhatIsTheMatterInOneSentence) {
    EXPECT_EQ(systemError("/x", "can't be read", EMFILE).message,
              "/x can't be read: too many files are open.");
    EXPECT_EQ(systemError("/x", "can't be written", ENOSPC).code, ErrorCode::NoSpace);
    EXPECT_EQ(systemError("/x", "can't be written", EROFS).message,
              "/x can't be written: the disk is read-only.");
    for (int number = 1; number < 130; ++number) {
        const auto message = systemError("/x", "can't be read", number).message;
        EXPECT_TRUE(message.ends_with('.') && !message.ends_with("..")) << message;
    }
}

TEST(CacheFile, GivesBackWhatWasWrittenOrNothing) {
    const test::TempFolder folder;
    EXPECT_FALSE(readCache(folder.path(), "a"));
    writeCache(folder.path(), "a", std::string("\0measures\xff", 10));
    EXPECT_EQ(readCache(folder.path(), "a"), std::string("\0measures\xff", 10));
    auto bytes = contentOf(folder / "a");
    for (const std::size_t at : {std::size_t{0}, std::size_t{12}, bytes.size() - 1}) {
        auto damaged = bytes;
        damaged[at] = static_cast<char>(damaged[at] ^ 1);
        std::ofstream(folder / "a", std::ios::binary) << damaged;
        EXPECT_FALSE(readCache(folder.path(), "a")) << at;
    }
    std::ofstream(folder / "a", std::ios::binary) << std::string(bytes.size(), '\0');
    EXPECT_FALSE(readCache(folder.path(), "a"));
}

TEST(Sha256, IsThatOfTheStandard) {
    const test::TempFolder folder;
    std::ofstream(folder / "abc") << "abc"; // FIPS 180-4, example of one block
    EXPECT_EQ(*sha256OfFile(folder / "abc"),
              "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
}

TEST(Utf8, WhatIsNoneIsReplacedAndTheRestStays) {
    EXPECT_TRUE(isUtf8("Kick \xC3\xA4 \xE2\x82\xAC \xF0\x9F\xA5\x81"));
    for (const char* bad : {"\xff", "\xC3", "\xC0\xAF", "\xED\xA0\x80", "\xF5\x80\x80\x80", "\xE0\x80\x80"})
        EXPECT_FALSE(isUtf8(bad));
    EXPECT_EQ(toUtf8("a\xff"
                     "b"),
              "a\xEF\xBF\xBD"
              "b");
}

TEST(InParallel, DoesEverythingOnceAlsoInsideOfItself) {
    std::vector<std::atomic<int>> counts(400);
    inParallel(20, [&](std::size_t i) { inParallel(20, [&](std::size_t j) { ++counts[i * 20 + j]; }); });
    for (const auto& count : counts)
        EXPECT_EQ(count, 1);
}

TEST(JobGroup, WaitsForItsOwnJobsOnlyAndDropsThoseThatHaveNotBegun) {
    WorkerPool pool(2);
    std::atomic<bool> mayEnd{false};
    std::atomic<bool> othersRun{false};
    std::atomic<int> ran{0};
    JobGroup other(pool);
    other.post([&] {
        othersRun = true;
        while (!mayEnd)
            std::this_thread::yield();
    });
    while (!othersRun)
        std::this_thread::yield();
    {
        std::atomic<bool> begun{false};
        std::atomic<bool> go{false};
        JobGroup mine(pool);
        mine.post([&] {
            begun = true;
            while (!go)
                std::this_thread::yield();
            ++ran;
        });
        for (int i = 0; i < 10; ++i)
            mine.post([&] { ran += 100; });
        while (!begun)
            std::this_thread::yield();
        // Closing must drop the ten before the one ends.
        std::thread closer([&] { mine.close(); });
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
        go = true;
        closer.join();
        EXPECT_EQ(ran, 1);
    }
    EXPECT_TRUE(othersRun && !mayEnd) << "another owner's job still runs";
    mayEnd = true;
}

} // namespace
} // namespace cask
