// What playing stacks costs: 64 voices at once in blocks of an audio callback, and minutes of a busy pattern.
#include "core/layers/live_kit.h"
#include "core/layers/stack_source.h"
#include "engine/transport/player.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

namespace {

using namespace cask;
using Clock = std::chrono::steady_clock;

constexpr double kRateHz = 48000;

double msSince(Clock::time_point begun) {
    return std::chrono::duration<double, std::milli>(Clock::now() - begun).count();
}

/// Layers with everything that a layer has, of stereo noise of 2 s.
layers::Stack fullStack(const std::filesystem::path& folder, int layerCount, double everyS, double lengthS) {
    layers::Stack stack;
    stack.lengthS = lengthS;
    for (int i = 0; i < layerCount; ++i) {
        layers::Layer layer;
        layer.name = fmt::format("Layer {}", i);
        for (int k = 0; k < 4; ++k) {
            const auto file = folder / fmt::format("{} {}.wav", i, k);
            test::writeWav(file, test::noise(0.1, 192000, static_cast<unsigned>(8 * i + k)), 2);
            layer.sounds.push_back({file});
        }
        layer.pan = 0.1 * i - 0.4;
        layer.pitchCents = 100.0 * i - 300;
        layer.lowCutHz = 80;
        layer.highCutHz = 9000;
        layer.driveDb = 6;
        layer.fadeOutMs = 200;
        layer.levelSpreadDb = 2;
        stack.layers.push_back(std::move(layer));
    }
    for (double t = 0; t < lengthS - 2.5; t += everyS)
        stack.strikes.push_back({t, 60 + 60 * std::fmod(t * 7, 1.0)});
    return stack;
}

void timeBlocks(layers::StackSource& source, int frames) {
    std::vector<double> us;
    std::vector<float> block(static_cast<std::size_t>(frames));
    // From where as many sound as ever do.
    for (Frames at = 3 * 48000; at + frames < source.frames() - 3 * 48000; at += frames) {
        const auto begun = Clock::now();
        for (const int channel : {0, 1})
            (void)source.read(channel, at, block);
        us.push_back(1000 * msSince(begun));
    }
    std::sort(us.begin(), us.end());
    const double period = 1e6 * frames / kRateHz;
    fmt::print(
        "blocks of {:4}: period {:7.0f} us, median {:6.1f} us ({:.1f} %), 99.9th {:6.1f} us ({:.1f} %)\n",
        frames, period, us[us.size() / 2], 100 * us[us.size() / 2] / period, us[us.size() * 999 / 1000],
        100 * us[us.size() * 999 / 1000] / period);
}

/// The player's callback with all live voices sounding: strokes of eight layers, so many a second that the
/// voices never suffice.
void timeLive(const layers::Stack& stack, int frames) {
    const auto kit = layers::LiveKit::make(stack, kRateHz);
    if (!kit)
        return;
    engine::Player player(kRateHz);
    auto setup = std::make_unique<engine::LiveSetup>();
    setup->kit = *kit;
    player.setLive(std::move(setup));
    std::vector<float> block(static_cast<std::size_t>(2 * frames));
    std::vector<double> us;
    int least = engine::LiveVoices::kVoices;
    const int warm = 3 * static_cast<int>(kRateHz) / frames;
    for (int i = 0; i < 10 * warm; ++i) {
        if (i % std::max(1, static_cast<int>(0.1 * kRateHz) / frames) == 0)
            (void)player.strike({38, 60 + i % 60, {}});
        const auto begun = Clock::now();
        player.fill(block.data(), frames);
        if (i > warm) {
            us.push_back(1000 * msSince(begun));
            least = std::min(least, player.soundingVoices());
        }
    }
    std::sort(us.begin(), us.end());
    const double period = 1e6 * frames / kRateHz;
    fmt::print(
        "live, blocks of {:4}: at least {} voices, median {:6.1f} us ({:.1f} %), 99.9th {:6.1f} us ({:.1f} "
        "%)\n",
        frames, least, us[us.size() / 2], 100 * us[us.size() / 2] / period, us[us.size() * 999 / 1000],
        100 * us[us.size() * 999 / 1000] / period);
}

} // namespace

int main() {
    const test::TempFolder folder;
    // Eight layers, a strike each quarter of a second, sounds of 2 s: 64 voices at every moment.
    const auto stack = fullStack(folder.path(), 8, 0.25, 60);
    auto begun = Clock::now();
    const auto source = layers::StackSource::make(stack, kRateHz);
    if (!source)
        return 1;
    fmt::print("32 sounds read and prepared (pitch, drive, two cuts, fade): {:.0f} ms\n", msSince(begun));
    int most = 0;
    for (Frames at = 0; at < (*source)->frames(); at += 4800) {
        int sounding = 0;
        for (const auto& voice : (*source)->voices())
            sounding +=
                voice.start <= at &&
                at < voice.start + static_cast<Frames>((*source)->sounds()[voice.sound].sound.front().size());
        most = std::max(most, sounding);
    }
    fmt::print("{} voices in a minute, {} at once\n", (*source)->voices().size(), most);
    for (const int frames : {64, 128, 512})
        timeBlocks(**source, frames);
    for (const int frames : {64, 128, 512})
        timeLive(stack, frames);
    begun = Clock::now();
    std::vector<float> whole(static_cast<std::size_t>((*source)->frames()));
    for (const int channel : {0, 1})
        (void)(*source)->read(channel, 0, whole);
    const double ms = msSince(begun);
    fmt::print("the whole minute: {:.0f} ms, {:.0f} times real time\n", ms, 60000 / ms);
    return 0;
}
