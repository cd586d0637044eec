// The gains of gates that hear a whole take, by the kernels that are played: eight settings or eight
// stretches of the take side by side.
#pragma once

#include <core/base/progress.h>
#include <core/measure/gate/gate_track.h>
#include <span>

namespace cask::measure {

/// From an instant on, other settings, reached within a glide.
struct GateTurn {
    double timeS = 0;
    dsp::GateSettings settings;
    double glideS = 0;
};

/// Linear gain of up to kLanes settings at each cell of a stretch of the track, which they enter closed.
/// Look-ahead and reach are left to the caller: a gain stands at the cell of the detector that it is due to.
/// `turns`, by time, are those of the first. After a stop the rest is zero.
[[nodiscard]] std::vector<std::vector<float>>
gateGains(const GateTrack& track, std::span<const dsp::GateSettings> settings, std::size_t from,
          std::size_t to, const std::vector<GateTurn>& turns, const CancelToken& cancel);

/// The same of one gate over all of the track. Eight stretches of a long one run side by side, each begun
/// some seconds before; where one does not come to stand as the one before it left off, all is done in one.
[[nodiscard]] std::vector<float> gateGain(const GateTrack& track, const dsp::GateSettings& settings,
                                          const std::vector<GateTurn>& turns, const CancelToken& cancel);

/// Gains that an open and a closed gate settle at, linear.
struct GateEnds {
    double open = 1, closed = 0;
};
[[nodiscard]] GateEnds endsOf(const dsp::GateSettings& settings);

} // namespace cask::measure
