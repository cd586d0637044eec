#include "core/media/folder_scan.h"
#include "core/project/intake_files.h"
#include "core/session/intake.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <unistd.h>

namespace cask::media {
namespace {

namespace fs = std::filesystem;

/// Root may read everything: for the tests of closed doors it steps back for a while.
class AsNobody {
  public:
    AsNobody() : m_user(::geteuid()) {
        if (m_user == 0 && ::seteuid(65534) != 0)
            ADD_FAILURE() << "could not step back from root";
    }
    AsNobody(const AsNobody&) = delete;
    AsNobody& operator=(const AsNobody&) = delete;
    ~AsNobody() {
        if (m_user == 0 && ::seteuid(0) != 0)
            std::abort();
    }

  private:
    uid_t m_user;
};

std::vector<std::string> names(const FolderScan& scan) {
    std::vector<std::string> list;
    for (const auto& file : scan.files)
        list.push_back(file.filename().string());
    return list;
}

TEST(FolderScan, AFolderThatMayNotBeReadIsNamedAndTheRestIsTaken) {
    const test::TempFolder folder;
    fs::permissions(folder.path(), fs::perms::all);
    fs::create_directories(folder / "locked");
    fs::create_directories(folder / "open");
    test::writeWav(folder.path() / "locked/Kick.wav", test::sine(60, 0.5, 0.1));
    test::writeWav(folder.path() / "open/Snare.wav", test::sine(200, 0.5, 0.1));
    fs::permissions(folder / "locked", fs::perms::none);
    project::IntakeScan scan;
    {
        const AsNobody nobody;
        const std::vector<fs::path> dropped{folder / "locked", folder / "open"};
        scan = project::scanIntake(dropped);
    }
    fs::permissions(folder / "locked", fs::perms::owner_all);
    ASSERT_EQ(scan.files.size(), 1U);
    EXPECT_EQ(scan.files[0].name, "Snare.wav");
    ASSERT_EQ(scan.problems.size(), 1U);
    EXPECT_NE(scan.problems[0].find("locked"), std::string::npos) << scan.problems[0];
}

TEST(FolderScan, AClosedFolderInsideAnOpenOneCostsOnlyItself) {
    const test::TempFolder folder;
    fs::permissions(folder.path(), fs::perms::all);
    fs::create_directories(folder.path() / "kit/closed");
    fs::permissions(folder / "kit", fs::perms::all);
    test::writeWav(folder.path() / "kit/closed/Kick.wav", test::sine(60, 0.5, 0.1));
    test::writeWav(folder.path() / "kit/Snare.wav", test::sine(200, 0.5, 0.1));
    fs::permissions(folder.path() / "kit/closed", fs::perms::none);
    FolderScan scan;
    {
        const AsNobody nobody;
        const std::vector<fs::path> dropped{folder / "kit"};
        scan = scanForAudio(dropped);
    }
    fs::permissions(folder.path() / "kit/closed", fs::perms::owner_all);
    EXPECT_EQ(names(scan), std::vector<std::string>{"Snare.wav"});
    ASSERT_EQ(scan.problems.size(), 1U);
    EXPECT_NE(scan.problems[0].find("closed"), std::string::npos) << scan.problems[0];
}

TEST(FolderScan, AFileThatMayNotBeReadIsNamed) {
    const test::TempFolder folder;
    fs::permissions(folder.path(), fs::perms::all);
    test::writeWav(folder / "Kick.wav", test::sine(60, 0.5, 0.1));
    fs::permissions(folder / "Kick.wav", fs::perms::none);
    project::IntakeScan scan;
    {
        const AsNobody nobody;
        const std::vector<fs::path> dropped{folder.path()};
        scan = project::scanIntake(dropped);
    }
    EXPECT_TRUE(scan.files.empty());
    ASSERT_EQ(scan.problems.size(), 1U);
    EXPECT_NE(scan.problems[0].find("Kick.wav"), std::string::npos) << scan.problems[0];
}

} // namespace
} // namespace cask::media
