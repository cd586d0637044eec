// A MIDI file dropped on the window and played by the built-in kit, or by one's own.
#include "app/bench/layers/kit_change_box.h"
#include "app/bench/layers/layers_bench.h"
#include "app/shelf/shelf_page.h"
#include "app/window/pattern_sheet.h"
#include "core/layers/midi_write.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>
#include <QComboBox>

namespace cask::app {
namespace {

class PatternWindow : public WindowTest {
  protected:
    void SetUp() override {
        layers::Pattern pattern;
        pattern.tempi = {{0, 0, 120}};
        pattern.metres = {{0, 4, 4}};
        pattern.lengthBeats = 8;
        for (int eighth = 0; eighth < 16; ++eighth) {
            const double beat = 0.5 * eighth;
            pattern.strokes.push_back({0.5 * beat, beat, 42, 90, 9});
            if (eighth % 4 == 0)
                pattern.strokes.push_back({0.5 * beat, beat, 36, 110, 9});
            if (eighth % 4 == 2)
                pattern.strokes.push_back({0.5 * beat, beat, 40, 110, 9});
        }
        m_file = m_folder / "Beat.mid";
        ASSERT_TRUE(layers::writeMidiPattern(pattern, m_file, {IfExists::Replace, nullptr}));
        m_window->askForSaveName = [this](const QString&) { return text(m_folder / "Kit.cask"); };
    }
    PatternSheet& shown() {
        drop({text(m_file)});
        EXPECT_TRUE(waitFor([&] { return m_window->patternSheet() != nullptr; }));
        return *m_window->patternSheet();
    }
    void showLayers() {
        m_window->activateWindow(); // the sheet was
        ASSERT_TRUE(QTest::qWaitForWindowActive(m_window.get()));
        QTest::keyClick(m_window.get(), Qt::Key_8);
    }
    std::filesystem::path m_file;
};

TEST_F(PatternWindow, IsPlayedByTheBuiltInKitWithItsMicrophones) {
    auto& sheet = shown();
    EXPECT_TRUE(sheet.said().contains(QStringLiteral("Kick 4"))) << sheet.said().toStdString();
    QTest::mouseClick(&sheet.playButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return session().elements.size() == 5; }));
    EXPECT_EQ(session().nameOf(m_window->document().selected()), "Kick");
    ASSERT_TRUE(waitMeasured());
    ASSERT_TRUE(
        waitFor([&] { return !m_window->hits().isBusy() && m_window->hits().analysis() != nullptr; }));
    EXPECT_EQ(m_window->hits().strokesOf(element("Kick")).size(), 4U);
    EXPECT_EQ(m_window->hits().strokesOf(element("Hi-hat")).size(), 16U);
    EXPECT_TRUE(m_window->hits().strokesOf(element("Room")).empty()) << "the same hits once more";
    m_window->document().undo();
    EXPECT_TRUE(session().elements.empty());
}

TEST_F(PatternWindow, NotesAreMappedAnewAndAFolderPlaysThem) {
    const auto shots = m_folder / "shots";
    std::filesystem::create_directories(shots);
    test::writeWav(shots / "Snare.wav", test::bursts(190, 10, 0.001, 0.06, 0.4));
    test::writeWav(shots / "Snare rimshot.wav", test::bursts(290, 10, 0.001, 0.06, 0.4));
    auto& sheet = shown();
    EXPECT_FALSE(sheet.soundOf(40).isVisible()) << "the built-in kit has its own";
    sheet.askForKit = [&](PatternSheet::Kit kit) {
        EXPECT_EQ(kit, PatternSheet::Kit::Folder);
        return text(shots);
    };
    emit sheet.kits().choiceEdited(2);
    sheet.kits().setChosen(2);
    emit sheet.kits().choiceEdited(2);
    EXPECT_FALSE(sheet.spill().isEnabled());
    EXPECT_FALSE(sheet.playButton().isEnabled()) << "the folder is being looked through";
    ASSERT_TRUE(waitFor([&] { return sheet.soundOf(40).isVisible(); }));
    EXPECT_EQ(sheet.soundOf(40).currentText(), QStringLiteral("Snare"));
    EXPECT_EQ(sheet.soundOf(42).currentIndex(), -1) << "it has no hat";
    sheet.drumOf(42).setCurrentIndex(sheet.drumOf(42).findData(-1));
    sheet.drumOf(36).setCurrentIndex(sheet.drumOf(36).findData(38)); // the kick's strokes are snares too
    emit sheet.drumOf(36).activated(sheet.drumOf(36).currentIndex());
    EXPECT_TRUE(sheet.said().contains(QStringLiteral("Snare 8"))) << sheet.said().toStdString();
    EXPECT_EQ(sheet.soundOf(36).currentText(), QStringLiteral("Snare"));
    sheet.soundOf(40).setCurrentIndex(sheet.soundOf(40).findText(QStringLiteral("Snare rimshot")));
    emit sheet.soundOf(40).activated(sheet.soundOf(40).currentIndex());
    QTest::mouseClick(&sheet.playButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return session().elements.size() == 1; }));
    showLayers();
    ASSERT_TRUE(waitFor([&] { return m_window->bench().layers().model().stack() != nullptr; }));
    const auto& stack = *m_window->bench().layers().model().stack();
    EXPECT_EQ(stack.strikes.size(), 8U);
    ASSERT_EQ(stack.layers.size(), 2U);
    for (const auto& layer : stack.layers)
        EXPECT_EQ(layer.name, layer.rule.lowNote == 40 ? "Snare rimshot" : "Snare") << "as it was chosen";
}

TEST_F(PatternWindow, WhatIsFoundByEarIsSaidAndHeardBeforeItIsTaken) {
    const auto shots = m_folder / "shots";
    std::filesystem::create_directories(shots);
    auto soft = test::bursts(52, 10, 0.001, 0.12, 5); // long enough to be looked at while it plays
    test::writeWav(shots / "017.wav", soft);          // a kick by its sound
    for (float& sample : soft)
        sample *= 0.3F;
    test::writeWav(shots / "003.wav", soft);
    test::writeWav(shots / "Snare.wav", test::bursts(190, 10, 0.001, 0.06, 0.4));
    auto& sheet = shown();
    EXPECT_FALSE(sheet.hearOf(36).isVisible());
    sheet.askForKit = [&](PatternSheet::Kit) { return text(shots); };
    sheet.kits().setChosen(2);
    emit sheet.kits().choiceEdited(2);
    ASSERT_TRUE(waitFor([&] { return sheet.playButton().isEnabled(); }));
    EXPECT_EQ(sheet.soundOf(36).currentText(), QStringLiteral("003, 2 sounds"));
    EXPECT_TRUE(sheet.pathText().contains(QStringLiteral("One drum, of which no name tells")))
        << sheet.pathText().toStdString();
    EXPECT_FALSE(sheet.hearOf(42).isEnabled()) << "it has no hat";
    QTest::mouseClick(&sheet.hearOf(36), Qt::LeftButton);
    auto& playback = m_window->playback();
    ASSERT_TRUE(waitFor([&] { return playback.isPlaying(); })) << "though the session is empty";
    EXPECT_TRUE(playback.isTrying());
    EXPECT_EQ(m_window->shelf().model().heard(), shots / "017.wav") << "the harder one";
    sheet.close();
    EXPECT_FALSE(playback.isTrying());
    EXPECT_FALSE(playback.isPlaying());
    EXPECT_TRUE(session().elements.empty());
}

TEST_F(PatternWindow, AnotherKitIsHeardAndTakenAtTheLoudnessOfTheFirst) {
    const auto shots = m_folder / "shots";
    const auto others = m_folder / "others";
    for (const auto& [folder, hz, gain] : {std::tuple(shots, 190.0, 1.0F), {others, 240.0, 0.2F}}) {
        std::filesystem::create_directories(folder);
        auto snare = test::bursts(hz, 10, 0.001, 0.06, 0.4);
        for (float& x : snare)
            x *= gain;
        test::writeWav(folder / "Snare.wav", snare);
    }
    auto& sheet = shown();
    sheet.askForKit = [&](PatternSheet::Kit) { return text(shots); };
    sheet.kits().setChosen(2);
    emit sheet.kits().choiceEdited(2);
    ASSERT_TRUE(waitFor([&] { return sheet.playButton().isEnabled(); }));
    QTest::mouseClick(&sheet.playButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return session().elements.size() == 1; }));
    showLayers();
    auto& bench = m_window->bench().layers();
    ASSERT_TRUE(waitFor([&] { return bench.model().stack() != nullptr; }));
    QTest::mouseClick(&bench.otherKitButton(), Qt::LeftButton);
    auto* box = bench.kitBox();
    ASSERT_NE(box, nullptr);
    EXPECT_FALSE(box->takeButton().isEnabled());
    box->askForKit = [&](bool) { return text(others); };
    box->kits().setChosen(2);
    emit box->kits().choiceEdited(2);
    ASSERT_TRUE(waitFor([&] { return box->isReady(); }));
    EXPECT_TRUE(box->said().contains(QStringLiteral("as loud as before"))) << box->said().toStdString();
    QTest::mouseClick(&box->hearButton(), Qt::LeftButton);
    EXPECT_TRUE(m_window->playback().isTrying());
    EXPECT_TRUE(m_window->playback().isPlaying());
    QTest::mouseClick(&box->hearButton(), Qt::LeftButton);
    EXPECT_FALSE(m_window->playback().isTrying());
    m_window->playback().stop();
    // An edit meanwhile is not put back by what was planned before it.
    m_window->document().edit(
        session::withOutput(session(), session().elements.front()->id, [](auto& out) { out.levelDb = -1; }),
        QStringLiteral("level"));
    EXPECT_FALSE(box->takeButton().isEnabled());
    box->kits().setChosen(2);
    emit box->kits().choiceEdited(2);
    ASSERT_TRUE(waitFor([&] { return box->isReady(); }));
    const auto before = session();
    QTest::mouseClick(&box->takeButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return session() != before; }));
    ASSERT_TRUE(waitFor([&] {
        const auto* stack = bench.model().stack();
        return stack != nullptr && !stack->layers.empty() &&
               stack->layers.front().sounds.front().file.parent_path() == others;
    }));
    EXPECT_NEAR(bench.model().stack()->layers.front().gainDb, 14, 1.5) << "a fifth as high";
    m_window->document().undo();
    EXPECT_EQ(session(), before);
}

TEST_F(PatternWindow, WhatIsNoPatternIsSaid) {
    m_file = m_folder / "Bad.mid";
    test::writeWav(m_file, std::vector<float>(100));
    drop({text(m_file)});
    EXPECT_EQ(m_window->patternSheet(), nullptr);
    ASSERT_FALSE(m_window->document().notes().empty());
    EXPECT_TRUE(m_window->document().notes().back().contains(QStringLiteral("Bad.mid")));
}

} // namespace
} // namespace cask::app
