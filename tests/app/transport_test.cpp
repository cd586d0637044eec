// Where it plays: typed places, selected stretches, loops, markers, zoom, the order of the Board's rows.
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

namespace cask::app {
namespace {

class Transport : public WindowTest {
  protected:
    void SetUp() override { ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.05)); }
    void type(const QString& place) {
        m_window->askForName = [place](const QString&, const QString&) { return place; };
        QTest::keyClick(m_window.get(), Qt::Key_G, Qt::ShiftModifier);
    }
    [[nodiscard]] const measure::Tempo& tempo() { return m_window->hits().analysis()->tempo; }
};

TEST_F(Transport, GoesToWhatIsTyped) {
    ASSERT_TRUE(tempo().isKnown);
    type(QStringLiteral("2.3"));
    EXPECT_TRUE(comesTo(tempo().timeOf(4 + 2), 0.01));
    type(QStringLiteral("0:03.5"));
    EXPECT_TRUE(comesTo(3.5, 0.01));
    type(QStringLiteral("nowhere"));
    EXPECT_TRUE(comesTo(3.5, 0.01));
    EXPECT_TRUE(m_window->document().notes().last().contains(QStringLiteral("\"nowhere\" is no place")));
    type(QStringLiteral("5:00"));
    EXPECT_TRUE(comesTo(12, 0.05)) << "no further than the end";
}

TEST_F(Transport, PlaysAndLoopsWhatIsSelected) {
    auto strokes = m_window->hits().strokesOf(
        element("Snare Top"), [](const measure::DrumHit& hit) { return hit.timeS > 3 && hit.timeS < 6; });
    ASSERT_EQ(strokes.size(), 3U);
    m_window->hits().select(strokes);
    QTest::keyClick(m_window.get(), Qt::Key_O, Qt::ShiftModifier);
    ASSERT_TRUE(m_window->playback().hasLoop());
    const double fromBeat = tempo().beatAt(m_window->playback().loopStartS());
    const double toBeat = tempo().beatAt(m_window->playback().loopEndS());
    EXPECT_NEAR(std::fmod(fromBeat + 0.01, 4), 0.01, 0.02) << "whole bars";
    EXPECT_NEAR(std::fmod(toBeat + 0.01, 4), 0.01, 0.02);
    EXPECT_LE(m_window->playback().loopStartS(), 3.75 + 0.05);
    EXPECT_GE(m_window->playback().loopEndS(), 5.75);
    QTest::keyClick(m_window.get(), Qt::Key_O);
    EXPECT_FALSE(m_window->playback().hasLoop());
    m_window->playback().locate(1);
    EXPECT_TRUE(comesTo(1));
    QTest::keyClick(m_window.get(), Qt::Key_Space, Qt::ShiftModifier);
    EXPECT_TRUE(m_window->playback().isAuditioning());
    EXPECT_TRUE(waitFor([&] { return m_window->playback().positionS() > 3.9; }));
    EXPECT_TRUE(waitFor([&] { return !m_window->playback().isAuditioning(); })) << "it ends by itself";
    EXPECT_TRUE(comesTo(1, 0.05)) << "and the playhead is where it was";
    m_window->hits().select({});
    QTest::keyClick(m_window.get(), Qt::Key_Space, Qt::ShiftModifier);
    EXPECT_FALSE(m_window->playback().isAuditioning());
    EXPECT_TRUE(m_window->document().notes().last().startsWith(QStringLiteral("Nothing is selected")));
}

TEST_F(Transport, BeginsABarEarly) {
    m_window->playback().locate(6);
    EXPECT_TRUE(comesTo(6));
    QTest::keyClick(m_window.get(), Qt::Key_I);
    EXPECT_NEAR(m_window->playback().prerollS(), 2, 0.05);
    QTest::keyClick(m_window.get(), Qt::Key_Space);
    EXPECT_TRUE(comesTo(4.5, 0.5)) << "from two seconds before";
    m_window->playback().stop();
    QTest::keyClick(m_window.get(), Qt::Key_I);
    EXPECT_EQ(m_window->playback().prerollS(), 0);
}

TEST_F(Transport, MarkersAreSetGoneToMovedAndRemoved) {
    m_window->playback().locate(4);
    EXPECT_TRUE(comesTo(4));
    m_window->askForName = [](const QString&, const QString&) { return QStringLiteral("drop"); };
    QTest::keyClick(m_window.get(), Qt::Key_Y);
    ASSERT_EQ(session().markers.size(), 1U);
    EXPECT_NEAR(session().markers[0].timeS, 4, 0.02);
    m_window->playback().locate(0);
    EXPECT_TRUE(comesTo(0));
    QTest::keyClick(m_window.get(), Qt::Key_Period, Qt::ControlModifier);
    EXPECT_TRUE(comesTo(4));
    auto& strip = m_window->strip();
    const auto y = 12.0;
    const QPoint from(static_cast<int>(strip.xOf(session().markers[0].timeS)), static_cast<int>(y));
    const QPoint to(static_cast<int>(strip.xOf(8)), static_cast<int>(y));
    QTest::mousePress(&strip, Qt::LeftButton, {}, from);
    QTest::mouseMove(&strip, (from + to) / 2);
    QTest::mouseMove(&strip, to);
    QTest::mouseRelease(&strip, Qt::LeftButton, {}, to);
    EXPECT_NEAR(session().markers[0].timeS, 8, 0.05);
    EXPECT_FALSE(m_window->playback().hasLoop()) << "a marker is moved, no loop made";
    m_window->document().undo();
    EXPECT_NEAR(session().markers[0].timeS, 4, 0.02) << "in one step";
    m_window->askForName = [](const QString&, const QString&) { return QStringLiteral("break"); };
    QTest::keyClick(m_window.get(), Qt::Key_Y, Qt::ShiftModifier);
    EXPECT_EQ(session().markers[0].name, "break");
    QTest::keyClick(m_window.get(), Qt::Key_Y, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_TRUE(session().markers.empty());
}

TEST_F(Transport, KeysZoomTheStrip) {
    auto& strip = m_window->strip();
    m_window->playback().locate(6);
    EXPECT_TRUE(comesTo(6));
    const double before = strip.secondsAt(strip.width()) - strip.secondsAt(0);
    QTest::keyClick(m_window.get(), Qt::Key_Plus, Qt::ControlModifier);
    const double nearer = strip.secondsAt(strip.width()) - strip.secondsAt(0);
    EXPECT_NEAR(nearer, before / 1.5, before * 0.02);
    EXPECT_TRUE(strip.isInView(6));
    m_window->hits().select(m_window->hits().strokesOf(
        element("Snare Top"), [](const measure::DrumHit& hit) { return hit.timeS > 3 && hit.timeS < 6; }));
    QTest::keyClick(m_window.get(), Qt::Key_Z);
    EXPECT_TRUE(strip.isInView(3.75));
    EXPECT_TRUE(strip.isInView(5.75));
    EXPECT_FALSE(strip.isInView(7));
    QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ShiftModifier);
    EXPECT_TRUE(strip.isInView(0.1));
    EXPECT_TRUE(strip.isInView(11.5));
}

TEST_F(Transport, RowsOfTheBoardAreDragged) {
    auto& board = m_window->board();
    ASSERT_EQ(session().elements[0]->name, "Kick In");
    const QPoint from = board.rowRect(element("Snare Top")).topLeft() + QPoint(40, 8);
    const QPoint to = board.rowRect(element("Kick In")).topLeft() + QPoint(40, 3);
    QTest::mousePress(&board, Qt::LeftButton, {}, from);
    QTest::mouseMove(&board, from - QPoint(0, 10));
    QTest::mouseMove(&board, to);
    QTest::mouseRelease(&board, Qt::LeftButton, {}, to);
    EXPECT_EQ(session().elements[0]->name, "Snare Top");
    QTest::mouseClick(&board, Qt::LeftButton, {},
                      board.rowRect(element("Kick In")).topLeft() + QPoint(40, 8));
    EXPECT_EQ(session().elements[0]->name, "Snare Top") << "a click moves nothing";
    m_window->document().undo();
    EXPECT_EQ(session().elements[0]->name, "Kick In");
}

} // namespace
} // namespace cask::app
