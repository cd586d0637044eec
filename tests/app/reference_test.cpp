// A reference beside the mix: told, heard while a key is held, never in an export.
#include "app/window/reference_sheet.h"
#include "core/project/delivery.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

#include <QComboBox>

namespace cask::app {
namespace {

class Reference : public WindowTest {
  protected:
    /// A mix of the same beat, 6 dB louder than it plays here, its snare 4 dB more.
    void SetUp() override {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.05));
        const auto kick = test::bursts(60, 1, 0.25, 0.05, 12);
        const auto snare = test::bursts(900, 1, 0.75, 0.05, 12);
        std::vector<float> mix;
        for (std::size_t n = 0; n < kick.size(); ++n) {
            const float x = 0.6F * kick[n] + 0.95F * snare[n];
            mix.push_back(x);
            mix.push_back(x);
        }
        for (const char* name : {"Reference one.wav", "Reference two.wav"})
            test::writeWav(m_folder / name, mix, 2);
        drop({text(m_folder / "Reference one.wav"), text(m_folder / "Reference two.wav")});
        ASSERT_TRUE(waitMeasured());
        auto next = session();
        for (const auto& e : session().elements)
            if (e->name.starts_with("Reference"))
                next = session::withRole(next, e->id, Role::Reference);
        m_window->document().edit(next, QStringLiteral("Roles"));
        m_window->document().select(element("Kick In"));
        ASSERT_EQ(model().references().size(), 2U);
        ASSERT_TRUE(waitFor([&] { return model().of(model().references()[0]) != nullptr; }));
        // Never heard before both loudnesses are known.
        if (!m_window->playback().match()) {
            model().setHeard(true);
            EXPECT_FALSE(m_window->playback().heardReference());
        }
        ASSERT_TRUE(waitFor([&] { return m_window->playback().match().has_value(); }));
    }
    [[nodiscard]] ReferenceModel& model() { return m_window->references(); }
};

TEST_F(Reference, IsToldBesideTheMix) {
    QTest::keyClick(m_window.get(), Qt::Key_E, Qt::ControlModifier);
    auto* sheet = m_window->findChild<ReferenceSheet*>();
    ASSERT_NE(sheet, nullptr);
    ASSERT_TRUE(waitFor([&] { return model().own() != nullptr && !model().isMeasuring(); }));
    const auto& reference = *model().of(model().chosen());
    ASSERT_TRUE(reference.tempo.isKnown);
    EXPECT_TRUE(sheet->text().contains(
        QStringLiteral("Reference %1 bpm, this mix").arg(reference.tempo.bpm, 0, 'f', 1)))
        << sheet->text().toStdString();
    EXPECT_FALSE(sheet->picture().rows().isEmpty());
    EXPECT_GE(sheet->momentButtons().size(), 3) << "strokes that are alone";
    QTest::mouseClick(sheet->momentButtons()[2], Qt::LeftButton);
    EXPECT_GT(model().beginsAt(), 0);
    EXPECT_TRUE(sheet->momentButtons()[2]->isChecked());
    EXPECT_EQ(sheet->choice().count(), 2);
    const Id first = model().chosen();
    QTest::keyClick(sheet, Qt::Key_E, Qt::ShiftModifier);
    EXPECT_NE(model().chosen(), first);
    QTest::keyClick(sheet, Qt::Key_E, Qt::ShiftModifier);
    EXPECT_EQ(model().chosen(), first);
    QTest::keyPress(sheet, Qt::Key_E);
    EXPECT_TRUE(m_window->playback().heardReference());
    QTest::keyRelease(sheet, Qt::Key_E);
    EXPECT_FALSE(m_window->playback().heardReference());
}

TEST_F(Reference, IsHeardWhileAKeyIsHeldAtTheSameLoudness) {
    auto& playback = m_window->playback();
    ASSERT_TRUE(waitFor([&] { return playback.match().has_value() && !playback.isMatching(); }));
    QTest::keyPress(m_window.get(), Qt::Key_E);
    ASSERT_TRUE(playback.heardReference().has_value());
    EXPECT_EQ(playback.heardReference()->laterS, 0) << "the same place";
    EXPECT_EQ(m_window->headLine().comparisonText(), QStringLiteral("reference, matched"));
    playback.togglePlay();
    playback.engine().clearHeldPeak();
    QTest::qWait(2200);
    const double heard = playback.engine().mixMeter().heldPeakDb();
    const double ownLufs = playback.match()->firstLufs;
    const double referenceLufs = model().of(model().chosen())->lufs;
    EXPECT_NEAR(heard, 20 * std::log10(0.95) + std::min(0.0, ownLufs - referenceLufs), 1.0);
    QTest::keyRelease(m_window.get(), Qt::Key_E);
    EXPECT_FALSE(playback.heardReference().has_value());
    EXPECT_TRUE(playback.isPlaying()) << "it goes on with the mix";
}

TEST_F(Reference, IsLetGoWithTheWindow) {
    QWidget other;
    other.show();
    for (const auto key : {Qt::Key_E, Qt::Key_C}) {
        m_window->activateWindow();
        ASSERT_TRUE(waitFor([&] { return m_window->isActiveWindow(); }));
        QTest::keyPress(m_window.get(), key);
        EXPECT_TRUE(m_window->playback().heardReference() || m_window->playback().isComparing());
        other.activateWindow(); // the key is let go over there
        EXPECT_TRUE(waitFor([&] { return other.isActiveWindow(); }));
        EXPECT_FALSE(m_window->playback().heardReference());
        EXPECT_FALSE(m_window->playback().isComparing());
    }
}

TEST_F(Reference, BeginsAtAMomentAtTheStartOfTheLoop) {
    m_window->playback().setLoop(4, 6);
    model().beginAt(1.25);
    model().setHeard(true);
    ASSERT_TRUE(m_window->playback().heardReference());
    EXPECT_NEAR(m_window->playback().heardReference()->laterS, 4 - 1.25, 1e-9);
    model().setHeard(false);
}

TEST_F(Reference, IsInNoExport) {
    for (const auto stems : {project::Stems::Elements, project::Stems::Tracks, project::Stems::MasterInputs})
        for (const Id id : project::stemsOf(session(), stems))
            EXPECT_FALSE(session().nameOf(id).starts_with("Reference"));
}

} // namespace
} // namespace cask::app
