// The kit sheet in the window, by keyboard and by mouse.
#include "app/widgets/role_chooser.h"
#include "app/window/kit_sheet_box.h"
#include "app/window/notice_row.h"
#include "tests/app/window_fixture.h"

#include <QTableWidget>

#include <fstream>

namespace cask::app {
namespace {

class KitSheetWindow : public WindowTest {
  protected:
    void SetUp() override {
        m_window->asksBeforeImport = true;
        float gain = 0.5F; // no two files are the same
        for (const char* name :
             {"Song_Kick.wav", "Song_OH L.wav", "Song_OH R.wav", "Song_mystery.wav", "Song_Click.wav"}) {
            std::filesystem::create_directories(m_folder / "kit");
            test::writeWav(m_folder.path() / "kit" / name, test::sine(200, gain, 1));
            gain *= 0.9F;
        }
        std::ofstream(m_folder / "kit" / "dead.wav") << "nothing";
    }
    KitSheetBox* open(const std::string& folder = "kit") {
        drop({text(m_folder / folder)});
        QCoreApplication::processEvents();
        const auto all = m_window->findChildren<KitSheetBox*>();
        if (all.isEmpty())
            return nullptr;
        all.back()->activateWindow();
        EXPECT_TRUE(QTest::qWaitForWindowActive(all.back()));
        return all.back();
    }
    static int rowOf(const KitSheetBox& box, const QString& file) {
        for (int row = 0; row < box.table().rowCount(); ++row)
            if (box.table().item(row, 3)->text() == file)
                return row;
        return -1;
    }
};

TEST_F(KitSheetWindow, EverythingIsCorrectedByKeyboardBeforeElementsAreMade) {
    auto* box = open();
    ASSERT_NE(box, nullptr);
    EXPECT_TRUE(session().elements.empty()) << "nothing is made yet";
    EXPECT_EQ(box->table().rowCount(), 5);
    EXPECT_TRUE(box->summary().contains(QStringLiteral("1 role"))) << box->summary().toStdString();
    auto& table = box->table();
    table.selectRow(rowOf(*box, QStringLiteral("Song_mystery.wav")));
    QTest::keyClick(&table, Qt::Key_R);
    ASSERT_TRUE(box->roles().isVisible());
    QTest::keyClick(&box->roles(), Qt::Key_S);
    EXPECT_FALSE(box->summary().contains(QStringLiteral("to say")));
    QTest::keyClick(&table, Qt::Key_N);
    EXPECT_EQ(table.item(rowOf(*box, QStringLiteral("Song_Kick.wav")), 0)->text(), QStringLiteral("Kick"));
    table.selectRow(rowOf(*box, QStringLiteral("Song_Click.wav")));
    QTest::keyClick(&table, Qt::Key_Space);
    QTest::keyClick(&table, Qt::Key_Return, Qt::ControlModifier);
    ASSERT_EQ(session().elements.size(), 3U);
    EXPECT_EQ(session().elements[0]->name, "Kick");
    EXPECT_EQ(session().elements[1]->name, "mystery");
    EXPECT_EQ(session().elements[1]->role, Role::SnareTop);
    EXPECT_EQ(session().elements[1]->roleConfidence, 1);
    EXPECT_TRUE(session().elements[2]->isStereo());
    EXPECT_TRUE(m_window->findingsPanel().text().contains(QStringLiteral("dead.wav")));
    m_window->document().undo();
    EXPECT_TRUE(session().elements.empty()) << "one step";
}

TEST_F(KitSheetWindow, TheSameByMouse) {
    auto* box = open();
    ASSERT_NE(box, nullptr);
    auto& table = box->table();
    const auto click = [&](const QString& file, int column, Qt::KeyboardModifiers keys = {}) {
        const auto rect = table.visualItemRect(table.item(rowOf(*box, file), column));
        QTest::mouseClick(table.viewport(), Qt::LeftButton, keys, rect.center());
    };
    click(QStringLiteral("Song_mystery.wav"), 3);
    QTest::mouseClick(&box->roleButton(), Qt::LeftButton);
    QTest::mouseClick(box->roles().button(Role::Room), Qt::LeftButton);
    click(QStringLiteral("Song_OH L.wav"), 3);
    EXPECT_EQ(box->pairButton().text(), QStringLiteral("part the pair"));
    QTest::mouseClick(&box->pairButton(), Qt::LeftButton);
    QTest::mouseClick(&box->cleanButton(), Qt::LeftButton);
    QTest::mouseClick(&box->importButton(), Qt::LeftButton);
    EXPECT_EQ(session().elements.size(), 5U) << "both overheads by themselves, and the click";
    EXPECT_EQ(session().element(element("mystery"))->role, Role::Room);
    EXPECT_EQ(session().element(element("Click"))->role, Role::Click);
}

TEST_F(KitSheetWindow, LeavingItLeavesTheSessionAsItIs) {
    auto* box = open();
    ASSERT_NE(box, nullptr);
    QTest::keyClick(box, Qt::Key_Escape);
    EXPECT_TRUE(session().elements.empty());
    EXPECT_TRUE(m_window->document().isSaved());
}

TEST_F(KitSheetWindow, TwoTakesAreTwoSessions) {
    float gain = 0.5F;
    for (const char* take : {"one", "two"})
        for (const char* name : {"Kick.wav", "Snare.wav"}) {
            std::filesystem::create_directories(m_folder / "takes" / take);
            test::writeWav(m_folder.path() / "takes" / take / name, test::sine(300, gain, 1));
            gain *= 0.9F;
        }
    auto* box = open("takes");
    ASSERT_NE(box, nullptr);
    EXPECT_EQ(box->take(), 0);
    EXPECT_EQ(box->table().rowCount(), 2);
    QTest::mouseClick(&box->importButton(), Qt::LeftButton);
    ASSERT_EQ(session().elements.size(), 2U);
    EXPECT_EQ(session().name, "takes, one");
    QPushButton* next = nullptr;
    for (auto* button : m_window->notice().findChildren<QPushButton*>())
        if (button->text().startsWith(QStringLiteral("New session with two")))
            next = button;
    ASSERT_NE(next, nullptr);
    QTest::mouseClick(next, Qt::LeftButton);
    EXPECT_EQ(session().elements.size(), 2U);
    EXPECT_EQ(session().name, "takes, two");
    EXPECT_TRUE(session().files.front()->path.find("/two/") != std::string::npos);
}

TEST_F(KitSheetWindow, OneFileIsImportedWithoutAsking) {
    drop({text(m_folder / "kit" / "Song_Kick.wav")});
    EXPECT_EQ(session().elements.size(), 1U);
    EXPECT_TRUE(m_window->findChildren<KitSheetBox*>().isEmpty());
}

} // namespace
} // namespace cask::app
