// What a session takes along into another folder.
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/project/intake_files.h"
#include "core/project/played_files.h"
#include "core/project/source_check.h"
#include "core/project/taken_files.h"
#include "core/session/intake.h"
#include "core/session/session_store.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <fstream>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

class TakenFilesTest : public testing::Test {
  protected:
    /// A session of all sound files in some folders.
    static session::Session sessionOf(const std::vector<fs::path>& folders) {
        return session::withFiles(session::emptySession(), scanIntake(folders).files);
    }
    void write(const fs::path& place, double hz) {
        fs::create_directories((m_folder.path() / place).parent_path());
        test::writeWav(m_folder.path() / place, test::sine(hz, 0.5, 0.1));
    }
    void writeText(const fs::path& place, const std::string& text) {
        fs::create_directories((m_folder.path() / place).parent_path());
        std::ofstream(m_folder.path() / place) << text;
    }
    static std::vector<float> soundOf(const fs::path& stack) {
        const auto source = layers::StackSource::make(*layers::readStack(stack), 48000);
        EXPECT_TRUE(source) << (source ? "" : source.error().message);
        std::vector<float> x(source ? static_cast<std::size_t>((*source)->frames()) : 0);
        EXPECT_TRUE(source && (*source)->read(0, 0, x));
        return x;
    }
    test::TempFolder m_folder;
    fs::path m_old = m_folder.path() / "Old.cask", m_new = m_folder.path() / "New.cask";
};

TEST_F(TakenFilesTest, OneNameFromTwoFoldersBecomesTwoFiles) {
    write("a/Kick.wav", 60);
    write("b/Kick.wav", 90);
    const auto s = sessionOf({m_folder / "a", m_folder / "b"});
    ASSERT_EQ(s.files.size(), 2U);
    const auto taken = takeFilesAlong(s, m_old, m_new, TakeAlong::All);
    ASSERT_TRUE(taken);
    EXPECT_EQ(taken->files.at(s.files[0]->id).path, "audio/Kick.wav");
    EXPECT_EQ(taken->files.at(s.files[1]->id).path, "audio/Kick 2.wav");
    EXPECT_EQ(test::readAll(m_new / "audio/Kick 2.wav"), test::readAll(m_folder.path() / "b/Kick.wav"));
    // Once more: what is there is taken as it is.
    const auto again = takeFilesAlong(s, m_old, m_new, TakeAlong::All);
    ASSERT_TRUE(again);
    EXPECT_EQ(again->files.at(s.files[1]->id).path, "audio/Kick 2.wav");
    EXPECT_FALSE(fs::exists(m_new / "audio/Kick 3.wav"));
}

TEST_F(TakenFilesTest, ASessionThatHoldsItsSoundsAlreadyKeepsThem) {
    write("Old.cask/audio/Kick.wav", 60);
    const auto s = sessionOf({m_old / "audio"});
    for (const auto what : {TakeAlong::Own, TakeAlong::All}) {
        const auto taken = takeFilesAlong(s, m_old, m_old, what);
        ASSERT_TRUE(taken);
        EXPECT_EQ(taken->files.at(s.files[0]->id).path, "audio/Kick.wav");
        EXPECT_FALSE(fs::exists(m_old / "audio/Kick 2.wav"));
    }
}

TEST_F(TakenFilesTest, StacksGoAlongWithTheirSoundsAndKitsAndSoundTheSame) {
    write("Shots/Kick.wav", 60);
    write("Old.cask/layers/Loop pieces/1.wav", 120);
    write("Old.cask/layers/Kit/samples/Tom.wav", 90);
    writeText("Old.cask/layers/Kit/part.sfzh", "<region> sample=samples/Tom.wav key=38\n");
    writeText("Old.cask/layers/Kit/kit.sfz", "#include \"part.sfzh\"\n");
    writeText("Old.cask/takes/Kick.mid", "a take");
    layers::Stack stack;
    stack.strikes = {{0.1, 127, "normal", -1}, {0.4, 100, "normal", -1}};
    stack.layers = {layers::layerOf({m_folder.path() / "Shots/Kick.wav"}),
                    layers::layerOf({m_old / "layers/Loop pieces/1.wav"}),
                    layers::layerOf({m_old / "layers/Kit/kit.sfz"})};
    const auto written = writeStack(stack, 48000, m_old, "Kick", {});
    ASSERT_TRUE(written) << (written ? "" : written.error().message);
    const auto s = session::withFiles(session::emptySession(), {written->file});
    const session::Id id = s.files[0]->id;
    const auto before = soundOf(m_old / "layers/Kick.stack.json");

    const auto own = takeFilesAlong(s, m_old, m_new, TakeAlong::Own);
    ASSERT_TRUE(own);
    EXPECT_TRUE(own->problems.empty());
    EXPECT_FALSE(fs::exists(m_new / "audio")) << "a sound from elsewhere was copied";
    EXPECT_TRUE(fs::exists(m_new / "takes/Kick.mid"));
    const auto after = withTakenFiles(s, m_old, *own);
    EXPECT_EQ(after.files[0]->path, "layers/Kick.stack.json");
    EXPECT_EQ(after.files[0]->contentHash, *contentHashOf(m_new / "layers/Kick.stack.json"));

    const fs::path third = m_folder.path() / "Third.cask";
    const auto all = takeFilesAlong(after, m_new, third, TakeAlong::All);
    ASSERT_TRUE(all);
    EXPECT_TRUE(all->problems.empty());
    // Nothing is played from the first two folders any more, nor from where the sound came from.
    for (const fs::path& gone : {m_old, m_new, m_folder.path() / "Shots"})
        fs::remove_all(gone);
    EXPECT_EQ(soundOf(third / all->files.at(id).path), before);
    EXPECT_FALSE(playsFrom(withTakenFiles(after, m_new, *all), third, m_new));
}

TEST_F(TakenFilesTest, NothingThereIsWrittenOver) {
    write("Old.cask/layers/1.wav", 60);
    write("Old.cask/layers/Kit/Tom.wav", 90);
    writeText("Old.cask/layers/Kit/kit.sfz", "<region> sample=Tom.wav key=38\n");
    write("New.cask/layers/1.wav", 200);
    write("New.cask/layers/Kit/Tom.wav", 300);
    writeText("New.cask/layers/Kick.stack.json", "another");
    const auto others = test::readAll(m_new / "layers/Kit/Tom.wav");
    layers::Stack stack;
    stack.strikes = {{0.1, 127, "normal", -1}};
    stack.layers = {layers::layerOf({m_old / "layers/1.wav"}),
                    layers::layerOf({m_old / "layers/Kit/kit.sfz"})};
    const auto written = writeStack(stack, 48000, m_old, "Kick", {});
    ASSERT_TRUE(written);
    const auto s = session::withFiles(session::emptySession(), {written->file});
    const auto taken = takeFilesAlong(s, m_old, m_new, TakeAlong::Own);
    ASSERT_TRUE(taken);
    EXPECT_EQ(taken->files.at(s.files[0]->id).path, "layers/Kick 2.stack.json");
    EXPECT_EQ(test::readAll(m_new / "layers/Kit/Tom.wav"), others);
    EXPECT_EQ(soundOf(m_new / "layers/Kick 2.stack.json"), soundOf(m_old / "layers/Kick.stack.json"));
}

TEST_F(TakenFilesTest, WhatCannotBeTakenIsNamedAndStaysWhereItIs) {
    write("Kick.wav", 60);
    const auto s = sessionOf({m_folder / "Kick.wav"});
    fs::remove(m_folder / "Kick.wav");
    const auto taken = takeFilesAlong(s, m_old, m_new, TakeAlong::All);
    ASSERT_TRUE(taken);
    ASSERT_EQ(taken->problems.size(), 1U);
    EXPECT_NE(taken->problems[0].find("Kick.wav"), std::string::npos);
    EXPECT_EQ(withTakenFiles(s, m_old, *taken).files[0]->path, (m_folder / "Kick.wav").string());
}

TEST_F(TakenFilesTest, CanBeStopped) {
    write("Kick.wav", 60);
    CancelToken cancel;
    cancel.cancel();
    const auto taken = takeFilesAlong(sessionOf({m_folder.path()}), m_old, m_new, TakeAlong::All, cancel);
    ASSERT_FALSE(taken);
    EXPECT_EQ(taken.error().code, ErrorCode::Cancelled);
}

} // namespace
} // namespace cask::project
