// Files that are not what their headers say: each is a sentence, and no length is believed before it is read.
#include "core/media/offline_source.h"
#include "core/media/verify_file.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cstring>
#include <fcntl.h>
#include <fstream>
#include <limits>
#include <sys/resource.h>
#include <unistd.h>

namespace cask::media {
namespace {

namespace fs = std::filesystem;

std::string bytesOf(const fs::path& path) {
    std::ifstream in(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
}

void writeBytes(const fs::path& path, const std::string& bytes) {
    std::ofstream(path, std::ios::binary | std::ios::trunc) << bytes;
}

/// Noise, which no coder makes short, so that a place in the file is a place in the sound.
void writeCoded(const fs::path& path, int format, double seconds) {
    SF_INFO info{};
    info.samplerate = 48000;
    info.channels = 1;
    info.format = format;
    SNDFILE* file = sf_open(path.c_str(), SFM_WRITE, &info);
    ASSERT_NE(file, nullptr);
    const auto x = test::noise(0.5, static_cast<std::size_t>(48000 * seconds), 3);
    for (std::size_t at = 0; at < x.size(); at += 4800) // in one go some coders overflow their stacks
        sf_writef_float(file, x.data() + at, 4800);
    sf_close(file);
}

struct CodedCase {
    const char* name;
    int format;
};

class Coded : public testing::TestWithParam<CodedCase> {
  protected:
    void SetUp() override {
        writeCoded(m_path, GetParam().format, 8);
        m_bytes = bytesOf(m_path);
    }
    /// The warnings of a file, in one text.
    std::string warningsOf(const std::string& bytes) {
        writeBytes(m_path, bytes);
        const auto verified = verifyFile(m_path);
        if (!verified)
            return verified.error().message;
        m_seconds = static_cast<double>(verified->info.frames) / 48000;
        std::string all;
        for (const auto& w : verified->info.warnings)
            all += w;
        return all;
    }
    test::TempFolder m_folder;
    fs::path m_path = m_folder / "coded";
    std::string m_bytes;
    double m_seconds = 0;
};

TEST_P(Coded, AWholeFileHasNoWarning) {
    EXPECT_EQ(warningsOf(m_bytes), "");
    EXPECT_NEAR(m_seconds, 8, 0.1);
}

TEST_P(Coded, AHalfIsSaidAndOnlyWhatIsThereCounts) {
    const auto sentence = warningsOf(m_bytes.substr(0, m_bytes.size() / 2));
    EXPECT_NE(sentence.find("coded"), std::string::npos) << sentence;
    EXPECT_NEAR(m_seconds, 4, 1.2) << sentence; // Opus loses a page of a second
}

TEST_P(Coded, AHoleIsSaid) {
    auto zeroed = m_bytes;
    std::fill(zeroed.begin() + static_cast<long>(zeroed.size() / 2),
              zeroed.begin() + static_cast<long>(zeroed.size() / 2 + zeroed.size() / 8), '\0');
    EXPECT_NE(warningsOf(zeroed), "");
    EXPECT_LT(m_seconds, 7.6);
}

INSTANTIATE_TEST_SUITE_P(All, Coded,
                         testing::Values(CodedCase{"flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_24},
                                         CodedCase{"vorbis", SF_FORMAT_OGG | SF_FORMAT_VORBIS},
                                         CodedCase{"opus", SF_FORMAT_OGG | SF_FORMAT_OPUS},
                                         CodedCase{"mp3", SF_FORMAT_MPEG | SF_FORMAT_MPEG_LAYER_III}),
                         [](const auto& tested) { return std::string(tested.param.name); });

/// A 16-bit mono WAV of a tenth of a second with everything right.
class OddHeader : public testing::Test {
  protected:
    void SetUp() override {
        SF_INFO info{};
        info.samplerate = 48000;
        info.channels = 1;
        info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_16;
        SNDFILE* file = sf_open((m_folder / "x.wav").c_str(), SFM_WRITE, &info);
        const auto x = test::noise(0.5, 4800, 1);
        sf_writef_float(file, x.data(), 4800);
        sf_close(file);
        m_bytes = bytesOf(m_folder / "x.wav");
        ASSERT_EQ(m_bytes.size(), 44U + 9600U);
    }
    std::string with(std::size_t at, std::uint32_t value) {
        auto bytes = m_bytes;
        std::memcpy(bytes.data() + at, &value, 4);
        writeBytes(m_folder / "x.wav", bytes);
        const auto verified = verifyFile(m_folder / "x.wav");
        if (!verified)
            return verified.error().message;
        std::string all;
        for (const auto& w : verified->info.warnings)
            all += w + "|";
        return all;
    }
    static constexpr std::size_t kRiffSize = 4;
    static constexpr std::size_t kByteRate = 28;
    static constexpr std::size_t kDataSize = 40;
    test::TempFolder m_folder;
    std::string m_bytes;
};

TEST_F(OddHeader, EachContradictionIsOneSentence) {
    EXPECT_EQ(with(kRiffSize, 36 + 9600), "") << "nothing is wrong";
    for (const std::uint32_t size : {0U, 7U, 1000000U})
        EXPECT_NE(with(kRiffSize, size).find("its header says"), std::string::npos) << size;
    EXPECT_NE(with(kRiffSize, 0xffffffffU).find("does not say how long it is"), std::string::npos);
    EXPECT_NE(with(kDataSize, 0xffffffffU).find("does not say how long it is"), std::string::npos);
    EXPECT_NE(with(kDataSize, 19200).find("50.0 %"), std::string::npos);
    EXPECT_NE(with(kByteRate, 12345).find("contradicts itself"), std::string::npos);
    const auto none = with(kDataSize, 0);
    EXPECT_NE(none.find("9600 bytes follow"), std::string::npos) << none;
    for (const std::uint32_t size : {0U, 1U, 0x7fffffffU, 0xfffffff0U})
        EXPECT_EQ(with(kDataSize, size).find("e+"), std::string::npos) << "no figures like 4e27 %";
}

TEST(Verify, InvalidSamplesAreCountedAndAFileOfNothingElseIsRefused) {
    const test::TempFolder folder;
    const float nan = std::numeric_limits<float>::quiet_NaN();
    test::writeWav(folder / "some.wav", {0.5F, nan, 0.25F, nan});
    const auto some = verifyFile(folder / "some.wav");
    ASSERT_TRUE(some);
    ASSERT_EQ(some->info.warnings.size(), 1U);
    EXPECT_NE(some->info.warnings[0].find("2 invalid samples"), std::string::npos) << some->info.warnings[0];
    test::writeWav(folder / "all.wav", {nan, nan, nan});
    const auto all = verifyFile(folder / "all.wav");
    ASSERT_FALSE(all);
    EXPECT_NE(all.error().message.find("only invalid samples"), std::string::npos);
}

TEST(Verify, ALengthThatLiesIsNotBelieved) {
    const test::TempFolder folder;
    writeCoded(folder / "x.flac", SF_FORMAT_FLAC | SF_FORMAT_PCM_16, 0.5);
    auto bytes = bytesOf(folder / "x.flac");
    // The total of samples is the low 36 bits of bytes 18 to 25 (the published layout of STREAMINFO).
    bytes[21] = static_cast<char>(bytes[21] | 0x0f);
    writeBytes(folder / "x.flac", bytes);
    rusage before{};
    ::getrusage(RUSAGE_SELF, &before);
    const auto verified = verifyFile(folder / "x.flac");
    ASSERT_TRUE(verified) << verified.error().message;
    EXPECT_EQ(verified->info.frames, 24000);
    EXPECT_EQ(verified->info.warnings.size(), 1U);
    rusage after{};
    ::getrusage(RUSAGE_SELF, &after);
    EXPECT_LT(after.ru_maxrss - before.ru_maxrss, 50000) << "kilobytes";
}

TEST(Verify, TooManyOpenFilesAndNoPermissionAreSaidAsTheyAre) {
    const test::TempFolder folder;
    test::writeWav(folder / "x.wav", test::sine(100, 0.5, 0.1));
    rlimit limit{};
    ::getrlimit(RLIMIT_NOFILE, &limit);
    std::vector<int> open;
    const rlimit few{64, limit.rlim_max};
    ::setrlimit(RLIMIT_NOFILE, &few);
    for (int fd = 0; (fd = ::open("/dev/null", O_RDONLY)) >= 0;)
        open.push_back(fd);
    const auto reader = AudioReader::open(folder / "x.wav");
    for (const int fd : open)
        ::close(fd);
    ::setrlimit(RLIMIT_NOFILE, &limit);
    ASSERT_FALSE(reader);
    EXPECT_NE(reader.error().message.find("too many files are open"), std::string::npos)
        << reader.error().message;
}

TEST(OfflineSource, SaysWhenItsFileEndsBeforeItShould) {
    const test::TempFolder folder;
    test::writeWav(folder / "x.wav", test::noise(0.5, 200000, 1));
    const auto source = OfflineSource::open(folder / "x.wav");
    ASSERT_TRUE(source);
    std::vector<float> block(4096);
    EXPECT_TRUE((*source)->read(0, 0, block));
    EXPECT_EQ((*source)->failure(), "");
    fs::resize_file(folder / "x.wav", 100000);
    (void)(*source)->read(0, 150000, block);
    EXPECT_NE((*source)->failure().find("x.wav"), std::string::npos) << (*source)->failure();
}

} // namespace
} // namespace cask::media
