// The whole first job with mouse and keyboard, checked on the session and by measuring what was delivered.
#include "app/widgets/role_chooser.h"
#include "core/dsp/analogue.h"
#include "core/media/audio_reader.h"
#include "tests/app/window_fixture.h"

#include <QLineEdit>

namespace cask::app {
namespace {

class FirstJob : public WindowTest {};

TEST_F(FirstJob, FromDroppedFolderToDeliveredMix) {
    // A kit: a 60 Hz "kick" with rumble at 20 Hz, a file whose name says nothing, and a pair.
    auto kick = test::sine(60, 0.25, 3);
    const auto rumble = test::sine(20, 0.25, 3);
    for (std::size_t i = 0; i < kick.size(); ++i)
        kick[i] += rumble[i];
    std::filesystem::create_directories(m_folder / "kit");
    test::writeWav(m_folder.path() / "kit/Kick In.wav", kick);
    test::writeWav(m_folder.path() / "kit/take 7.wav", test::sine(1000, 0.25, 3));
    test::writeWav(m_folder.path() / "kit/OH L.wav", test::sine(5000, 0.1, 3));
    test::writeWav(m_folder.path() / "kit/OH R.wav", test::sine(7000, 0.1, 3));

    drop({text(m_folder / "kit")});
    ASSERT_EQ(session().elements.size(), 3U) << "the pair is joined";
    ASSERT_TRUE(waitMeasured());

    // Correct a role by one key on the Intake bench.
    auto& board = m_window->board();
    QTest::mouseClick(&board, Qt::LeftButton, {}, board.cellRect(element("take 7"), Stage::Intake).center());
    EXPECT_EQ(m_window->document().selected(), element("take 7"));
    QTest::keyClick(m_window.get(), Qt::Key_R);
    QTest::keyClick(&m_window->bench().intake().roles(), Qt::Key_S);
    EXPECT_EQ(session().element(element("take 7"))->role, Role::SnareTop);
    EXPECT_EQ(session().element(element("take 7"))->roleConfidence, 1);

    // Drag its token: right by a quarter of the plane, down by 6 dB.
    m_window->document().setStage(Stage::Balance);
    QTest::qWait(1); // lays the bench out
    auto& plane = m_window->bench().balance().plane();
    plane.grab(); // places the tokens
    const QPointF from = plane.anchor(element("take 7"));
    m_window->document().select(element("Kick In"));
    const double pixelsPerDb = (plane.height() - 46) / 48.0;
    const double pixelsPerPan = (plane.width() - 70) / 2.0;
    const QPoint start = from.toPoint();
    const QPoint end(start.x() + static_cast<int>(std::lround(0.5 * pixelsPerPan)),
                     start.y() + static_cast<int>(std::lround(6 * pixelsPerDb)));
    // All tokens start at the same place: choose this one first so that it lies on top, then nudge it by
    // keys.
    m_window->document().select(element("take 7"));
    plane.setFocus();
    for (int i = 0; i < 10; ++i)
        QTest::keyClick(&plane, Qt::Key_Right);
    EXPECT_NEAR(session().output(element("take 7"))->pan, 0.5, 0.011);
    plane.grab();
    const QPoint grip = plane.anchor(element("take 7")).toPoint();
    QTest::mousePress(&plane, Qt::LeftButton, {}, grip);
    QTest::mouseMove(&plane, {grip.x(), (grip.y() + end.y()) / 2});
    QTest::mouseMove(&plane, {grip.x(), end.y()});
    QTest::mouseRelease(&plane, Qt::LeftButton, {}, {grip.x(), end.y()});
    EXPECT_NEAR(session().output(element("take 7"))->levelDb, -6, 0.3);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Balance, take 7"));

    // Type an exact level.
    auto* level = m_window->bench().balance().bar(QStringLiteral("level_db"));
    level->setFocus();
    QTest::keyClicks(level, QStringLiteral("-"));
    auto* editor = level->findChild<QLineEdit*>();
    ASSERT_NE(editor, nullptr);
    QTest::keyClicks(editor, QStringLiteral("6 dB"));
    QTest::keyClick(editor, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(session().output(element("take 7"))->levelDb, -6);

    // High-pass the kick and boost its 60 Hz.
    m_window->document().select(element("Kick In"));
    m_window->document().setStage(Stage::Tone);
    auto& tone = m_window->bench().tone();
    QTest::mouseClick(tone.addButton(dsp::FilterKind::HighPass), Qt::LeftButton);
    auto* frequency = tone.bar(QStringLiteral("frequency_hz"));
    frequency->setFocus();
    QTest::keyClicks(frequency, QStringLiteral("4"));
    QTest::keyClicks(frequency->findChild<QLineEdit*>(), QStringLiteral("0 Hz"));
    QTest::keyClick(frequency->findChild<QLineEdit*>(), Qt::Key_Return);
    QTest::mouseClick(tone.addButton(dsp::FilterKind::Bell), Qt::LeftButton);
    auto& picture = tone.picture();
    ASSERT_NE(tone.eq().band(), nullptr);
    const QPoint bar = picture.handleOf(*tone.eq().band()).toPoint();
    const QPoint target(static_cast<int>(std::lround(picture.xOf(60))),
                        bar.y() - static_cast<int>(std::lround(4 * picture.pixelsPerDb())));
    QTest::mousePress(&picture, Qt::LeftButton, {}, bar);
    QTest::mouseMove(&picture, (bar + target) / 2);
    QTest::mouseMove(&picture, target);
    QTest::mouseRelease(&picture, Qt::LeftButton, {}, target);
    const auto bands = tone.eq().bands();
    ASSERT_EQ(bands.size(), 2U);
    EXPECT_DOUBLE_EQ(bands[0].frequencyHz, 40);
    EXPECT_NEAR(bands[1].frequencyHz, 60, 1);
    EXPECT_NEAR(bands[1].gainDb, 4, 0.3);

    // Compare while the key is held; the match is there in dB.
    ASSERT_TRUE(waitFor(
        [&] { return m_window->playback().match().has_value() && !m_window->playback().isMatching(); }));
    m_window->board().setFocus();
    QTest::keyPress(&m_window->board(), Qt::Key_C);
    EXPECT_TRUE(m_window->playback().isComparing());
    EXPECT_NE(m_window->headLine().comparisonText().indexOf(QStringLiteral("matched")), -1);
    QTest::keyRelease(&m_window->board(), Qt::Key_C);
    EXPECT_FALSE(m_window->playback().isComparing());

    // Save under a name, open again: the same session.
    m_window->askForSaveName = [&](const QString&) { return text(m_folder / "Mine"); };
    m_window->save();
    EXPECT_TRUE(m_window->document().isSaved());
    const auto saved = session();
    EXPECT_EQ(saved.name, "Mine");
    ASSERT_TRUE(m_window->openSession(m_folder / "Mine.cask"));
    EXPECT_EQ(session(), saved);
    ASSERT_TRUE(waitMeasured());

    // Deliver the mix and element stems.
    m_window->showPage(1);
    auto& proof = m_window->proof();
    proof.folderField()->setText(text(m_folder / "out"));
    QTest::mouseClick(&proof.stems(), Qt::LeftButton, {}, proof.stems().wordRect(1).center());
    QTest::mouseClick(proof.deliverButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !proof.isDelivering(); }));
    ASSERT_TRUE(proof.report()) << proof.statusText().toStdString();
    ASSERT_EQ(proof.report()->files.size(), 4U);

    // By measurement: the boost at 60 Hz, the rumble gone, the level and position of the snare.
    const auto stem = test::readAll((m_folder / "out") / "Mine - Kick In.wav");
    const auto window = std::span<const float>(stem).subspan(96000, 96000);
    const double centre = std::sqrt(0.5);
    const double expected60 = dsp::analogueMagnitudeDb(bands[0], 60) + dsp::analogueMagnitudeDb(bands[1], 60);
    EXPECT_NEAR(linearToDb(test::amplitudeAt(window, 60, 48000, 2) / (0.25 * centre)), expected60, 0.15);
    const double expected20 = dsp::analogueMagnitudeDb(bands[0], 20) + dsp::analogueMagnitudeDb(bands[1], 20);
    EXPECT_LT(expected20, -20);
    EXPECT_NEAR(linearToDb(test::amplitudeAt(window, 20, 48000, 2) / (0.25 * centre)), expected20, 0.2);
    const auto mix = test::readAll((m_folder / "out") / "Mine - mix.wav");
    const auto left = std::span<const float>(mix).subspan(96000, 96000);
    const auto right = std::span<const float>(mix).subspan(96001, 96000);
    const double angle = 1.5 * kPi / 4;
    const double pan = session().output(element("take 7"))->pan;
    EXPECT_NEAR(pan, 0.5, 0.011);
    EXPECT_NEAR(test::amplitudeAt(left, 1000, 48000, 2), 0.25 * dbToLinear(-6) * std::cos(angle), 0.003);
    EXPECT_NEAR(test::amplitudeAt(right, 1000, 48000, 2), 0.25 * dbToLinear(-6) * std::sin(angle), 0.003);
    EXPECT_NEAR(test::amplitudeAt(left, 5000, 48000, 2), 0.1, 0.001);
    EXPECT_LT(test::amplitudeAt(right, 5000, 48000, 2), 0.001);
}

} // namespace
} // namespace cask::app
