#include "app/bench/hits/hit_pictures.h"
#include "app/bench/hits/hits_bench.h"
#include "app/bench/hits/tempo_row.h"
#include "core/measure/hits/loop_hits.h"
#include "tests/app/window_fixture.h"

#include <QComboBox>
#include <QLineEdit>
#include <QMenu>

namespace cask::app {
namespace {

class HitsTest : public WindowTest {
  protected:
    void open() {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.12));
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
    auto& field = bench().tempo().field();
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

TEST_F(HitsTest, ALoopShowsTheDrumOfTheChosenStrokeAndCountsAll) {
    open();
    const auto* before = hits().analysis();
    m_window->document().edit(session::withRole(session(), element("Snare Top"), Role::Loop),
                              QStringLiteral("Role"));
    ASSERT_TRUE(waitFor([&] { return !hits().isBusy() && hits().analysis() != before; }));
    m_window->document().select(element("Snare Top"));
    const auto& a = *hits().analysis();
    const int input = a.inputOf(element("Snare Top"));
    ASSERT_EQ(a.hits.kit.loops, std::vector<int>{input});
    const auto& heard = hits().heardIn(input);
    ASSERT_FALSE(heard.empty());
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Hits), QString::number(heard.size()));
    hits().chooseStroke(heard.front().stroke);
    EXPECT_EQ(hits().drumShown(element("Snare Top")), heard.front().drum);
    EXPECT_TRUE(bench().summary().contains(
        QString::fromStdString(a.hits.kit.drums[static_cast<std::size_t>(heard.front().drum)].name)));
}

TEST_F(HitsTest, StrokesOfALoopAreAddedGivenAwayAndDeletedByHand) {
    open();
    const auto* before = hits().analysis();
    const Id loop = element("Snare Top");
    m_window->document().edit(session::withRole(session(), loop, Role::Loop), QStringLiteral("Role"));
    ASSERT_TRUE(waitFor([&] { return !hits().isBusy() && hits().analysis() != before; }));
    m_window->document().select(loop);
    const auto countOf = [&](const char* drum) {
        const auto& a = *hits().analysis();
        return std::count_if(a.hits.strokes.begin(), a.hits.strokes.end(), [&](const auto& s) {
            return measure::loopDrumName(a.hits.kit.drums[static_cast<std::size_t>(s.drum)]) == drum;
        });
    };
    const auto afterEdit = [&](const std::function<void()>& edit) {
        const auto* old = hits().analysis();
        edit();
        return waitFor([&] { return !hits().isBusy() && hits().analysis() != old; });
    };
    const int first = hits().heardIn(hits().analysis()->inputOf(loop)).front().stroke;
    hits().chooseStroke(first);
    const double atS = hits().analysis()->hits.strokes[static_cast<std::size_t>(first)].timeS;
    // To a drum that the loop did not have: the owner list offers all six.
    const QComboBox* owner = nullptr;
    for (const auto* box : bench().findChildren<QComboBox*>())
        if (box->accessibleName() == QStringLiteral("Drum that made the hit"))
            owner = box;
    ASSERT_NE(owner, nullptr);
    EXPECT_EQ(owner->count(), static_cast<int>(measure::kLoopDrums));
    EXPECT_TRUE(owner->isEnabled());
    const auto crashes = countOf("crash");
    ASSERT_TRUE(afterEdit([&] { hits().giveSelectedToDrum("crash"); }));
    EXPECT_EQ(countOf("crash"), crashes + 1);
    EXPECT_EQ(session().hitEdits.back().toDrum, "crash");
    // One more, of the drum that is shown, at the playhead.
    const int shown = hits().drumShown(loop);
    ASSERT_GE(shown, 0);
    const std::string name =
        measure::loopDrumName(hits().analysis()->hits.kit.drums[static_cast<std::size_t>(shown)]);
    const auto had = countOf(name.c_str());
    ASSERT_TRUE(afterEdit([&] { hits().addHit(loop, atS + 0.111); }));
    EXPECT_EQ(countOf(name.c_str()), had + 1);
    for (const auto& heard : hits().heardIn(hits().analysis()->inputOf(loop)))
        EXPECT_GT(heard.levelDb, -200);
    // The crash goes.
    const auto strokes = hits().analysis()->hits.strokes;
    for (std::size_t s = 0; s < strokes.size(); ++s)
        if (std::abs(strokes[s].timeS - atS) < 1e-6)
            hits().chooseStroke(static_cast<int>(s));
    ASSERT_TRUE(afterEdit([&] { hits().removeSelected(); }));
    EXPECT_EQ(countOf("crash"), crashes);
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

TEST_F(HitsTest, ABoxSelectsAcrossElementsAndCtrlAddsOne) {
    open();
    auto& strip = m_window->strip();
    const auto& a = *hits().analysis();
    const auto laneOf = [&](const std::string& name) {
        for (const auto& lane : strip.lanes())
            if (lane.element == element(name))
                return lane.rect;
        return QRectF();
    };
    // All strokes between 1 and 3 s that have a line of their own.
    std::set<int> wanted;
    for (const auto& h : a.hits.heard)
        if (h.isOwn && h.stroke >= 0 && h.timeS > 1 && h.timeS < 5)
            wanted.insert(h.stroke);
    ASSERT_GT(wanted.size(), 4U);
    const auto drag = [&](QPointF from, QPointF to, Qt::KeyboardModifiers keys = {}) {
        QTest::mousePress(&strip, Qt::LeftButton, keys, from.toPoint());
        for (const QPointF at : {(from + to) / 2, to}) {
            QMouseEvent move(QEvent::MouseMove, at, strip.mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                             keys);
            QCoreApplication::sendEvent(&strip, &move);
        }
        QTest::mouseRelease(&strip, Qt::LeftButton, keys, to.toPoint());
    };
    const double before = m_window->playback().positionS();
    drag({strip.xOf(1), strip.lanes().front().rect.top() + 1},
         {strip.xOf(5), strip.lanes().back().rect.bottom() - 1});
    EXPECT_EQ(hits().selection(), wanted);
    EXPECT_EQ(m_window->playback().positionS(), before) << "a box is no jump";
    // One line alone.
    const QRectF snare = laneOf("Snare Top");
    drag({strip.xOf(1), snare.top() + 2}, {strip.xOf(5), snare.bottom() - 2});
    const auto snares = hits().selection();
    EXPECT_LT(snares.size(), wanted.size());
    EXPECT_FALSE(snares.empty());
    for (const int stroke : snares)
        EXPECT_EQ(a.elementOf(a.hits.strokes[static_cast<std::size_t>(stroke)].drum), element("Snare Top"));
    // Ctrl and a click: one less, and back.
    const double x = strip.xOf(a.hits.strokes[static_cast<std::size_t>(*snares.begin())].timeS);
    QTest::mouseClick(&strip, Qt::LeftButton, Qt::ControlModifier, QPointF(x, snare.center().y()).toPoint());
    EXPECT_EQ(hits().selection().size() + 1, snares.size());
    QTest::mouseClick(&strip, Qt::LeftButton, Qt::ControlModifier, QPointF(x, snare.center().y()).toPoint());
    EXPECT_EQ(hits().selection(), snares);
}

TEST_F(HitsTest, TheMenuSelectsByClassAndSection) {
    open();
    const double lengthS = framesToSeconds(session().lengthFrames(), session().sampleRateHz);
    auto next = session();
    next.sections = {{"first", 0, lengthS / 2, {}}, {"second", lengthS / 2, lengthS, {}}};
    m_window->document().edit(next, "sections");
    QMenu menu;
    const Desk desk{m_window->document(), m_window->analyst(), m_window->playback(), hits(),
                    m_window->tones(),    m_window->findings()};
    fillSelectionMenu(menu, desk, 1);
    const auto choose = [&](const QString& start) {
        for (auto* action : menu.actions())
            if (action->text().startsWith(start)) {
                action->trigger();
                return true;
            }
        return false;
    };
    const auto all = hits().strokesOf(element("Snare Top"));
    ASSERT_TRUE(choose("All hits of Snare Top"));
    EXPECT_EQ(hits().selection(), all);
    ASSERT_TRUE(choose("Snare Top in first"));
    EXPECT_LT(hits().selection().size(), all.size());
    for (const int stroke : hits().selection())
        EXPECT_LT(hits().analysis()->hits.strokes[static_cast<std::size_t>(stroke)].timeS, lengthS / 2);
    ASSERT_TRUE(choose("Everything in first"));
    EXPECT_GT(hits().selection().size(), 0U);
    EXPECT_FALSE(choose("Bass"));
    m_window->document().select(element("Snare Top"));
    hits().select({});
    QTest::keyClick(m_window.get(), Qt::Key_A, Qt::ControlModifier);
    EXPECT_EQ(hits().selection(), all);
}

TEST_F(HitsTest, EditsOfASelectionAreOneStepAndKeepTheSelection) {
    open();
    const auto all = hits().strokesOf(element("Snare Top"));
    hits().select(all);
    const auto times = [&] {
        std::vector<double> list;
        for (const int stroke : hits().selection())
            list.push_back(hits().analysis()->hits.strokes[static_cast<std::size_t>(stroke)].timeS);
        return list;
    };
    const auto before = times();
    const auto* then = hits().analysis();
    hits().moveSelected(0.003);
    ASSERT_TRUE(waitFor([&] { return !hits().isBusy() && hits().analysis() != then; }));
    const auto after = times();
    ASSERT_EQ(after.size(), before.size()) << "they stay selected";
    for (std::size_t i = 0; i < after.size(); ++i)
        EXPECT_NEAR(after[i], before[i] + 0.003, 1e-4);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Move %1 hits").arg(before.size()));
    m_window->document().undo();
    EXPECT_TRUE(session().hitEdits.empty());
    ASSERT_TRUE(waitFor([&] { return !hits().isBusy(); }));
    hits().select(hits().strokesOf(element("Snare Top")));
    hits().classSelected(measure::HitClass::Ghost);
    EXPECT_EQ(session().hitEdits.size(), before.size());
    then = hits().analysis();
    ASSERT_TRUE(waitFor([&] { return !hits().isBusy() && hits().analysis() != then; }));
    EXPECT_EQ(hits()
                  .strokesOf(element("Snare Top"),
                             [](const auto& hit) { return hit.hitClass == measure::HitClass::Ghost; })
                  .size(),
              before.size());
}

TEST_F(HitsTest, ASelectionIsHeardHitAfterHit) {
    open();
    const auto all = hits().strokesOf(element("Snare Top"));
    ASSERT_GE(all.size(), 2U);
    hits().select({*all.begin(), *all.rbegin()});
    const auto stretches = hits().selectedStretchesS();
    ASSERT_EQ(stretches.size(), 2U);
    auto& playback = m_window->playback();
    bench().setFocus();
    QTest::keyClick(&bench(), Qt::Key_Return);
    EXPECT_TRUE(playback.isAuditioning());
    EXPECT_TRUE(waitFor([&] {
        return playback.positionS() >= stretches[0].first && playback.positionS() < stretches[0].second;
    }));
    EXPECT_TRUE(waitFor([&] { return playback.positionS() >= stretches[1].first; }));
    EXPECT_TRUE(waitFor([&] { return !playback.isAuditioning(); })) << "it ends by itself";
    EXPECT_FALSE(playback.isPlaying());
}

TEST_F(HitsTest, TapsGiveTheTempoAndAreOneStep) {
    open();
    qint64 now = 0;
    bench().tempo().clockMs = [&] { return now; };
    bench().setFocus();
    for (int n = 0; n < 3; ++n, now += 500)
        QTest::keyClick(&bench(), Qt::Key_T);
    EXPECT_EQ(session().tempo.bpm, 0) << "three taps say too little";
    now += 5000; // a new row
    for (int n = 0; n < 9; ++n, now += 625)
        QTest::keyClick(&bench(), Qt::Key_T);
    EXPECT_DOUBLE_EQ(session().tempo.bpm, 96);
    m_window->document().undo();
    EXPECT_EQ(session().tempo.bpm, 0) << "all taps are one step";
}

TEST_F(HitsTest, ThePersonSaysWhereTheBarBeginsAndHowLongItIs) {
    open();
    auto& row = bench().tempo();
    const auto snares = hits().strokesOf(element("Snare Top"));
    hits().chooseStroke(*snares.begin());
    const double atS = hits().analysis()->hits.strokes[static_cast<std::size_t>(*snares.begin())].timeS;
    QTest::mouseClick(&row.barButton(), Qt::LeftButton);
    EXPECT_DOUBLE_EQ(session().tempo.firstBarS, atS);
    ASSERT_TRUE(waitFor(
        [&] { return !hits().isBusy() && std::abs(hits().analysis()->tempo.firstBarS - atS) < 0.01; }));
    row.beats().setCurrentIndex(row.beats().findData(3));
    emit row.beats().activated(row.beats().currentIndex());
    EXPECT_EQ(session().tempo.beatsPerBar, 3);
    EXPECT_TRUE(waitFor([&] { return !hits().isBusy() && hits().analysis()->tempo.beatsPerBar == 3; }));
    m_window->document().undo();
    EXPECT_EQ(session().tempo.beatsPerBar, 0);
    EXPECT_DOUBLE_EQ(session().tempo.firstBarS, atS);
}

} // namespace
} // namespace cask::app
