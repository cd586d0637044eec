// Combing between a dry sound and a wet one that stands beside it: where their sum falls into holes, and why.
#pragma once

#include <core/base/units.h>
#include <core/measure/drive/driven_sound.h>
#include <vector>

namespace cask::measure {

enum class CombCause { None, Delay, Polarity, Phase };

/// A stretch of the spectrum in which wet takes away from dry.
struct CombDip {
    double hz = 0;
    double depthDb = 0; ///< of the sum under the dry sound alone, more than 0
    CombCause cause = CombCause::None;
};

/// The best linear fit H of the wet sound by the dry one, by frequency (cross spectrum over the dry one's
/// own, Welch's method), what it leaves of dry and wet together, 20 log10 |1 + H|, and its coherence.
struct Comb {
    std::vector<double> hz;        ///< kPointsPerOctave to an octave
    std::vector<double> sumDb;     ///< of both against dry alone
    std::vector<double> dryDb;     ///< against the dry sound's loudest, in bands of a sixth of an octave
    std::vector<double> wetDb;     ///< the same of the wet sound at its gain, against that too
    std::vector<double> coherence; ///< 0 to 1
    std::vector<CombDip> dips;     ///< deepest first, of 1 dB and more
    double delayMs = 0;            ///< of the wet sound against the dry one, where they are alike
    bool isInverted = false;
    double likeness = 0; ///< mean coherence, by the dry sound's power
    /// How deep the sum falls around a frequency (a third of an octave), more than 0; 0 where it does not.
    [[nodiscard]] double dipAt(double frequencyHz) const;
};

/// Both of one rate and length; channels are added up. Dips are told where dry stands at most 40 dB under its
/// loudest third and coherence is over 1/2. Their cause: what takes 3/4 of the hole away - shifting the wet
/// sound by its delay, inverting it, or neither: then the phase of its filters makes it. A wet gain under 0
/// inverts.
[[nodiscard]] Comb combOf(const Sound& dry, const Sound& wet, double rateHz, double wetGain = 1);

} // namespace cask::measure
