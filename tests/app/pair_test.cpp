// Two microphones laid over each other: moved by mouse and keys, flipped, heard, put in time.
#include "app/bench/intake/pair_bench.h"
#include "app/bench/intake/pair_picture.h"
#include "tests/app/window_fixture.h"

namespace cask::app {
namespace {

constexpr double kLateMs = 2;

/// A snare whose lower microphone is turned over and 2 ms late.
class PairTest : public WindowTest {
  protected:
    void SetUp() override {
        const auto dry = test::bursts(140, 0.45, 0.2, 0.06, 6);
        const auto clicks = test::noise(0.3, dry.size(), 1);
        std::vector<float> top(dry.size());
        std::vector<float> bottom(dry.size(), 0.0F);
        const auto hissTop = test::noise(0.0003, dry.size(), 2);
        const auto hissBottom = test::noise(0.0003, dry.size(), 3);
        for (std::size_t n = 0; n < dry.size(); ++n) {
            const double sinceHit = std::fmod(static_cast<double>(n) / 48000 - 0.2 + 0.45, 0.45);
            top[n] = dry[n] + clicks[n] * static_cast<float>(std::exp(-sinceHit / 0.005)) + hissTop[n];
        }
        const auto late = static_cast<std::size_t>(kLateMs * 48);
        for (std::size_t n = late; n < dry.size(); ++n)
            bottom[n] = -top[n - late];
        for (std::size_t n = 0; n < dry.size(); ++n)
            bottom[n] += hissBottom[n];
        test::writeWav(m_folder / "Snare Top.wav", top);
        test::writeWav(m_folder / "Snare Bottom.wav", bottom);
        m_window->document().import({text(m_folder.path())});
        ASSERT_TRUE(waitMeasured());
        m_window->document().select(element("Snare Bottom"));
        m_window->document().setStage(Stage::Intake);
        ASSERT_TRUE(
            waitFor([&] { return !m_window->hits().isBusy() && m_window->hits().analysis() != nullptr; }));
        ASSERT_TRUE(intake().showPairWith(element("Snare Top")));
        ASSERT_TRUE(waitFor([&] { return model().portrait() != nullptr; }));
        ASSERT_GE(model().portrait()->hits, 10);
        QCoreApplication::processEvents();
    }
    [[nodiscard]] IntakeBench& intake() { return *m_window->bench().findChild<IntakeBench*>(); }
    [[nodiscard]] PairBench& bench() { return intake().pairBench(); }
    [[nodiscard]] PairModel& model() { return bench().model(); }
    [[nodiscard]] const session::InputSettings& input() {
        return session().element(element("Snare Bottom"))->input;
    }
    void drag(QPointF from, QPointF to) {
        auto& picture = bench().picture();
        QTest::mousePress(&picture, Qt::LeftButton, {}, from.toPoint());
        QTest::mouseMove(&picture, ((from + to) / 2).toPoint());
        QTest::mouseMove(&picture, to.toPoint());
        QTest::mouseRelease(&picture, Qt::LeftButton, {}, to.toPoint());
    }
};

TEST_F(PairTest, SaysWhatTheSumLosesAndWhereItIsInTime) {
    // Equal and opposite, 2 ms apart at 140 Hz: 10 log10(1 - cos(2 pi 0.28)).
    EXPECT_NEAR(model().lowSumDb(), 10 * std::log10(1 - std::cos(2 * kPi * 0.28)), 0.7);
    const auto together = model().together();
    ASSERT_TRUE(together);
    EXPECT_NEAR(together->shiftMs, -kLateMs, 0.02);
    EXPECT_TRUE(together->isInverted);
    EXPECT_NEAR(together->lowSumDb, 10 * std::log10(2), 0.15);
    QTest::mouseClick(bench().togetherButton(), Qt::LeftButton);
    EXPECT_NEAR(input().shiftMs, -kLateMs, 0.02);
    EXPECT_TRUE(input().isInverted);
    EXPECT_NEAR(model().lowSumDb(), 10 * std::log10(2), 0.15);
    EXPECT_FALSE(bench().togetherButton()->isEnabled());
    m_window->document().undo();
    EXPECT_EQ(input(), session::InputSettings{});
}

TEST_F(PairTest, TheBestPlaceIsThatOfTheCurve) {
    const auto best = model().best(10);
    QTest::mouseClick(bench().bestButton(), Qt::LeftButton);
    EXPECT_DOUBLE_EQ(input().shiftMs, best.shiftMs);
    EXPECT_EQ(input().isInverted, best.isInverted);
    EXPECT_NEAR(model().lowSumDb(), best.lowSumDb, 1e-6);
    EXPECT_GT(best.lowSumDb, 2.5);
    // What is measured anew after the move says the same.
    const double said = model().lowSumDb();
    model().show(session::kNoId, session::kNoId);
    model().show(element("Snare Top"), element("Snare Bottom"));
    ASSERT_TRUE(waitFor([&] { return model().portrait() != nullptr; }));
    EXPECT_NEAR(model().lowSumDb(), said, 0.3);
}

TEST_F(PairTest, DraggingMovesItInOneStep) {
    auto& picture = bench().picture();
    const QRectF waves = picture.wavePlot();
    drag(waves.center(), waves.center() + QPointF(80, 0));
    const double ms = 80 / waves.width() * 16; // the picture is 16 ms long
    EXPECT_NEAR(input().shiftMs, ms, 0.05);
    m_window->document().undo();
    EXPECT_EQ(input().shiftMs, 0) << "a drag is one step";
    const QRectF sum = picture.sumPlot();
    const QPointF at(picture.xOfShift(-2), sum.center().y());
    drag(QPointF(picture.xOfShift(0), sum.center().y()), at);
    EXPECT_NEAR(input().shiftMs, -2, 0.05);
    EXPECT_NEAR(picture.xOfShift(input().shiftMs), at.x(), 1.0);
}

TEST_F(PairTest, KeysMoveAndFlipAndSetNoRole) {
    auto& picture = bench().picture();
    picture.setFocus();
    const Role role = session().element(element("Snare Bottom"))->role;
    QTest::keyClick(&picture, Qt::Key_Right);
    QTest::keyClick(&picture, Qt::Key_Right);
    QTest::keyClick(&picture, Qt::Key_Left);
    EXPECT_NEAR(input().shiftMs, 0.05, 1e-9);
    QTest::keyClick(&picture, Qt::Key_Right, Qt::ShiftModifier);
    EXPECT_NEAR(input().shiftMs, 0.05 + 1.0 / 48, 1e-9);
    const double before = model().lowSumDb();
    QTest::keyClick(&picture, Qt::Key_F);
    EXPECT_TRUE(input().isInverted);
    EXPECT_NE(model().lowSumDb(), before);
    QTest::mouseClick(bench().flipButton(), Qt::LeftButton);
    EXPECT_FALSE(input().isInverted);
    QTest::keyClick(&picture, Qt::Key_K);
    EXPECT_EQ(session().element(element("Snare Bottom"))->role, role);
}

TEST_F(PairTest, HearsEachAndBoth) {
    auto& playback = m_window->playback();
    for (const auto which : {PairBench::Heard::Still, PairBench::Heard::Moving, PairBench::Heard::Both}) {
        QTest::mouseClick(bench().hearButton(which), Qt::LeftButton);
        EXPECT_TRUE(playback.isAuditioning());
        EXPECT_TRUE(playback.isPlaying());
        QTest::mouseClick(bench().hearButton(which), Qt::LeftButton);
        EXPECT_FALSE(playback.isAuditioning());
    }
}

TEST_F(PairTest, TheFileComesBackWithAnotherElement) {
    EXPECT_FALSE(bench().isHidden());
    m_window->document().select(element("Snare Top"));
    EXPECT_TRUE(bench().isHidden());
    EXPECT_EQ(intake().view().chosen(), 0);
    EXPECT_FALSE(intake().showPairWith(element("Snare Top"))) << "not with itself";
}

} // namespace
} // namespace cask::app
