// Rides drawn on the strip by mouse and keys.
#include "app/strip/ride_rule_box.h"
#include "core/session/edits.h"
#include "core/session/rides.h"
#include "tests/app/window_fixture.h"

#include <QComboBox>

namespace cask::app {
namespace {

class RidesWindow : public WindowTest {
  protected:
    void SetUp() override {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.05));
        QTest::keyClick(m_window.get(), Qt::Key_J);
        ASSERT_TRUE(lane().isOn());
    }
    [[nodiscard]] RideLane& lane() { return m_window->strip().rides(); }
    [[nodiscard]] std::vector<session::RidePoint> points(const std::string& value = "level_db") {
        return session::pointsAt(session(), {element("Snare Top"), session::kNoId, value});
    }
    [[nodiscard]] QPoint placeOf(double seconds, double change) {
        return QPointF(m_window->strip().xOf(seconds), lane().yOf(change)).toPoint();
    }
    [[nodiscard]] const measure::Tempo& tempo() { return m_window->hits().analysis()->tempo; }
};

TEST_F(RidesWindow, PointsAreSetMovedAndTakenOutByMouse) {
    auto& strip = m_window->strip();
    const double beat = tempo().timeOf(9);
    QTest::mouseClick(&strip, Qt::LeftButton, {}, placeOf(beat + 0.06, -6));
    ASSERT_EQ(points().size(), 1U);
    EXPECT_NEAR(points()[0].timeS, beat, 1e-6) << "on the beat";
    EXPECT_NEAR(points()[0].change, -6, 0.5);
    const double next = tempo().timeOf(13);
    QTest::mousePress(&strip, Qt::LeftButton, {}, placeOf(next, 3));
    QTest::mouseMove(&strip, placeOf(next, 1));
    QTest::mouseMove(&strip, placeOf(next, 0));
    QTest::mouseRelease(&strip, Qt::LeftButton, {}, placeOf(next, 0));
    ASSERT_EQ(points().size(), 2U);
    EXPECT_NEAR(points()[1].change, 0, 0.5);
    // Never past its neighbour.
    QTest::mousePress(&strip, Qt::LeftButton, {}, placeOf(next, points()[1].change));
    QTest::mouseMove(&strip, placeOf(beat + 0.1, -3));
    QTest::mouseMove(&strip, placeOf(beat - 2, -3));
    QTest::mouseRelease(&strip, Qt::LeftButton, {}, placeOf(beat - 2, -3));
    ASSERT_EQ(points().size(), 2U);
    EXPECT_GT(points()[1].timeS, points()[0].timeS);
    m_window->document().undo();
    EXPECT_NEAR(points()[1].timeS, next, 1e-6) << "the drag was one step";
    QTest::mouseClick(&strip, Qt::RightButton, {}, placeOf(next, points()[1].change));
    EXPECT_EQ(points().size(), 1U);
    EXPECT_TRUE(
        m_window->board().cellHelp(element("Snare Top"), Stage::Balance).contains(QStringLiteral("Rides")));
    QTest::keyClick(m_window.get(), Qt::Key_J);
    EXPECT_FALSE(lane().isOn());
    EXPECT_EQ(strip.lanes().size(), 2U) << "hits again";
}

TEST_F(RidesWindow, KeysDrawToo) {
    auto& strip = m_window->strip();
    strip.setFocus();
    m_window->playback().locate(tempo().timeOf(4));
    ASSERT_TRUE(comesTo(tempo().timeOf(4)));
    QTest::keyClick(&strip, Qt::Key_Return);
    ASSERT_EQ(points().size(), 1U);
    EXPECT_EQ(points()[0].change, 0);
    QTest::keyClick(&strip, Qt::Key_Right);
    ASSERT_TRUE(comesTo(tempo().timeOf(5)));
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(&strip, Qt::Key_Up);
    ASSERT_EQ(points().size(), 2U);
    EXPECT_NEAR(points()[1].timeS, tempo().timeOf(5), 0.02);
    EXPECT_NEAR(points()[1].change, 2, 1e-9);
    QTest::keyClick(&strip, Qt::Key_Down, Qt::ShiftModifier);
    EXPECT_NEAR(points()[1].change, 1.9, 1e-9);
    QTest::keyClick(&strip, Qt::Key_Delete);
    EXPECT_EQ(points().size(), 1U);
}

TEST_F(RidesWindow, AnyGlidingValueAndCopiesToASection) {
    auto next = session();
    next.sections = {{"verse", 0, 4, {}}, {"chorus", 6, 10, {}}};
    m_window->document().edit(next, QStringLiteral("sections"));
    auto& values = lane().valueChoice();
    const int pan = values.findText(QStringLiteral("pan"));
    ASSERT_GE(pan, 0);
    values.setCurrentIndex(pan);
    emit values.activated(pan);
    lane().snapChoice().setCurrentIndex(static_cast<int>(RideLane::Snap::Free));
    QTest::mouseClick(&m_window->strip(), Qt::LeftButton, {}, placeOf(1, 0.5));
    QTest::mouseClick(&m_window->strip(), Qt::LeftButton, {}, placeOf(3, -0.5));
    ASSERT_EQ(points("pan").size(), 2U);
    EXPECT_TRUE(points().empty());
    m_window->playback().locate(2);
    ASSERT_TRUE(comesTo(2));
    lane().copyTo("chorus");
    const session::Ride ride{"pan", points("pan"), {}};
    EXPECT_NEAR(session::rideAt(ride, 7), points("pan")[0].change, 0.05);
    EXPECT_NEAR(session::rideAt(ride, 9), -0.5, 0.05);
    m_window->document().undo();
    EXPECT_EQ(points("pan").size(), 2U);
}

TEST_F(RidesWindow, AValueMovesByARuleOverHits) {
    m_window->document().select(element("Snare Top"));
    lane().showRule();
    auto* box = lane().ruleBox();
    ASSERT_NE(box, nullptr);
    const auto strokes = m_window->hits().strokesOf(element("Snare Top"));
    const std::vector<int> hits(strokes.begin(), strokes.end());
    ASSERT_GT(hits.size(), 4U);
    EXPECT_FALSE(box->drawButton().isEnabled()) << "it moves by nothing";
    emit box->bar("change").valueEdited(-6, false);
    emit box->bar("every").valueEdited(2, false);
    emit box->bar("first").valueEdited(2, false);
    EXPECT_TRUE(box->said().startsWith(QString::number(hits.size() / 2)))
        << box->said().toStdString() << " of " << hits.size();
    QTest::mouseClick(&box->drawButton(), Qt::LeftButton);
    const session::Ride ride{"level_db", points()};
    const auto* a = m_window->hits().analysis();
    for (std::size_t i = 0; i < hits.size(); ++i)
        EXPECT_EQ(session::rideAt(ride, a->hits.strokes[static_cast<std::size_t>(hits[i])].timeS + 0.02),
                  i % 2 == 1 ? -6 : 0)
            << i;
    m_window->document().undo();
    EXPECT_TRUE(points().empty());
    box->kinds().setChosen(3);
    emit box->kinds().choiceEdited(3);
    EXPECT_FALSE(box->drawButton().isEnabled()) << "no ghosts";
    lane().showRule();
    EXPECT_NE(lane().ruleBox(), nullptr);
}

} // namespace
} // namespace cask::app
