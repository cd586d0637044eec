#include "app/bench/module/module_fields.h"
#include "app/bench/punch/pump_picture.h"
#include "app/bench/punch/punch_bench.h"
#include "app/bench/punch/wish_row.h"
#include "app/widgets/choice_row.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "tests/app/window_fixture.h"

#include <QComboBox>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>

namespace cask::app {
namespace {

class WishTest : public WindowTest {
  protected:
    void open() {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.06));
        m_window->document().setStage(Stage::Punch);
        ASSERT_TRUE(
            waitFor([&] { return bench().punch().compression() != nullptr && !bench().punch().isBusy(); }));
    }
    PunchBench& bench() { return m_window->bench().punch(); }
    WishRow& row() { return bench().wishes(); }
    void wish(measure::Wish wish) {
        QTest::mouseClick(&row().wishes(), Qt::LeftButton, Qt::NoModifier,
                          row().wishes().wordRect(static_cast<int>(wish)).center());
        ASSERT_TRUE(row().model().asked());
        EXPECT_EQ(row().model().asked()->wish, wish);
        ASSERT_TRUE(waitFor([&] { return !row().model().isSearching(); }));
    }
    void addOther(int index) { bench().otherButton().menu()->actions()[index]->trigger(); }
};

TEST_F(WishTest, AWordFindsWaysAndTakingOneIsAnEditOfTheHistory) {
    open();
    EXPECT_EQ(row().wishes().chosen(), -1);
    ASSERT_NO_FATAL_FAILURE(wish(measure::Wish::Snap));
    ASSERT_FALSE(row().takeButtons().empty());
    EXPECT_EQ(row().takeButtons().size(), row().tryButtons().size());
    const auto first = row().model().answers().front();
    EXPECT_TRUE(first.measured.isReached);
    EXPECT_TRUE(row().model().sentence(0).contains(QStringLiteral("of snap")))
        << row().model().sentence(0).toStdString();
    const Id snare = element("Snare Top");
    const auto before = session();
    QTest::mouseClick(row().takeButtons().front(), Qt::LeftButton);
    EXPECT_EQ(session().element(snare)->chain.size(),
              before.element(snare)->chain.size() + first.way.modules.size());
    EXPECT_TRUE(m_window->document().undoLabel().contains(QStringLiteral("for snap, Snare Top")));
    EXPECT_FALSE(row().model().asked()) << "it was of the sound before";
    m_window->document().undo();
    EXPECT_EQ(session().element(snare)->chain, before.element(snare)->chain);
}

TEST_F(WishTest, TryingIsHeldAndChangesNothing) {
    open();
    ASSERT_NO_FATAL_FAILURE(wish(measure::Wish::Control));
    ASSERT_FALSE(row().tryButtons().empty());
    const auto before = session();
    auto* hear = row().tryButtons().front();
    QTest::mousePress(hear, Qt::LeftButton);
    EXPECT_TRUE(m_window->playback().isAuditioning());
    QTest::mouseRelease(hear, Qt::LeftButton);
    EXPECT_FALSE(m_window->playback().isAuditioning());
    EXPECT_EQ(session(), before);
}

TEST_F(WishTest, DuckAsksUnderWhomAndTheKickIsOfferedFirst) {
    open();
    EXPECT_FALSE(row().keyBox().isVisible());
    ASSERT_NO_FATAL_FAILURE(wish(measure::Wish::Duck));
    EXPECT_TRUE(row().keyBox().isVisible());
    EXPECT_EQ(row().keyBox().currentText(), QStringLiteral("Kick In"));
    EXPECT_EQ(row().model().asked()->key, element("Kick In"));
}

TEST_F(WishTest, AnEditForgetsTheWishAndTheSearchIsStopped) {
    open();
    QTest::mouseClick(&row().wishes(), Qt::LeftButton, Qt::NoModifier, row().wishes().wordRect(0).center());
    EXPECT_TRUE(row().model().isSearching());
    m_window->document().edit(session::withModule(session(), 0, {}), QStringLiteral("nothing"));
    auto next = session();
    session::addModule(next, element("Snare Top"), dsp::TransientSettings{});
    m_window->document().edit(std::move(next), QStringLiteral("something"));
    EXPECT_FALSE(row().model().isSearching());
    EXPECT_EQ(row().wishes().chosen(), -1);
}

TEST_F(WishTest, APumpIsDrawnByItsPoints) {
    open();
    addOther(0);
    const auto* pump = bench().punch().module();
    ASSERT_NE(pump, nullptr);
    ASSERT_TRUE(bench().punch().isPump());
    auto& picture = bench().pumpPicture();
    ASSERT_TRUE(picture.isVisible());
    EXPECT_FALSE(bench().curve().isVisible());
    const auto points = [&] {
        return std::get<dsp::PumpSettings>(bench().punch().module()->settings).points;
    };
    EXPECT_TRUE(points().empty());
    // The standard curve's second point, to half the note.
    const QPoint from = picture.placeOf({0, 70, 100}).toPoint();
    const QPoint to = picture.placeOf({0, 50, 80}).toPoint();
    QTest::mousePress(&picture, Qt::LeftButton, Qt::NoModifier, from);
    QTest::mouseMove(&picture, to);
    QTest::mouseRelease(&picture, Qt::LeftButton, Qt::NoModifier, to);
    ASSERT_EQ(points().size(), 2U);
    EXPECT_NEAR(points()[1].placePercent, 50, 0.5);
    EXPECT_NEAR(points()[1].openPercent, 80, 1);
    EXPECT_NE(points()[0].id, points()[1].id);
    QTest::mouseDClick(&picture, Qt::LeftButton, Qt::NoModifier, picture.placeOf({0, 20, 90}).toPoint());
    ASSERT_EQ(points().size(), 3U);
    const double before = points()[2].placePercent;
    QTest::keyClick(&picture, Qt::Key_Right);
    EXPECT_NEAR(points()[2].placePercent, before + 1, 0.01);
    QTest::keyClick(&picture, Qt::Key_Delete);
    EXPECT_EQ(points().size(), 2U);
    EXPECT_EQ(bench().pumpFields().choice("note")->chosen(), static_cast<int>(dsp::PumpNote::Quarter));
    // Points are no bands of an equaliser.
    EXPECT_FALSE(
        m_window->board().cellText(bench().punch().owner(), Stage::Tone).startsWith(QLatin1Char('[')));
}

TEST_F(WishTest, ALimiterHasItsValues) {
    open();
    addOther(1);
    ASSERT_TRUE(bench().punch().isLimiter());
    EXPECT_TRUE(bench().limiterFields().isVisible());
    typeInto(bench().limiterFields().bar("look_ahead_ms"), QStringLiteral("5"));
    EXPECT_NEAR(std::get<dsp::LimiterSettings>(bench().punch().module()->settings).lookAheadMs, 5, 1e-9);
    // What it does to the hits is measured as a compressor's is.
    EXPECT_TRUE(waitFor([&] { return bench().summary().contains(QStringLiteral("the middle hit")); }))
        << bench().summary().toStdString();
    EXPECT_EQ(bench().punch().settings(), dsp::CompressorSettings()) << "it has none of a compressor's";
}

} // namespace
} // namespace cask::app
