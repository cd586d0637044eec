// The rough balance in the window: found, looked at step by step, taken in one edit.
#include "app/bench/balance/balance_bench.h"
#include "app/bench/balance/rough_balance_panel.h"
#include "app/models/rough_balance_model.h"
#include "app/widgets/choice_row.h"
#include "core/kit_measures/trim_to_target.h"
#include "tests/app/window_fixture.h"

#include <QAction>
#include <QPushButton>
#include <QTableWidget>

namespace cask::app {
namespace {

class RoughBalanceWindow : public WindowTest {
  protected:
    void open() {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.06));
        m_window->document().setStage(Stage::Balance);
        ASSERT_TRUE(waitFor([&] { return m_window->hits().shared() != nullptr; }));
    }
    void find() {
        QTest::mouseClick(&bench().roughButton(), Qt::LeftButton);
        ASSERT_TRUE(waitFor([&] { return bench().rough().found().has_value(); }));
    }
    BalanceBench& bench() { return m_window->bench().balance(); }
    RoughBalancePanel& panel() { return bench().roughPanel(); }
};

TEST_F(RoughBalanceWindow, StepsAreShownAndTakenAsOneEdit) {
    open();
    const auto before = session();
    ASSERT_NO_FATAL_FAILURE(find());
    EXPECT_EQ(session(), before) << "looking changes nothing";
    const auto steps = bench().rough().found()->steps;
    ASSERT_GE(steps.size(), 2U);
    ASSERT_EQ(panel().steps().rowCount(), static_cast<int>(steps.size()));
    EXPECT_TRUE(panel().steps().isVisible());
    EXPECT_FALSE(panel().steps().item(0, 3)->text().isEmpty());
    EXPECT_TRUE(panel().headroomText().contains(QStringLiteral("the kit")))
        << panel().headroomText().toStdString();
    QTest::mouseClick(&panel().takeButton(), Qt::LeftButton);
    for (const auto& step : steps)
        if (step.what == kit::BalanceStep::What::Level) {
            EXPECT_EQ(session().output(step.element)->levelDb, step.after);
        }
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Rough balance"));
    EXPECT_FALSE(panel().steps().isVisible());
    m_window->document().undo();
    EXPECT_EQ(session().elements, before.elements);
}

TEST_F(RoughBalanceWindow, AStepIsRefusedByKeyboardAndStays) {
    open();
    ASSERT_NO_FATAL_FAILURE(find());
    const auto step = bench().rough().found()->steps[0];
    panel().steps().setFocus();
    panel().steps().setCurrentCell(0, 0);
    QTest::keyClick(&panel().steps(), Qt::Key_Space);
    EXPECT_EQ(bench().rough().refused(), std::set<std::size_t>{0});
    QTest::mouseClick(&panel().takeButton(), Qt::LeftButton);
    EXPECT_EQ(session().output(step.element)->levelDb, step.before);
}

TEST_F(RoughBalanceWindow, HeadroomOfWhatWasIsNeverTakenForWhatIs) {
    open();
    auto& playback = m_window->playback();
    ASSERT_TRUE(waitFor([&] { return !playback.isMeasuringHeadroom(); }));
    const double before = playback.headroom()->truePeakDb.back();
    auto quieter = session();
    for (const auto& e : session().elements)
        quieter = session::withOutput(quieter, e->id, [](session::Output& out) { out.levelDb -= 12; });
    m_window->document().edit(quieter, QStringLiteral("levels"));
    EXPECT_TRUE(playback.isMeasuringHeadroom()) << "from the edit on";
    EXPECT_TRUE(playback.isMatching());
    ASSERT_TRUE(waitFor([&] { return !playback.isMeasuringHeadroom(); }));
    EXPECT_NEAR(playback.headroom()->truePeakDb.back(), before - 12, 0.01);
}

TEST_F(RoughBalanceWindow, LeavingAndTryingChangeNothing) {
    open();
    const auto before = session();
    ASSERT_NO_FATAL_FAILURE(find());
    QTest::mousePress(&panel().tryButton(), Qt::LeftButton);
    EXPECT_TRUE(m_window->playback().isAuditioning());
    QTest::mouseRelease(&panel().tryButton(), Qt::LeftButton);
    EXPECT_FALSE(m_window->playback().isAuditioning());
    QTest::mouseClick(&panel().leaveButton(), Qt::LeftButton);
    EXPECT_FALSE(bench().rough().found());
    EXPECT_TRUE(bench().plane().isVisible());
    EXPECT_EQ(session(), before);
}

TEST_F(RoughBalanceWindow, AnEditForgetsWhatWasFoundAndTheKitTurnsInOneMove) {
    open();
    ASSERT_NO_FATAL_FAILURE(find());
    auto next = session();
    next.elements[0].edit([](session::Element& e) { e.out.pan = -0.4; });
    m_window->document().edit(next, QStringLiteral("pan"));
    EXPECT_FALSE(bench().rough().found());
    QTest::mouseClick(&bench().turnButton(), Qt::LeftButton);
    EXPECT_EQ(session().elements[0]->out.pan, 0.4);
    m_window->document().undo();
    EXPECT_EQ(session().elements[0]->out.pan, -0.4);
}

TEST_F(RoughBalanceWindow, OwnAccentsAreTrimmedToThePeakThatIsTyped) {
    open();
    const auto before = session();
    QString typed = QStringLiteral("loud");
    m_window->askForName = [&](const QString&, const QString& offered) {
        EXPECT_EQ(offered, QStringLiteral("-12"));
        return typed;
    };
    const auto trim = [&] {
        for (auto* action : m_window->findChildren<QAction*>())
            if (action->text().startsWith(QStringLiteral("Trim own accents")))
                action->trigger();
    };
    trim();
    EXPECT_EQ(session(), before) << "nothing is done with nonsense";
    typed = QStringLiteral("-9 dBFS");
    trim();
    const auto steps = kit::trimToTarget(before, *m_window->hits().shared(), -9);
    ASSERT_FALSE(steps.empty());
    for (const auto& step : steps)
        EXPECT_EQ(session().element(step.element)->input.trimDb, step.afterDb);
    EXPECT_TRUE(m_window->document().undoLabel().startsWith(QStringLiteral("Trim ")));
    m_window->document().undo();
    EXPECT_EQ(session().elements, before.elements);
}

} // namespace
} // namespace cask::app
