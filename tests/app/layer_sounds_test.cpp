// The sounds of a layer and their velocities, edited in their box.
#include "app/bench/layers/layer_fields.h"
#include "app/bench/layers/layer_sounds_box.h"
#include "tests/app/layers_fixture.h"

#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

#include <cmath>

namespace cask::app {
namespace {

using Box = LayerSoundsBox;

class LayerSoundsWindow : public LayersWindow {
  protected:
    void SetUp() override {
        LayersWindow::SetUp();
        if (HasFatalFailure())
            return;
        strike();
        QTest::mouseClick(&bench().fields().soundsButton(), Qt::LeftButton);
        ASSERT_NE(box(), nullptr);
    }
    [[nodiscard]] Box* box() { return bench().fields().soundsBox(); }
    [[nodiscard]] QString cell(int row, Box::Column column) {
        return box()->table().item(row, column)->text();
    }
    void type(int row, Box::Column column, const char* what) {
        auto& table = box()->table();
        const auto at = table.visualItemRect(table.item(row, column)).center();
        QTest::mouseClick(table.viewport(), Qt::LeftButton, {}, at);
        QTest::mouseDClick(table.viewport(), Qt::LeftButton, {}, at);
        const auto editors =
            table.viewport()->findChildren<QLineEdit*>(); // the one before may still be there
        ASSERT_FALSE(editors.isEmpty()) << "a double click edits";
        auto* editor = editors.last();
        QTest::keyClick(editor, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(editor, QLatin1String(what));
        QTest::keyClick(editor, Qt::Key_Return);
        ASSERT_TRUE(waitFor([&] { return editor == nullptr || !editor->isVisible(); }))
            << "what is typed is taken a moment later";
        ASSERT_TRUE(waitQuiet());
    }
    void add(const char* file) {
        box()->askForSounds = [this, file] { return QStringList{text(m_folder / file)}; };
        QTest::mouseClick(&box()->addButton(), Qt::LeftButton);
        ASSERT_TRUE(waitQuiet());
    }
};

TEST_F(LayerSoundsWindow, SoundsAreAddedAndGivenVelocities) {
    ASSERT_EQ(box()->table().rowCount(), 1);
    EXPECT_EQ(cell(0, Box::kSound), QStringLiteral("Click"));
    EXPECT_EQ(cell(0, Box::kPlays), QString::number(stack().strikes.size()));
    EXPECT_FALSE(box()->said().contains(QStringLiteral("Nothing sounds")));
    add("Sub.wav");
    ASSERT_EQ(box()->table().rowCount(), 2);
    type(0, Box::kFrom, "80");
    type(1, Box::kTo, "70,6");
    EXPECT_EQ(stored().layers[0].sounds[0].lowVelocity, 80);
    EXPECT_EQ(stored().layers[0].sounds[1].highVelocity, 70.6);
    EXPECT_TRUE(box()->said().contains(QStringLiteral("Nothing sounds at velocity 71 to 79.")))
        << box()->said().toStdString();
    // Each strike is counted where its sound is.
    std::size_t hard = 0;
    std::size_t soft = 0;
    for (const auto& strike : stack().strikes) {
        hard += strike.velocity >= 80 ? 1 : 0;
        soft += strike.velocity <= 70.6 ? 1 : 0;
    }
    EXPECT_GT(hard, 0U);
    EXPECT_EQ(cell(0, Box::kPlays), QString::number(hard));
    EXPECT_EQ(cell(1, Box::kPlays), QString::number(soft));
    type(1, Box::kGain, "-3.5");
    EXPECT_EQ(stored().layers[0].sounds[1].gainDb, -3.5);
    m_window->document().undo();
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(cell(1, Box::kGain), QStringLiteral("0.0")) << "one step of the history";
}

TEST_F(LayerSoundsWindow, WhatIsNoNumberIsTakenBackAndEndsStayInOrder) {
    type(0, Box::kGain, "loud");
    EXPECT_EQ(cell(0, Box::kGain), QStringLiteral("0.0"));
    type(0, Box::kTo, "40");
    type(0, Box::kFrom, "90");
    EXPECT_EQ(stored().layers[0].sounds[0].lowVelocity, 90);
    EXPECT_EQ(stored().layers[0].sounds[0].highVelocity, 90);
    type(0, Box::kTo, "300");
    EXPECT_EQ(stored().layers[0].sounds[0].highVelocity, 127);
    type(0, Box::kGain, "999");
    EXPECT_EQ(stored().layers[0].sounds[0].gainDb, layers::kMostSoundGainDb);
}

TEST_F(LayerSoundsWindow, SoundsAreRemovedButNotTheLast) {
    add("Sub.wav");
    box()->table().selectRow(0);
    QTest::mouseClick(&box()->removeButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    ASSERT_EQ(stored().layers[0].sounds.size(), 1U);
    EXPECT_EQ(stored().layers[0].sounds[0].file.stem(), "Sub");
    box()->table().selectRow(0);
    EXPECT_FALSE(box()->removeButton().isEnabled());
    EXPECT_FALSE(box()->sortButton().isEnabled()) << "one alone is for every velocity";
}

TEST_F(LayerSoundsWindow, SoundsArePutByStrengthAndMadeAlternatesAgain) {
    auto soft = test::bursts(180, 10, 0.0, 0.08, 0.4);
    for (float& x : soft)
        x *= 0.01F;
    test::writeWav(m_folder / "Faint.wav", soft);
    add("Faint.wav");
    QTest::mouseClick(&box()->sortButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return bench().model().isByVelocity(); }));
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(cell(0, Box::kSound), QStringLiteral("Faint"));
    EXPECT_EQ(cell(0, Box::kTo), QStringLiteral("63"));
    EXPECT_EQ(cell(1, Box::kFrom), QStringLiteral("64"));
    QTest::mouseClick(&box()->alikeButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(cell(1, Box::kFrom), QStringLiteral("0"));
    EXPECT_TRUE(box()->said().startsWith(QStringLiteral("Sounds of one velocity play in turn.")));
}

TEST_F(LayerSoundsWindow, GoesWithItsElement) {
    const QPointer<Box> open = box();
    m_window->document().select(m_snare);
    EXPECT_TRUE(waitFor([&] { return open == nullptr || !open->isVisible(); })) << "a recorded one has none";
}

} // namespace
} // namespace cask::app
