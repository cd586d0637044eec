// The strokes of a mix or loop of a drummer alone, where no drum has a microphone of its own.
#pragma once

#include <core/measure/hits/loop_ear.h>

namespace cask::measure {

struct LoopHit {
    LoopDrum drum = LoopDrum::Kick;
    std::size_t arrival = 0; ///< index
    double share = 0;        ///< how sure, 0.5 to 1
    double levelDb =
        0; ///< peak of the 20 ms after the onset, less what lies outside of the drum's bands, dBFS
};

/// By time. Several drums may be struck at one arrival; strokes of one drum are at least 18 ms apart.
[[nodiscard]] std::vector<LoopHit> findLoopHits(std::span<const BandTrail* const> channels,
                                                std::span<const Arrival> arrivals, const LoopEar& ear);

/// As people call it: "kick", "snare", "hat", "tom", "ride", "crash".
[[nodiscard]] const char* nameOf(LoopDrum drum);

} // namespace cask::measure
