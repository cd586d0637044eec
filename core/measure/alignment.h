// How two microphones of one drum stand to each other: delay, polarity, and what their sum gains or loses.
#pragma once

#include <core/measure/hits/arrivals.h>
#include <span>
#include <vector>

namespace cask::measure {

struct Alignment {
    int hits = 0;            ///< looked at
    double delayMs = 0;      ///< by which the second is later than the first; parts of a frame count
    bool isInverted = false; ///< the second against the first, once the delay is taken out
    double confidence = 0;   ///< 0-1: share of the weight that agrees on this delay
    /// Level of the sum below 200 Hz against the two powers added: +3 dB when equal sounds agree, 0 when they
    /// have nothing to do with each other, less when they cancel.
    double lowSumDb = 0;
    double lowSumMovedDb = 0; ///< the same with the second shifted, and inverted where it should be
};

/// Sets which hits are looked at and how far apart the two may be.
struct AlignmentSettings {
    double mostDelayMs = 20;
    /// Where the onsets say the delay is, and how far around it to look: near pairs that share only their low
    /// end have a correlation too broad to tell. Ignored when the reach is 0.
    double expectedMs = 0;
    double reachMs = 0;
    int mostHits = 24; ///< the strongest: they are the drum's own
};

/// Generalised cross-correlation around the strongest hits of `first` (Knapp and Carter 1976), each frequency
/// weighted by its coherence over the hits, interpolated to a sixteenth of a frame. Polarity follows the sign
/// of the correlation below 200 Hz at that delay. `first` and `second` are of one rate and start together.
[[nodiscard]] Alignment alignPair(std::span<const float> first, std::span<const float> second,
                                  double sampleRateHz, const std::vector<Arrival>& hits,
                                  const AlignmentSettings& settings = {});

} // namespace cask::measure
