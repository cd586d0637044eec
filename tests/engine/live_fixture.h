// Sounds that are struck by hand, heard without a device.
#pragma once

#include "core/layers/live_kit.h"
#include "engine/live/live_voices.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::engine {

using Timed = LiveVoices::Timed;

/// A click behind some silence, then a decaying tone.
inline std::vector<float> shot(double hz, int lead, int frames) {
    std::vector<float> x(static_cast<std::size_t>(lead + frames), 0.0F);
    for (int n = 0; n < frames; ++n)
        x[static_cast<std::size_t>(lead + n)] =
            static_cast<float>(0.5 * std::cos(2 * kPi * hz * n / 48000.0) * std::exp(-n / 12000.0));
    return x;
}

class Live : public testing::Test {
  protected:
    Live() {
        test::writeWav(folder / "A.wav", shot(200, 240, 9600));
        test::writeWav(folder / "B.wav", shot(300, 240, 9600));
        test::writeWav(folder / "Long.wav", shot(100, 0, 96000));
    }
    std::unique_ptr<LiveSetup> setupOf(const layers::Stack& stack) {
        auto kit = layers::LiveKit::make(stack, 48000);
        EXPECT_TRUE(kit) << kit.error().message;
        auto setup = std::make_unique<LiveSetup>();
        setup->kit = *kit;
        return setup;
    }
    layers::Stack alternates() {
        layers::Stack stack;
        stack.layers = {layers::layerOf({folder / "A.wav", folder / "B.wav"})};
        return stack;
    }
    /// The left side of what strokes sound like, in blocks of a length.
    static std::vector<float> played(LiveVoices& voices, const std::vector<Timed>& strokes, int frames,
                                     int block) {
        std::vector<float> left;
        for (int at = 0; at < frames; at += block) {
            const int n = std::min(block, frames - at);
            std::vector<float> out(static_cast<std::size_t>(2 * n), 0.0F);
            std::vector<Timed> here;
            for (auto stroke : strokes)
                if (stroke.offset >= at && stroke.offset < at + n) {
                    stroke.offset -= at;
                    here.push_back(stroke);
                }
            voices.play(out.data(), n, LiveVoices::kStopped, here);
            for (int i = 0; i < n; ++i)
                left.push_back(out[static_cast<std::size_t>(2 * i)]);
        }
        return left;
    }
    test::TempFolder folder;
};

} // namespace cask::engine
