// How two microphones of one drum stand to each other: delay, polarity, and what their sum gains or loses.
#pragma once

#include <core/measure/hits/arrivals.h>
#include <functional>
#include <span>
#include <vector>

namespace cask::measure {

/// Where the sum of two microphones is judged, Hz.
struct LowBand {
    double fromHz = 30;
    double toHz = 200;
};

struct Alignment {
    int hits = 0;            ///< looked at
    double delayMs = 0;      ///< by which the second is later than the first; parts of a frame count
    bool isInverted = false; ///< the second against the first, once the delay is taken out
    double confidence = 0;   ///< 0-1: share of the weight that agrees on this delay
    double coherence =
        0; ///< 0-1: mean over all frequencies with energy; 1 for one sound at two levels and times
    double levelDb = 0; ///< of the second against the first
    /// Level of the sum around the drum's note against the two powers added: +3 dB when equal sounds agree, 0
    /// when they have nothing to do with each other, less when they cancel.
    double lowSumDb = 0;
    double lowSumFlippedDb = 0; ///< the same with the second turned over and left where it is
    double lowSumMovedDb = 0;   ///< the same with the second shifted, and inverted where it should be
    LowBand low;                ///< in which
};

/// Fills `out` with what a microphone heard from a frame on; silence outside of the recording.
using SoundReader = std::function<void(Frames from, std::span<float> out)>;

/// Sets which hits are looked at and how far apart the two may be.
struct AlignmentSettings {
    double mostDelayMs = 20;
    /// Where the onsets say the delay is, and how far around it to look: near pairs that share only their low
    /// end have a correlation too broad to tell. Ignored when the reach is 0.
    double expectedMs = 0;
    double reachMs = 0;
    int mostHits = 24; ///< the strongest: they are the drum's own
    /// Where the drum's note may lie, Hz: sums are then judged from an octave below to an octave above the
    /// strongest frequency of the first there; from 30 to 200 Hz where none is given.
    double noteFromHz = 0;
    double noteToHz = 0;
};

/// Generalised cross-correlation around the strongest hits of `first` (Knapp and Carter 1976), each frequency
/// weighted by its coherence over the hits, interpolated to a sixteenth of a frame. Polarity follows the sign
/// of the correlation around the note at that delay. Both readers are of one rate and count frames alike.
[[nodiscard]] Alignment alignPair(const SoundReader& first, const SoundReader& second, double sampleRateHz,
                                  const std::vector<Arrival>& hits, const AlignmentSettings& settings = {});
/// The same for sounds in memory that start together.
[[nodiscard]] Alignment alignPair(std::span<const float> first, std::span<const float> second,
                                  double sampleRateHz, const std::vector<Arrival>& hits,
                                  const AlignmentSettings& settings = {});

/// A pair as a picture shows it: both sounds averaged over the strongest hits, and their sum over the shift.
struct PairPortrait {
    int hits = 0;
    double sampleRateHz = 0;
    double startMs = 0;        ///< of the averages, from the onset in the first
    std::vector<float> first;  ///< linear
    std::vector<float> second; ///< linear, of the same length
    // Level of the sum around the note (see Alignment::lowSumDb) with the second made later by each shift.
    LowBand low;
    double leastShiftMs = 0;
    double stepMs = 0;
    std::vector<double> lowSumDb;
    std::vector<double> lowSumFlippedDb;
    /// Read off between the points; held at both ends. 0 without hits.
    [[nodiscard]] double lowSumAtDb(double shiftMs, bool isFlipped) const;
};

/// Shifts from -reachMs to reachMs.
[[nodiscard]] PairPortrait portrayPair(const SoundReader& first, const SoundReader& second,
                                       double sampleRateHz, const std::vector<Arrival>& hits, double reachMs,
                                       const AlignmentSettings& settings = {});

} // namespace cask::measure
