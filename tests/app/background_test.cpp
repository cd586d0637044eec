// Long work: never in the way, with progress and stop.
#include "core/base/folder_lock.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

#include <QAction>
#include <QPushButton>

namespace cask::app {
namespace {

class Background : public WindowTest {
  protected:
    QPushButton* stopButton() {
        for (auto* button : m_window->findChildren<QPushButton*>())
            if (button->text() == QStringLiteral("Stop") && button->isVisible())
                return button;
        return nullptr;
    }
    void copyOnSave(bool copies) {
        for (auto* action : m_window->findChildren<QAction*>())
            if (action->text().startsWith(QStringLiteral("Copy sound files")))
                action->setChecked(copies);
    }
    void writeKit(int files, double seconds) {
        std::filesystem::create_directories(m_folder / "kit");
        for (int i = 0; i < files; ++i)
            test::writeWav(m_folder.path() / "kit" / ("Snare " + std::to_string(i) + ".wav"),
                           test::bursts(200 + 10 * i, 0.5, 0.1, 0.05, seconds));
    }
};

TEST_F(Background, SaveAsWithCopiesBringsEveryFileAndReportsWhatIsMissing) {
    writeKit(3, 1);
    drop({text(m_folder / "kit")});
    ASSERT_TRUE(waitMeasured());
    std::filesystem::remove(m_folder.path() / "kit/Snare 1.wav");
    copyOnSave(true);
    m_window->askForSaveName = [&](const QString&) { return text(m_folder / "Copied"); };
    m_window->saveAs();
    EXPECT_TRUE(m_window->isWorking());
    ASSERT_TRUE(waitFor([&] { return !m_window->isWorking(); }));
    copyOnSave(false);
    EXPECT_EQ(m_window->document().folder(), m_folder / "Copied.cask");
    EXPECT_TRUE(std::filesystem::exists(m_folder.path() / "Copied.cask/audio/Snare 0.wav"));
    EXPECT_EQ(session().files[0]->path, "audio/Snare 0.wav");
    EXPECT_EQ(session().files[1]->path, (m_folder.path() / "kit/Snare 1.wav").string());
    EXPECT_NE(m_window->document().notes().join(QLatin1Char(' ')).indexOf(QStringLiteral("Snare 1.wav")), -1);
    // The copies are what was there, byte for byte.
    EXPECT_EQ(test::readAll(m_folder.path() / "Copied.cask/audio/Snare 2.wav"),
              test::readAll(m_folder.path() / "kit/Snare 2.wav"));
}

TEST_F(Background, NothingIsCopiedToASessionThatAnotherProgramHolds) {
    writeKit(2, 1);
    drop({text(m_folder / "kit")});
    ASSERT_TRUE(waitMeasured());
    const auto theirs = m_folder / "Theirs.cask";
    std::filesystem::create_directories(theirs);
    const auto lock = FolderLock::take(theirs);
    ASSERT_TRUE(lock);
    copyOnSave(true);
    m_window->askForSaveName = [&](const QString&) { return text(theirs); };
    m_window->saveAs();
    copyOnSave(false);
    EXPECT_FALSE(m_window->isWorking());
    EXPECT_FALSE(std::filesystem::exists(theirs / "audio"));
    EXPECT_FALSE(std::filesystem::exists(theirs / "session.json"));
    EXPECT_TRUE(
        m_window->document().notes().last().endsWith(QStringLiteral("The session was not saved there.")))
        << m_window->document().notes().last().toStdString();
}

TEST_F(Background, AnEditWhileFilesAreCopiedIsSavedToo) {
    writeKit(4, 2);
    drop({text(m_folder / "kit")});
    ASSERT_TRUE(waitMeasured());
    copyOnSave(true);
    m_window->askForSaveName = [&](const QString&) { return text(m_folder / "Edited"); };
    m_window->saveAs();
    const Id id = element("Snare 2");
    m_window->document().edit(
        session::withOutput(session(), id, [](session::Output& out) { out.levelDb = -7; }),
        QStringLiteral("Level"));
    ASSERT_TRUE(waitFor([&] { return !m_window->isWorking(); }));
    copyOnSave(false);
    ASSERT_TRUE(m_window->openSession(m_folder / "Edited.cask"));
    EXPECT_EQ(session().output(element("Snare 2"))->levelDb, -7);
}

TEST_F(Background, TakingInCanBeStoppedAndThenAddsNothing) {
    writeKit(40, 0.2);
    const auto before = session();
    // The stop reaches the job before its result is taken in, whatever the speed of the machine: both wait
    // for this thread.
    m_window->takeInFiles({text(m_folder / "kit")});
    ASSERT_NE(stopButton(), nullptr) << "what is long can be stopped";
    QTest::mouseClick(stopButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !m_window->isWorking(); }));
    EXPECT_EQ(session(), before);
    EXPECT_NE(
        m_window->document().notes().join(QLatin1Char(' ')).indexOf(QStringLiteral("nothing was added")), -1);
}

TEST_F(Background, PlaysAndEditsWhileFilesAreMeasured) {
    writeKit(8, 10);
    m_window->takeInFiles({text(m_folder / "kit")});
    ASSERT_TRUE(waitFor([&] { return !session().elements.empty(); }));
    // Play as soon as the first file can be heard, long before all are measured.
    ASSERT_TRUE(waitFor([&] {
        const auto* state = m_window->analyst().element(session().elements[0]->id);
        return state != nullptr && state->source != nullptr;
    }));
    m_window->playback().setLoop(0, 8); // measuring may take longer than the sound lasts
    m_window->playback().togglePlay();
    ASSERT_TRUE(waitFor([&] { return m_window->playback().positionS() > 0.2; }));
    m_window->document().setStage(Stage::Tone);
    m_window->bench().tone().eq().addBand(dsp::FilterKind::Bell, 400, -3);
    EXPECT_EQ(m_window->bench().tone().eq().bands().size(), 1U);
    EXPECT_GT(pixelsOf(pictureOf(m_window->bench().tone().picture()), theme().ink), 10)
        << "a picture is there before the measures are";
    ASSERT_TRUE(waitMeasured());
    EXPECT_TRUE(m_window->playback().isPlaying());
    m_window->playback().stop();
}

TEST_F(Background, StoppingTheMeasuresLeavesTheFilesPlayable) {
    std::filesystem::create_directories(m_folder / "kit");
    for (const char* name : {"kit/Room.wav", "kit/Overheads.wav", "kit/Snare.wav"})
        test::writeWav(m_folder.path() / name, test::noise(0.1, 240 * 48000, 1));
    m_window->takeInFiles({text(m_folder / "kit")});
    ASSERT_TRUE(waitFor([&] {
        const auto& elements = session().elements;
        return elements.size() == 3 && std::all_of(elements.begin(), elements.end(), [&](const auto& e) {
                   const auto* state = m_window->analyst().element(e->id);
                   return state != nullptr && state->source != nullptr;
               });
    }));
    ASSERT_TRUE(waitFor([&] { return stopButton() != nullptr; }));
    QTest::mouseClick(stopButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !m_window->analyst().isBusy(); }));
    EXPECT_LT(std::count_if(session().elements.begin(), session().elements.end(),
                            [&](const auto& e) {
                                return m_window->analyst().element(e->id)->status == FileStatus::Ready;
                            }),
              3);
    for (const auto& e : session().elements)
        EXPECT_NE(m_window->analyst().element(e->id)->source, nullptr) << e->name;
}

TEST_F(Background, RolesOfNamelessFilesComeFromTheirSoundAndCanBeTakenBack) {
    std::vector<float> kick(6 * 48000);
    for (std::size_t n = 0; n < kick.size(); ++n) {
        const double t = std::fmod(static_cast<double>(n) / 48000, 0.5);
        kick[n] = static_cast<float>(0.6 * std::pow(10.0, -t / 0.11) * std::sin(2 * kPi * 55 * t));
    }
    test::writeWav(m_folder / "Audio 07.wav", kick);
    drop({text(m_folder / "Audio 07.wav")});
    ASSERT_TRUE(waitMeasured());
    const auto* e = session().elements[0].operator->();
    EXPECT_EQ(e->role, Role::KickIn);
    EXPECT_GT(e->roleConfidence, 0);
    EXPECT_LT(e->roleConfidence, 1);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Roles from sound"));
    m_window->document().undo();
    EXPECT_EQ(session().elements[0]->role, Role::Unknown);
}

} // namespace
} // namespace cask::app
