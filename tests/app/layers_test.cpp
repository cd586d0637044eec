// The Layers bench: a recorded element struck, layers chosen, moved, added and removed.
#include "app/bench/layers/layer_pictures.h"
#include "app/bench/layers/layers_bench.h"
#include "core/layers/stack_file.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>

namespace cask::app {
namespace {

class LayersWindow : public WindowTest {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Snare Top.wav", test::bursts(180, 0.5, 0.3, 0.08, 6));
        std::vector<float> click(600, 0.0F);
        click[100] = 0.5F;
        test::writeWav(m_folder / "Click.wav", click);
        test::writeWav(m_folder / "Sub.wav", test::bursts(50, 10, 0.0, 0.1, 0.5));
        drop({text(m_folder / "Snare Top.wav")});
        ASSERT_TRUE(waitMeasured());
        ASSERT_TRUE(
            waitFor([&] { return !m_window->hits().isBusy() && m_window->hits().analysis() != nullptr; }));
        m_snare = element("Snare Top");
        m_window->askForSaveName = [this](const QString&) { return text(m_folder / "Kit.cask"); };
        m_window->save();
        m_window->document().select(m_snare);
        QTest::keyClick(m_window.get(), Qt::Key_8);
        ASSERT_TRUE(waitFor([&] { return bench().addButton().isEnabled(); }))
            << "hits are searched again in the new folder";
        bench().askForSounds = [this] { return QStringList{text(m_folder / "Click.wav")}; };
    }
    [[nodiscard]] LayersBench& bench() { return m_window->bench().layers(); }
    [[nodiscard]] const layers::Stack& stack() { return *bench().model().stack(); }
    [[nodiscard]] bool waitQuiet() {
        return waitFor([&] { return !bench().model().isBusy() && bench().model().look() != nullptr; });
    }
    void strike() {
        QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
        ASSERT_TRUE(waitFor([&] { return bench().model().stack() != nullptr; }));
        ASSERT_TRUE(waitQuiet());
    }
    /// As the session's file says.
    [[nodiscard]] layers::Stack stored() {
        const auto& s = session();
        const auto* e = s.element(m_window->document().selected());
        return *layers::readStack(
            session::resolvePath(*s.file(e->channels.front().file), m_window->document().folder()));
    }
    Id m_snare = session::kNoId;
};

TEST_F(LayersWindow, ARecordedElementsHitsStrikeASound) {
    EXPECT_EQ(m_window->document().stage(), Stage::Layers);
    EXPECT_EQ(bench().model().stack(), nullptr);
    EXPECT_TRUE(bench().addButton().isEnabled());
    strike();
    EXPECT_EQ(session().elements.size(), 2U);
    EXPECT_EQ(session().nameOf(m_window->document().selected()), "Snare Top Click");
    ASSERT_EQ(stack().strikes.size(), 12U);
    for (std::size_t i = 0; i < stack().strikes.size(); ++i)
        EXPECT_NEAR(stack().strikes[i].timeS, 0.3 + 0.5 * static_cast<double>(i), 0.001);
    EXPECT_EQ(bench().summary(), "12 strikes, 1 layer");
    // It is measured and heard like a file.
    ASSERT_TRUE(waitMeasured());
    m_window->document().undo();
    EXPECT_EQ(session().elements.size(), 1U);
}

TEST_F(LayersWindow, LayersAreAddedMovedSetAndRemoved) {
    strike();
    bench().askForSounds = [this] { return QStringList{text(m_folder / "Sub.wav")}; };
    QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    ASSERT_EQ(stack().layers.size(), 2U);
    EXPECT_EQ(bench().model().chosen(), 1);
    EXPECT_EQ(bench().model().look()->judged.lowEndOwner, 1) << "the low tone owns the lows";
    auto& picture = bench().picture();
    const auto row = picture.rowRect(1);
    const QPoint at(static_cast<int>(picture.xOf(20)), static_cast<int>(row.center().y()));
    const QPoint to(static_cast<int>(picture.xOf(40)), at.y());
    QTest::mousePress(&picture, Qt::LeftButton, {}, at);
    QTest::mouseMove(&picture, to);
    QTest::mouseRelease(&picture, Qt::LeftButton, {}, to);
    ASSERT_TRUE(waitQuiet());
    EXPECT_NEAR(stored().layers[1].offsetMs, 20, 1.5);
    const double before = stack().layers[1].offsetMs;
    QTest::keyClick(&picture, Qt::Key_Left);
    QTest::keyClick(&picture, Qt::Key_Right, Qt::ShiftModifier);
    ASSERT_TRUE(waitQuiet());
    EXPECT_NEAR(stored().layers[1].offsetMs, before - 1 + 1000.0 / 48000, 0.001);
    QTest::mouseClick(&picture, Qt::LeftButton, {}, {20, static_cast<int>(picture.rowRect(0).center().y())});
    EXPECT_EQ(bench().model().chosen(), 0);
    EXPECT_EQ(stack().layers[0].offsetMs, 0) << "a click moves nothing";
    bench().bar("gain_db").setFocus();
    QTest::keyClick(&bench().bar("gain_db"), Qt::Key_Down);
    bench().hits().setFocus();
    emit bench().hits().choiceEdited(1);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers[0].gainDb, -0.5);
    EXPECT_EQ(stored().layers[0].rule.kind, layers::StrikeKind::Accents);
    QTest::mouseClick(&bench().removeButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    ASSERT_EQ(stored().layers.size(), 1U);
    EXPECT_EQ(stored().layers[0].name, "Sub");
    m_window->document().undo();
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers.size(), 2U);
    EXPECT_EQ(stack().layers.size(), 2U) << "the bench shows what is undone";
}

TEST_F(LayersWindow, WhatCantBePlayedIsToldAndTakenBack) {
    strike();
    bench().askForSounds = [this] { return QStringList{text(m_folder / "None.wav")}; };
    QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !bench().model().isBusy(); }));
    EXPECT_EQ(stored().layers.size(), 1U);
    EXPECT_EQ(stack().layers.size(), 1U);
    EXPECT_TRUE(m_window->document().notes().join(QLatin1Char(' ')).contains(QStringLiteral("None.wav")));
}

} // namespace
} // namespace cask::app
