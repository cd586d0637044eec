// A recorded element cut at its hits on the Layers bench.
#include "app/bench/layers/layers_bench.h"
#include "app/bench/layers/loop_panel.h"
#include "app/bench/layers/loop_picture.h"
#include "core/layers/stack_file.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QWheelEvent>

namespace cask::app {
namespace {

class LoopWindow : public WindowTest {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Snare Top.wav", test::bursts(180, 0.5, 0.5, 0.08, 8));
        test::writeWav(m_folder / "Kick In.wav", test::bursts(60, 0.5, 0.25, 0.1, 8));
        drop({text(m_folder / "Snare Top.wav"), text(m_folder / "Kick In.wav")});
        ASSERT_TRUE(waitMeasured());
        m_window->askForSaveName = [this](const QString&) { return text(m_folder / "Kit.cask"); };
        m_window->save();
        m_window->document().select(element("Snare Top"));
        QTest::keyClick(m_window.get(), Qt::Key_8);
        ASSERT_TRUE(waitFor([&] {
            return !m_window->hits().isBusy() && panel().isVisible() && panel().cutButton().isEnabled();
        }));
    }
    [[nodiscard]] LoopPanel& panel() { return m_window->bench().layers().loopPanel(); }
    void cut() {
        QTest::mouseClick(&panel().cutButton(), Qt::LeftButton);
        ASSERT_TRUE(waitFor([&] { return m_window->bench().layers().model().stack() != nullptr; }));
    }
    void setBar(const std::string& id, double value) {
        auto& bar = panel().bar(id);
        const QString typed = QString::number(value);
        bar.setFocus();
        QTest::keyClick(&bar, typed.front().toLatin1());
        QTest::keyClicks(bar.findChild<QLineEdit*>(), typed.mid(1));
        QTest::keyClick(bar.findChild<QLineEdit*>(), Qt::Key_Return);
    }
};

TEST_F(LoopWindow, ItIsCutTighterAtAnotherTempoAndUndone) {
    auto& model = panel().model();
    ASSERT_EQ(model.pieces().size(), 16U) << "15 hits, and what stands before them";
    EXPECT_EQ(model.drums(), std::vector<std::string>{"Snare Top"});
    ASSERT_TRUE(model.tempo().isKnown);
    setBar("tempo", 150);
    EXPECT_EQ(model.fit().bpm, 150);
    for (std::size_t i = 2; i < model.thenS().size(); ++i)
        EXPECT_NEAR(model.thenS()[i] - model.thenS()[i - 1], 0.4, 0.003);
    EXPECT_TRUE(panel().said().contains(QStringLiteral("% as long"))) << panel().said().toStdString();
    const int keyAt = panel().duckBy().findText(QStringLiteral("under Kick In"));
    ASSERT_GT(keyAt, 0);
    panel().duckBy().setCurrentIndex(keyAt);
    emit panel().duckBy().activated(keyAt);
    setBar("duck", 8);
    const auto before = session();
    cut();
    const auto& s = session();
    ASSERT_EQ(s.elements.size(), 3U);
    const auto* made = s.element(m_window->document().selected());
    EXPECT_EQ(made->name, "Snare Top cut");
    EXPECT_TRUE(s.element(element("Snare Top"))->out.isMuted);
    ASSERT_EQ(made->chain.size(), 1U);
    EXPECT_EQ(made->chain.front().key, element("Kick In"));
    EXPECT_FALSE(panel().isVisible()) << "it is played now";
    const auto* stack = m_window->bench().layers().model().stack();
    EXPECT_EQ(stack->strikes.size(), 16U);
    ASSERT_TRUE(waitMeasured());
    m_window->document().undo();
    EXPECT_EQ(session(), before);
}

TEST_F(LoopWindow, DrumsGoStretchesAreChosenAndThePictureZooms) {
    auto& model = panel().model();
    auto* box = panel().drumBox("Snare Top");
    ASSERT_NE(box, nullptr);
    QTest::mouseClick(box, Qt::LeftButton, {}, {8, box->height() / 2});
    EXPECT_TRUE(model.isDropped("Snare Top"));
    EXPECT_TRUE(panel().said().contains(QStringLiteral("15 silent"))) << panel().said().toStdString();
    QTest::mouseClick(panel().drumBox("Snare Top"), Qt::LeftButton, {}, {8, box->height() / 2});
    EXPECT_FALSE(model.isDropped("Snare Top"));
    EXPECT_FALSE(panel().onlyLoop().isEnabled()) << "nothing is repeated";
    m_window->playback().setLoop(0.9, 2.9);
    ASSERT_TRUE(panel().onlyLoop().isEnabled());
    QTest::mouseClick(&panel().onlyLoop(), Qt::LeftButton, {}, {8, panel().onlyLoop().height() / 2});
    EXPECT_EQ(model.pieces().size(), 5U) << "four hits, and what stands before";
    m_window->playback().setLoop(0.9, 1.9);
    EXPECT_EQ(model.pieces().size(), 3U);
    auto& picture = panel().picture();
    const double span = picture.toS() - picture.fromS();
    picture.setFocus();
    QTest::keyClick(&picture, Qt::Key_Plus);
    EXPECT_NEAR(picture.toS() - picture.fromS(), 0.8 * span, 1e-9);
    QTest::keyClick(&picture, Qt::Key_Minus);
    QTest::keyClick(&picture, Qt::Key_Minus);
    EXPECT_NEAR(picture.toS() - picture.fromS(), span, 1e-9) << "no wider than its pieces";
    const auto shot = pictureOf(picture);
    EXPECT_GT(pixelsOf(shot, theme().teal), 50);
}

TEST_F(LoopWindow, WhatCantBeIsSaidAndNothingIsMade) {
    m_window->playback().setLoop(0.6, 0.9); // between two hits
    QTest::mouseClick(&panel().onlyLoop(), Qt::LeftButton, {}, {8, panel().onlyLoop().height() / 2});
    EXPECT_TRUE(panel().model().pieces().empty());
    EXPECT_TRUE(panel().said().contains(QStringLiteral("no hits"))) << panel().said().toStdString();
    EXPECT_FALSE(panel().cutButton().isEnabled());
    panel().model().cut(true);
    EXPECT_EQ(session().elements.size(), 2U);
}

} // namespace
} // namespace cask::app
