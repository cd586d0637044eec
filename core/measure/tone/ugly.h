// Which frequencies of a drum want a look first: what a person hunts for with a narrow boost.
#pragma once

#include <core/measure/spectrum.h>
#include <core/measure/tone/partials.h>
#include <vector>

namespace cask::measure {

struct UglyPlace {
    double hz = 0;
    double excessDb = 0; ///< over the median of half an octave to either side
    bool isRing = false;
    double score =
        0; ///< the excess as the ear weighs it, and how much longer a ring takes than what is around
};

/// Peaks of the own hits' spectrum from 150 Hz to 8 kHz that stand out by 4 dB, without the drum's note;
/// worst first, at most `most`. The score is excess + (ear weight) / 2 + 20 log10(decay / surroundings) for a
/// ring.
[[nodiscard]] std::vector<UglyPlace> rankUgly(const Spectrum& own, const Partials& partials,
                                              std::size_t most = 5);

} // namespace cask::measure
