// How one-shots lie to each other: the delay and polarity that put one in line with another.
#pragma once

#include <core/measure/sound.h>
#include <optional>
#include <span>

namespace cask::measure {

/// Where a sound that is struck once begins to rise: back from where its level (RMS of 1 ms) first is within
/// 20 dB of its greatest, to where that of 0.5 ms first is within 48 dB, and stands out of noise: 7 dB over
/// the softest fiftieth of the sound (then within 34 dB is enough) and 6 dB over what is before it. Seconds
/// from its first frame; nothing where it is silent.
[[nodiscard]] std::optional<double> oneShotOnset(std::span<const float> sound, double rateHz);

/// Both channels together; the left one alone where they cancel.
[[nodiscard]] std::vector<float> monoOf(const Sound& sound);

struct OneShotAlignment {
    double shiftMs = 0;      ///< brings the second into line with the first; over 0: it must come later
    bool isInverted = false; ///< the second must be inverted
    /// Peak of their correlation over its RMS within kReachMs of the onsets.
    double likeness = 0;
    /// Whether one is the other, processed: then the shift is theirs to a part of a frame, else that of their
    /// onsets, and the polarity that under which their lows add up.
    bool isCopy = false;
    static constexpr double kReachMs = 20;
};

/// Generalised cross-correlation (Knapp and Carter 1976), nearly whitened, with the minimum phase of the
/// ratio of both spectra (thirds of an octave, without the noise of the quietest part of each; above where
/// one sinks into it, as it went before) taken out first: what filters and compressors turn is no delay.
/// Nothing where one is silent. Sounds of one rate.
[[nodiscard]] std::optional<OneShotAlignment> alignOneShots(std::span<const float> first,
                                                            std::span<const float> second, double rateHz);

} // namespace cask::measure
