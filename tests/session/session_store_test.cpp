#include "core/base/memory_file_system.h"
#include "core/session/edits.h"
#include "core/session/session_json.h"
#include "core/session/session_store.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

Session sessionNamed(const std::string& name) {
    Session s = emptySession();
    s.name = name;
    return s;
}

TEST(SessionStore, SavesAndOpens) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    ASSERT_TRUE(store.save(sessionNamed("one")));
    const auto opened = store.open();
    ASSERT_TRUE(opened);
    EXPECT_EQ(opened->session.name, "one");
    EXPECT_TRUE(opened->unsaved.empty());
}

/// What the next program finds.
OpenedSession reopened(MemoryFileSystem& files) {
    auto opened = SessionStore(files, "/s/A.cask").open();
    EXPECT_TRUE(opened);
    return opened ? *opened : OpenedSession{};
}

TEST(SessionStore, OffersUnsavedWorkUntilItIsSaved) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    ASSERT_TRUE(store.save(sessionNamed("one")));
    ASSERT_TRUE(store.autosave(sessionNamed("two")));
    auto opened = reopened(files);
    ASSERT_EQ(opened.unsaved.size(), 1U);
    EXPECT_EQ(opened.session.name, "one");
    EXPECT_EQ(opened.unsaved.front().session.name, "two");
    ASSERT_TRUE(store.save(sessionNamed("two")));
    EXPECT_TRUE(reopened(files).unsaved.empty());
}

TEST(SessionStore, AnothersUnsavedWorkStaysWhateverIsSavedOrEdited) {
    MemoryFileSystem files;
    {
        SessionStore crashed(files, "/s/A.cask");
        ASSERT_TRUE(crashed.save(sessionNamed("one")));
        ASSERT_TRUE(crashed.autosave(sessionNamed("lost")));
    }
    SessionStore store(files, "/s/A.cask");
    ASSERT_TRUE(store.open());
    ASSERT_TRUE(store.save(sessionNamed("two")));
    ASSERT_TRUE(store.autosave(sessionNamed("three")));
    ASSERT_TRUE(store.save(sessionNamed("four")));
    const auto opened = reopened(files);
    EXPECT_EQ(opened.session.name, "four");
    ASSERT_EQ(opened.unsaved.size(), 1U);
    EXPECT_EQ(opened.unsaved.front().session.name, "lost");
}

TEST(SessionStore, UnsavedWorkThatWasTakenOrRefusedIsAmongTheVersions) {
    MemoryFileSystem files;
    {
        SessionStore crashed(files, "/s/A.cask");
        ASSERT_TRUE(crashed.save(sessionNamed("one")));
        ASSERT_TRUE(crashed.autosave(sessionNamed("lost")));
    }
    SessionStore store(files, "/s/A.cask");
    const auto opened = store.open();
    ASSERT_TRUE(opened && opened->unsaved.size() == 1);
    ASSERT_TRUE(store.autosave(opened->unsaved.front().session)); // taken: safe under its own name first
    ASSERT_TRUE(store.settle(opened->unsaved.front()));
    const auto versions = store.versions();
    ASSERT_FALSE(versions.empty());
    EXPECT_TRUE(versions.front().ends_with("-unsaved.json")) << versions.front();
    EXPECT_EQ(store.openVersion(versions.front())->session.name, "lost");
    const auto again = reopened(files);
    ASSERT_EQ(again.unsaved.size(), 1U) << "the copy that was taken is unsaved itself";
}

TEST(SessionStore, AnAutosaveOfWhatIsSavedIsNoUnsavedWork) {
    MemoryFileSystem files;
    {
        SessionStore killed(files, "/s/A.cask"); // between its save and the end of it
        ASSERT_TRUE(killed.save(sessionNamed("one")));
        ASSERT_TRUE(killed.autosave(sessionNamed("one")));
    }
    SessionStore store(files, "/s/A.cask");
    EXPECT_TRUE(store.open()->unsaved.empty());
    ASSERT_TRUE(store.save(sessionNamed("two")));
    EXPECT_TRUE(reopened(files).unsaved.empty()) << "an older saved state is not offered as work";
}

TEST(SessionStore, AFullDiskAtAnyMomentLosesNothing) {
    for (int operation = 0; operation < 12; ++operation) {
        MemoryFileSystem files;
        SessionStore store(files, "/s/A.cask");
        ASSERT_TRUE(store.save(sessionNamed("one")));
        ASSERT_TRUE(store.autosave(sessionNamed("two")));
        files.failFrom(operation);
        const auto saved = store.save(sessionNamed("two"));
        files.neverFail();
        const auto opened = reopened(files);
        if (saved) {
            EXPECT_EQ(opened.session.name, "two");
        } else {
            EXPECT_EQ(saved.error().code, ErrorCode::NoSpace);
            EXPECT_TRUE(opened.session.name == "two" ||
                        (opened.session.name == "one" && !opened.unsaved.empty()))
                << operation;
        }
    }
}

TEST(SessionStore, WhatAnotherProgramWroteIsNotSilentlyReverted) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    ASSERT_TRUE(store.save(sessionNamed("one")));
    EXPECT_FALSE(store.hasChangedOnDisk());
    {
        SessionStore other(files, "/s/A.cask");
        ASSERT_TRUE(other.open());
        ASSERT_TRUE(other.save(sessionNamed("other")));
    }
    EXPECT_TRUE(store.hasChangedOnDisk());
    const auto saved = store.save(sessionNamed("two"));
    ASSERT_FALSE(saved);
    EXPECT_EQ(saved.error().code, ErrorCode::ChangedOnDisk);
    EXPECT_EQ(reopened(files).session.name, "other");
    ASSERT_TRUE(store.save(sessionNamed("two"), true)); // a person decided
    EXPECT_EQ(reopened(files).session.name, "two");
    EXPECT_EQ(store.openVersion(store.versions().front())->session.name, "other");
}

TEST(SessionStore, KeepsTheLastVersions) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    for (int i = 0; i < 30; ++i)
        ASSERT_TRUE(store.save(sessionNamed("v" + std::to_string(i))));
    const auto versions = files.list("/s/A.cask/versions");
    ASSERT_EQ(versions.size(), static_cast<std::size_t>(SessionStore::kKeptVersions));
    const auto newest = fromJson(*files.read("/s/A.cask/versions/" + versions.back()), "x");
    EXPECT_EQ(newest->name, "v28");
}

TEST(SessionStore, ADamagedFileIsNotReplacedByAnOlderState) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    ASSERT_TRUE(store.save(sessionNamed("one")));
    ASSERT_TRUE(store.save(sessionNamed("two")));
    ASSERT_TRUE(files.writeAtomically("/s/A.cask/session.json", "{ half a fi"));
    SessionStore next(files, "/s/A.cask");
    const auto opened = next.open();
    ASSERT_FALSE(opened);
    EXPECT_NE(opened.error().message.find("000001.json"), std::string::npos) << opened.error().message;
    // A person chooses the version; saving it keeps the damaged file, which may be all that somebody has.
    const auto version = next.openVersion("000001.json");
    ASSERT_TRUE(version);
    EXPECT_EQ(version->session.name, "one");
    ASSERT_TRUE(next.save(version->session));
    EXPECT_EQ(reopened(files).session.name, "one");
    EXPECT_EQ(*files.read("/s/A.cask/versions/000002.json"), "{ half a fi");
}

TEST(SessionStore, SaysWhenThereIsNoSession) {
    MemoryFileSystem files;
    const auto opened = SessionStore(files, "/s/none").open();
    ASSERT_FALSE(opened);
    EXPECT_EQ(opened.error().code, ErrorCode::NotFound);
    EXPECT_NE(opened.error().message.find("/s/none"), std::string::npos);
}

} // namespace
} // namespace cask::session
