// What bending a sound did to it, at equal loudness: density, harmonics, tone, what lies between the hits.
#pragma once

#include <array>
#include <core/measure/drive/driven_sound.h>
#include <core/measure/punch/hit_shapes.h>
#include <core/measure/spectrum.h>
#include <optional>
#include <vector>

namespace cask::measure {

/// How dense a sound is.
struct Density {
    double lufs = kSilenceDb;   ///< integrated, BS.1770
    double peakDb = kSilenceDb; ///< true peak, dBTP
    double rangeDb = 0;         ///< 10th to 95th percentile of the RMS of 400 ms, where it is not silent
    /// Loudness under the peak: more is denser, whatever the level.
    [[nodiscard]] double densityDb() const { return lufs - peakDb; }
};
[[nodiscard]] Density densityOf(const Sound& sound, double rateHz);

/// A harmonic of the drum's note in the decay of its hits, against the note itself, dB.
struct HarmonicChange {
    int order = 1;
    double beforeDb = kSilenceDb;
    double afterDb = kSilenceDb;
};

/// Change of a third of an octave at equal loudness.
struct ThirdChange {
    double hz = 0; ///< centre
    double db = 0;
};

struct DriveChange {
    ShapeChange shapes; ///< match, kept attack, sustain (120 to 400 ms), crest, spill
    Density before, after;
    std::vector<HarmonicChange> harmonics; ///< from the first on; empty without a note
    std::vector<ThirdChange> thirds;       ///< those that are not 60 dB under the loudest
    double newDb = kSilenceDb;             ///< what no gain makes of the sound before, against what one does
    /// Between the hits (120 ms behind one, or later, and before the next): energy above kCymbalsHz, and of
    /// all, against that of the hits' first 120 ms, dB. Nothing where there are too few such places.
    std::optional<double> cymbalsDb;
    std::optional<double> betweenDb;
    static constexpr double kCymbalsHz = 5000;

    [[nodiscard]] double denserDb() const { return after.densityDb() - before.densityDb(); }
    /// The third that loses most; none loses anything: nothing.
    [[nodiscard]] std::optional<ThirdChange> mostLost() const;
    /// Sum of the harmonics from the second on, against the note: before and after, dB.
    [[nodiscard]] double harmonicsBeforeDb() const { return sumOf(&HarmonicChange::beforeDb); }
    [[nodiscard]] double harmonicsAfterDb() const { return sumOf(&HarmonicChange::afterDb); }

  private:
    [[nodiscard]] double sumOf(double HarmonicChange::*level) const;
};

/// What is measured of the sound before alone, once for many settings.
struct DriveBefore {
    double noteHz = 0; ///< the drum's lowest note; 0: not known
    Density density;
    Spectrum spectrum;
    std::vector<double> harmonicPowers; ///< of the note, from the first on; empty without one
    // Mean powers in the first 120 ms of hits, between them, and of the highs between them.
    std::vector<double> hitPowers, betweenPowers, highPowers;
};
[[nodiscard]] DriveBefore measureBefore(const HitMaterial& material, double noteHz,
                                        const CancelToken& cancel = {});

/// `before`: of this material.
[[nodiscard]] DriveChange measureDrive(const HitMaterial& material, const DriveBefore& before,
                                       const Sound& after, const CancelToken& cancel = {});
/// `after`: the same stretch behind it. `noteHz`: the drum's lowest note; 0: not known.
[[nodiscard]] DriveChange measureDrive(const HitMaterial& material, const Sound& after, double noteHz,
                                       const CancelToken& cancel = {});

/// A bell that gives the third back that was lost most: nothing where less than 1 dB is.
[[nodiscard]] std::optional<dsp::EqBand> givesBack(const DriveChange& change);

/// What folds back of a saturation in this sound, against the same at 64 times the rate, up to 20 kHz: dB
/// under what comes out. Looks at kAliasHits hits.
[[nodiscard]] double aliasesDb(const HitMaterial& material, const dsp::SaturationSettings& settings,
                               const CancelToken& cancel = {});
inline constexpr int kAliasHits = 12;

} // namespace cask::measure
