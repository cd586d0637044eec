// The device box, the themes, the untouched kinds, work from last time.
#include "app/theme/theme.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

#include <QAction>
#include <QComboBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QLabel>

namespace cask::app {
namespace {

class Dialogs : public WindowTest {
  protected:
    QAction* action(const QString& begins) {
        for (auto* action : m_window->findChildren<QAction*>())
            if (action->text().startsWith(begins))
                return action;
        return nullptr;
    }
    QPushButton* button(const QString& text) {
        for (auto* button : m_window->findChildren<QPushButton*>())
            if (button->text() == text && button->isVisible())
                return button;
        return nullptr;
    }
};

TEST_F(Dialogs, TheDeviceBoxSetsTheMonitorAndIsNotInTheWay) {
    action(QStringLiteral("Device and monitor"))->trigger();
    QDialog* box = nullptr;
    for (auto* dialog : m_window->findChildren<QDialog*>())
        if (dialog->windowTitle() == QStringLiteral("Device and monitor"))
            box = dialog;
    ASSERT_NE(box, nullptr);
    EXPECT_FALSE(box->isModal()) << "nothing is modal while sound plays";
    const auto spins = box->findChildren<QDoubleSpinBox*>();
    ASSERT_EQ(spins.size(), 2);
    spins[0]->setValue(-18);
    spins[1]->setValue(-6);
    EXPECT_DOUBLE_EQ(m_window->playback().engine().monitor().levelDb, -18);
    EXPECT_DOUBLE_EQ(m_window->playback().engine().monitor().ceilingDb, -6);
    spins[1]->setValue(12);
    EXPECT_LE(m_window->playback().engine().monitor().ceilingDb, 0)
        << "the ceiling is never above full scale";
    bool warns = false;
    for (const auto* label : box->findChildren<QLabel*>())
        warns = warns || label->text().contains(QStringLiteral("Local rules"));
    EXPECT_TRUE(warns) << "hearing comes first";
    auto* device = box->findChildren<QComboBox*>().front();
    EXPECT_GE(device->findData(QStringLiteral("simulated")), 0) << "the stand-in can always be chosen";
}

TEST_F(Dialogs, BothThemesDrawEveryView) {
    test::writeWav(m_folder / "Kick.wav", test::bursts(60, 0.5, 0.1, 0.05, 2));
    drop({text(m_folder / "Kick.wav")});
    ASSERT_TRUE(waitMeasured());
    for (int stage = 0; stage < static_cast<int>(kStages.size()); ++stage) {
        m_window->document().setStage(kStages[static_cast<std::size_t>(stage)]);
        action(QStringLiteral("Night"))->trigger();
        EXPECT_EQ(themeKind(), ThemeKind::Night);
        const QImage night = m_window->grab().toImage();
        action(QStringLiteral("Light"))->trigger();
        const QImage light = m_window->grab().toImage();
        EXPECT_LT(night.pixelColor(5, 5).lightness(), 60);
        EXPECT_GT(light.pixelColor(5, 5).lightness(), 200);
    }
}

TEST_F(Dialogs, TheUntouchedKitIsOneOfTwoKinds) {
    auto& playback = m_window->playback();
    action(QStringLiteral("Untouched: this balance"))->trigger();
    EXPECT_EQ(playback.untouchedKind(), session::Untouched::NoProcessing);
    action(QStringLiteral("Untouched: the files"))->trigger();
    EXPECT_EQ(playback.untouchedKind(), session::Untouched::FilesAsTheyCame);
}

TEST_F(Dialogs, UnsavedWorkOfASessionIsOfferedAndTakenUp) {
    QString problem;
    {
        Document d;
        ASSERT_TRUE(d.saveAs(m_folder / "S", {}, problem));
        d.edit(session::withOutput(d.session(), d.session().master().id, [](auto& out) { out.levelDb = -5; }),
               QStringLiteral("Level"));
    } // ended without saving
    ASSERT_TRUE(m_window->openSession(m_folder / "S.cask"));
    EXPECT_EQ(session().master().out.levelDb, 0);
    ASSERT_NE(button(QStringLiteral("Restore")), nullptr);
    QTest::mouseClick(button(QStringLiteral("Restore")), Qt::LeftButton);
    EXPECT_EQ(session().master().out.levelDb, -5);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Restore unsaved work"));
}

} // namespace
} // namespace cask::app
