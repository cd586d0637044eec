// Rises in one microphone: every place where some drum may have begun to sound.
#pragma once

#include <core/measure/hits/band_trail.h>
#include <vector>

namespace cask::measure {

/// A rise against the sound before it. Whose it is, is decided later, with all microphones together.
struct Arrival {
    double timeS = 0;   ///< onset, from the start of the file
    double levelDb = 0; ///< peak of the 20 ms after the onset, dBFS
    double riseDb = 0;  ///< summed over the bands, each by what it rose above 2 dB and at most 15
};

/// Noise floor of each band, dB: 10th percentile of the levels of 50 ms stretches; digital silence counts as
/// the lowest level.
[[nodiscard]] std::array<float, kTrailBands> bandFloors(const BandTrail& trail);

/// Rises of a file of one or two channels (as far as both go), by time, at least 6 ms apart. In each
/// band the loudest of the next few milliseconds is held against the loudest of the last ones, over at least
/// one period of the band, so that the half waves of a low drum are no rises.
[[nodiscard]] std::vector<Arrival> findArrivals(std::span<const BandTrail* const> channels);

} // namespace cask::measure
