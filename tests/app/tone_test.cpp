// The Tone bench by mouse, keys and typing.
#include "core/dsp/eq_design.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>
#include <QLineEdit>
#include <QWheelEvent>

namespace cask::app {
namespace {

using dsp::FilterKind;

class Tone : public WindowTest {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Snare.wav", test::bursts(200, 0.5, 0.1, 0.08, 3));
        drop({text(m_folder / "Snare.wav")});
        ASSERT_TRUE(waitMeasured());
        m_window->document().setStage(Stage::Tone);
        QTest::qWait(1);
    }
    ToneBench& tone() { return m_window->bench().tone(); }
    TonePicture& picture() { return tone().picture(); }
    void type(const char* bar, const QString& words) {
        auto* value = tone().bar(QLatin1String(bar));
        ASSERT_NE(value, nullptr) << bar;
        value->setFocus();
        QTest::keyClicks(value, words.left(1));
        auto* line = value->findChild<QLineEdit*>();
        ASSERT_NE(line, nullptr);
        QTest::keyClicks(line, words.mid(1));
        QTest::keyClick(line, Qt::Key_Return);
    }
    void drag(const QPoint& from, const QPoint& to, Qt::KeyboardModifiers modifiers = {}) {
        QTest::mousePress(&picture(), Qt::LeftButton, modifiers, from);
        // QTest's mouse moves carry no keys.
        QMouseEvent move(QEvent::MouseMove, to, picture().mapToGlobal(QPointF(to)), Qt::NoButton,
                         Qt::LeftButton, modifiers);
        QCoreApplication::sendEvent(&picture(), &move);
        QTest::mouseRelease(&picture(), Qt::LeftButton, modifiers, to);
    }
};

TEST_F(Tone, TypedValuesTakeUnits) {
    picture().addBand(FilterKind::Bell, 1000, 0);
    type("frequency_hz", QStringLiteral("2.4k"));
    EXPECT_DOUBLE_EQ(picture().band()->frequencyHz, 2400);
    type("gain_db", QStringLiteral("-3.5 dB"));
    EXPECT_DOUBLE_EQ(picture().band()->gainDb, -3.5);
    type("q", QStringLiteral("6"));
    EXPECT_DOUBLE_EQ(picture().band()->q, 6);
    EXPECT_EQ(TonePicture::inWords(*picture().band()), QStringLiteral("2.4 kHz, \u22123.5 dB, narrow"));
}

TEST_F(Tone, OnlyWhatMeansSomethingCanBeSet) {
    picture().addBand(FilterKind::HighPass, 80, 0);
    EXPECT_FALSE(tone().bar(QStringLiteral("gain_db"))->isEnabled());
    EXPECT_TRUE(tone().bar(QStringLiteral("slope_db_per_oct"))->isEnabled());
    picture().addBand(FilterKind::Bell, 300, 2);
    EXPECT_TRUE(tone().bar(QStringLiteral("gain_db"))->isEnabled());
    EXPECT_FALSE(tone().bar(QStringLiteral("slope_db_per_oct"))->isEnabled());
}

TEST_F(Tone, TheWallOfAHighPassIsDraggedAlongAndSteeper) {
    picture().addBand(FilterKind::HighPass, 100, 0);
    const QPoint wall = picture().handleOf(*picture().band()).toPoint();
    drag(wall, {static_cast<int>(std::lround(picture().xOf(200))), wall.y() + 60});
    EXPECT_NEAR(picture().band()->frequencyHz, 200, 3);
    EXPECT_DOUBLE_EQ(picture().band()->slopeDbPerOct, 36) << "two steps of 30 pixels";
    m_window->document().undo();
    EXPECT_DOUBLE_EQ(picture().band()->frequencyHz, 100) << "a drag is one step";
}

TEST_F(Tone, ShiftMakesADragFine) {
    picture().addBand(FilterKind::Bell, 1000, 0);
    const QPoint bar = picture().handleOf(*picture().band()).toPoint();
    drag(bar, bar - QPoint(0, 50), Qt::ShiftModifier);
    EXPECT_NEAR(picture().band()->gainDb, 10 / picture().pixelsPerDb(), 0.06);
}

TEST_F(Tone, KeysWalkThroughTheMovesAndChangeThem) {
    picture().addBand(FilterKind::Bell, 200, 3);
    picture().addBand(FilterKind::Bell, 2000, -3);
    picture().addBand(FilterKind::HighShelf, 8000, 2);
    picture().setFocus();
    QTest::keyClick(&picture(), Qt::Key_N);
    EXPECT_DOUBLE_EQ(picture().band()->frequencyHz, 200) << "after the last comes the first";
    QTest::keyClick(&picture(), Qt::Key_N);
    EXPECT_DOUBLE_EQ(picture().band()->frequencyHz, 2000);
    for (int i = 0; i < 24; ++i)
        QTest::keyClick(&picture(), Qt::Key_Right);
    EXPECT_NEAR(picture().band()->frequencyHz, 4000, 1e-6) << "24 steps are an octave";
    QTest::keyClick(&picture(), Qt::Key_Down, Qt::ShiftModifier);
    EXPECT_NEAR(picture().band()->gainDb, -3.1, 1e-9);
    const double q = picture().band()->q;
    QTest::keyClick(&picture(), Qt::Key_Minus);
    EXPECT_NEAR(picture().band()->q, 1.1 * q, 1e-9);
    QTest::keyClick(&picture(), Qt::Key_Delete);
    EXPECT_EQ(picture().bands().size(), 2U);
}

TEST_F(Tone, TheWheelSetsTheWidth) {
    picture().addBand(FilterKind::Bell, 500, 6);
    const double q = picture().band()->q;
    const QPointF at = picture().handleOf(*picture().band());
    QWheelEvent wheel(at, picture().mapToGlobal(at), {}, {0, 120}, Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
    QCoreApplication::sendEvent(&picture(), &wheel);
    EXPECT_NEAR(picture().band()->q, 1.1 * q, 1e-9);
}

TEST_F(Tone, ADoubleClickMakesAMoveWhereItIs) {
    const QPoint at(static_cast<int>(std::lround(picture().xOf(3000))), picture().height() / 2);
    QTest::mouseDClick(&picture(), Qt::LeftButton, {}, at);
    ASSERT_EQ(picture().bands().size(), 1U);
    EXPECT_NEAR(picture().bands()[0].frequencyHz, 3000, 30);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Add bell, Snare"));
}

TEST_F(Tone, ValuesStayInTheirRange) {
    picture().addBand(FilterKind::Bell, 19000, 23.8);
    picture().setFocus();
    for (int i = 0; i < 30; ++i) {
        QTest::keyClick(&picture(), Qt::Key_Up);
        QTest::keyClick(&picture(), Qt::Key_Right);
    }
    EXPECT_DOUBLE_EQ(picture().band()->gainDb, 24);
    EXPECT_DOUBLE_EQ(picture().band()->frequencyHz, 20000);
}

TEST_F(Tone, ABusHasMovesOfItsOwn) {
    for (const auto& b : session().buses)
        if (b->name == "Shells")
            m_window->document().select(b->id);
    EXPECT_TRUE(picture().bands().empty());
    picture().addBand(FilterKind::LowShelf, 90, 2);
    EXPECT_EQ(picture().bands().size(), 1U);
    EXPECT_FALSE(picture().grab().isNull());
    m_window->document().select(element("Snare"));
    EXPECT_TRUE(picture().bands().empty());
}

TEST_F(Tone, WhatIsStereoHasAMiddleAndSides) {
    EXPECT_FALSE(tone().parts().isVisibleTo(&tone())); // a mono file
    auto& document = m_window->document();
    document.select(document.session().buses.front()->id);
    EXPECT_TRUE(tone().parts().isVisibleTo(&tone()));
    EXPECT_FALSE(tone().parts().isEnabled());
    picture().addBand(FilterKind::Bell, 400, -3);
    EXPECT_EQ(tone().parts().chosen(), 0);
    QTest::mouseClick(&tone().parts(), Qt::LeftButton, {}, tone().parts().wordRect(2).center());
    EXPECT_EQ(picture().band()->part, dsp::StereoPart::Side);
    document.undo();
    EXPECT_EQ(picture().band()->part, dsp::StereoPart::Both);
    EXPECT_EQ(tone().parts().chosen(), 0);
}

TEST_F(Tone, TheBoardSaysHowManyMovesThereAre) {
    EXPECT_EQ(m_window->board().cellText(element("Snare"), Stage::Tone), QString(QChar(0x00b7)));
    picture().addBand(FilterKind::Bell, 200, 3);
    EXPECT_EQ(m_window->board().cellText(element("Snare"), Stage::Tone), QStringLiteral("1 move"));
    picture().addBand(FilterKind::Bell, 400, 3);
    EXPECT_EQ(m_window->board().cellText(element("Snare"), Stage::Tone), QStringLiteral("2 moves"));
}

TEST_F(Tone, ADragShowsAtOnceWhatIsHeard) {
    // The plan that plays after a drag has the design of the band that is drawn.
    picture().addBand(FilterKind::Bell, 1000, 0);
    const QPoint bar = picture().handleOf(*picture().band()).toPoint();
    const QImage before = picture().grab().toImage();
    QTest::mousePress(&picture(), Qt::LeftButton, {}, bar);
    QTest::mouseMove(&picture(), bar - QPoint(0, 40));
    EXPECT_NE(picture().grab().toImage(), before) << "before the button is let go";
    EXPECT_NEAR(picture().band()->gainDb, 40 / picture().pixelsPerDb(), 0.06);
    QTest::mouseRelease(&picture(), Qt::LeftButton, {}, bar - QPoint(0, 40));
}

} // namespace
} // namespace cask::app
