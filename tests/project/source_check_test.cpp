// A session's files are the ones that were imported, or somebody is told.
#include "core/measure/file_analysis.h"
#include "core/media/audio_writer.h"
#include "core/project/intake_files.h"
#include "core/project/measured_files.h"
#include "core/project/offline_sources.h"
#include "core/project/source_check.h"
#include "core/session/session_store.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <fstream>
#include <limits>
#include <sys/stat.h>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

class SourceCheck : public testing::Test {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.5, 1));
        const std::vector<fs::path> dropped{m_folder / "Kick.wav"};
        m_session = session::withFiles(session::emptySession(), scanIntake(dropped).files);
    }
    std::string problem() {
        const auto checked = checkSource(*m_session.files[0], m_folder.path());
        return checked ? std::string() : checked.error().message;
    }
    test::TempFolder m_folder;
    session::Session m_session;
};

TEST_F(SourceCheck, WhatWasImportedIsKnownByItsContent) {
    EXPECT_EQ(m_session.files[0]->contentHash.size(), 32U);
    EXPECT_EQ(problem(), "");
}

TEST_F(SourceCheck, AnotherLengthContentNumberOfChannelsOrRateIsSaid) {
    test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.5, 0.5));
    EXPECT_NE(problem().find("0.500 s long now, 1.000 s then"), std::string::npos) << problem();
    test::writeWav(m_folder / "Kick.wav", test::sine(61, 0.5, 1));
    EXPECT_NE(problem().find("its content is another one"), std::string::npos) << problem();
    test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.5, 2), 2);
    EXPECT_NE(problem().find("2 channels now, 1 then"), std::string::npos) << problem();
    test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.5, 1), 1, 44100);
    EXPECT_NE(problem().find("44100 Hz now"), std::string::npos) << problem();
    fs::remove(m_folder / "Kick.wav");
    EXPECT_NE(problem().find("is not there"), std::string::npos) << problem();
}

TEST_F(SourceCheck, AChangeCanBeAccepted) {
    test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.5, 0.5));
    const auto now = sourceAsItIs(m_session, m_session.files[0]->id, m_folder / "Kick.wav");
    ASSERT_TRUE(now) << now.error().message;
    m_session.files[0].edit([&](session::SourceFile& f) { f = *now; });
    EXPECT_EQ(problem(), "");
    EXPECT_EQ(m_session.files[0]->frames, 24000);
}

TEST_F(SourceCheck, AFileWithFewerChannelsThanArePlayedIsNotTaken) {
    test::writeWav(m_folder / "OH.wav", test::sine(60, 0.5, 1), 2);
    const std::vector<fs::path> dropped{m_folder / "OH.wav"};
    const auto s = session::withFiles(session::emptySession(), scanIntake(dropped).files);
    const auto now = sourceAsItIs(s, s.files[0]->id, m_folder / "Kick.wav");
    ASSERT_FALSE(now);
    EXPECT_NE(now.error().message.find("OH plays channel 2"), std::string::npos) << now.error().message;
}

TEST_F(SourceCheck, OnlyTheSameSoundIsFoundBesideAMissingFile) {
    test::writeWav(m_folder / "Snare.wav", test::sine(200, 0.5, 1));
    const std::vector<fs::path> dropped{m_folder / "Kick.wav", m_folder / "Snare.wav"};
    const auto s = session::withFiles(session::emptySession(), scanIntake(dropped).files);
    fs::create_directories(m_folder / "moved");
    fs::rename(m_folder / "Kick.wav", m_folder.path() / "moved/Kick.wav");
    fs::remove(m_folder / "Snare.wav");
    test::writeWav(m_folder.path() / "moved/Snare.wav", test::sine(201, 0.5, 1));
    auto found = relinkedFiles(s, m_folder.path(), s.files[0]->id, m_folder.path() / "moved/Kick.wav");
    ASSERT_EQ(found.files.size(), 1U);
    ASSERT_EQ(found.problems.size(), 1U);
    EXPECT_NE(found.problems[0].find("another content"), std::string::npos);
    test::writeWav(m_folder.path() / "moved/Snare.wav", test::sine(200, 0.5, 1));
    found = relinkedFiles(s, m_folder.path(), s.files[0]->id, m_folder.path() / "moved/Kick.wav");
    EXPECT_EQ(found.files.size(), 2U);
}

TEST_F(SourceCheck, FaultsAreFoundInTheFileAsItIsAlsoWhenItIsConverted) {
    // Full-scale tops of four samples in each of 100 periods; a conversion rounds them off.
    auto x = test::sine(100, 0.5, 1, 44100);
    for (std::size_t i = 0; i < 100; ++i)
        std::fill_n(x.begin() + static_cast<long>(i * 441 + 108), 4, 1.0F);
    x[20] = std::numeric_limits<float>::quiet_NaN();
    test::writeWav(m_folder / "Clipped.wav", x, 1, 44100);
    const std::vector<fs::path> dropped{m_folder / "Clipped.wav"};
    auto s = session::withFiles(session::emptySession(48000), scanIntake(dropped).files);
    const auto measured = measureFile(*s.files[0], m_folder.path(), 48000);
    EXPECT_EQ(measured.measure.problem, "");
    const auto& analysis = measured.measure.analysis;
    ASSERT_TRUE(analysis);
    const auto& levels = analysis->facts.levels;
    EXPECT_EQ(levels.clippedRunCount, 100);
    EXPECT_NEAR(levels.clippedRuns[0].startS, 108 / 44100.0, 1e-9);
    EXPECT_NEAR(levels.peakDb, 0, 1e-6);
    EXPECT_EQ(analysis->facts.notFiniteSamples, 1);
    EXPECT_NEAR(static_cast<double>(analysis->facts.framesRead), 48000, 1) << "the picture is of what plays";
}

TEST_F(SourceCheck, AReadOnlySessionIsConvertedElsewhereAndNotSilent) {
    test::writeWav(m_folder / "Kick.wav", test::sine(60, 0.5, 1, 44100), 1, 44100);
    const std::vector<fs::path> dropped{m_folder / "Kick.wav"};
    const auto s = session::withFiles(session::emptySession(48000), scanIntake(dropped).files);
    // A file where the cache's folder would be: it can't be written, whoever runs this.
    std::ofstream(m_folder / "cache") << "x";
    const test::TempFolder home;
    ::setenv("XDG_CACHE_HOME", home.path().c_str(), 1);
    const auto opened = openOfflineSources(s, m_folder.path());
    ::unsetenv("XDG_CACHE_HOME");
    ASSERT_TRUE(opened);
    EXPECT_TRUE(opened->problems.empty()) << opened->problems[0];
    std::vector<float> block(4800);
    ASSERT_TRUE(opened->lookup()(s.files[0]->id)->read(0, 4800, block));
    EXPECT_GT(test::peakOf(block), 0.4);
}

TEST(FolderScan, LinksThatLeadInACircleAndFilesWithoutAnEnding) {
    const test::TempFolder folder;
    test::writeWav(folder / "Kick.wav", test::sine(60, 0.5, 0.1));
    fs::create_directories(folder / "in");
    fs::create_directory_symlink("..", folder.path() / "in/back");
    fs::create_symlink("Kick.wav", folder / "Also kick.wav");
    fs::copy_file(folder / "Kick.wav", folder / "Snare take 3");
    ASSERT_EQ(::mkfifo((folder / "pipe.wav").c_str(), 0644), 0);
    const std::vector<fs::path> dropped{folder.path()};
    const auto scan = scanIntake(dropped);
    ASSERT_EQ(scan.files.size(), 2U) << "the kick once, the file without an ending";
    ASSERT_EQ(scan.problems.size(), 1U);
    EXPECT_NE(scan.problems[0].find("pipe.wav is not a file"), std::string::npos) << scan.problems[0];
}

TEST(FolderScan, AFolderOfTheSystemIsNoReasonToHang) {
    const std::vector<fs::path> dropped{"/proc"};
    const auto scan = scanIntake(dropped);
    EXPECT_TRUE(scan.files.empty());
    ASSERT_FALSE(scan.problems.empty());
    EXPECT_NE(scan.problems[0].find("folder of the system"), std::string::npos);
}

} // namespace
} // namespace cask::project
