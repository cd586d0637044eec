#include "core/base/hash.h"
#include "core/base/memory_file_system.h"
#include "core/base/result.h"
#include "core/base/units.h"
#include "core/base/worker_pool.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <atomic>
#include <fstream>
#include <set>

namespace cask {
namespace {

TEST(Result, EveryCodeHasANameOfItsOwn) {
    std::set<std::string> names;
    for (int code = 0; code <= static_cast<int>(ErrorCode::Cancelled); ++code)
        EXPECT_TRUE(names.insert(codeName(static_cast<ErrorCode>(code))).second);
    EXPECT_FALSE(names.contains(""));
}

TEST(Units, DecibelsGoThereAndBack) {
    EXPECT_DOUBLE_EQ(dbToLinear(20), 10);
    EXPECT_NEAR(linearToDb(0.5), -6.0206, 1e-4);
    EXPECT_EQ(linearToDb(0), kSilenceDb);
    EXPECT_NEAR(powerToDb(0.5), -3.0103, 1e-4);
}

TEST(Hash, OfAFileIsThatOfItsBytes) {
    const test::TempFolder folder;
    const std::string text = "kick and snare";
    std::ofstream(folder / "a") << text;
    const auto hash = hashFile(folder / "a");
    ASSERT_TRUE(hash);
    EXPECT_EQ(*hash, hashBytes(std::as_bytes(std::span(text))));
    EXPECT_EQ(hash->size(), 32U);
    EXPECT_FALSE(hashFile(folder / "missing"));
}

TEST(FileSystem, AtomicWriteLeavesTheOldFileWhenTheDiskIsFull) {
    MemoryFileSystem files;
    ASSERT_TRUE(files.writeAtomically("/s/session.json", "old"));
    files.failFrom(0);
    const auto status = files.writeAtomically("/s/session.json", "new and longer");
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().code, ErrorCode::NoSpace);
    EXPECT_EQ(*files.read("/s/session.json"), "old");
    files.neverFail();
    ASSERT_TRUE(files.writeAtomically("/s/session.json", "new"));
    EXPECT_EQ(*files.read("/s/session.json"), "new");
}

TEST(FileSystem, OnDiskReplacesAndLists) {
    const test::TempFolder folder;
    auto& files = diskFileSystem();
    ASSERT_TRUE(files.writeAtomically(folder / "b.json", "1"));
    ASSERT_TRUE(files.writeAtomically(folder / "b.json", "2"));
    EXPECT_EQ(*files.read(folder / "b.json"), "2");
    EXPECT_EQ(files.list(folder.path()), std::vector<std::string>{"b.json"});
    const auto status = files.writeAtomically(folder / "no such folder/x", "1");
    ASSERT_FALSE(status);
    EXPECT_NE(status.error().message.find("no such folder/x"), std::string::npos);
}

TEST(WorkerPool, RunsEverythingAndPrefersLowNumbers) {
    WorkerPool pool(1);
    std::vector<int> order;
    std::atomic<bool> go{false};
    pool.post([&] {
        while (!go)
            std::this_thread::yield();
    });
    pool.post([&] { order.push_back(2); }, 2);
    pool.post([&] { order.push_back(1); }, 1);
    pool.post([&] { order.push_back(3); }, 2);
    go = true;
    pool.waitIdle();
    EXPECT_EQ(order, (std::vector<int>{1, 2, 3}));
}

} // namespace
} // namespace cask
