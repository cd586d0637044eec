// One or two channels through what runs eight lanes side by side.
#pragma once

#include <algorithm>
#include <core/dsp/kernels.h>
#include <vector>

namespace cask::test {

using Channels = std::vector<std::vector<float>>;

/// A module of `Lanes` (GateLanes, CompressorLanes) on some lane; the other lanes are silent. `heard`: what
/// its detector hears, unfiltered, of as many channels.
template <class Lanes>
Channels throughLanes(const Channels& sound, const Channels& heard, const typename Lanes::Settings& settings,
                      double rateHz, int block = 480, int lane = 0, bool isOn = true) {
    Lanes lanes(rateHz);
    const int count = static_cast<int>(sound.size());
    lanes.place(lane, count, settings, isOn, 0);
    lanes.prepare();
    Channels out = sound;
    const auto frames = static_cast<int>(sound[0].size());
    dsp::LaneBuffer io(static_cast<std::size_t>(block) * dsp::kLanes);
    dsp::LaneBuffer detectors(io.size());
    for (int start = 0; start < frames; start += block) {
        const int n = std::min(block, frames - start);
        const auto each = [&](const auto& act) {
            for (int i = 0; i < n; ++i)
                for (int c = 0; c < count; ++c)
                    act(static_cast<std::size_t>(c), static_cast<std::size_t>(start + i),
                        static_cast<std::size_t>(i * dsp::kLanes + lane + c));
        };
        each([&](std::size_t c, std::size_t from, std::size_t to) {
            io[to] = sound[c][from];
            detectors[to] = heard[c][from];
        });
        lanes.process(detectors.data(), io.data(), n);
        each([&](std::size_t c, std::size_t to, std::size_t from) { out[c][to] = io[from]; });
    }
    return out;
}

} // namespace cask::test
