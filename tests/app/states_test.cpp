// A and B, kept mixes and the list of steps in the window.
#include "app/window/states_sheet.h"
#include "core/session/edits.h"
#include "core/session/states.h"
#include "tests/app/window_fixture.h"

#include <QListWidget>

namespace cask::app {
namespace {

class StatesWindow : public WindowTest {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Kick.wav", test::sine(100, 0.5, 8));
        drop({text(m_folder / "Kick.wav")});
        ASSERT_TRUE(waitMeasured());
    }
    void setLevel(double db) {
        m_window->document().edit(
            session::withOutput(session(), element("Kick"), [&](session::Output& out) { out.levelDb = db; }),
            QStringLiteral("Level %1").arg(db));
    }
    [[nodiscard]] double level() { return session().output(element("Kick"))->levelDb; }
};

TEST_F(StatesWindow, OneKeySwitchesAndBothAreEquallyLoud) {
    QTest::keyClick(m_window.get(), Qt::Key_Q);
    setLevel(-6);
    ASSERT_TRUE(waitFor([&] { return m_window->playback().letterMatch().has_value(); }));
    ASSERT_TRUE(waitFor([&] {
        const auto& match = *m_window->playback().letterMatch();
        return std::abs(match.firstLufs - match.secondLufs - 6) < 0.05;
    })) << "A is 6 dB louder than B";
    const auto& match = *m_window->playback().letterMatch();
    EXPECT_NEAR(match.firstGainDb, -6, 0.05);
    EXPECT_EQ(match.secondGainDb, 0);
    m_window->playback().togglePlay();
    const auto peakNow = [&] {
        auto& meter = m_window->playback().engine();
        (void)waitFor([&] { return meter.mixMeter().heldPeakDb() > kSilenceDb; }); // it has begun
        meter.clearHeldPeak();
        QTest::qWait(600);
        return meter.mixMeter().heldPeakDb();
    };
    QTest::qWait(200);
    const double b = peakNow();
    QTest::keyClick(m_window.get(), Qt::Key_Q);
    EXPECT_EQ(level(), 0);
    EXPECT_TRUE(m_window->headLine().comparisonText().startsWith(QStringLiteral("A heard; A")))
        << m_window->headLine().comparisonText().toStdString();
    QTest::qWait(200);
    EXPECT_NEAR(peakNow(), b, 0.2) << "A at the loudness of B";
    m_window->playback().stop();
    QTest::qWait(50);
    m_window->playback().locate(0);
    m_window->playback().togglePlay();
    QTest::qWait(200);
    EXPECT_NEAR(peakNow(), b + 6, 0.2) << "started anew it is as it is";
    QTest::keyClick(m_window.get(), Qt::Key_Q, Qt::ShiftModifier);
    EXPECT_EQ(session::otherMix(session()), nullptr);
    EXPECT_TRUE(waitFor([&] { return !m_window->playback().letterMatch().has_value(); }));
}

TEST_F(StatesWindow, AMixIsKeptToldAndTakenUpAgain) {
    setLevel(-3);
    m_window->askForName = [](const QString&, const QString&) { return QStringLiteral("soft"); };
    QTest::keyClick(m_window.get(), Qt::Key_K, Qt::ControlModifier);
    ASSERT_NE(session::stateOf(session(), "soft"), nullptr);
    setLevel(4);
    QTest::keyClick(m_window.get(), Qt::Key_K, Qt::ControlModifier | Qt::ShiftModifier);
    auto* sheet = m_window->findChild<StatesSheet*>();
    ASSERT_NE(sheet, nullptr);
    ASSERT_EQ(sheet->list().count(), 1);
    EXPECT_EQ(sheet->differences().item(0)->text(), QStringLiteral("Kick: level \u22123.0 dB, now +4.0 dB"));
    QTest::mouseClick(&sheet->useButton(), Qt::LeftButton);
    EXPECT_EQ(level(), -3);
    EXPECT_TRUE(sheet->differences().item(0)->text().startsWith(QStringLiteral("Nothing")));
    m_window->askForName = [](const QString&, const QString&) { return QStringLiteral("A"); };
    QTest::mouseClick(&sheet->keepButton(), Qt::LeftButton);
    EXPECT_EQ(session::stateOf(session(), "A"), nullptr) << "that is no name";
    QTest::mouseClick(&sheet->removeButton(), Qt::LeftButton);
    EXPECT_TRUE(session().states.empty());
    EXPECT_FALSE(sheet->useButton().isEnabled());
    m_window->document().undo();
    EXPECT_EQ(session().states.size(), 1U) << "nothing is lost";
}

TEST_F(StatesWindow, StepsAreGoneToByAClick) {
    for (const double db : {-1.0, -2.0, -3.0})
        setLevel(db);
    QTest::keyClick(m_window.get(), Qt::Key_U, Qt::ControlModifier);
    auto* list = m_window->findChild<StepList*>();
    ASSERT_NE(list, nullptr);
    auto& rows = list->list();
    ASSERT_GE(rows.count(), 4);
    EXPECT_EQ(rows.currentRow(), rows.count() - 1);
    const int first = rows.count() - 3;
    EXPECT_EQ(rows.item(first)->text(), QStringLiteral("Level -1"));
    QTest::mouseClick(rows.viewport(), Qt::LeftButton, {}, rows.visualItemRect(rows.item(first)).center());
    EXPECT_EQ(level(), -1);
    EXPECT_EQ(rows.count(), first + 3) << "those after it can still be gone to";
    QTest::keyClick(&rows, Qt::Key_Down);
    EXPECT_EQ(level(), -2);
    m_window->document().undo();
    EXPECT_EQ(rows.currentRow(), first);
}

} // namespace
} // namespace cask::app
