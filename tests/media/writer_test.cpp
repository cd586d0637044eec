#include "core/media/audio_reader.h"
#include "core/media/audio_writer.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <csignal>
#include <sys/resource.h>

namespace cask::media {
namespace {

/// What a ditherer makes of the samples, in pieces of odd lengths.
std::vector<std::int32_t> quantised(Ditherer& ditherer, const std::vector<float>& samples) {
    std::vector<std::int32_t> out(samples.size());
    for (std::size_t at = 0, piece = 1; at < samples.size(); at += piece, piece = piece % 700 + 13) {
        const std::size_t n = std::min(piece, samples.size() - at);
        ditherer.quantise(std::span(samples).subspan(at, n), std::span(out).subspan(at, n));
        piece = n;
    }
    return out;
}

TEST(Ditherer, ErrorHasTheMeanAndVarianceOfTriangularDitherAndIsWhite) {
    // Non-subtractive TPDF of 2 LSB: total error variance is 1/12 + 2/12 = 1/4 LSB^2, whatever the input,
    // mean 0. In 24 bits a float near full scale has no room for the dither beside itself.
    struct Case {
        int bits;
        double steps;
    };
    for (const auto& [bits, steps] : {Case{16, 0.0},
                                      {16, 0.3},
                                      {16, -0.5},
                                      {16, 20000.77},
                                      {24, 0.3},
                                      {24, 0.9 * 8388608},
                                      {24, -0.7 * 8388608}}) {
        Ditherer ditherer(bits, 7, true);
        const auto sample = static_cast<float>(std::ldexp(steps, 1 - bits));
        const double input = std::ldexp(static_cast<double>(sample), bits - 1);
        constexpr int kCount = 400000;
        const auto out = quantised(ditherer, std::vector<float>(kCount, sample));
        double sum = 0;
        double squares = 0;
        for (const auto value : out) {
            sum += value - input;
            squares += (value - input) * (value - input);
        }
        EXPECT_NEAR(sum / kCount, 0, 0.005) << bits << ", " << steps;
        EXPECT_NEAR(squares / kCount, 0.25, 0.005) << bits << ", " << steps;
        for (const int lag : {1, 2, 15, 16, 17, 32, 1024}) {
            double product = 0;
            for (std::size_t i = static_cast<std::size_t>(lag); i < out.size(); ++i)
                product += (out[i] - input) * (out[i - static_cast<std::size_t>(lag)] - input);
            EXPECT_NEAR(product / kCount / 0.25, 0, 0.008) << bits << ", " << steps << ", lag " << lag;
        }
    }
}

TEST(Ditherer, KeepsAToneUnderOneStepThatRoundingLoses) {
    const auto tone = test::sine(1000, 0.4 / 32768, 4);
    Ditherer dithered(16, 1, true);
    Ditherer rounded(16, 1, false);
    const auto a = quantised(dithered, tone);
    const auto b = quantised(rounded, tone);
    EXPECT_NEAR(test::amplitudeAt(std::vector<float>(a.begin(), a.end()), 1000, 48000), 0.4, 0.02);
    EXPECT_EQ(std::count(b.begin(), b.end(), 0), static_cast<long>(b.size()));
}

TEST(Ditherer, ClipsInsteadOfWrapping) {
    for (const bool dithers : {true, false}) {
        Ditherer ditherer(24, 1, dithers);
        const std::vector<float> over = {1.5F, -1.5F, 1e30F, -1e30F, 1.0F, -1.0F};
        std::vector<std::int32_t> out(over.size());
        EXPECT_EQ(ditherer.quantise(over, out), 4);
        for (std::size_t i = 0; i < out.size(); ++i)
            EXPECT_NEAR(out[i], over[i] > 0 ? 8388607 : -8388608, 2) << i;
    }
}

TEST(AudioWriter, AppearsOnlyWhenCommitted) {
    const test::TempFolder folder;
    {
        auto writer = AudioWriter::create(folder / "a.wav", 48000, 1, {});
        ASSERT_TRUE(writer);
        ASSERT_TRUE(writer->write(test::sine(100, 0.5, 0.1)));
        EXPECT_FALSE(std::filesystem::exists(folder / "a.wav"));
    }
    EXPECT_TRUE(std::filesystem::is_empty(folder.path())); // given up: nothing is left
}

TEST(AudioWriter, RoundTripsEveryFormat) {
    const test::TempFolder folder;
    const auto wanted = test::sine(997, 0.7, 0.25);
    for (const auto container : {Container::Wav, Container::Flac}) {
        for (const auto format : {SampleFormat::Pcm16, SampleFormat::Pcm24, SampleFormat::Float32}) {
            if (container == Container::Flac && format == SampleFormat::Float32)
                continue;
            const auto path = folder / "x";
            auto writer = AudioWriter::create(path, 48000, 1, {container, format, true, 3});
            ASSERT_TRUE(writer);
            ASSERT_TRUE(writer->write(wanted));
            ASSERT_TRUE(writer->commit());
            const auto read = test::readAll(path);
            ASSERT_EQ(read.size(), wanted.size());
            const double step = format == SampleFormat::Float32 ? 1e-9
                                : format == SampleFormat::Pcm24 ? std::ldexp(1.0, -23)
                                                                : std::ldexp(1.0, -15);
            for (std::size_t i = 0; i < wanted.size(); ++i)
                ASSERT_NEAR(read[i], wanted[i], 1.6 * step); // half a step of rounding, one of dither
        }
    }
}

TEST(AudioWriter, SaysWhatCannotBeDone) {
    const auto flac =
        AudioWriter::create("/tmp/x.flac", 48000, 2, {Container::Flac, SampleFormat::Float32, false, 0});
    ASSERT_FALSE(flac);
    EXPECT_EQ(flac.error().code, ErrorCode::Unsupported);
    const auto nowhere = AudioWriter::create("/no such folder/x.wav", 48000, 2, {});
    ASSERT_FALSE(nowhere);
    EXPECT_NE(nowhere.error().message.find("/no such folder/x.wav"), std::string::npos);
}

TEST(AudioWriter, ReportsAFullDisk) {
    // What a full disk and a quota do: the write comes back short, with a reason.
    const test::TempFolder folder;
    std::signal(SIGXFSZ, SIG_IGN);
    rlimit before{};
    ASSERT_EQ(::getrlimit(RLIMIT_FSIZE, &before), 0);
    const rlimit small{1 << 20, before.rlim_max};
    ASSERT_EQ(::setrlimit(RLIMIT_FSIZE, &small), 0);
    auto writer = AudioWriter::create(folder / "f.wav", 48000, 2, {});
    Status status = writer ? Status(Done{}) : Status(writer.error());
    const std::vector<float> block(200000, 0.1F);
    for (int i = 0; i < 10 && status; ++i)
        status = writer->write(block);
    if (status)
        status = writer->commit();
    ::setrlimit(RLIMIT_FSIZE, &before);
    ASSERT_FALSE(status);
    EXPECT_EQ(status.error().code, ErrorCode::NoSpace) << status.error().message;
    EXPECT_NE(status.error().message.find("f.wav"), std::string::npos);
    { const auto gone = std::move(writer); }
    EXPECT_TRUE(std::filesystem::is_empty(folder.path())) << "nothing is left behind";
}

} // namespace
} // namespace cask::media
