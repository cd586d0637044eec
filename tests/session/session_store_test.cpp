#include "core/base/memory_file_system.h"
#include "core/session/edits.h"
#include "core/session/session_json.h"
#include "core/session/session_store.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

Session named(const std::string& name) {
    Session s = emptySession();
    s.name = name;
    return s;
}

TEST(SessionStore, SavesAndOpens) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    ASSERT_TRUE(store.save(named("one")));
    const auto opened = store.open();
    ASSERT_TRUE(opened);
    EXPECT_EQ(opened->session.name, "one");
    EXPECT_FALSE(opened->unsaved);
}

TEST(SessionStore, OffersUnsavedWorkUntilItIsSaved) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    ASSERT_TRUE(store.save(named("one")));
    ASSERT_TRUE(store.autosave(named("two")));
    auto opened = store.open();
    ASSERT_TRUE(opened && opened->unsaved);
    EXPECT_EQ(opened->session.name, "one");
    EXPECT_EQ(opened->unsaved->name, "two");
    ASSERT_TRUE(store.save(named("two")));
    opened = store.open();
    EXPECT_FALSE(opened->unsaved);
}

TEST(SessionStore, AFullDiskAtAnyMomentLosesNothing) {
    for (int operation = 0; operation < 12; ++operation) {
        MemoryFileSystem files;
        SessionStore store(files, "/s/A.cask");
        ASSERT_TRUE(store.save(named("one")));
        ASSERT_TRUE(store.autosave(named("two")));
        files.failFrom(operation);
        const auto saved = store.save(named("two"));
        files.neverFail();
        const auto opened = store.open();
        ASSERT_TRUE(opened) << operation;
        if (saved) {
            EXPECT_EQ(opened->session.name, "two");
        } else {
            EXPECT_EQ(saved.error().code, ErrorCode::NoSpace);
            EXPECT_TRUE(opened->session.name == "two" || (opened->session.name == "one" && opened->unsaved))
                << operation;
        }
    }
}

TEST(SessionStore, KeepsTheLastVersions) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    for (int i = 0; i < 30; ++i)
        ASSERT_TRUE(store.save(named("v" + std::to_string(i))));
    const auto versions = files.list("/s/A.cask/versions");
    ASSERT_EQ(versions.size(), static_cast<std::size_t>(SessionStore::kKeptVersions));
    const auto newest = fromJson(*files.read("/s/A.cask/versions/" + versions.back()), "x");
    EXPECT_EQ(newest->name, "v28");
}

TEST(SessionStore, FallsBackToAVersionWhenTheFileIsDamaged) {
    MemoryFileSystem files;
    SessionStore store(files, "/s/A.cask");
    ASSERT_TRUE(store.save(named("one")));
    ASSERT_TRUE(store.save(named("two")));
    ASSERT_TRUE(files.writeSynced("/s/A.cask/session.json", "{ half a fi"));
    const auto opened = store.open();
    ASSERT_TRUE(opened);
    EXPECT_EQ(opened->session.name, "one");
    EXPECT_EQ(opened->notes.size(), 2U);
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
