#include "app/widgets/role_chooser.h"
#include "app/window/key_list.h"
#include "app/window/picture.h"
#include "tests/app/window_fixture.h"

#include <QAbstractButton>
#include <QComboBox>
#include <QImage>
#include <QLineEdit>
#include <QScrollArea>
#include <QSettings>

#include <fstream>

namespace cask::app {
namespace {

class Window : public WindowTest {
  protected:
    void takeIn(const std::vector<std::string>& names) {
        QStringList paths;
        for (const auto& name : names) {
            test::writeWav(m_folder / name, test::bursts(120, 0.5, 0.1, 0.05, 2));
            paths << text(m_folder / name);
        }
        drop(paths);
        ASSERT_TRUE(waitMeasured());
    }
};

TEST_F(Window, EveryRoleHasItsKeyWhileTheRolesAreOpenAndNowhereElse) {
    takeIn({"Kick.wav"});
    auto& intake = m_window->bench().intake();
    for (const auto& info : allRoles()) {
        intake.chooseRole();
        QTest::keyClick(&intake.roles(), info.key);
        EXPECT_EQ(session().elements[0]->role, info.role) << info.name;
        EXPECT_FALSE(session().elements[0]->out.isAlone) << info.name;
        EXPECT_FALSE(session().elements[0]->out.isMuted) << info.name;
        EXPECT_FALSE(intake.roles().isVisible());
    }
    const auto before = session();
    intake.setFocus();
    QTest::keyClick(&intake, Qt::Key_K);
    EXPECT_EQ(session(), before) << "a stray letter sets nothing";
    QTest::keyClick(m_window.get(), Qt::Key_R);
    ASSERT_TRUE(intake.roles().isVisible());
    QTest::keyClick(&intake.roles(), Qt::Key_Escape);
    EXPECT_EQ(session(), before);
    QTest::mouseClick(intake.roleButton(), Qt::LeftButton);
    QTest::mouseClick(intake.roles().button(Role::FloorTom), Qt::LeftButton);
    EXPECT_EQ(session().elements[0]->role, Role::FloorTom);
}

TEST_F(Window, DigitsBeginAValueWhereAValueHasTheFocus) {
    takeIn({"Kick.wav"});
    m_window->document().setStage(Stage::Balance);
    auto* level = m_window->bench().balance().bar(QStringLiteral("level_db"));
    for (const char* digit : {"1", "2", "3", "9"}) {
        level->setFocus();
        QTest::keyClicks(level, QLatin1String(digit));
        auto* line = level->findChild<QLineEdit*>();
        ASSERT_NE(line, nullptr) << digit;
        QTest::keyClick(line, Qt::Key_Return);
        EXPECT_EQ(session().elements[0]->out.levelDb, std::atof(digit));
        EXPECT_EQ(m_window->document().stage(), Stage::Balance) << "it is no change of the stage";
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete); // the old field is gone
    }
}

TEST_F(Window, EmptyOffersWaysToBegin) {
    EXPECT_NE(m_window->findingsPanel().text().indexOf(QStringLiteral("Drop a folder")), -1);
    EXPECT_GT(pixelsOf(pictureOf(m_window->board()), theme().faint) +
                  pixelsOf(pictureOf(m_window->findingsPanel()), theme().ink),
              100)
        << "it is written there";
}

TEST_F(Window, BoardIsWorkedByKeysAndMarks) {
    takeIn({"Kick.wav", "Snare.wav", "Hat.wav"});
    auto& board = m_window->board();
    m_window->document().select(element("Kick"));
    board.setFocus();
    QTest::keyClick(&board, Qt::Key_Down);
    EXPECT_EQ(m_window->document().selected(), element("Snare"));
    for (int stage = 1; stage < static_cast<int>(kStages.size()); ++stage)
        QTest::keyClick(&board, Qt::Key_Right);
    EXPECT_EQ(m_window->document().stage(), kStages.back());
    QTest::mouseClick(&board, Qt::LeftButton, {}, board.aloneRect(element("Hat")).center());
    EXPECT_TRUE(session().output(element("Hat"))->isAlone);
    QTest::mouseClick(&board, Qt::LeftButton, {}, board.silentRect(element("Kick")).center());
    EXPECT_TRUE(session().output(element("Kick"))->isMuted);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Import 3 files")) << "listening is no edit";
    QTest::mouseClick(&board, Qt::LeftButton, {}, board.silentRect(element("Kick")).center());
    EXPECT_FALSE(session().output(element("Kick"))->isMuted);
    EXPECT_EQ(board.cellText(element("Kick"), Stage::Intake), QStringLiteral("ok"));
    EXPECT_EQ(board.cellText(element("Kick"), Stage::Balance), QStringLiteral("0.0"));
}

TEST_F(Window, BadFilesAreSaidAndCostNothingElse) {
    std::ofstream(m_folder / "words.wav") << "no sound";
    std::ofstream(m_folder / "empty.flac");
    test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.5, 0.5));
    drop({text(m_folder.path())});
    ASSERT_TRUE(waitMeasured());
    EXPECT_EQ(session().elements.size(), 1U);
    const QString notes = m_window->findingsPanel().text();
    EXPECT_NE(notes.indexOf(QStringLiteral("words.wav")), -1);
    EXPECT_NE(notes.indexOf(QStringLiteral("empty.flac")), -1);
}

TEST_F(Window, OddFilesOfEveryKindAreTakenIn) {
    // Rates, lengths, channel counts, scripts and long names mixed.
    test::writeWav(m_folder / "\u043c\u0430\u043b\u044b\u0439 snare.wav", test::sine(200, 0.5, 1, 44100), 1,
                   44100);
    test::writeWav(m_folder / ("kick " + std::string(200, 'k') + ".wav"), test::sine(60, 0.5, 2, 96000), 1,
                   96000);
    test::writeWav(m_folder / "six.wav", test::noise(0.1, 6 * 10000, 1), 6);
    test::writeWav(m_folder / "one frame.wav", {0.5F});
    drop({text(m_folder.path())});
    ASSERT_TRUE(waitMeasured());
    EXPECT_EQ(session().elements.size(), 9U);
    for (const auto& e : session().elements)
        EXPECT_EQ(m_window->analyst().element(e->id)->status, FileStatus::Ready) << e->name;
    QImage before;
    for (const Stage stage : kStages) {
        m_window->document().setStage(stage);
        const QImage now = pictureOf(m_window->bench());
        EXPECT_NE(now, before) << stageName(stage).toStdString();
        EXPECT_GT(pixelsOf(now, theme().ink), 50) << stageName(stage).toStdString();
        before = now;
    }
}

TEST_F(Window, AMissingFileIsNamedAndFoundAgain) {
    takeIn({"Kick.wav"});
    m_window->askForSaveName = [&](const QString&) { return text(m_folder / "S"); };
    m_window->save();
    std::filesystem::create_directories(m_folder / "moved");
    std::filesystem::rename(m_folder / "Kick.wav", m_folder.path() / "moved/Kick.wav");
    ASSERT_TRUE(m_window->openSession(m_folder / "S.cask"));
    ASSERT_TRUE(waitMeasured());
    EXPECT_NE(m_window->findingsPanel().text().indexOf(QStringLiteral("is not there")), -1);
    m_window->document().relink(session().files[0]->id, text(m_folder.path() / "moved/Kick.wav"));
    ASSERT_TRUE(waitFor([&] {
        const auto* state = m_window->analyst().element(element("Kick"));
        return state != nullptr && state->status == FileStatus::Ready;
    }));
}

TEST_F(Window, PlaysLoopsAndStopsByKeys) {
    takeIn({"Kick.wav"});
    m_window->board().setFocus();
    QTest::keyClick(m_window.get(), Qt::Key_Space);
    ASSERT_TRUE(waitFor([&] { return m_window->playback().positionS() > 0.1; }));
    EXPECT_EQ(m_window->headLine().playButton()->text(), QStringLiteral("stop"));
    m_window->playback().setLoop(0.5, 0.7);
    m_window->playback().locate(0.5);
    ASSERT_TRUE(waitFor([&] { return m_window->playback().positionS() >= 0.5; }));
    double before = 0;
    double latest = 0;
    int rounds = 0;
    ASSERT_TRUE(waitFor([&] {
        const double now = m_window->playback().positionS();
        rounds += now < before - 0.05 ? 1 : 0;
        before = now;
        latest = std::max(latest, now);
        return rounds == 3;
    })) << "it comes round again and again";
    EXPECT_LE(latest, 0.7 + 1e-6) << "the loop is never left";
    QTest::keyClick(m_window.get(), Qt::Key_Space);
    ASSERT_TRUE(waitFor([&] { return !m_window->playback().isPlaying(); }));
}

TEST_F(Window, AClickOnTheStripGoesThere) {
    takeIn({"Kick.wav"});
    auto& strip = m_window->strip();
    const QPoint at(static_cast<int>(strip.xOf(1.0)), strip.height() / 2);
    QTest::mouseClick(&strip, Qt::LeftButton, {}, at);
    EXPECT_TRUE(waitFor([&] { return std::abs(m_window->playback().positionS() - 1.0) < 0.02; }));
    const QPoint ruler(static_cast<int>(strip.xOf(0.5)), 6);
    QTest::mousePress(&strip, Qt::LeftButton, {}, ruler);
    QTest::mouseMove(&strip, {static_cast<int>(strip.xOf(1.5)), 6});
    QTest::mouseRelease(&strip, Qt::LeftButton, {}, {static_cast<int>(strip.xOf(1.5)), 6});
    ASSERT_TRUE(m_window->playback().hasLoop());
    EXPECT_NEAR(m_window->playback().loopEndS(), 1.5, 0.02);
    const QImage whole = pictureOf(strip);
    strip.zoom(0.001, strip.xOf(1.0));
    EXPECT_NEAR(strip.secondsAt(strip.xOf(1.0)), 1.0, 1e-6);
    EXPECT_NE(pictureOf(strip), whole);
}

TEST_F(Window, EdgesOfABracketSetTheWidth) {
    takeIn({"Snare.wav"});
    m_window->document().setStage(Stage::Tone);
    auto& picture = m_window->bench().tone().picture();
    m_window->bench().tone().eq().addBand(dsp::FilterKind::Bell, 400, 9);
    const double q = m_window->bench().tone().eq().band()->q;
    const double ratio = std::sqrt(1 + 1 / (4 * q * q)) + 1 / (2 * q);
    const QPoint edge(static_cast<int>(picture.xOf(400 * ratio)),
                      static_cast<int>(picture.handleOf(*m_window->bench().tone().eq().band()).y() +
                                       4 * picture.pixelsPerDb()));
    QTest::mousePress(&picture, Qt::LeftButton, {}, edge);
    QTest::mouseMove(&picture, edge + QPoint(40, 0));
    QTest::mouseRelease(&picture, Qt::LeftButton, {}, edge + QPoint(40, 0));
    EXPECT_LT(m_window->bench().tone().eq().band()->q, q);
    EXPECT_DOUBLE_EQ(m_window->bench().tone().eq().band()->frequencyHz, 400);
    QTest::keyClick(&picture, Qt::Key_Up);
    EXPECT_DOUBLE_EQ(m_window->bench().tone().eq().band()->gainDb, 9.5);
    QTest::keyClick(&picture, Qt::Key_Delete);
    EXPECT_TRUE(m_window->bench().tone().eq().bands().empty());
}

TEST_F(Window, HearingABandIsHeldAndGuarded) {
    takeIn({"Snare.wav"});
    m_window->document().setStage(Stage::Tone);
    auto& tone = m_window->bench().tone();
    tone.eq().addBand(dsp::FilterKind::Bell, 400, 12);
    QTest::mousePress(tone.hearButton(), Qt::LeftButton);
    ASSERT_TRUE(m_window->playback().heardBand());
    EXPECT_LT(m_window->playback().heardBand()->lowHz, 400);
    EXPECT_LE(m_window->playback().engine().monitor().ceilingDb, -12);
    QTest::mouseRelease(tone.hearButton(), Qt::LeftButton);
    EXPECT_FALSE(m_window->playback().heardBand());
    EXPECT_EQ(m_window->playback().engine().monitor().ceilingDb, -1);
    EXPECT_EQ(std::get<dsp::EqSettings>(session().elements[0]->chain[0].settings).bands.size(), 1U)
        << "hearing is no edit";
}

TEST_F(Window, LevelAndPanDifferInASectionAndAreTakenBack) {
    takeIn({"Snare.wav"});
    auto next = session();
    next.sections = {{"chorus", 1, 2, {}}};
    m_window->document().edit(next, QStringLiteral("sections"));
    m_window->document().select(session().elements[0]->id);
    m_window->document().setStage(Stage::Balance);
    auto& balance = m_window->bench().balance();
    auto* level = balance.bar(QStringLiteral("level_db"));
    typeInto(level, QStringLiteral("-3"));
    auto& box = balance.sectionBox();
    ASSERT_EQ(box.count(), 2);
    EXPECT_FALSE(balance.clearButton().isVisible());
    box.setCurrentIndex(1);
    emit box.activated(1);
    typeInto(level, QStringLiteral("-9"));
    const auto& out = *session().output(session().elements[0]->id);
    EXPECT_EQ(out.levelDb, -3) << "elsewhere it stays";
    ASSERT_EQ(out.changes.size(), 1U);
    EXPECT_EQ(out.changes[0].values, (std::map<std::string, double>{{"level_db", -9}}));
    EXPECT_EQ(level->value(), -9);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("level, Snare, chorus"));
    box.setCurrentIndex(0);
    emit box.activated(0);
    EXPECT_EQ(level->value(), -3);
    box.setCurrentIndex(1);
    emit box.activated(1);
    ASSERT_TRUE(balance.clearButton().isVisible());
    QTest::mouseClick(&balance.clearButton(), Qt::LeftButton);
    EXPECT_TRUE(session().output(session().elements[0]->id)->changes.empty());
    EXPECT_EQ(level->value(), -3);
    m_window->document().undo();
    EXPECT_EQ(session().output(session().elements[0]->id)->changes.size(), 1U);
}

TEST_F(Window, ARouteThatFeedsItselfIsRefusedInWords) {
    takeIn({"Snare.wav"});
    for (const auto& b : session().buses)
        if (b->name == "Kit")
            m_window->document().select(b->id);
    m_window->document().setStage(Stage::Balance);
    auto* choice = m_window->bench().balance().busChoice();
    const int rooms = choice->findText(QStringLiteral("Rooms"));
    ASSERT_GE(rooms, 0);
    choice->setCurrentIndex(rooms);
    emit choice->activated(rooms);
    EXPECT_NE(m_window->document().notes().join(QLatin1Char(' ')).indexOf(QStringLiteral("feed itself")), -1);
    EXPECT_EQ(choice->currentText(), QStringLiteral("Master"));
}

TEST_F(Window, KeyListCanBeSearched) {
    KeyList list(benchKeys(), nullptr);
    const int all = list.shownRows();
    EXPECT_GT(all, 8);
    QTest::keyClicks(list.searchField(), QStringLiteral("untouched"));
    EXPECT_EQ(list.shownRows(), 1);
}

TEST_F(Window, WritesAPictureOfEveryView) {
    takeIn({"Kick.wav"});
    for (const char* view : {"intake", "balance", "tone", "proof"}) {
        PictureRequest request;
        request.file = text(m_folder / (std::string(view) + ".png"));
        request.view = QLatin1String(view);
        request.element = QStringLiteral("Kick");
        ASSERT_TRUE(writePicture(*m_window, request)) << view;
        const QImage image(request.file);
        EXPECT_EQ(image.size(), QSize(1280, 800));
    }
    PictureRequest wrong;
    wrong.view = QStringLiteral("moon");
    EXPECT_FALSE(writePicture(*m_window, wrong));
}

TEST_F(Window, TheBoardIsAsHighAsItsRowsWhereThereIsRoom) {
    takeIn({"Kick.wav", "Snare.wav"});
    auto& board = m_window->board();
    EXPECT_TRUE(waitFor([&] {
        return board.visibleRegion().boundingRect().height() >= board.sizeHint().height();
    })) << board.visibleRegion().boundingRect().height()
        << " of " << board.sizeHint().height();
}

TEST_F(Window, EveryControlHasANameForScreenReaders) {
    takeIn({"Kick.wav"});
    for (const auto* widget : m_window->findChildren<QWidget*>()) {
        if (widget->focusPolicy() == Qt::NoFocus || qobject_cast<const QScrollArea*>(widget) != nullptr ||
            !widget->isVisible())
            continue;
        const auto* button = qobject_cast<const QAbstractButton*>(widget);
        const bool named =
            !widget->accessibleName().isEmpty() || (button != nullptr && !button->text().isEmpty());
        EXPECT_TRUE(named || widget->objectName().startsWith(QStringLiteral("qt_")) ||
                    qobject_cast<const IntakeBench*>(widget) != nullptr)
            << widget->metaObject()->className();
    }
}

} // namespace
} // namespace cask::app
