// The first hour in at most forty acts: a folder of thirty strange files becomes a balanced mix and exported
// tracks, by keyboard alone and by mouse alone. An act is one key press, click, drag or typed field.
#include "app/bench/balance/rough_balance_panel.h"
#include "app/models/rough_balance_model.h"
#include "app/widgets/role_chooser.h"
#include "app/window/kit_sheet_box.h"
#include "core/demo/demo_session.h"
#include "core/media/audio_reader.h"
#include "tests/app/window_fixture.h"

#include <QFileDialog>
#include <QTableWidget>

#include <fstream>

namespace cask::app {
namespace {

namespace fs = std::filesystem;

constexpr int kMostActs = 40;
constexpr int kSeconds = 16;

class FortyActs : public WindowTest {
  protected:
    /// Thirty files of a band: two takes of a kit with odd names, a click, a reference, a dead file.
    /// What must be corrected by a person: the role of "thing 7" (the ride's microphone) and of "untitled 3"
    /// (a talkback); the first take is wanted alone.
    void SetUp() override {
        m_window->asksBeforeImport = true;
        ASSERT_TRUE(demo::writeDemoSession(m_folder / "demo.cask"));
        fs::create_directories(m_folder / "Ghosts");
        // Of stereo files each side is a file of its own.
        struct Source {
            const char* file;
            int side; ///< -1: mono
            const char* name;
        };
        const std::vector<Source> sources = {{"Kick In", -1, "BD in"},
                                             {"Kick Out", -1, "BD out"},
                                             {"Snare Top", -1, "SD top"},
                                             {"Snare Bottom", -1, "SD bot"},
                                             {"Hat", -1, "HH"},
                                             {"Rack Tom", -1, "rack tom"},
                                             {"Floor Tom", -1, "floor tom"},
                                             {"Overheads", 0, "OH L"},
                                             {"Overheads", 1, "OH R"},
                                             {"Room", 0, "Rm L"},
                                             {"Room", 1, "Rm R"},
                                             {"Bass", -1, "DI Bass"},
                                             {"Hat", -1, "thing 7"}};
        for (const char* take : {"take1", "take2"})
            for (const auto& source : sources) {
                const auto file = findFile(source.file);
                ASSERT_FALSE(file.empty()) << source.file;
                copy(file, source.side, std::string("Ghosts_v3_") + source.name + "_" + take,
                     // No two files are the same.
                     (take[4] == '1' ? 0.8F : 0.75F) * (source.name[0] == 't' ? 0.5F : 1));
            }
        test::writeWav(m_folder / "Ghosts/Click 104bpm.wav",
                       test::bursts(2000, 60.0 / 104, 0, 0.005, kSeconds));
        test::writeWav(m_folder / "Ghosts/Reference mix.wav", test::noise(0.2, kSeconds * 48000, 3));
        test::writeWav(m_folder / "Ghosts/untitled 3.wav", test::noise(0.01, kSeconds * 48000, 4));
        std::ofstream(m_folder / "Ghosts/BD sub_take1.wav") << "no sound at all";
        m_files += 4;
        ASSERT_EQ(m_files, 30);
    }
    [[nodiscard]] fs::path findFile(const std::string& name) const {
        for (const auto& entry : fs::directory_iterator(m_folder / "demo.cask/audio"))
            if (entry.path().stem().string().starts_with(name))
                return entry.path();
        return {};
    }
    void copy(const fs::path& from, int side, const std::string& name, float gain) {
        const auto reader = media::AudioReader::open({from});
        ASSERT_TRUE(reader) << from;
        const double rate = (*reader).info().sampleRateHz;
        const auto channels = static_cast<std::size_t>((*reader).info().channels);
        const auto sound = test::readAll(from);
        std::vector<float> mono;
        for (std::size_t n = static_cast<std::size_t>(std::max(0, side));
             n < sound.size() && mono.size() < static_cast<std::size_t>(kSeconds * rate); n += channels)
            mono.push_back(gain * sound[n]);
        test::writeWav(m_folder / "Ghosts" / (name + ".wav"), mono, 1, rate);
        ++m_files;
    }
    static Qt::Key keyOf(Role role) {
        return static_cast<Qt::Key>(QChar::fromLatin1(roleInfo(role).key).toUpper().unicode());
    }

    // Acts.
    void key(QWidget& widget, Qt::Key key, Qt::KeyboardModifiers modifiers = {}) {
        ++m_acts;
        QTest::keyClick(&widget, key, modifiers);
    }
    void click(QWidget& widget, QPoint at = {}) {
        ++m_acts;
        QTest::mouseClick(&widget, Qt::LeftButton, {}, at);
    }
    [[nodiscard]] KitSheetBox* sheet() {
        if (!waitFor([&] { return m_window->findChild<KitSheetBox*>() != nullptr; }))
            return nullptr;
        auto* box = m_window->findChild<KitSheetBox*>();
        box->activateWindow();
        EXPECT_TRUE(QTest::qWaitForWindowActive(box));
        return box;
    }
    void waitForTheKit() {
        ASSERT_TRUE(waitFor([&] { return !session().elements.empty(); }));
        m_window->activateWindow();
        EXPECT_TRUE(QTest::qWaitForWindowActive(m_window.get()));
        ASSERT_TRUE(waitMeasured());
        ASSERT_TRUE(
            waitFor([&] { return !m_window->hits().isBusy() && m_window->hits().analysis() != nullptr; }));
        ASSERT_TRUE(waitFor([&] { return !m_window->playback().isMeasuringHeadroom(); }));
        m_before = m_window->playback().headroom()->truePeakDb.back();
    }
    [[nodiscard]] bool waitForTheBalance() {
        return waitFor([&] { return m_window->bench().balance().rough().found().has_value(); });
    }
    /// Everything that was to be had, and in how many acts.
    void expectDone(const char* how) {
        EXPECT_LE(m_acts, kMostActs);
        std::cout << how << ": " << m_acts << " acts, master before " << m_before << " dBTP";
        ASSERT_TRUE(waitFor([&] { return !m_window->proof().isDelivering() && m_window->proof().report(); }))
            << m_window->proof().statusText().toStdString();
        ASSERT_TRUE(waitFor([&] { return !m_window->playback().isMeasuringHeadroom(); }));
        const double after = m_window->playback().headroom()->truePeakDb.back();
        std::cout << ", after " << after << " dBTP\n";
        const double target = m_window->findings().style().headroomMasterDb;
        EXPECT_LE(after, target + 1);
        // One take: its pairs joined, the copies of the names' common parts gone, nobody unknown.
        EXPECT_EQ(session().name, "Ghosts, take 1");
        ASSERT_NE(session().element(element("thing 7")), nullptr);
        EXPECT_EQ(session().element(element("thing 7"))->role, Role::Ride);
        int stereo = 0;
        for (const auto& e : session().elements) {
            EXPECT_NE(e->role, Role::Unknown) << e->name;
            stereo += e->isStereo() ? 1 : 0;
        }
        EXPECT_EQ(stereo, 2) << "overheads and rooms";
        // The processed tracks of all that is mixed, under the names of their files.
        std::set<std::string> files;
        for (const auto& file : m_window->proof().report()->files)
            files.insert(file.path.filename().string());
        for (const char* name :
             {"Ghosts_v3_BD in_take1.wav", "Ghosts_v3_SD top_take1.wav", "Ghosts_v3_thing 7_take1.wav"})
            EXPECT_TRUE(files.contains(name)) << name;
        for (const auto& file : files) {
            EXPECT_EQ(file.find("take2"), std::string::npos) << file;
            EXPECT_EQ(file.find("Click"), std::string::npos) << file;
            EXPECT_EQ(file.find("Reference"), std::string::npos) << file;
            EXPECT_EQ(file.find("untitled"), std::string::npos) << file;
        }
    }

    int m_files = 0;
    int m_acts = 0;
    double m_before = 0;
};

TEST_F(FortyActs, ByKeyboard) {
    key(*m_window, Qt::Key_I, Qt::ControlModifier | Qt::ShiftModifier);
    auto* dialog = m_window->findChild<QFileDialog*>();
    ASSERT_NE(dialog, nullptr);
    auto* field = dialog->findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
    ASSERT_NE(field, nullptr);
    dialog->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(dialog));
    field->setCompleter(nullptr); // without a screen its list takes the focus from what is typed
    ASSERT_TRUE(waitFor([&] {
        field->setFocus();
        return field->hasFocus() && dialog->isVisible();
    }));
    QTest::qWait(200); // what the dialog shows is read in the background
    field->setFocus();
    field->selectAll();
    ++m_acts; // a typed field
    QTest::keyClicks(field, text(m_folder / "Ghosts"));
    key(*field, Qt::Key_Return);
    auto* box = sheet();
    ASSERT_NE(box, nullptr);
    auto& table = box->table();
    EXPECT_EQ(box->take(), 0) << "the first take by itself";
    for (const Role role : {Role::Ride, Role::Talkback}) {
        key(table, Qt::Key_U);
        key(table, Qt::Key_R);
        key(box->roles(), keyOf(role));
    }
    key(table, Qt::Key_N);
    key(table, Qt::Key_Return, Qt::ControlModifier);
    ASSERT_NO_FATAL_FAILURE(waitForTheKit());
    key(*m_window, Qt::Key_B, Qt::ControlModifier | Qt::ShiftModifier);
    ASSERT_TRUE(waitForTheBalance());
    auto& steps = m_window->bench().balance().roughPanel().steps();
    ASSERT_TRUE(waitFor([&] { return steps.hasFocus(); }));
    key(steps, Qt::Key_Return);
    key(*m_window, Qt::Key_0);
    auto& proof = m_window->proof();
    ASSERT_TRUE(proof.stems().hasFocus());
    for (int i = 0; i < 4; ++i)
        key(proof.stems(), Qt::Key_Right);
    key(proof.stems(), Qt::Key_Return, Qt::ControlModifier);
    ASSERT_NO_FATAL_FAILURE(expectDone("keyboard"));
}

TEST_F(FortyActs, ByMouse) {
    ++m_acts; // a drag
    drop({text(m_folder / "Ghosts")});
    auto* box = sheet();
    ASSERT_NE(box, nullptr);
    auto& table = box->table();
    for (const auto& [file, role] : {std::pair(QStringLiteral("Ghosts_v3_thing 7_take1.wav"), Role::Ride),
                                     std::pair(QStringLiteral("untitled 3.wav"), Role::Talkback)}) {
        int row = 0;
        while (row < table.rowCount() && table.item(row, 3)->text() != file)
            ++row;
        ASSERT_LT(row, table.rowCount()) << file.toStdString();
        table.scrollToItem(table.item(row, 3));
        ++m_acts; // the wheel
        click(*table.viewport(), table.visualItemRect(table.item(row, 3)).center());
        click(box->roleButton());
        click(*box->roles().button(role));
    }
    click(box->cleanButton());
    click(box->importButton());
    ASSERT_NO_FATAL_FAILURE(waitForTheKit());
    auto& board = m_window->board();
    click(board, board.cellRect(session().elements[0]->id, Stage::Balance).center());
    click(m_window->bench().balance().roughButton());
    ASSERT_TRUE(waitForTheBalance());
    click(m_window->bench().balance().roughPanel().takeButton());
    auto& pages = m_window->headLine().pages();
    click(pages, pages.wordRect(1).center());
    auto& proof = m_window->proof();
    click(proof.stems(), proof.stems().wordRect(4).center());
    click(*proof.deliverButton());
    ASSERT_NO_FATAL_FAILURE(expectDone("mouse"));
}

} // namespace
} // namespace cask::app
