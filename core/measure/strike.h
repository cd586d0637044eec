// What the strongest hits of a file sound like.
#pragma once

#include <core/base/role.h>
#include <core/measure/hits/arrivals.h>
#include <core/measure/spectrum.h>
#include <core/media/audio_reader.h>
#include <vector>

namespace cask::measure {

/// Averages over the strongest hits of a file, spill between them left out.
struct Strike {
    int hits = 0;         ///< averaged over
    double hitsPerS = 0;  ///< of all hits of the file
    double lowShare = 0;  ///< share of the energy below 100 Hz, 0-1
    double bodyShare = 0; ///< 100 to 500 Hz
    double midShare = 0;  ///< 500 Hz to 4 kHz
    double highShare = 0; ///< above 4 kHz
    double peakShare = 0; ///< share of the strongest third of an octave: near 1 for one steady note
    double decayMs = 0;   ///< median time from the peak to 20 dB under it, at most 500
    double gapDb = 0;     ///< median level just before a hit, against its peak
};

/// REQUIRES: `hits` are arrivals in the reader's file. Reads a third of a second around each.
[[nodiscard]] Strike measureStrike(media::AudioReader& reader, const std::vector<Arrival>& hits);

/// Reads a role from how a file sounds. Knows kick, snare, toms, hats, overheads, rooms and bass; confidence
/// is at most 0.8, because tunings overlap.
[[nodiscard]] RoleGuess guessRoleFromSound(const Strike& strike, int channels);

} // namespace cask::measure
