#include "core/media/resampler.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::media {
namespace {

std::vector<float> convert(const std::vector<float>& x, double from, double to, std::size_t piece) {
    auto resampler = Resampler::create(from, to, 1);
    std::vector<float> out;
    for (std::size_t at = 0; at < x.size(); at += piece) {
        const auto part = resampler->process(std::span(x).subspan(at, std::min(piece, x.size() - at)));
        out.insert(out.end(), part.begin(), part.end());
    }
    const auto tail = resampler->process({});
    out.insert(out.end(), tail.begin(), tail.end());
    return out;
}

TEST(Resampler, KeepsToneLevelPhaseAndLength) {
    for (const auto& [from, to] :
         {std::pair{44100.0, 48000.0}, {48000.0, 44100.0}, {96000.0, 48000.0}, {48000.0, 96000.0}}) {
        const double hz = 1000;
        const auto x = test::sine(hz, 0.5, 1, from);
        const auto y = convert(x, from, to, 4097);
        EXPECT_NEAR(static_cast<double>(y.size()), static_cast<double>(x.size()) * to / from, 2);
        // Away from the ends every output frame is the sine at its own instant.
        double worst = 0;
        for (std::size_t i = y.size() / 4; i < y.size() * 3 / 4; ++i)
            worst =
                std::max(worst, std::abs(y[i] - 0.5 * std::sin(2 * kPi * hz * static_cast<double>(i) / to)));
        EXPECT_LT(20 * std::log10(worst), -100) << from << " to " << to;
    }
}

TEST(Resampler, SplitBlocksGiveTheSameBits) {
    const auto x = test::noise(0.5, 20000, 5);
    EXPECT_EQ(convert(x, 44100, 48000, 20000), convert(x, 44100, 48000, 777));
}

TEST(Resampler, RejectsWhatTheLowerRateCannotHold) {
    const auto x = test::sine(30000, 0.5, 0.5, 96000);
    const auto y = convert(x, 96000, 48000, 8192);
    EXPECT_LT(20 * std::log10(test::rmsOf(std::span(y).subspan(4000, 12000)) + 1e-12), -110);
}

} // namespace
} // namespace cask::media
