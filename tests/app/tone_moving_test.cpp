// Bands of the Tone bench that move: with the sound, with the pointer, from section to section.
#include "app/bench/module/module_boxes.h"
#include "core/session/edits.h"
#include "tests/app/tone_fixture.h"

#include <QCheckBox>

namespace cask::app {
namespace {

using dsp::FilterKind;

TEST_F(Tone, ABandThatMovesHasAThresholdAndARange) {
    eq().addBand(FilterKind::Bell, 200, 0);
    EXPECT_FALSE(tone().bar(QStringLiteral("threshold_db"))->isVisibleTo(&tone()));
    auto& dynamics = tone().dynamics();
    QTest::mouseClick(&dynamics, Qt::LeftButton, {}, dynamics.wordRect(1).center());
    EXPECT_EQ(eq().band()->dynamics, dsp::Dynamics::Above);
    EXPECT_TRUE(tone().bar(QStringLiteral("threshold_db"))->isVisibleTo(&tone()));
    // The end of its range is dragged apart from its rest.
    const double y = picture().handleOf(*eq().band()).y() - eq().band()->rangeDb * picture().pixelsPerDb();
    const QImage before = pictureOf(picture());
    const QPoint range(static_cast<int>(std::lround(picture().xOf(200))), static_cast<int>(std::lround(y)));
    drag(range, range + QPoint(0, 30));
    EXPECT_NEAR(eq().band()->rangeDb, -6 - 30 / picture().pixelsPerDb(), 0.3);
    EXPECT_DOUBLE_EQ(eq().band()->gainDb, 0);
    EXPECT_NE(pictureOf(picture()), before);
    // Passes can't move.
    eq().addBand(FilterKind::HighPass, 40, 0);
    EXPECT_FALSE(dynamics.isEnabled());
}

TEST_F(Tone, HuntingLiftsABandAndMakesItACut) {
    picture().setFocus();
    const QPoint at(static_cast<int>(std::lround(picture().xOf(700))), picture().height() / 2);
    QTest::mouseMove(&picture(), at);
    QTest::keyPress(&picture(), Qt::Key_G);
    ASSERT_TRUE(m_window->playback().heardBand().has_value());
    EXPECT_GT(m_window->playback().heardBand()->boostDb, 6);
    EXPECT_LT(m_window->playback().heardBand()->levelDb, 0) << "as loud as before";
    QMouseEvent move(QEvent::MouseMove, QPointF(picture().xOf(900), at.y()),
                     picture().mapToGlobal(QPointF(picture().xOf(900), at.y())), Qt::NoButton, Qt::NoButton,
                     {});
    QCoreApplication::sendEvent(&picture(), &move);
    EXPECT_NEAR(picture().huntedHz(), 900, 10);
    QTest::keyClick(&picture(), Qt::Key_Return);
    ASSERT_EQ(eq().bands().size(), 1U);
    EXPECT_NEAR(eq().bands()[0].frequencyHz, 900, 10);
    EXPECT_LT(eq().bands()[0].gainDb, 0);
    QTest::keyRelease(&picture(), Qt::Key_G);
    EXPECT_EQ(picture().huntedHz(), 0);
    EXPECT_FALSE(m_window->playback().heardBand().has_value());
}

TEST_F(Tone, ABandHasOtherValuesInASection) {
    auto next = session();
    next.sections = {{"verse", 0, 0.5, {}}, {"fill", 0.5, 1, {}}};
    m_window->document().edit(next, QStringLiteral("sections"));
    eq().addBand(FilterKind::Bell, 400, -3);
    const Id id = eq().chosenBand();
    const std::string gain = std::to_string(id) + "/gain_db";
    const auto choose = [&](const QString& section) {
        auto& box = tone().sections();
        const int at = box.findData(section);
        ASSERT_GE(at, 0);
        box.setCurrentIndex(at);
        emit box.activated(at);
    };
    const auto base = [&] { return std::get<dsp::EqSettings>(eq().module()->settings).bands.at(0); };
    const QImage everywhere = pictureOf(picture());
    choose(QStringLiteral("fill"));
    // Typed, dragged and by keys: all of it holds in the section alone.
    type("gain_db", QStringLiteral("6"));
    EXPECT_DOUBLE_EQ(base().gainDb, -3);
    ASSERT_EQ(eq().module()->changes.size(), 1U);
    EXPECT_EQ(eq().module()->changes[0].section, "fill");
    EXPECT_DOUBLE_EQ(eq().module()->changes[0].values.at(gain), 6);
    EXPECT_DOUBLE_EQ(eq().band()->gainDb, 6);
    EXPECT_DOUBLE_EQ(tone().bar(QStringLiteral("gain_db"))->value(), 6);
    EXPECT_NE(pictureOf(picture()), everywhere) << "the curve is the section's";
    picture().setFocus();
    QTest::keyClick(&picture(), Qt::Key_Up);
    EXPECT_DOUBLE_EQ(eq().module()->changes[0].values.at(gain), 6.5);
    const QPoint bar = picture().handleOf(*eq().band()).toPoint();
    drag(bar, bar - QPoint(0, 20));
    EXPECT_NEAR(eq().module()->changes[0].values.at(gain), 6.5 + 20 / picture().pixelsPerDb(), 0.06);
    EXPECT_DOUBLE_EQ(base().gainDb, -3);
    // What does not glide is the same everywhere.
    EXPECT_FALSE(tone().kinds().isEnabled());
    EXPECT_FALSE(tone().dynamics().isEnabled());
    // Elsewhere it is as it was; with the section goes the choice.
    choose(QString());
    EXPECT_DOUBLE_EQ(eq().band()->gainDb, -3);
    EXPECT_TRUE(tone().kinds().isEnabled());
    choose(QStringLiteral("fill"));
    auto without = session();
    without.sections.pop_back();
    m_window->document().edit(without, QStringLiteral("one section less"));
    EXPECT_TRUE(eq().section().empty());
    EXPECT_DOUBLE_EQ(eq().band()->gainDb, -3);
    m_window->document().undo();
    m_window->document().undo(); // the drag is one step, with the key before it
    EXPECT_DOUBLE_EQ(eq().module()->changes[0].values.at(gain), 6.5);
}

} // namespace
} // namespace cask::app
