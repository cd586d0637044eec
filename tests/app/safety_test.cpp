// Nothing that a person made is lost, and nothing is silent: the window's part of it.
#include "app/document/recovery.h"
#include "app/window/notice_row.h"
#include "core/session/edits.h"
#include "core/session/session_json.h"
#include "tests/app/window_fixture.h"

#include <QElapsedTimer>
#include <QLineEdit>

#include <csignal>
#include <fstream>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

namespace cask::app {
namespace {

namespace fs = std::filesystem;

session::Session withMaster(const session::Session& s, double db) {
    return session::withOutput(s, s.master().id, [db](auto& out) { out.levelDb = db; });
}

class Safety : public WindowTest {
  protected:
    /// A saved session with a kick, open in the window.
    void saved() {
        test::writeWav(m_folder / "Kick.wav", test::bursts(60, 0.5, 0.1, 0.1, 2));
        drop({text(m_folder / "Kick.wav")});
        ASSERT_TRUE(waitMeasured());
        m_window->askForSaveName = [&](const QString&) { return text(m_folder / "S"); };
        m_window->save();
        ASSERT_TRUE(m_window->document().isSaved());
    }
    void edit(double db) { m_window->document().edit(withMaster(session(), db), QStringLiteral("Level")); }
    [[nodiscard]] fs::path folder() const { return m_folder / "S.cask"; }
    [[nodiscard]] double autosavedDb() const {
        const auto text = diskFileSystem().read(folder() / "autosave.json");
        const auto s = text ? session::fromJson(*text, "x") : Result<session::Session>(text.error());
        return s ? s->master().out.levelDb : 0;
    }
    [[nodiscard]] QPushButton* button(const QString& words) {
        for (auto* b : m_window->findChildren<QPushButton*>())
            if (b->text() == words && b->isVisible())
                return b;
        return nullptr;
    }
    void click(const QString& words) {
        auto* found = button(words);
        ASSERT_NE(found, nullptr) << words.toStdString();
        QTest::mouseClick(found, Qt::LeftButton);
    }
};

TEST_F(Safety, EditsThatGoOnAreAutosavedAllTheSame) {
    saved();
    // An edit every fifth of a second for five seconds: at no time are more than two seconds of them unsafe.
    std::vector<qint64> at; // when edit n was made
    QElapsedTimer clock;
    clock.start();
    for (int n = 1; clock.elapsed() < 5000; ++n) {
        edit(-0.1 * n);
        at.push_back(clock.elapsed());
        QTest::qWait(200);
        const auto safe = static_cast<std::size_t>(std::lround(-10 * autosavedDb()));
        if (safe < at.size()) {
            EXPECT_LE(clock.elapsed() - at[safe], 4000)
                << "edit " << safe + 1 << " is not safe yet"; // a slow machine
        }
    }
    EXPECT_LT(autosavedDb(), -1);
}

TEST_F(Safety, UndoneToTheSavedStateNoAutosaveStays) {
    saved();
    edit(-3);
    ASSERT_TRUE(waitFor([&] { return fs::exists(folder() / "autosave.json"); }));
    m_window->document().undo();
    EXPECT_TRUE(m_window->document().isSaved());
    EXPECT_FALSE(fs::exists(folder() / "autosave.json"));
}

TEST_F(Safety, WorkThatIsOfferedStaysWhileOtherIsEditedAndSaved) {
    saved();
    {
        session::SessionStore crashed(diskFileSystem(), folder());
        ASSERT_TRUE(crashed.autosave(withMaster(session(), -20)));
    }
    ASSERT_TRUE(m_window->openSession(folder()));
    ASSERT_NE(m_window->document().recovered(), nullptr);
    edit(-1);
    ASSERT_TRUE(waitFor([&] { return autosavedDb() == -1; }));
    m_window->save();
    ASSERT_TRUE(m_window->openSession(folder()));
    ASSERT_NE(m_window->document().recovered(), nullptr) << "nobody has answered yet";
    click(QStringLiteral("Restore"));
    EXPECT_EQ(session().master().out.levelDb, -20);
    EXPECT_EQ(autosavedDb(), -20) << "safe before the other copy is put away";
    EXPECT_EQ(m_window->document().recovered(), nullptr);
}

TEST_F(Safety, WorkThatCannotBeWrittenAnewStaysWhereItIs) {
    saved();
    {
        session::SessionStore crashed(diskFileSystem(), folder());
        ASSERT_TRUE(crashed.autosave(withMaster(session(), -20)));
    }
    ASSERT_TRUE(m_window->openSession(folder()));
    const auto versions = m_window->document().store().versions().size();
    std::signal(SIGXFSZ, SIG_IGN);
    rlimit before{};
    ASSERT_EQ(::getrlimit(RLIMIT_FSIZE, &before), 0);
    const rlimit nothing{0, before.rlim_max}; // as on a full disk
    ASSERT_EQ(::setrlimit(RLIMIT_FSIZE, &nothing), 0);
    m_window->document().takeRecovered();
    ::setrlimit(RLIMIT_FSIZE, &before);
    EXPECT_EQ(session().master().out.levelDb, -20);
    EXPECT_FALSE(m_window->document().notes().isEmpty()) << "it is said that nothing is protected";
    EXPECT_EQ(m_window->document().store().versions().size(), versions) << "put away though not written anew";
    session::SessionStore after(diskFileSystem(), folder());
    const auto opened = after.open();
    ASSERT_TRUE(opened);
    ASSERT_EQ(opened->unsaved.size(), 1U) << "offered again";
    EXPECT_EQ(opened->unsaved.front().session.master().out.levelDb, -20);
}

TEST_F(Safety, AFirstSaveKeepsTheFolderOfWorkThatIsNotAnswered) {
    edit(-3); // untitled
    ASSERT_TRUE(waitFor([&] { return fs::exists(m_window->document().store().autosaveFile()); }));
    const auto untitled = m_window->document().folder();
    {
        session::SessionStore crashed(diskFileSystem(), untitled);
        ASSERT_TRUE(crashed.autosave(withMaster(session(), -20)));
    }
    m_window->document().startUntitled(); // as a program does that begins anew
    QString problem;
    ASSERT_TRUE(m_window->document().open(untitled, problem)) << problem.toStdString();
    ASSERT_NE(m_window->document().recovered(), nullptr);
    ASSERT_TRUE(m_window->document().saveAs(m_folder / "S", {}, problem)) << problem.toStdString();
    const auto opened = session::SessionStore(diskFileSystem(), untitled).open();
    ASSERT_TRUE(opened);
    ASSERT_FALSE(opened->unsaved.empty()) << "gone though nobody has answered";
    EXPECT_EQ(opened->unsaved.front().session.master().out.levelDb, -20);
}

TEST_F(Safety, WhatIsRefusedIsKeptOnceMoreAmongTheVersions) {
    saved();
    {
        session::SessionStore crashed(diskFileSystem(), folder());
        ASSERT_TRUE(crashed.autosave(withMaster(session(), -20)));
    }
    ASSERT_TRUE(m_window->openSession(folder()));
    click(QStringLiteral("Discard"));
    EXPECT_EQ(m_window->document().recovered(), nullptr);
    const auto versions = m_window->document().store().versions();
    ASSERT_FALSE(versions.empty());
    EXPECT_TRUE(versions.front().ends_with("-unsaved.json"));
}

TEST_F(Safety, ASecondWindowOpensToRead) {
    saved();
    edit(-3);
    MainWindow second(&Safety::openSimulated);
    second.show();
    ASSERT_TRUE(second.openSession(folder()));
    EXPECT_TRUE(second.document().isReadOnly());
    EXPECT_NE(second.notice().text().indexOf(QStringLiteral("in use by another Ember Cask")), -1)
        << second.notice().text().toStdString();
    const auto before = second.document().session();
    second.document().edit(withMaster(before, -9), QStringLiteral("Level"));
    EXPECT_EQ(second.document().session(), before) << "it is only read";
    ASSERT_TRUE(waitFor([&] { return autosavedDb() == -3; })) << "the first one's work is safe";
    // Under another name it is one's own.
    second.askForSaveName = [&](const QString&) { return text(m_folder / "Mine"); };
    second.saveAs();
    EXPECT_FALSE(second.document().isReadOnly());
    second.document().edit(withMaster(second.document().session(), -9), QStringLiteral("Level"));
    EXPECT_EQ(second.document().session().master().out.levelDb, -9);
    second.document().discardUnsaved();
}

TEST_F(Safety, WhenTheFirstWindowIsGoneTheSecondCanTakeOver) {
    saved();
    MainWindow second(&Safety::openSimulated);
    second.show();
    ASSERT_TRUE(second.openSession(folder()));
    ASSERT_TRUE(second.document().isReadOnly());
    m_window->newSession();
    for (auto* b : second.notice().findChildren<QPushButton*>())
        if (b->text() == QStringLiteral("Try again"))
            QTest::mouseClick(b, Qt::LeftButton);
    EXPECT_FALSE(second.document().isReadOnly());
}

TEST_F(Safety, TheRunningUntitledSessionOfAnotherWindowIsNotOffered) {
    edit(-3); // untitled
    ASSERT_TRUE(waitFor([&] { return fs::exists(m_window->document().store().autosaveFile()); }));
    const auto mine = m_window->document().folder();
    const auto abandoned = findAbandonedSessions();
    EXPECT_EQ(std::count(abandoned.begin(), abandoned.end(), mine), 0);
    EXPECT_FALSE(refuseAbandoned(mine));
    EXPECT_TRUE(fs::exists(m_window->document().store().autosaveFile()));
}

TEST_F(Safety, AChangeOnTheDiskIsShownAndNeverSilentlyReverted) {
    saved();
    // A program that knows no locks.
    auto other = withMaster(session(), -12);
    ASSERT_TRUE(diskFileSystem().writeAtomically(folder() / "session.json", session::toJson(other)));
    ASSERT_TRUE(waitFor([&] { return m_window->document().hasChangedOnDisk(); }));
    EXPECT_NE(m_window->notice().text().indexOf(QStringLiteral("Another program has changed")), -1);
    edit(-1);
    m_window->save();
    EXPECT_FALSE(m_window->document().isSaved());
    EXPECT_EQ(session::SessionStore(diskFileSystem(), folder()).open()->session.master().out.levelDb, -12);
    click(QStringLiteral("Keep this one"));
    m_window->save();
    EXPECT_TRUE(m_window->document().isSaved());
    session::SessionStore store(diskFileSystem(), folder());
    EXPECT_EQ(store.open()->session.master().out.levelDb, -1);
    EXPECT_EQ(store.openVersion(store.versions().front())->session.master().out.levelDb, -12);
}

TEST_F(Safety, TheOtherStateCanBeOpenedAndOwnEditsAreOfferedThen) {
    saved();
    edit(-1);
    ASSERT_TRUE(diskFileSystem().writeAtomically(folder() / "session.json",
                                                 session::toJson(withMaster(session(), -12))));
    ASSERT_TRUE(waitFor([&] { return m_window->document().hasChangedOnDisk(); }));
    click(QStringLiteral("Open the other state"));
    EXPECT_EQ(session().master().out.levelDb, -12);
    ASSERT_NE(m_window->document().recovered(), nullptr);
    EXPECT_EQ(m_window->document().recovered()->session.master().out.levelDb, -1);
}

TEST_F(Safety, ADamagedSessionOffersItsNewestVersion) {
    saved();
    edit(-4);
    m_window->save();
    m_window->newSession();
    std::ofstream(folder() / "session.json", std::ios::trunc) << "{ half";
    EXPECT_FALSE(m_window->openSession(folder()));
    EXPECT_TRUE(session().elements.empty()) << "nothing is opened in its place";
    click(QStringLiteral("Open that version"));
    EXPECT_EQ(session().elements.size(), 1U);
    EXPECT_FALSE(m_window->document().isSaved());
    EXPECT_EQ(*diskFileSystem().read(folder() / "session.json"), "{ half") << "until it is saved";
}

TEST_F(Safety, AFirstSaveKeepsWhatWasMeasured) {
    test::writeWav(m_folder / "Kick.wav", test::bursts(60, 0.5, 0.1, 0.1, 2));
    drop({text(m_folder / "Kick.wav")});
    ASSERT_TRUE(waitMeasured());
    const auto cached = diskFileSystem().list(m_window->document().store().cacheFolder());
    ASSERT_FALSE(cached.empty());
    m_window->askForSaveName = [&](const QString&) { return text(m_folder / "S"); };
    m_window->save();
    const auto kept = diskFileSystem().list(folder() / "cache");
    for (const auto& name : cached)
        EXPECT_EQ(std::count(kept.begin(), kept.end(), name), 1) << name;
}

TEST_F(Safety, AChangedFileIsNamedAndCanBeTakenAsItIsNow) {
    saved();
    m_window->newSession();
    test::writeWav(m_folder / "Kick.wav", test::bursts(60, 0.5, 0.1, 0.1, 1));
    ASSERT_TRUE(m_window->openSession(folder()));
    ASSERT_TRUE(waitMeasured());
    EXPECT_NE(m_window->findingsPanel().text().indexOf(QStringLiteral("has changed since it was imported")),
              -1)
        << m_window->findingsPanel().text().toStdString();
    click(QStringLiteral("Use it as it is now"));
    ASSERT_TRUE(waitFor([&] {
        const auto* state = m_window->analyst().element(element("Kick"));
        return state != nullptr && state->status == FileStatus::Ready;
    }));
    EXPECT_EQ(session().files[0]->frames, 48000);
}

TEST_F(Safety, ExportAsksBeforeItReplacesAndBeforeItIsSilent) {
    saved();
    auto& proof = m_window->proof();
    m_window->showPage(1);
    const auto finished = [&] { ASSERT_TRUE(waitFor([&] { return !proof.isDelivering(); })); };
    proof.folderField()->setText(text(m_folder / "out"));
    proof.deliver();
    finished();
    EXPECT_TRUE(proof.report());
    EXPECT_FALSE(proof.goOnButton()->isVisible());
    proof.deliver();
    finished();
    EXPECT_FALSE(proof.report());
    EXPECT_NE(proof.statusText().indexOf(QStringLiteral("is there already")), -1);
    click(QStringLiteral("Replace what is there"));
    finished();
    EXPECT_TRUE(proof.report());
    fs::remove(m_folder / "Kick.wav");
    proof.folderField()->setText(text(m_folder / "out 2"));
    proof.deliver();
    finished();
    EXPECT_FALSE(proof.report());
    EXPECT_NE(proof.statusText().indexOf(QStringLiteral("Kick.wav")), -1);
    EXPECT_NE(proof.statusText().indexOf(QStringLiteral("Nothing was exported")), -1);
    EXPECT_FALSE(fs::exists(m_folder / "out 2"));
    click(QStringLiteral("Export with silence in their place"));
    finished();
    ASSERT_TRUE(proof.report());
    EXPECT_FALSE(proof.report()->isComplete);
}

TEST_F(Safety, PlayingPaintsLevelLinesAndNoCells) {
    saved();
    m_window->document().setStage(Stage::Balance);
    ASSERT_TRUE(waitFor([&] { return !m_window->hits().isBusy() && !m_window->findings().isBusy(); }));
    m_window->playback().togglePlay();
    ASSERT_TRUE(waitFor([&] { return m_window->playback().positionS() > 0.3; }));
    const int before = m_window->board().paintedCells();
    ASSERT_TRUE(waitFor([&] { return m_window->playback().positionS() > 1; }));
    EXPECT_EQ(m_window->board().paintedCells(), before);
    m_window->playback().stop();
}

TEST_F(Safety, QuittingWhileMeasuringTakesLessThanASecondOfWork) {
    fs::create_directories(m_folder / "kit");
    for (const char* name : {"Kick In", "Snare Top", "Rack Tom", "Floor Tom"}) {
        auto x = test::bursts(80, 0.5, 0.1, 0.1, 60);
        const auto hiss = test::noise(0.001, x.size(), 7);
        for (std::size_t n = 0; n < x.size(); ++n)
            x[n] += hiss[n];
        test::writeWav(m_folder.path() / "kit" / (std::string(name) + ".wav"), x);
    }
    drop({text(m_folder / "kit")});
    ASSERT_TRUE(waitFor([&] { return m_window->hits().analysis() != nullptr; }));
    QTest::qWait(600); // gates and tones are being measured
    m_window->document().discardUnsaved();
    QElapsedTimer clock;
    clock.start();
    m_window.reset();
    // Said, not judged: other work on the machine decides with. The promise is a second.
    std::printf("quitting while measuring: %lld ms\n", static_cast<long long>(clock.elapsed()));
    RecordProperty("quit_ms", static_cast<int>(clock.elapsed()));
}

} // namespace
} // namespace cask::app
