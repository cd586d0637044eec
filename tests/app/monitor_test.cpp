// What is heard: the monitor's row and keys, bypassing everything, clip marks.
#include "app/window/monitor_row.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

#include <QLabel>
#include <QSettings>

namespace cask::app {
namespace {

class Monitor : public WindowTest {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Kick.wav", test::sine(100, 0.9, 4));
        drop({text(m_folder / "Kick.wav")});
        ASSERT_TRUE(waitMeasured());
    }
    [[nodiscard]] MonitorRow& row() { return m_window->headLine().monitor(); }
    [[nodiscard]] const engine::MonitorSettings& monitor() { return m_window->playback().monitor(); }
};

TEST(FirstStart, MonitorsSoftly) {
    QSettings().remove(QStringLiteral("monitor"));
    Document document;
    Analyst analyst(document);
    const Playback playback(
        document, analyst, [](engine::AudioCallback& callback, const engine::DeviceSettings& s) {
            return engine::OpenedDevice{
                std::make_unique<engine::SimulatedDevice>(callback, s.sampleRateHz, s.blockFrames), {}};
        });
    EXPECT_EQ(playback.monitor().levelDb, -20);
}

TEST_F(Monitor, ButtonsAndKeysDoTheSame) {
    QTest::mouseClick(&row().dim(), Qt::LeftButton);
    EXPECT_TRUE(monitor().isDimmed);
    QTest::keyClick(m_window.get(), Qt::Key_D, Qt::ShiftModifier);
    EXPECT_FALSE(monitor().isDimmed);
    EXPECT_FALSE(row().dim().isChecked());
    QTest::keyClick(m_window.get(), Qt::Key_N, Qt::ShiftModifier);
    EXPECT_TRUE(monitor().isMono && row().mono().isChecked());
    QTest::mouseClick(&row().swap(), Qt::LeftButton);
    EXPECT_TRUE(monitor().isSwapped);
    typeInto(&row().level(), QStringLiteral("-12"));
    EXPECT_EQ(monitor().levelDb, -12);
    EXPECT_EQ(m_window->playback().engine().monitor().levelDb, -12);
    EXPECT_TRUE(m_window->document().undoLabel().startsWith(QStringLiteral("Import")))
        << "no edit of the session";
}

TEST_F(Monitor, PeaksAreHeldUntilTheyAreCleared) {
    const Id kick = element("Kick");
    m_window->document().edit(
        session::withOutput(session(), kick, [](session::Output& out) { out.levelDb = 6; }), "Level");
    m_window->playback().togglePlay();
    ASSERT_TRUE(waitFor([&] { return m_window->board().isClipped(kick); }));
    ASSERT_TRUE(waitFor([&] {
        return m_window->playback().engine().mixMeter().heldPeakDb() > 1.9 &&
               row().peak().text().contains(QStringLiteral("dBTP")) &&
               !row().peak().text().startsWith(QChar(0x2013));
    }));
    EXPECT_TRUE(waitFor([&] { return row().correlationText().contains(QStringLiteral("+1.00")); }))
        << row().correlationText().toStdString();
    m_window->playback().stop();
    EXPECT_TRUE(m_window->board().isClipped(kick)) << "it stays after stopping";
    const double held = m_window->playback().engine().mixMeter().heldPeakDb();
    EXPECT_NEAR(held, 20 * std::log10(0.9) + 6 - 3.01, 0.3); // a mono element at the centre
    QTest::mouseClick(&m_window->board(), Qt::LeftButton, {}, m_window->board().clipRect(kick).center());
    EXPECT_FALSE(m_window->board().isClipped(kick));
    QTest::mouseClick(&row().peak(), Qt::LeftButton);
    EXPECT_LT(m_window->playback().engine().mixMeter().heldPeakDb(), -100);
}

TEST_F(Monitor, OneKeyBypassesEverything) {
    auto& playback = m_window->playback();
    const auto kind = playback.untouchedKind();
    QTest::keyClick(m_window.get(), Qt::Key_B, Qt::ShiftModifier);
    EXPECT_TRUE(playback.isBypassed());
    EXPECT_TRUE(playback.isComparing());
    EXPECT_EQ(playback.untouchedKind(), kind) << "what C compares with stays";
    QTest::keyClick(m_window.get(), Qt::Key_B, Qt::ShiftModifier);
    EXPECT_FALSE(playback.isBypassed());
    EXPECT_FALSE(playback.isComparing());
    QTest::keyClick(m_window.get(), Qt::Key_B, Qt::ShiftModifier);
    QTest::keyPress(m_window.get(), Qt::Key_C);
    QTest::keyRelease(m_window.get(), Qt::Key_C);
    EXPECT_FALSE(playback.isBypassed()) << "letting go of C ends both";
}

TEST_F(Monitor, HearingWordsStandInTheDeviceBox) {
    for (auto* action : m_window->findChildren<QAction*>())
        if (action->text().startsWith(QStringLiteral("Device and monitor")))
            action->trigger();
    bool says = false;
    for (const auto* label : m_window->findChildren<QLabel*>())
        says =
            says || label->text().startsWith(QStringLiteral(
                        "Loud playback can permanently damage hearing. Start low, especially on headphones, "
                        "and take breaks. The ceiling limits peaks; it does not make a level safe."));
    EXPECT_TRUE(says);
}

} // namespace
} // namespace cask::app
