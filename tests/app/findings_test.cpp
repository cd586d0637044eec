// Findings in the window: what the Board counts, and hear, try, keep, dismiss by mouse and keys.
#include "app/findings/finding_row.h"
#include "tests/app/window_fixture.h"

#include <QLineEdit>

namespace cask::app {
namespace {

/// A snare with two microphones, the lower one turned over and off the centre line; a kick that is clipped.
class FindingsTest : public WindowTest {
  protected:
    void SetUp() override {
        auto top = test::bursts(180, 0.45, 0.2, 0.06, 6);
        const auto clicks = test::noise(0.3, top.size(), 1);
        std::vector<float> bottom(top.size());
        const auto hiss = test::noise(0.0003, top.size(), 2);
        const auto others = test::noise(0.3, top.size(), 3);
        for (std::size_t n = 0; n < top.size(); ++n) {
            const double sinceHit = std::fmod(static_cast<double>(n) / 48000 - 0.2 + 0.45, 0.45);
            const auto click = static_cast<float>(std::exp(-sinceHit / 0.005));
            bottom[n] = -0.6F * (top[n] + clicks[n] * click) + 0.3F * others[n] * click + hiss[n] + 0.01F;
            top[n] += clicks[n] * click;
        }
        auto kick = test::bursts(60, 0.45, 0.35, 0.1, 6);
        for (float& x : kick)
            x = std::clamp(2 * x, -1.0F, 1.0F);
        test::writeWav(m_folder / "Kick.wav", kick);
        test::writeWav(m_folder / "Snare Top.wav", top);
        test::writeWav(m_folder / "Snare Bottom.wav", bottom);
        m_window->document().import({text(m_folder.path())});
        ASSERT_TRUE(waitMeasured());
        ASSERT_TRUE(waitFor([&] { return row("pair-") != nullptr || !select("Snare Bottom"); }));
    }
    bool select(const std::string& name) {
        m_window->document().select(element(name));
        return true;
    }
    [[nodiscard]] FindingRow* row(const std::string& start) {
        for (auto* r : panel().rows())
            if (r->id().starts_with(start))
                return r;
        return nullptr;
    }
    [[nodiscard]] FindingsPanel& panel() { return m_window->findingsPanel(); }
    [[nodiscard]] int open(const std::string& name) {
        return m_window->findings().openCount(element(name), Stage::Intake);
    }
};

TEST_F(FindingsTest, TheBoardCountsAndThePanelSays) {
    EXPECT_EQ(open("Snare Bottom"), 2);
    EXPECT_EQ(m_window->findings().worstOpen(element("Snare Bottom"), Stage::Intake),
              advise::Severity::Advice);
    EXPECT_EQ(m_window->findings().worstOpen(element("Kick"), Stage::Intake), advise::Severity::Fault);
    EXPECT_EQ(m_window->findings().worstOpen(element("Snare Top"), Stage::Intake), std::nullopt);
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Intake), QStringLiteral("ok"));
    EXPECT_TRUE(panel().text().contains(QStringLiteral("inverted polarity"))) << panel().text().toStdString();
    EXPECT_FALSE(panel().text().contains(QStringLiteral("clipped")));
    QTest::mouseClick(&panel().scope(), Qt::LeftButton, {}, panel().scope().wordRect(1).center());
    EXPECT_TRUE(panel().text().contains(QStringLiteral("Kick is clipped")));
    EXPECT_TRUE(m_window->findings()
                    .openSentences(element("Kick"), Stage::Intake)
                    .contains(QStringLiteral("Kick is clipped")));
}

TEST_F(FindingsTest, KeepIsOneStepThatCanBeUndone) {
    panel().setCurrent(row("pair-")->id());
    QTest::mouseClick(row("pair-")->keepButton(), Qt::LeftButton);
    EXPECT_TRUE(session().element(element("Snare Bottom"))->input.isInverted);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Invert polarity, Snare Bottom"));
    EXPECT_TRUE(waitFor([&] { return !m_window->findings().isBusy() && row("pair-") == nullptr; }));
    EXPECT_EQ(open("Snare Bottom"), 1);
    m_window->document().undo();
    EXPECT_FALSE(session().element(element("Snare Bottom"))->input.isInverted);
    EXPECT_TRUE(waitFor([&] { return row("pair-") != nullptr; }));
}

TEST_F(FindingsTest, DismissAsksWhyAndTheReasonStays) {
    panel().setFocus();
    panel().setCurrent(row("dc-")->id());
    QTest::keyClick(&panel(), Qt::Key_D);
    auto* why = row("dc-")->reason();
    ASSERT_FALSE(why->isHidden());
    QTest::keyClick(why, Qt::Key_Return);
    EXPECT_TRUE(session().dismissals.empty()) << "no reason, no dismissal";
    QTest::keyClicks(why, QStringLiteral("meant so"));
    QTest::keyClick(why, Qt::Key_Return);
    ASSERT_EQ(session().dismissals.size(), 1U);
    EXPECT_EQ(session().dismissals[0].reason, "meant so");
    EXPECT_EQ(open("Snare Bottom"), 1);
    // Elsewhere a change makes new findings; this one stays laid aside.
    m_window->document().edit(
        session::withOutput(session(), element("Kick"), [](auto& o) { o.levelDb = -3; }), "x");
    ASSERT_NE(row("dc-"), nullptr);
    EXPECT_EQ(row("dc-")->keepButton(), nullptr);
    panel().setCurrent(row("dc-")->id());
    QTest::mouseClick(row("dc-")->dismissButton(), Qt::LeftButton);
    EXPECT_TRUE(session().dismissals.empty());
    EXPECT_EQ(open("Snare Bottom"), 2);
}

TEST_F(FindingsTest, AReasonBeingTypedOutlivesNewMeasures) {
    panel().setFocus();
    panel().setCurrent(row("dc-")->id());
    QTest::keyClick(&panel(), Qt::Key_D);
    QTest::keyClicks(row("dc-")->reason(), QStringLiteral("half a rea"));
    m_window->findings().setStyle("tight"); // other sentences, new rows
    ASSERT_FALSE(row("dc-")->reason()->isHidden());
    EXPECT_EQ(row("dc-")->reason()->text(), QStringLiteral("half a rea"));
}

TEST_F(FindingsTest, EscapeLeavesAFindingOpen) {
    panel().setFocus();
    panel().setCurrent(row("dc-")->id());
    QTest::keyClick(&panel(), Qt::Key_D);
    QTest::keyClicks(row("dc-")->reason(), QStringLiteral("no"));
    QTest::keyClick(row("dc-")->reason(), Qt::Key_Escape);
    EXPECT_TRUE(row("dc-")->reason()->isHidden());
    EXPECT_TRUE(session().dismissals.empty());
}

TEST_F(FindingsTest, HearPlaysOnlyWhatIsMeantAndGoesBack) {
    auto& playback = m_window->playback();
    playback.locate(1);
    ASSERT_TRUE(waitFor([&] { return std::abs(playback.positionS() - 1) < 0.01; }));
    panel().setCurrent(row("pair-")->id());
    QTest::mouseClick(row("pair-")->hearButton(), Qt::LeftButton);
    EXPECT_TRUE(playback.isAuditioning());
    EXPECT_TRUE(playback.isPlaying());
    EXPECT_FALSE(session().element(element("Snare Top"))->out.isAlone) << "the session is as it was";
    ASSERT_TRUE(waitFor([&] { return playback.positionS() > 0.05 && playback.positionS() < 0.9; }));
    QTest::mouseClick(row("pair-")->hearButton(), Qt::LeftButton);
    EXPECT_FALSE(playback.isPlaying());
    EXPECT_TRUE(waitFor([&] { return std::abs(playback.positionS() - 1) < 0.01; }));
}

TEST_F(FindingsTest, TryIsHeardWhileHeldAndLeavesNothing) {
    auto& playback = m_window->playback();
    const auto before = session();
    panel().setFocus();
    panel().setCurrent(row("pair-")->id());
    QTest::keyPress(&panel(), Qt::Key_T);
    EXPECT_TRUE(playback.isAuditioning());
    EXPECT_TRUE(waitFor([&] { return playback.isPlaying(); }));
    QTest::keyRelease(&panel(), Qt::Key_T);
    EXPECT_FALSE(playback.isAuditioning());
    EXPECT_FALSE(playback.isPlaying());
    EXPECT_EQ(session(), before);
}

TEST_F(FindingsTest, KeysGoThroughTheList) {
    panel().scope().setChosen(1);
    emit panel().scope().choiceEdited(1);
    ASSERT_GE(panel().rows().size(), 3U);
    panel().setFocus();
    panel().setCurrent(panel().rows()[0]->id());
    QTest::keyClick(&panel(), Qt::Key_Down);
    EXPECT_EQ(panel().currentRow(), panel().rows()[1]);
    QTest::keyClick(&panel(), Qt::Key_Up);
    QTest::keyClick(&panel(), Qt::Key_Up);
    EXPECT_EQ(panel().currentRow(), panel().rows()[0]);
}

TEST_F(FindingsTest, AnotherHouseStyleAdvisesOtherwise) {
    EXPECT_EQ(m_window->findings().style().id, "natural");
    m_window->findings().setStyle("tight");
    const auto* f = m_window->findings().find(row("pair-")->id());
    ASSERT_NE(f, nullptr);
    EXPECT_EQ(f->school, "align");
    m_window->document().undo();
    EXPECT_EQ(m_window->findings().style().id, "natural");
}

} // namespace
} // namespace cask::app
