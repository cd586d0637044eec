// The Shelf page: a folder added, searched, mapped, heard in the kit, and a sound taken for an element.
#include "app/bench/layers/layers_bench.h"
#include "app/shelf/shelf_list.h"
#include "app/shelf/shelf_map_picture.h"
#include "app/shelf/shelf_page.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/sound_drag.h"
#include "tests/app/window_fixture.h"

#include <QComboBox>
#include <QLineEdit>
#include <QTableView>

namespace cask::app {
namespace {

class ShelfWindow : public WindowTest {
  protected:
    void SetUp() override {
        m_sounds = m_folder / "Sounds";
        std::filesystem::create_directories(m_sounds);
        test::writeWav(m_sounds / "Kick Deep.wav", test::bursts(50, 10, 0.01, 0.2, 0.6));
        test::writeWav(m_sounds / "Kick High.wav", test::bursts(54, 10, 0.01, 0.15, 0.6));
        test::writeWav(m_sounds / "Click.wav", test::bursts(3000, 10, 0.01, 0.01, 0.2));
        test::writeWav(m_sounds / "Bell.wav", test::bursts(900, 10, 0.01, 0.3, 1));
        shelf().setFile(m_folder / "shelf.db");
        page().askForFolder = [this] { return text(m_sounds); };
    }
    [[nodiscard]] ShelfPage& page() { return m_window->shelf(); }
    [[nodiscard]] ShelfModel& shelf() { return page().model(); }
    [[nodiscard]] bool waitQuiet() {
        return waitFor([&] { return !shelf().isIndexing() && !shelf().isMapping() && !shelf().isAsking(); });
    }
    void open(int sounds = 4) {
        QTest::keyClick(m_window.get(), Qt::Key_S, Qt::ShiftModifier);
        ASSERT_TRUE(page().isVisible());
        page().addFolder();
        ASSERT_TRUE(waitFor([&] { return shelf().count() == sounds; }));
        ASSERT_TRUE(waitQuiet());
    }
    [[nodiscard]] QStringList listed() {
        QStringList names;
        for (int i = 0; i < page().list().rowCount(); ++i)
            names << page().list().index(i, ShelfList::Name).data().toString();
        return names;
    }
    void choose(const QString& name) {
        page().table().setFocus();
        page().table().selectRow(static_cast<int>(listed().indexOf(name)));
    }
    void takeSnare() {
        test::writeWav(m_folder / "Snare Top.wav", test::bursts(180, 0.5, 0.3, 0.08, 6));
        drop({text(m_folder / "Snare Top.wav")});
        ASSERT_TRUE(waitMeasured());
        m_window->askForSaveName = [this](const QString&) { return text(m_folder / "Kit.cask"); };
        m_window->save();
        ASSERT_TRUE(waitMeasured());
        ASSERT_TRUE(
            waitFor([&] { return !m_window->hits().isBusy() && m_window->hits().analysis() != nullptr; }));
        m_window->document().select(element("Snare Top"));
    }
    std::filesystem::path m_sounds;
};

TEST_F(ShelfWindow, AFolderIsSearchedByWordsRoleAndNumbers) {
    open();
    EXPECT_EQ(listed().size(), 4);
    QTest::keyClicks(&page().words(), QStringLiteral("kick"));
    ASSERT_TRUE(waitFor([&] { return listed().size() == 2; }));
    page().words().clear();
    ASSERT_TRUE(waitFor([&] { return listed().size() == 4; }));
    page().role().setCurrentIndex(page().role().findData(static_cast<int>(Role::KickIn)));
    ASSERT_TRUE(waitFor([&] { return listed().size() == 2; }));
    page().role().setCurrentIndex(0);
    auto* number = page().findChildren<QComboBox*>().back();
    number->setCurrentIndex(number->findData(QStringLiteral("fundamental_hz")));
    for (auto* field : page().findChildren<QLineEdit*>())
        if (field->accessibleName() == QLatin1String("from"))
            QTest::keyClicks(field, QStringLiteral("52"));
        else if (field->accessibleName() == QLatin1String("to"))
            QTest::keyClicks(field, QStringLiteral("100"));
    ASSERT_TRUE(waitFor([&] { return listed() == QStringList{QStringLiteral("Kick High")}; }));
}

TEST_F(ShelfWindow, MoreLikeThisAndWhatComplementsItByKeys) {
    open();
    choose(QStringLiteral("Kick Deep"));
    QTest::keyClick(&page().table(), Qt::Key_L);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(listed().size(), 3) << "never itself";
    EXPECT_EQ(listed().front(), QStringLiteral("Kick High"));
    EXPECT_EQ(shelf().subject(), QStringLiteral("like Kick Deep"));
    QTest::keyClicks(&page().words(), QStringLiteral("bell"));
    EXPECT_EQ(listed(), QStringList{QStringLiteral("Bell")}) << "an answer is filtered too";
    page().words().clear();
    page().table().setFocus();
    QTest::keyClick(&page().table(), Qt::Key_Escape);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(listed().size(), 4);
    choose(QStringLiteral("Kick Deep"));
    QTest::keyClick(&page().table(), Qt::Key_K);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(listed().back(), QStringLiteral("Kick High")) << "a second low end";
    EXPECT_TRUE(page().list().index(0, ShelfList::Why).data().toString().contains(QStringLiteral("dB")));
}

TEST_F(ShelfWindow, TheMapChoosesASoundAndHoldsTheListToABox) {
    open();
    auto& map = page().picture();
    EXPECT_FALSE(map.axisText(0).isEmpty());
    const auto* click = &page().list().row(static_cast<int>(listed().indexOf(QStringLiteral("Click")))).sound;
    const auto place = *shelf().placeOf(click->id);
    const QPoint at = map.pointOf(place).toPoint();
    QTest::mouseClick(&map, Qt::LeftButton, {}, at);
    EXPECT_EQ(page().table().currentIndex().siblingAtColumn(0).data().toString(), QStringLiteral("Click"));
    QTest::mousePress(&map, Qt::LeftButton, {}, at - QPoint(12, 12));
    QTest::mouseMove(&map, at + QPoint(12, 12));
    QTest::mouseRelease(&map, Qt::LeftButton, {}, at + QPoint(12, 12));
    EXPECT_EQ(listed(), QStringList{QStringLiteral("Click")});
    page().table().setFocus();
    QTest::keyClick(&page().table(), Qt::Key_Escape);
    EXPECT_EQ(listed().size(), 4);
}

TEST_F(ShelfWindow, ASoundIsHeardInTheKitAndTheNextOneAtOnce) {
    takeSnare();
    open();
    choose(QStringLiteral("Bell"));
    emit page().place().choiceEdited(1);
    page().place().setChosen(1);
    QTest::keyClick(&page().table(), Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return m_window->playback().isTrying(); }));
    EXPECT_TRUE(m_window->playback().isPlaying());
    EXPECT_TRUE(shelf().hearingText().contains(QStringLiteral("as loud")))
        << shelf().hearingText().toStdString();
    choose(QStringLiteral("Click"));
    EXPECT_EQ(shelf().heard(), m_sounds / "Click.wav");
    ASSERT_TRUE(waitFor([&] { return !shelf().hearingText().isEmpty(); }));
    EXPECT_TRUE(m_window->playback().isPlaying()) << "it goes on playing";
    EXPECT_EQ(session().elements.size(), 1U) << "nothing is changed by hearing";
    page().table().setFocus();
    QTest::keyClick(&page().table(), Qt::Key_Return);
    EXPECT_FALSE(m_window->playback().isTrying());
    EXPECT_FALSE(m_window->playback().isPlaying());
    // An edit ends it too.
    QTest::keyClick(&page().table(), Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return m_window->playback().isTrying(); }));
    m_window->document().select(session().master().id);
    EXPECT_FALSE(m_window->playback().isTrying());
}

TEST_F(ShelfWindow, ByItselfItEndsAndThePlayheadIsWhereItWas) {
    takeSnare();
    open();
    m_window->playback().locate(1.5);
    ASSERT_TRUE(waitFor([&] { return std::abs(m_window->playback().positionS() - 1.5) < 0.01; }));
    choose(QStringLiteral("Click"));
    QTest::keyClick(&page().table(), Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return m_window->playback().isTrying(); }));
    ASSERT_TRUE(waitFor([&] { return !m_window->playback().isTrying(); })) << "it is over by itself";
    EXPECT_FALSE(m_window->playback().isPlaying());
    EXPECT_TRUE(waitFor([&] { return std::abs(m_window->playback().positionS() - 1.5) < 0.01; }));
    EXPECT_TRUE(shelf().heard().empty());
}

TEST_F(ShelfWindow, ASoundIsTakenByKeyAndByADropOnTheBoard) {
    takeSnare();
    open();
    choose(QStringLiteral("Click"));
    QTest::keyClick(&page().table(), Qt::Key_A);
    ASSERT_TRUE(waitFor([&] { return session().elements.size() == 2; }));
    EXPECT_EQ(m_window->document().stage(), Stage::Layers);
    const Id played = m_window->document().selected();
    EXPECT_EQ(session().nameOf(played), "Snare Top Click");
    ASSERT_TRUE(waitFor([&] { return m_window->bench().layers().model().stack() != nullptr; }));
    // Dragged from the list onto the row of what is played now.
    page().list().setRows(shelf().rows());
    std::unique_ptr<QMimeData> data(page().list().mimeData({page().list().index(0, 0)}));
    EXPECT_TRUE(data->hasFormat(QString::fromLatin1(kSoundsMime)));
    auto& board = m_window->board();
    const QPoint at = board.rowRect(played).center();
    QDragEnterEvent enter(at, Qt::CopyAction, data.get(), Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&board, &enter);
    ASSERT_TRUE(enter.isAccepted());
    QDropEvent event(at, Qt::CopyAction, data.get(), Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&board, &event);
    ASSERT_TRUE(waitFor([&] {
        const auto* stack = m_window->bench().layers().model().stack();
        return stack != nullptr && stack->layers.size() == 2;
    }));
    EXPECT_EQ(session().elements.size(), 2U) << "no files were taken in";
}

TEST_F(ShelfWindow, WhatIsCopiedIntoAFolderIsFoundByItself) {
    open();
    test::writeWav(m_sounds / "New.wav", test::bursts(400, 10, 0.01, 0.1, 0.6));
    EXPECT_TRUE(waitFor([&] { return shelf().count() == 5; }));
    ASSERT_TRUE(waitQuiet());
    shelf().forgetFolder(m_sounds);
    EXPECT_TRUE(waitFor([&] { return shelf().count() == 0 && shelf().folders().empty(); }));
    EXPECT_TRUE(std::filesystem::exists(m_sounds / "New.wav"));
}

TEST_F(ShelfWindow, LikeAHitOfTheKit) {
    takeSnare();
    test::writeWav(m_sounds / "Snare like.wav", test::bursts(180, 10, 0.01, 0.08, 0.5));
    open(5);
    shelf().askLikeMoment();
    EXPECT_TRUE(page().statusText().contains(QStringLiteral("Choose a hit")))
        << page().statusText().toStdString();
    m_window->hits().chooseStroke(3);
    shelf().askLikeMoment();
    ASSERT_TRUE(waitQuiet());
    ASSERT_FALSE(listed().isEmpty());
    EXPECT_EQ(listed().front(), QStringLiteral("Snare like"));
}

} // namespace
} // namespace cask::app
