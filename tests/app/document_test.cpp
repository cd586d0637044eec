#include "app/document/document.h"
#include "app/document/recovery.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <QTest>
#include <gtest/gtest.h>

namespace cask::app {
namespace {

session::Session quieter(const Document& d, double db) {
    return session::withOutput(d.session(), d.session().master().id, [db](auto& out) { out.levelDb = db; });
}

TEST(Document, KeepsUnsavedWorkWhenItIsNotClosedProperly) {
    const test::TempFolder folder;
    QString problem;
    {
        Document d;
        ASSERT_TRUE(d.saveAs(folder / "S", {}, problem)) << problem.toStdString();
        d.edit(quieter(d, -3), QStringLiteral("Level"));
    } // gone without saving: the autosave stays
    Document d;
    ASSERT_TRUE(d.open(folder / "S.cask", problem));
    EXPECT_EQ(d.session().master().out.levelDb, 0);
    ASSERT_TRUE(d.recovered());
    d.takeRecovered();
    EXPECT_EQ(d.session().master().out.levelDb, -3);
    EXPECT_FALSE(d.isSaved());
    ASSERT_TRUE(d.save(problem));
    ASSERT_TRUE(d.open(folder / "S.cask", problem));
    EXPECT_FALSE(d.recovered());
}

TEST(Document, UntitledWorkIsFoundAgain) {
    {
        Document d;
        d.edit(quieter(d, -4), QStringLiteral("Level"));
    }
    const auto found = findAbandonedSessions(); // the newest first; other tests may leave some
    ASSERT_FALSE(found.empty());
    Document d;
    QString problem;
    ASSERT_TRUE(d.open(found.front(), problem)) << problem.toStdString();
    d.takeRecovered();
    EXPECT_EQ(d.session().master().out.levelDb, -4);
    d.discardUnsaved();
    const auto left = findAbandonedSessions();
    EXPECT_EQ(std::count(left.begin(), left.end(), found.front()), 0);
}

TEST(Document, AutosavesAfterAPause) {
    const test::TempFolder folder;
    Document d;
    QString problem;
    ASSERT_TRUE(d.saveAs(folder / "S", {}, problem));
    d.edit(quieter(d, -3), QStringLiteral("Level"));
    EXPECT_TRUE(QTest::qWaitFor([&] { return std::filesystem::exists(d.store().autosaveFile()); }, 10000));
}

TEST(Document, SaveAsLinksOrCopies) {
    const test::TempFolder folder;
    test::writeWav(folder / "Kick.wav", test::sine(60, 0.5, 0.2));
    Document d;
    d.import({QString::fromStdString(folder / "Kick.wav")});
    QString problem;
    ASSERT_TRUE(d.saveAs(folder / "Linked", {}, problem));
    EXPECT_EQ(d.session().files[0]->path, (folder / "Kick.wav").string());
    const auto copies = project::takeFilesAlong(
        d.session(), d.folder(), Document::folderFor(folder / "Copied"), project::TakeAlong::All);
    ASSERT_TRUE(copies);
    ASSERT_TRUE(d.saveAs(folder / "Copied", *copies, problem));
    EXPECT_EQ(d.session().files[0]->path, "audio/Kick.wav");
    EXPECT_TRUE(std::filesystem::exists(folder.path() / "Copied.cask/audio/Kick.wav"));
    EXPECT_TRUE(std::filesystem::exists(folder / "Kick.wav"));
}

TEST(Document, AFailedSaveSaysWhyAndStaysUnsaved) {
    Document d;
    d.edit(quieter(d, -3), QStringLiteral("Level"));
    QString problem;
    EXPECT_FALSE(d.saveAs("/proc/nowhere/S", {}, problem));
    EXPECT_NE(problem.indexOf(QStringLiteral("/proc/nowhere")), -1);
    EXPECT_FALSE(d.isSaved());
    d.discardUnsaved();
}

TEST(Document, OpeningNonsenseKeepsWhatIsOpen) {
    Document d;
    d.edit(quieter(d, -3), QStringLiteral("Level"));
    QString problem;
    EXPECT_FALSE(d.open("/no/such/session", problem));
    EXPECT_FALSE(problem.isEmpty());
    EXPECT_EQ(d.session().master().out.levelDb, -3);
    d.discardUnsaved();
}

} // namespace
} // namespace cask::app
