#include "core/media/chunked_source.h"
#include "core/media/offline_source.h"
#include "core/media/source_cache.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

namespace cask::media {
namespace {

class Sources : public testing::Test {
  protected:
    Sources() : m_sound(test::noise(0.5, 2 * 50000, 9)) { test::writeWav(m_folder / "s.wav", m_sound, 2); }
    /// What a source must give: silence outside the file.
    [[nodiscard]] std::vector<float> wanted(int channel, Frames start, int frames) const {
        std::vector<float> out;
        for (Frames n = start; n < start + frames; ++n)
            out.push_back(n < 0 || n >= 50000 ? 0 : m_sound[static_cast<std::size_t>(2 * n + channel)]);
        return out;
    }
    test::TempFolder m_folder;
    std::vector<float> m_sound;
};

TEST_F(Sources, OfflineReadsAnywhereWithSilenceOutside) {
    const auto source = OfflineSource::open(m_folder / "s.wav");
    ASSERT_TRUE(source);
    for (const Frames start :
         {Frames{-100}, Frames{0}, Frames{32760}, Frames{31}, Frames{49990}, Frames{60000}, Frames{-5000}}) {
        for (const int channel : {0, 1}) {
            std::vector<float> got(700);
            EXPECT_TRUE((*source)->read(channel, start, got));
            EXPECT_EQ(got, wanted(channel, start, 700)) << start;
        }
    }
}

TEST_F(Sources, ChunkedGivesSilenceUntilLoadedAndSaysSo) {
    const auto opened = ChunkedSource::open(m_folder / "s.wav");
    ASSERT_TRUE(opened);
    auto& source = **opened;
    std::vector<float> got(100, 1);
    EXPECT_FALSE(source.read(0, 16384 - 50, got));
    EXPECT_EQ(test::peakOf(got), 0);
    EXPECT_TRUE(source.load(0));
    EXPECT_FALSE(source.read(0, 16384 - 50, got));
    EXPECT_TRUE(source.load(1));
    EXPECT_TRUE(source.read(0, 16384 - 50, got));
    EXPECT_EQ(got, wanted(0, 16384 - 50, 100));
    EXPECT_NE(source.take(1), nullptr);
    EXPECT_FALSE(source.isLoaded(1));
    EXPECT_EQ(source.take(1), nullptr);
}

TEST_F(Sources, PlainFileAtTheSessionRateIsUsedWhereItLies) {
    const auto prepared = prepareSource(m_folder / "s.wav", "hash", 48000, m_folder / "cache", {}, {});
    ASSERT_TRUE(prepared);
    EXPECT_EQ(prepared->playable.path, m_folder / "s.wav");
    EXPECT_FALSE(std::filesystem::exists(m_folder / "cache"));
}

TEST_F(Sources, OtherRatesAreConvertedOnce) {
    test::writeWav(m_folder / "t.wav", test::sine(1000, 0.5, 1, 44100), 1, 44100);
    const auto first = prepareSource(m_folder / "t.wav", "abc", 48000, m_folder / "cache", {}, {});
    ASSERT_TRUE(first);
    EXPECT_TRUE(first->isConverted);
    EXPECT_NEAR(static_cast<double>(first->playable.frames), 48000, 2);
    const auto converted = test::readAll(first->playable.path);
    EXPECT_NEAR(test::amplitudeAt(std::span(converted).subspan(4800, 38400), 1000, 48000), 0.5, 1e-4);
    const auto written = std::filesystem::last_write_time(first->playable.path);
    const auto second = prepareSource(m_folder / "t.wav", "abc", 48000, m_folder / "cache", {}, {});
    ASSERT_TRUE(second);
    EXPECT_EQ(std::filesystem::last_write_time(second->playable.path), written);
}

TEST_F(Sources, StoppedConversionLeavesNothing) {
    test::writeWav(m_folder / "t.wav", test::sine(1000, 0.5, 1, 44100), 1, 44100);
    CancelToken cancel;
    cancel.cancel();
    const auto result = prepareSource(m_folder / "t.wav", "abc", 48000, m_folder / "cache", cancel, {});
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().code, ErrorCode::Cancelled);
    EXPECT_TRUE(std::filesystem::is_empty(m_folder / "cache"));
}

} // namespace
} // namespace cask::media
