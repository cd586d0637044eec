// The strokes of a mix or loop of a drummer alone, where no drum has a microphone of its own.
#pragma once

#include <core/measure/hits/kit_model.h>
#include <core/measure/hits/loop_ear.h>
#include <optional>
#include <string>
#include <string_view>

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
[[nodiscard]] std::optional<LoopDrum> loopDrumFromName(std::string_view name);
[[nodiscard]] Role roleOf(LoopDrum drum);

/// Index of a loop's drum; where the kit has none such yet, it gets one. `loopName`: of the input.
int loopDrumIn(KitModel& kit, int input, const std::string& loopName, LoopDrum drum);
/// What a drum of a loop is called among those of its loop; empty for any other drum.
[[nodiscard]] std::string loopDrumName(const Drum& drum);

} // namespace cask::measure
