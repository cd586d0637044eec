#include "core/media/audio_reader.h"
#include "core/media/folder_scan.h"
#include "core/project/intake_files.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cstring>
#include <fstream>
#include <limits>

namespace cask::media {
namespace {

using test::TempFolder;

struct FormatCase {
    const char* name;
    int format;
    double tolerance; // of a sample
};

class ReadsFormat : public testing::TestWithParam<FormatCase> {};

TEST_P(ReadsFormat, WithItsSamples) {
    const TempFolder folder;
    const auto path = folder / "x";
    const auto wanted = test::sine(440, 0.5, 0.5);
    SF_INFO info{};
    info.samplerate = 48000;
    info.channels = 1;
    info.format = GetParam().format;
    SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
    ASSERT_NE(file, nullptr) << sf_strerror(nullptr);
    sf_writef_float(file, wanted.data(), static_cast<sf_count_t>(wanted.size()));
    sf_close(file);
    const auto read = test::readAll(path);
    ASSERT_GE(read.size() + 4000, wanted.size()); // lossy formats trim or pad
    // Lossy formats may delay: compare the strength of the tone.
    if (GetParam().tolerance > 0.01) {
        EXPECT_NEAR(test::amplitudeAt(std::span(read).subspan(6000, 9600), 440, 48000), 0.5, 0.02);
        return;
    }
    ASSERT_EQ(read.size(), wanted.size());
    for (std::size_t i = 0; i < wanted.size(); ++i)
        ASSERT_NEAR(read[i], wanted[i], GetParam().tolerance) << i;
}

INSTANTIATE_TEST_SUITE_P(All, ReadsFormat,
                         testing::Values(FormatCase{"wav8", SF_FORMAT_WAV | SF_FORMAT_PCM_U8, 0.009},
                                         FormatCase{"wav16", SF_FORMAT_WAV | SF_FORMAT_PCM_16, 4e-5},
                                         FormatCase{"wav24", SF_FORMAT_WAV | SF_FORMAT_PCM_24, 2e-7},
                                         FormatCase{"wav32", SF_FORMAT_WAV | SF_FORMAT_PCM_32, 1e-7},
                                         FormatCase{"float", SF_FORMAT_WAV | SF_FORMAT_FLOAT, 0},
                                         FormatCase{"double", SF_FORMAT_WAV | SF_FORMAT_DOUBLE, 0},
                                         FormatCase{"extensible", SF_FORMAT_WAVEX | SF_FORMAT_PCM_24, 2e-7},
                                         FormatCase{"rf64", SF_FORMAT_RF64 | SF_FORMAT_PCM_24, 2e-7},
                                         FormatCase{"aiff", SF_FORMAT_AIFF | SF_FORMAT_PCM_24, 2e-7},
                                         FormatCase{"flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_24, 2e-7},
                                         FormatCase{"vorbis", SF_FORMAT_OGG | SF_FORMAT_VORBIS, 1},
                                         FormatCase{"opus", SF_FORMAT_OGG | SF_FORMAT_OPUS, 1},
                                         FormatCase{"mp3", SF_FORMAT_MPEG | SF_FORMAT_MPEG_LAYER_III, 1}),
                         [](const auto& tested) { return std::string(tested.param.name); });

std::string sentenceFor(const std::filesystem::path& path) {
    const auto reader = AudioReader::open(path);
    return reader ? std::string() : reader.error().message;
}

TEST(BadFile, EachGivesASentenceThatNamesIt) {
    const TempFolder folder;
    std::ofstream(folder / "empty.wav");
    std::ofstream(folder / "text.wav") << "these are only words, not sound";
    EXPECT_NE(sentenceFor(folder / "empty.wav").find("is empty"), std::string::npos);
    EXPECT_NE(sentenceFor(folder / "text.wav").find("not a sound file"), std::string::npos);
    EXPECT_NE(sentenceFor(folder / "gone.wav").find("is not there"), std::string::npos);
    EXPECT_NE(sentenceFor(folder.path()).find("is not a file"), std::string::npos);
    test::writeWav(folder / "nothing.wav", {});
    EXPECT_NE(sentenceFor(folder / "nothing.wav").find("holds no sound"), std::string::npos);
    for (const char* name : {"empty.wav", "text.wav", "gone.wav", "nothing.wav"})
        EXPECT_NE(sentenceFor(folder / name).find(name), std::string::npos);
}

/// A minimal 16-bit mono WAV whose header says what the test wants.
std::string wavBytes(std::uint32_t rate, std::uint32_t dataBytesClaimed, std::size_t dataBytesPresent) {
    std::string bytes = "RIFF";
    const auto put32 = [&](std::uint32_t v) { bytes.append(reinterpret_cast<const char*>(&v), 4); };
    const auto put16 = [&](std::uint16_t v) { bytes.append(reinterpret_cast<const char*>(&v), 2); };
    put32(36 + dataBytesClaimed);
    bytes += "WAVEfmt ";
    put32(16);
    put16(1);
    put16(1);
    put32(rate);
    put32(rate * 2);
    put16(2);
    put16(16);
    bytes += "data";
    put32(dataBytesClaimed);
    for (std::size_t i = 0; i < dataBytesPresent; ++i)
        bytes.push_back(static_cast<char>(i * 37));
    return bytes;
}

TEST(BadFile, TruncatedIsUsedAndSaid) {
    const TempFolder folder;
    std::ofstream(folder / "cut.wav", std::ios::binary) << wavBytes(48000, 200000, 100000);
    const auto reader = AudioReader::open(folder / "cut.wav");
    ASSERT_TRUE(reader);
    ASSERT_EQ(reader->info().warnings.size(), 1U);
    EXPECT_NE(reader->info().warnings[0].find("50.0 %"), std::string::npos) << reader->info().warnings[0];
    EXPECT_NEAR(static_cast<double>(test::readAll(folder / "cut.wav").size()), 50000, 1);
}

TEST(BadFile, AbsurdRatesAreRefused) {
    const TempFolder folder;
    std::ofstream(folder / "slow.wav", std::ios::binary) << wavBytes(7, 1000, 1000);
    std::ofstream(folder / "fast.wav", std::ios::binary) << wavBytes(40000000, 1000, 1000);
    EXPECT_FALSE(sentenceFor(folder / "slow.wav").empty());
    EXPECT_FALSE(sentenceFor(folder / "fast.wav").empty());
}

TEST(BadFile, HostileChunkSizesDoNotCrash) {
    const TempFolder folder;
    for (const std::uint32_t claimed : {0U, 1U, 0x7fffffffU, 0xfffffff0U, 0xffffffffU}) {
        std::ofstream(folder / "odd.wav", std::ios::binary | std::ios::trunc) << wavBytes(48000, claimed, 64);
        const auto reader = AudioReader::open(folder / "odd.wav");
        if (reader) {
            EXPECT_LE(reader->info().frames, 40);
        }
    }
}

TEST(AudioReader, OneFrameIsEnough) {
    const TempFolder folder;
    test::writeWav(folder / "one.wav", {0.25F});
    EXPECT_EQ(test::readAll(folder / "one.wav"), std::vector<float>{0.25F});
}

TEST(AudioReader, SilencesAndCountsWhatIsNoNumber) {
    const TempFolder folder;
    const float nan = std::numeric_limits<float>::quiet_NaN();
    const float inf = std::numeric_limits<float>::infinity();
    test::writeWav(folder / "nan.wav", {0.5F, nan, -inf, 0.25F});
    auto reader = AudioReader::open(folder / "nan.wav");
    ASSERT_TRUE(reader);
    std::vector<float> x(4);
    EXPECT_EQ(reader->read(x), 4);
    EXPECT_EQ(x, (std::vector<float>{0.5F, 0, 0, 0.25F}));
    EXPECT_EQ(reader->notFiniteSamples(), 2);
}

TEST(AudioReader, ReadsTheBroadcastTimeStamp) {
    const TempFolder folder;
    SF_INFO info{};
    info.samplerate = 48000;
    info.channels = 1;
    info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_24;
    SNDFILE* file = sf_open((folder / "b.wav").c_str(), SFM_WRITE, &info);
    SF_BROADCAST_INFO broadcast{};
    broadcast.version = 1;
    broadcast.time_reference_low = 705032704; // 5 000 000 000 = 1 * 2^32 + 705 032 704
    broadcast.time_reference_high = 1;
    ASSERT_EQ(sf_command(file, SFC_SET_BROADCAST_INFO, &broadcast, sizeof broadcast), SF_TRUE);
    const float x[4] = {};
    sf_writef_float(file, x, 4);
    sf_close(file);
    const auto reader = AudioReader::open(folder / "b.wav");
    ASSERT_TRUE(reader);
    EXPECT_EQ(reader->info().timeReference, 5000000000);
}

TEST(FolderScan, SortsNumbersByValueAndPassesOverTheRest) {
    const TempFolder folder;
    for (const char* name : {"10 Snare.wav", "2 Kick.wav", "notes.txt", ".hidden.wav", "B.FLAC"})
        std::ofstream(folder / name) << "x";
    const std::vector<std::filesystem::path> dropped{folder.path()};
    const auto scan = scanForAudio(dropped);
    std::vector<std::string> names;
    for (const auto& path : scan.files)
        names.push_back(path.filename().string());
    EXPECT_EQ(names, (std::vector<std::string>{"2 Kick.wav", "10 Snare.wav", "B.FLAC"}));
}

TEST(FolderScan, SaysThatAFolderHoldsNothing) {
    const TempFolder folder;
    const std::vector<std::filesystem::path> dropped{folder.path()};
    const auto scan = scanForAudio(dropped);
    ASSERT_EQ(scan.problems.size(), 1U);
    EXPECT_NE(scan.problems[0].find("no sound files"), std::string::npos);
}

TEST(IntakeScan, OneBadFileCostsTheOthersNothing) {
    const TempFolder folder;
    std::ofstream(folder / "broken.wav") << "no sound";
    test::writeWav(folder / "\xd0\xb1\xd0\xb0\xd1\x80\xd0\xb0\xd0\xb1\xd0\xb0\xd0\xbd.wav",
                   test::sine(100, 0.5, 0.1));
    test::writeWav(folder / (std::string(240, 'n') + ".wav"), test::sine(100, 0.5, 0.1));
    const std::vector<std::filesystem::path> dropped{folder.path()};
    const auto scan = project::scanIntake(dropped);
    EXPECT_EQ(scan.files.size(), 2U);
    EXPECT_EQ(scan.problems.size(), 1U);
}

} // namespace
} // namespace cask::media
