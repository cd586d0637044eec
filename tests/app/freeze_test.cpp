// Elements and buses frozen in the window.
#include "app/models/freeze_model.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "tests/app/window_fixture.h"

namespace cask::app {
namespace {

class FreezeWindow : public WindowTest {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Kick In.wav", test::bursts(60, 0.5, 0.25, 0.1, 4));
        test::writeWav(m_folder / "Snare Top.wav", test::bursts(180, 0.5, 0.5, 0.08, 4));
        drop({text(m_folder / "Kick In.wav"), text(m_folder / "Snare Top.wav")});
        ASSERT_TRUE(waitMeasured());
        m_window->askForSaveName = [this](const QString&) { return text(m_folder / "Kit.cask"); };
        m_window->save();
        m_snare = element("Snare Top");
        m_window->document().select(m_snare);
    }
    [[nodiscard]] std::vector<Id> played() { return m_window->playback().playedFrozen(); }
    void press() { QTest::keyClick(m_window.get(), Qt::Key_F, Qt::ShiftModifier); }
    Id m_snare = session::kNoId;
};

TEST_F(FreezeWindow, OneKeyFreezesAndThawsAndEditsPlayLive) {
    const auto before = session();
    press();
    ASSERT_TRUE(waitFor([&] { return played() == std::vector<Id>{m_snare}; }));
    EXPECT_EQ(session(), before) << "it changes no sound, so it is not in the session";
    EXPECT_EQ(m_window->board().roleText(m_snare), QStringLiteral("frozen"));
    // Changed, it plays as it is now; undone, from the render again.
    auto edited = session();
    dsp::GateSettings gate;
    (void)session::addModule(edited, m_snare, gate);
    m_window->document().edit(std::move(edited), QStringLiteral("gate"));
    EXPECT_TRUE(played().empty());
    EXPECT_EQ(m_window->board().roleText(m_snare), QStringLiteral("changed, not frozen"));
    m_window->document().undo();
    EXPECT_EQ(played(), std::vector<Id>{m_snare});
    // Opened again, it is still so.
    const auto folder = m_window->document().folder();
    ASSERT_TRUE(m_window->openSession(folder));
    EXPECT_EQ(played(), std::vector<Id>{m_snare});
    m_window->document().select(m_snare);
    press();
    EXPECT_TRUE(played().empty());
    EXPECT_TRUE(m_window->playback().frozen().empty());
    EXPECT_TRUE(project::readFrozen(m_window->document().store().cacheFolder()).empty());
}

TEST_F(FreezeWindow, ABusIsFrozenTheMasterIsNot) {
    const auto& s = session();
    const Id bus = s.element(m_snare)->out.bus;
    ASSERT_NE(bus, session::kNoId);
    m_window->document().select(bus);
    press();
    ASSERT_TRUE(waitFor([&] { return played() == std::vector<Id>{bus}; }));
    m_window->document().edit(session::withOutput(session(), m_snare, [](auto& out) { out.levelDb = -3; }),
                              QStringLiteral("level"));
    EXPECT_TRUE(played().empty()) << "it hangs on the levels of what feeds it";
    press(); // anew, as it is now
    ASSERT_TRUE(waitFor([&] { return played() == std::vector<Id>{bus}; }));
    m_window->document().select(session().master().id);
    press();
    EXPECT_EQ(played(), std::vector<Id>{bus});
    ASSERT_FALSE(m_window->document().notes().empty());
    EXPECT_TRUE(m_window->document().notes().back().contains(QStringLiteral("master")));
}

TEST_F(FreezeWindow, ItIsHeardThroughItsOwnLevel) {
    press();
    ASSERT_TRUE(waitFor([&] { return played() == std::vector<Id>{m_snare}; }));
    m_window->document().edit(session::withMute(session(), {element("Kick In")}, true),
                              QStringLiteral("mute"));
    const auto loudest = [&] {
        auto& playback = m_window->playback();
        auto& meter = playback.engine();
        playback.locate(0.45);
        EXPECT_TRUE(waitFor([&] { return playback.positionS() < 0.6; }));
        playback.togglePlay();
        (void)waitFor([&] { return meter.mixMeter().heldPeakDb() > kSilenceDb; }); // it has begun
        meter.clearHeldPeak();
        EXPECT_TRUE(waitFor([&] { return playback.positionS() > 1.3; }));
        playback.stop();
        return meter.mixMeter().heldPeakDb();
    };
    const double before = loudest();
    EXPECT_GT(before, -30);
    m_window->document().edit(session::withOutput(session(), m_snare, [](auto& out) { out.levelDb = -12; }),
                              QStringLiteral("level"));
    EXPECT_EQ(played(), std::vector<Id>{m_snare});
    EXPECT_NEAR(loudest(), before - 12, 1);
}

} // namespace
} // namespace cask::app
