// The Tone bench by mouse, keys and typing.
#include "app/bench/module/chain_order_row.h"
#include "app/bench/tone/low_shelf_row.h"
#include "core/dsp/eq_design.h"
#include "core/session/edits.h"
#include "tests/app/tone_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QMenu>
#include <QWheelEvent>

namespace cask::app {
namespace {

using dsp::FilterKind;

TEST_F(Tone, TypedValuesTakeUnits) {
    eq().addBand(FilterKind::Bell, 1000, 0);
    type("frequency_hz", QStringLiteral("2.4k"));
    EXPECT_DOUBLE_EQ(eq().band()->frequencyHz, 2400);
    type("gain_db", QStringLiteral("-3.5 dB"));
    EXPECT_DOUBLE_EQ(eq().band()->gainDb, -3.5);
    type("q", QStringLiteral("6"));
    EXPECT_DOUBLE_EQ(eq().band()->q, 6);
    EXPECT_EQ(EqModel::inWords(*eq().band()), QStringLiteral("2.4 kHz, \u22123.5 dB, narrow"));
}

TEST_F(Tone, OnlyWhatMeansSomethingCanBeSet) {
    eq().addBand(FilterKind::HighPass, 80, 0);
    EXPECT_FALSE(tone().bar(QStringLiteral("gain_db"))->isEnabled());
    EXPECT_TRUE(tone().bar(QStringLiteral("slope_db_per_oct"))->isEnabled());
    eq().addBand(FilterKind::Bell, 300, 2);
    EXPECT_TRUE(tone().bar(QStringLiteral("gain_db"))->isEnabled());
    EXPECT_FALSE(tone().bar(QStringLiteral("slope_db_per_oct"))->isEnabled());
}

TEST_F(Tone, TheWallOfAHighPassIsDraggedAlongAndSteeper) {
    eq().addBand(FilterKind::HighPass, 100, 0);
    const QPoint wall = picture().handleOf(*eq().band()).toPoint();
    drag(wall, {static_cast<int>(std::lround(picture().xOf(200))), wall.y() + 60});
    EXPECT_NEAR(eq().band()->frequencyHz, 200, 3);
    EXPECT_DOUBLE_EQ(eq().band()->slopeDbPerOct, 36) << "two steps of 30 pixels";
    m_window->document().undo();
    EXPECT_DOUBLE_EQ(eq().band()->frequencyHz, 100) << "a drag is one step";
}

TEST_F(Tone, ShiftMakesADragFine) {
    eq().addBand(FilterKind::Bell, 1000, 0);
    const QPoint bar = picture().handleOf(*eq().band()).toPoint();
    drag(bar, bar - QPoint(0, 50), Qt::ShiftModifier);
    EXPECT_NEAR(eq().band()->gainDb, 10 / picture().pixelsPerDb(), 0.06);
}

TEST_F(Tone, KeysWalkThroughTheMovesAndChangeThem) {
    eq().addBand(FilterKind::Bell, 200, 3);
    eq().addBand(FilterKind::Bell, 2000, -3);
    eq().addBand(FilterKind::HighShelf, 8000, 2);
    picture().setFocus();
    QTest::keyClick(&picture(), Qt::Key_N);
    EXPECT_DOUBLE_EQ(eq().band()->frequencyHz, 200) << "after the last comes the first";
    QTest::keyClick(&picture(), Qt::Key_N);
    EXPECT_DOUBLE_EQ(eq().band()->frequencyHz, 2000);
    for (int i = 0; i < 24; ++i)
        QTest::keyClick(&picture(), Qt::Key_Right);
    EXPECT_NEAR(eq().band()->frequencyHz, 4000, 1e-6) << "24 steps are an octave";
    QTest::keyClick(&picture(), Qt::Key_Down, Qt::ShiftModifier);
    EXPECT_NEAR(eq().band()->gainDb, -3.1, 1e-9);
    const double q = eq().band()->q;
    QTest::keyClick(&picture(), Qt::Key_Minus);
    EXPECT_NEAR(eq().band()->q, 1.1 * q, 1e-9);
    QTest::keyClick(&picture(), Qt::Key_Delete);
    EXPECT_EQ(eq().bands().size(), 2U);
}

TEST_F(Tone, WhatLiesBesideOwnHitsIsChosen) {
    ASSERT_TRUE(waitForTone());
    EXPECT_EQ(picture().besideWords(), QStringLiteral("no spill")) << "a snare alone";
    picture().setFocus();
    QTest::keyClick(&picture(), Qt::Key_V);
    EXPECT_EQ(picture().beside(), TonePicture::Beside::Noise);
    EXPECT_EQ(picture().besideWords(), QStringLiteral("never quiet between hits"));
    picture().besideMenu().actions()[2]->trigger();
    EXPECT_EQ(picture().beside(), TonePicture::Beside::Kit);
    EXPECT_TRUE(picture().besideMenu().actions()[2]->isChecked());
    EXPECT_FALSE(picture().besideMenu().actions()[0]->isChecked());
    ASSERT_TRUE(waitFor([&] { return !picture().besideDb().empty(); }));
    // Alone it owns every band: the kit's line is its own.
    const auto* own = m_window->tones().tone(m_window->document().selected());
    ASSERT_NE(own, nullptr);
    const auto bands = smoothed(own->spectra.own, kSmoothPoints);
    for (std::size_t i = 0; i < bands.size(); ++i)
        EXPECT_NEAR(picture().besideDb()[i], bands[i], 0.01) << i;
    QTest::keyClick(&picture(), Qt::Key_V);
    EXPECT_EQ(picture().besideWords(), QStringLiteral("usual range, Natural"));
    tone().showView(ToneBench::View::Attack);
    EXPECT_EQ(picture().besideWords(), QStringLiteral("the usual range is one of whole hits"));
}

TEST_F(Tone, ADrumIsKeptAsAReferenceAndForgotten) {
    ASSERT_TRUE(waitForTone());
    picture().setBeside(TonePicture::Beside::Usual);
    auto& findings = m_window->findings();
    const Id snare = m_window->document().selected();
    auto* reference = picture().besideMenu().actions().last();
    ASSERT_TRUE(reference->isEnabled());
    EXPECT_FALSE(reference->isChecked());
    reference->trigger();
    EXPECT_TRUE(findings.isReference(snare));
    EXPECT_TRUE(reference->isChecked());
    ASSERT_FALSE(m_window->document().notes().isEmpty());
    EXPECT_TRUE(m_window->document().notes().last().contains(QStringLiteral("2 more")))
        << m_window->document().notes().last().toStdString();
    // Two others of the role make a range of their own: this drum's, moved up at 3 kHz, leaves it.
    auto style = findings.style();
    const auto kept = style.references.drums.at(0);
    for (const char* name : {"x", "y"})
        style.references.keep({kept.role, name, kept.shape});
    ASSERT_TRUE(advise::saveReferences(style));
    findings.reloadStyles();
    EXPECT_EQ(picture().besideWords(), QStringLiteral("range of your 3 references"));
    EXPECT_TRUE(picture().outOfUsual().empty());
    dsp::EqBand boost;
    boost.frequencyHz = 3000;
    boost.gainDb = 15;
    boost.q = 0.8;
    eq().addBand(boost);
    const auto out = picture().outOfUsual();
    ASSERT_FALSE(out.empty());
    EXPECT_GT(out[0].excessDb, 3);
    EXPECT_LT(out[0].fromHz, 3000);
    EXPECT_GT(out[0].toHz, 3000);
    reference->trigger();
    EXPECT_FALSE(findings.isReference(snare));
    EXPECT_EQ(picture().besideWords(), QStringLiteral("usual range, Natural"));
}

TEST_F(Tone, TheWheelSetsTheWidth) {
    eq().addBand(FilterKind::Bell, 500, 6);
    const double q = eq().band()->q;
    const QPointF at = picture().handleOf(*eq().band());
    QWheelEvent wheel(at, picture().mapToGlobal(at), {}, {0, 120}, Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
    QCoreApplication::sendEvent(&picture(), &wheel);
    EXPECT_NEAR(eq().band()->q, 1.1 * q, 1e-9);
}

TEST_F(Tone, ADoubleClickMakesAMoveWhereItIs) {
    const QPoint at(static_cast<int>(std::lround(picture().xOf(3000))), picture().height() / 2);
    QTest::mouseDClick(&picture(), Qt::LeftButton, {}, at);
    ASSERT_EQ(eq().bands().size(), 1U);
    EXPECT_NEAR(eq().bands()[0].frequencyHz, 3000, 30);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Add bell, Snare"));
}

TEST_F(Tone, ValuesStayInTheirRange) {
    eq().addBand(FilterKind::Bell, 19000, 23.8);
    picture().setFocus();
    for (int i = 0; i < 30; ++i) {
        QTest::keyClick(&picture(), Qt::Key_Up);
        QTest::keyClick(&picture(), Qt::Key_Right);
    }
    EXPECT_DOUBLE_EQ(eq().band()->gainDb, 24);
    EXPECT_DOUBLE_EQ(eq().band()->frequencyHz, 20000);
}

TEST_F(Tone, ABusHasMovesOfItsOwn) {
    for (const auto& b : session().buses)
        if (b->name == "Shells")
            m_window->document().select(b->id);
    EXPECT_TRUE(eq().bands().empty());
    const QImage empty = pictureOf(picture());
    eq().addBand(FilterKind::LowShelf, 90, 2);
    EXPECT_EQ(eq().bands().size(), 1U);
    EXPECT_NE(pictureOf(picture()), empty);
    m_window->document().select(element("Snare"));
    EXPECT_TRUE(eq().bands().empty());
}

TEST_F(Tone, WhatIsStereoHasAMiddleAndSides) {
    EXPECT_FALSE(tone().parts().isVisibleTo(&tone())); // a mono file
    auto& document = m_window->document();
    document.select(document.session().buses.front()->id);
    EXPECT_TRUE(tone().parts().isVisibleTo(&tone()));
    EXPECT_FALSE(tone().parts().isEnabled());
    eq().addBand(FilterKind::Bell, 400, -3);
    EXPECT_EQ(tone().parts().chosen(), 0);
    QTest::mouseClick(&tone().parts(), Qt::LeftButton, {}, tone().parts().wordRect(2).center());
    EXPECT_EQ(eq().band()->part, dsp::StereoPart::Side);
    document.undo();
    EXPECT_EQ(eq().band()->part, dsp::StereoPart::Both);
    EXPECT_EQ(tone().parts().chosen(), 0);
}

TEST_F(Tone, TheBoardSaysHowManyMovesThereAre) {
    EXPECT_EQ(m_window->board().cellText(element("Snare"), Stage::Tone), QString(QChar(0x00b7)));
    eq().addBand(FilterKind::Bell, 200, 3);
    EXPECT_EQ(m_window->board().cellText(element("Snare"), Stage::Tone), QStringLiteral("[1]"));
    eq().addBand(FilterKind::Bell, 400, 3);
    EXPECT_EQ(m_window->board().cellText(element("Snare"), Stage::Tone), QStringLiteral("[2]"));
}

TEST_F(Tone, ADragShowsAtOnceWhatIsHeard) {
    // The plan that plays after a drag has the design of the band that is drawn.
    eq().addBand(FilterKind::Bell, 1000, 0);
    const QPoint bar = picture().handleOf(*eq().band()).toPoint();
    const QImage before = picture().grab().toImage();
    QTest::mousePress(&picture(), Qt::LeftButton, {}, bar);
    QTest::mouseMove(&picture(), bar - QPoint(0, 40));
    EXPECT_NE(picture().grab().toImage(), before) << "before the button is let go";
    EXPECT_NEAR(eq().band()->gainDb, 40 / picture().pixelsPerDb(), 0.06);
    QTest::mouseRelease(&picture(), Qt::LeftButton, {}, bar - QPoint(0, 40));
}

TEST_F(Tone, AMoveIsTypedInOneLine) {
    auto& line = tone().line();
    QTest::keyClicks(&line, QStringLiteral("60 3dB q1.2"));
    QTest::keyClick(&line, Qt::Key_Return);
    ASSERT_EQ(eq().bands().size(), 1U);
    EXPECT_DOUBLE_EQ(eq().band()->frequencyHz, 60);
    EXPECT_DOUBLE_EQ(eq().band()->gainDb, 3);
    EXPECT_DOUBLE_EQ(eq().band()->q, 1.2);
    EXPECT_TRUE(line.text().isEmpty());
    QTest::keyClicks(&line, QStringLiteral("=-2 dB"));
    QTest::keyClick(&line, Qt::Key_Return);
    ASSERT_EQ(eq().bands().size(), 1U) << "sets the chosen one";
    EXPECT_DOUBLE_EQ(eq().band()->gainDb, -2);
    EXPECT_DOUBLE_EQ(eq().band()->frequencyHz, 60);
    QTest::keyClicks(&line, QStringLiteral("louder"));
    QTest::keyClick(&line, Qt::Key_Return);
    EXPECT_EQ(eq().bands().size(), 1U);
    EXPECT_EQ(line.text(), QStringLiteral("louder")) << "stays, to be mended";
}

TEST_F(Tone, ColourIsAnEqualiserOfItsOwn) {
    eq().addBand(FilterKind::Bell, 400, -3);
    auto& parts = tone().partsOfChain();
    QTest::mouseClick(&parts, Qt::LeftButton, {}, parts.wordRect(1).center());
    EXPECT_TRUE(eq().bands().empty());
    eq().addBand(FilterKind::HighShelf, 8000, 2);
    EXPECT_EQ(eq().bands().size(), 1U);
    const auto& chain = *session().chain(element("Snare"));
    ASSERT_EQ(chain.size(), 2U);
    EXPECT_EQ(std::get<dsp::EqSettings>(chain[1].settings).bands[0].frequencyHz, 8000);
    QTest::mouseClick(&parts, Qt::LeftButton, {}, parts.wordRect(0).center());
    EXPECT_DOUBLE_EQ(eq().band()->frequencyHz, 400);
    // Only this equaliser's amount.
    tone().amountBar()->setFocus();
    QTest::keyClick(tone().amountBar(), Qt::Key_Down);
    const auto& after = *session().chain(element("Snare"));
    EXPECT_DOUBLE_EQ(std::get<dsp::EqSettings>(after[0].settings).amountPercent, 95);
    EXPECT_DOUBLE_EQ(std::get<dsp::EqSettings>(after[1].settings).amountPercent, 100);
}

TEST_F(Tone, TheOrderOfTwoModulesIsSwappedAndHeard) {
    eq().addBand(FilterKind::Bell, 400, -3);
    tone().showPart(ToneBench::Part::LowEnd);
    EXPECT_EQ(tone().lowEnd().module(), nullptr);
    tone().lowEnd().addButton()->click();
    ASSERT_NE(tone().lowEnd().module(), nullptr);
    EXPECT_EQ(tone().order().orderText(), QStringLiteral("repair \u2192 <b>low shelf pair</b>"));
    EXPECT_FALSE(tone().order().later()->isEnabled());
    tone().order().earlier()->click();
    EXPECT_EQ(tone().order().orderText(), QStringLiteral("<b>low shelf pair</b> \u2192 repair"));
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Order, Snare"));
    picture().setFocus();
    QTest::keyPress(&picture(), Qt::Key_S);
    EXPECT_TRUE(m_window->playback().isAuditioning());
    EXPECT_EQ(tone().order().orderText(), QStringLiteral("<b>low shelf pair</b> \u2192 repair"))
        << "only heard";
    QTest::keyRelease(&picture(), Qt::Key_S);
    EXPECT_FALSE(m_window->playback().isAuditioning());
}

TEST_F(Tone, AModuleIsComparedWithItsBypassWhileAKeyIsHeld) {
    EXPECT_FALSE(tone().order().bypass()->isEnabled()) << "there is none yet";
    eq().addBand(FilterKind::HighPass, 20000, 0); // hardly anything is left
    ASSERT_TRUE(waitMeasured());
    const auto before = session();
    const auto peak = [&] { // of a second and a bit: a stroke is in it
        (void)m_window->playback().engine().takeLevel(element("Snare"));
        QTest::qWait(1200);
        return m_window->playback().engine().takeLevel(element("Snare")).peak;
    };
    m_window->playback().setLoop(0, 2);
    m_window->playback().togglePlay();
    ASSERT_TRUE(waitFor([&] { return m_window->playback().isPlaying(); }));
    ASSERT_TRUE(waitFor([&] { return peak() > 0; }));
    const float with = peak();
    picture().setFocus();
    QTest::keyPress(&picture(), Qt::Key_P);
    ASSERT_TRUE(m_window->playback().isAuditioning());
    EXPECT_TRUE(waitFor([&] { return peak() > 3 * with; })) << "without the filter";
    EXPECT_EQ(session(), before) << "hearing is no edit";
    QTest::keyRelease(&picture(), Qt::Key_P);
    EXPECT_FALSE(m_window->playback().isAuditioning());
    QTest::mousePress(tone().order().bypass(), Qt::LeftButton);
    EXPECT_TRUE(m_window->playback().isAuditioning());
    QTest::mouseRelease(tone().order().bypass(), Qt::LeftButton);
    EXPECT_FALSE(m_window->playback().isAuditioning());
}

TEST_F(Tone, TheLowShelfPairHasItsValues) {
    tone().showPart(ToneBench::Part::LowEnd);
    tone().lowEnd().addButton()->click();
    auto* boost = tone().lowEnd().bar(QStringLiteral("boost_db"));
    ASSERT_NE(boost, nullptr);
    const double before = boost->value();
    boost->setFocus();
    QTest::keyClick(boost, Qt::Key_Up);
    EXPECT_NEAR(std::get<dsp::LowEndSettings>(tone().lowEnd().module()->settings).boostDb, before + 0.5,
                1e-6);
    const QImage with = pictureOf(tone());
    tone().lowEnd().removeButton()->click();
    EXPECT_EQ(tone().lowEnd().module(), nullptr);
    EXPECT_NE(pictureOf(tone()), with);
    m_window->document().undo();
    EXPECT_NE(tone().lowEnd().module(), nullptr);
}

} // namespace
} // namespace cask::app
