#include "app/bench/hit_pictures.h"
#include "app/bench/hits_bench.h"
#include "tests/app/window_fixture.h"

#include <QLineEdit>

namespace cask::app {
namespace {

/// A kick and a snare that hear each other, at 120 beats a minute: kicks on one and three, snares on two and
/// four.
class HitsTest : public WindowTest {
  protected:
    void open() {
        const auto kick = test::bursts(60, 1, 0.25, 0.12, 12);
        const auto snare = test::bursts(900, 1, 0.75, 0.05, 12);
        const auto mixed = [](const std::vector<float>& own, const std::vector<float>& other) {
            auto x = own;
            for (std::size_t n = 96; n < x.size(); ++n)
                x[n] += 0.1F * other[n - 96];
            const auto hiss = test::noise(0.0002, x.size(), 9);
            for (std::size_t n = 0; n < x.size(); ++n)
                x[n] += hiss[n];
            return x;
        };
        test::writeWav(m_folder / "Kick In.wav", mixed(kick, snare));
        test::writeWav(m_folder / "Snare Top.wav", mixed(snare, kick));
        drop({text(m_folder / "Kick In.wav"), text(m_folder / "Snare Top.wav")});
        ASSERT_TRUE(waitMeasured());
        ASSERT_TRUE(waitFound());
        m_window->document().select(element("Snare Top"));
        m_window->document().setStage(Stage::Hits);
    }
    bool waitFound() {
        return waitFor([&] { return !hits().isBusy() && hits().analysis() != nullptr; });
    }
    HitModel& hits() { return m_window->hits(); }
    HitsBench& bench() { return m_window->bench().hits(); }
    int own(const std::string& name) {
        const auto& a = *hits().analysis();
        const int drum = a.hits.kit.drumOf[static_cast<std::size_t>(a.inputOf(element(name)))];
        return static_cast<int>(std::count_if(a.hits.strokes.begin(), a.hits.strokes.end(),
                                              [&](const auto& h) { return h.drum == drum; }));
    }
};

TEST_F(HitsTest, TellsOwnHitsFromSpillAndShowsThemOnTheBoard) {
    open();
    EXPECT_EQ(own("Kick In"), 12);
    EXPECT_EQ(own("Snare Top"), 12);
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Hits), QStringLiteral("12"));
    EXPECT_TRUE(bench().summary().startsWith(QStringLiteral("12 own hits")));
    EXPECT_NEAR(hits().analysis()->tempo.bpm, 120, 0.12);
}

TEST_F(HitsTest, ArrowKeysChooseAHitAndDeleteTakesItOutWithUndo) {
    open();
    bench().setFocus();
    QTest::keyClick(&bench(), Qt::Key_Right);
    QTest::keyClick(&bench(), Qt::Key_Right);
    const int chosen = hits().chosenStroke();
    ASSERT_GE(chosen, 0);
    const double timeS = hits().analysis()->hits.strokes[static_cast<std::size_t>(chosen)].timeS;
    EXPECT_NEAR(timeS, 1.75, 0.005);
    QTest::keyClick(&bench(), Qt::Key_Delete);
    ASSERT_EQ(session().hitEdits.size(), 1U);
    EXPECT_EQ(session().hitEdits[0].kind, session::HitEdit::Kind::Remove);
    ASSERT_TRUE(waitFor([&] { return own("Snare Top") == 11; }));
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Delete hit, Snare Top"));
    m_window->document().undo();
    ASSERT_TRUE(waitFor([&] { return own("Snare Top") == 12; }));
}

TEST_F(HitsTest, AltAndAnArrowMovesTheHitAMillisecondAndItStaysChosen) {
    open();
    bench().setFocus();
    QTest::keyClick(&bench(), Qt::Key_Right);
    const double before =
        hits().analysis()->hits.strokes[static_cast<std::size_t>(hits().chosenStroke())].timeS;
    QTest::keyClick(&bench(), Qt::Key_Right, Qt::AltModifier);
    ASSERT_TRUE(waitFor([&] {
        const int now = hits().chosenStroke();
        return !hits().isBusy() && now >= 0 &&
               std::abs(hits().analysis()->hits.strokes[static_cast<std::size_t>(now)].timeS - before -
                        0.001) < 1e-6;
    }));
}

TEST_F(HitsTest, AHitIsAddedAtThePlayheadAndItsClassIsSet) {
    open();
    m_window->playback().locate(3.1);
    bench().setFocus();
    QTest::keyClick(&bench(), Qt::Key_Insert);
    ASSERT_TRUE(waitFor([&] { return !hits().isBusy() && own("Snare Top") == 13; }));
    hits().step(element("Snare Top"), 1, 3.0);
    const QRect roll = bench().classes().wordRect(4);
    QTest::mouseClick(&bench().classes(), Qt::LeftButton, {}, roll.center());
    ASSERT_EQ(session().hitEdits.size(), 2U);
    EXPECT_EQ(session().hitEdits[1].hitClass, "roll");
}

TEST_F(HitsTest, AClickOnTheStripChoosesTheHitThere) {
    open();
    auto& strip = m_window->strip();
    const double timeS = 2.75;
    m_window->document().select(element("Snare Top"));
    // The chosen lane is the second of two.
    QTest::mouseClick(&strip, Qt::LeftButton, {},
                      QPoint(static_cast<int>(strip.xOf(timeS)), strip.height() - 24));
    ASSERT_GE(hits().chosenStroke(), 0);
    EXPECT_NEAR(hits().analysis()->hits.strokes[static_cast<std::size_t>(hits().chosenStroke())].timeS, timeS,
                0.005);
}

TEST_F(HitsTest, ATypedTempoStandsUntilItIsEmptied) {
    open();
    auto& field = bench().tempo();
    field.setFocus();
    field.setText(QStringLiteral("/2"));
    QTest::keyClick(&field, Qt::Key_Return);
    EXPECT_NEAR(session().tempo.bpm, 60, 0.1);
    ASSERT_TRUE(
        waitFor([&] { return !hits().isBusy() && std::abs(hits().analysis()->tempo.bpm - 60) < 0.2; }));
    field.setText(QStringLiteral("fast"));
    QTest::keyClick(&field, Qt::Key_Return);
    EXPECT_NEAR(session().tempo.bpm, 60, 0.1) << "what is no number changes nothing";
    field.setText({});
    QTest::keyClick(&field, Qt::Key_Return);
    EXPECT_EQ(session().tempo.bpm, 0);
}

TEST_F(HitsTest, ARoleThatIsCorrectedIsHeardAnew) {
    open();
    const auto* before = hits().analysis();
    m_window->document().edit(session::withRole(session(), element("Snare Top"), Role::Overhead),
                              QStringLiteral("Role"));
    ASSERT_TRUE(waitFor([&] { return !hits().isBusy() && hits().analysis() != before; }));
    const auto& a = *hits().analysis();
    EXPECT_EQ(a.hits.kit.drumOf[static_cast<std::size_t>(a.inputOf(element("Snare Top")))], -1);
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Hits), QStringLiteral("\u00b7"));
}

TEST_F(HitsTest, TheSpillTableIsAPictureWhoseColumnsChooseElements) {
    open();
    auto& spill = bench().spill();
    ASSERT_EQ(spill.rows(), 2);
    ASSERT_EQ(spill.columns(), 2);
    QTest::mouseClick(&spill, Qt::LeftButton, {}, spill.cell(0, 0).center().toPoint());
    EXPECT_EQ(m_window->document().selected(), element("Kick In"));
    EXPECT_NEAR(hits().analysis()->spill.cells[1][0].levelDb, -20, 1);
}

} // namespace
} // namespace cask::app
