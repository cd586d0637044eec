// Delivering through the window: every format, stop, failures, what is missing.
#include "core/media/audio_reader.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>
#include <QLineEdit>
#include <QTableWidget>

#include <fstream>

namespace cask::app {
namespace {

namespace fs = std::filesystem;

class Proof : public WindowTest {
  protected:
    void takeIn(double seconds = 2) {
        test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.25, seconds));
        test::writeWav(m_folder / "Room.wav", test::sine(997, 0.1, seconds));
        drop({text(m_folder / "Kick.wav"), text(m_folder / "Room.wav")});
        ASSERT_TRUE(waitMeasured());
        m_window->showPage(1);
        proof().folderField()->setText(text(m_folder / "out"));
    }
    ProofPage& proof() { return m_window->proof(); }
    void choose(ChoiceRow& row, int index) {
        QTest::mouseClick(&row, Qt::LeftButton, {}, row.wordRect(index).center());
    }
    void deliver() {
        QTest::mouseClick(proof().deliverButton(), Qt::LeftButton);
        ASSERT_TRUE(waitFor([&] { return !proof().isDelivering(); }));
    }
    std::vector<std::string> delivered() {
        std::vector<std::string> names;
        if (fs::exists(m_folder / "out"))
            for (const auto& entry : fs::directory_iterator(m_folder / "out"))
                if (entry.path().extension() != ".json") // the manifest
                    names.push_back(entry.path().filename().string());
        std::sort(names.begin(), names.end());
        return names;
    }
};

TEST_F(Proof, ProcessedTracksOfASectionAreExportedUnderTheirOwnNames) {
    takeIn();
    auto next = session();
    next.sections = {{"fill", 0.5, 1.25, {}}};
    for (const auto& e : session().elements)
        next = session::withOutput(std::move(next), e->id, [](auto& out) { out.levelDb = -20; });
    m_window->document().edit(next, QStringLiteral("sections"));
    choose(proof().stems(), 4);
    EXPECT_TRUE(proof().tails().isVisible());
    EXPECT_TRUE(proof().whatText().contains(QStringLiteral("before level and pan")))
        << proof().whatText().toStdString();
    proof().part().setCurrentIndex(1);
    emit proof().part().activated(1);
    EXPECT_TRUE(proof().whatText().startsWith(QStringLiteral("3 files, 0.8 s")))
        << proof().whatText().toStdString();
    choose(proof().format(), 2);
    ASSERT_NO_FATAL_FAILURE(deliver());
    const auto names = delivered();
    EXPECT_NE(std::find(names.begin(), names.end(), "Kick.wav"), names.end());
    EXPECT_NE(std::find(names.begin(), names.end(), "Room.wav"), names.end());
    const auto track = test::readAll(m_folder / "out/Kick.wav");
    ASSERT_EQ(track.size(), 36000U) << "mono, of the section";
    const auto source = test::sine(60, 0.25, 2);
    for (std::size_t n = 0; n < track.size(); ++n)
        ASSERT_NEAR(track[n], source[24000 + n], 1e-6) << "at its own level";
}

TEST_F(Proof, TheLoopIsAPartAndFilesAreNamedAsWanted) {
    takeIn();
    m_window->playback().setLoop(0.5, 1.5);
    ASSERT_EQ(proof().part().count(), 2);
    proof().part().setCurrentIndex(1);
    emit proof().part().activated(1);
    EXPECT_TRUE(proof().whatText().startsWith(QStringLiteral("1 file, 1.0 s")))
        << proof().whatText().toStdString();
    proof().namesField()->setText(QStringLiteral("{colour}"));
    EXPECT_FALSE(proof().deliverButton()->isEnabled());
    EXPECT_TRUE(proof().namesText().contains(QStringLiteral("\"{colour}\"")))
        << proof().namesText().toStdString();
    proof().namesField()->setText(QStringLiteral("{number} {name}"));
    EXPECT_EQ(proof().namesText(), QStringLiteral("01 mix.wav"));
    ASSERT_NO_FATAL_FAILURE(deliver());
    EXPECT_EQ(delivered(), std::vector<std::string>{"01 mix.wav"});
    EXPECT_EQ(test::readAll(m_folder / "out/01 mix.wav").size(), 2U * 48000U);
}

TEST_F(Proof, HitsAndMidiAreWrittenAndReplacedOnlyWhenAsked) {
    ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.05));
    m_window->showPage(1);
    proof().folderField()->setText(text(m_folder / "out"));
    const auto write = [&] {
        QTest::mouseClick(proof().hitsButton(), Qt::LeftButton);
        ASSERT_TRUE(waitFor([&] { return !proof().isDelivering(); }));
    };
    ASSERT_NO_FATAL_FAILURE(write());
    for (const char* name : {"hits.csv", "hits.mid", "Kick In - hits.txt", "Snare Top - hits.txt"})
        EXPECT_TRUE(fs::exists(m_folder / "out" / name)) << name;
    EXPECT_TRUE(proof().statusText().startsWith(QStringLiteral("5 files written")))
        << proof().statusText().toStdString();
    ASSERT_NO_FATAL_FAILURE(write());
    EXPECT_TRUE(proof().statusText().endsWith(QStringLiteral("No hits were exported.")))
        << proof().statusText().toStdString();
    ASSERT_TRUE(proof().goOnButton()->isVisible());
    QTest::mouseClick(proof().goOnButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !proof().isDelivering(); }));
    EXPECT_TRUE(proof().statusText().startsWith(QStringLiteral("5 files written")));
}

TEST_F(Proof, EveryFormatHoldsTheMix) {
    takeIn(1);
    const std::string name = session().name + " - mix";
    const struct {
        int choice;
        const char* ending;
        const char* words;
        double tolerance;
    } formats[] = {{0, ".wav", "24", 1e-5},
                   {1, ".wav", "16", 4e-4},
                   {2, ".wav", "float", 1e-6},
                   {3, ".flac", "24", 1e-5},
                   {4, ".flac", "16", 4e-4}};
    for (const auto& format : formats) {
        choose(proof().format(), format.choice);
        deliver();
        if (proof().goOnButton()->isVisible()) { // the manifest of the one before is there
            QTest::mouseClick(proof().goOnButton(), Qt::LeftButton);
            ASSERT_TRUE(waitFor([&] { return !proof().isDelivering(); }));
        }
        ASSERT_TRUE(proof().report()) << proof().statusText().toStdString();
        const auto path = (m_folder / "out") / (name + format.ending);
        const auto reader = media::AudioReader::open(path);
        ASSERT_TRUE(reader) << format.choice;
        EXPECT_NE(reader->info().format.find(format.words), std::string::npos) << reader->info().format;
        const auto mix = test::readAll(path);
        ASSERT_EQ(mix.size(), 2U * 48000);
        // Both elements in the centre: constant power puts each 3 dB down on both sides.
        EXPECT_NEAR(test::amplitudeAt(mix, 60, 48000, 2), 0.25 * std::sqrt(0.5), 1e-3);
        EXPECT_NEAR(test::amplitudeAt(mix, 997, 48000, 2), 0.1 * std::sqrt(0.5), 1e-3);
        double worst = 0;
        const auto kick = test::sine(60, 0.25, 1);
        const auto room = test::sine(997, 0.1, 1);
        for (std::size_t n = 0; n < kick.size(); ++n)
            worst = std::max(worst, std::abs(mix[2 * n] - std::sqrt(0.5) * (kick[n] + room[n])));
        EXPECT_LT(worst, format.tolerance) << format.choice;
    }
}

TEST_F(Proof, TheTableTellsWhatWasWritten) {
    takeIn();
    choose(proof().stems(), 1);
    deliver();
    auto* table = proof().findChild<QTableWidget*>();
    ASSERT_EQ(table->rowCount(), 3);
    EXPECT_TRUE(table->item(2, 0)->text().contains(QStringLiteral("Room")));
    EXPECT_EQ(table->item(2, 3)->text(), QStringLiteral("2.00 s"));
    // 997 Hz in two channels at 0.1 * 0.7071: -0.691 + 10 log10(2 * 0.0025) + K(997 Hz) of 0.691 (BS.1770).
    EXPECT_NEAR(proof().report()->files[2].integratedLufs, 10 * std::log10(0.005), 0.1);
    EXPECT_TRUE(table->item(2, 1)->text().startsWith(QChar(0x2212)));
    EXPECT_EQ(delivered().size(), 3U);
}

TEST_F(Proof, StopLeavesNothingBehind) {
    takeIn(120);
    choose(proof().stems(), 1);
    QTest::mouseClick(proof().deliverButton(), Qt::LeftButton);
    ASSERT_TRUE(proof().isDelivering());
    EXPECT_FALSE(proof().deliverButton()->isEnabled());
    EXPECT_TRUE(proof().stopButton()->isVisible());
    QTest::mouseClick(proof().stopButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !proof().isDelivering(); }));
    EXPECT_TRUE(proof().statusText().startsWith(QStringLiteral("Stopped")))
        << proof().statusText().toStdString();
    EXPECT_TRUE(delivered().empty());
    EXPECT_TRUE(proof().deliverButton()->isEnabled());
}

TEST_F(Proof, APlaceThatCannotBeWrittenIsSaid) {
    takeIn();
    std::ofstream(m_folder / "file") << "x";
    proof().folderField()->setText(text(m_folder.path() / "file/out"));
    deliver();
    EXPECT_FALSE(proof().report());
    EXPECT_TRUE(proof().statusText().contains(QStringLiteral("Nothing was exported")))
        << proof().statusText().toStdString();
    EXPECT_TRUE(proof().statusText().contains(text(m_folder.path() / "file/out")));
}

TEST_F(Proof, AMissingFileIsSilentAndSaid) {
    takeIn();
    fs::remove(m_folder / "Kick.wav");
    deliver();
    EXPECT_FALSE(proof().report()) << "not without being told to";
    QTest::mouseClick(proof().goOnButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !proof().isDelivering(); }));
    ASSERT_TRUE(proof().report());
    EXPECT_TRUE(proof().statusText().contains(QStringLiteral("Kick.wav")));
    EXPECT_TRUE(proof().statusText().contains(QStringLiteral("silent")));
    const auto mix = test::readAll(proof().report()->files[0].path);
    EXPECT_LT(test::amplitudeAt(mix, 60, 48000, 2), 1e-4);
    EXPECT_NEAR(test::amplitudeAt(mix, 997, 48000, 2), 0.1 * std::sqrt(0.5), 1e-3);
}

TEST_F(Proof, ASecondDeliveryReplacesTheFirst) {
    takeIn();
    deliver();
    const auto first = test::readAll(proof().report()->files[0].path);
    m_window->document().edit(
        session::withOutput(session(), element("Kick"), [](auto& out) { out.isMuted = true; }),
        QStringLiteral("Silence"));
    deliver();
    EXPECT_FALSE(proof().report()) << "not without being told to";
    QTest::mouseClick(proof().goOnButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !proof().isDelivering(); }));
    EXPECT_EQ(delivered().size(), 1U);
    EXPECT_NE(test::readAll(proof().report()->files[0].path), first);
}

TEST_F(Proof, NothingIsOfferedWhenThereIsNothing) {
    m_window->showPage(1);
    EXPECT_FALSE(proof().deliverButton()->isEnabled());
    takeIn();
    EXPECT_TRUE(proof().deliverButton()->isEnabled());
    auto* mix = proof().findChild<QCheckBox*>();
    ASSERT_NE(mix, nullptr);
    QTest::mouseClick(mix, Qt::LeftButton, {}, QPoint(8, mix->height() / 2));
    EXPECT_FALSE(proof().deliverButton()->isEnabled()) << "neither mix nor stems";
    choose(proof().stems(), 2);
    EXPECT_TRUE(proof().deliverButton()->isEnabled());
    proof().folderField()->setText(QStringLiteral("  "));
    EXPECT_FALSE(proof().deliverButton()->isEnabled()) << "no place";
}

} // namespace
} // namespace cask::app
