// What processing did to the shape of own hits, at equal loudness.
#pragma once

#include <core/base/progress.h>
#include <core/measure/hits/hit_material.h>
#include <core/measure/punch/punch_cell.h>
#include <vector>

namespace cask::measure {

/// An own hit as it sounds. Every window ends at the next own hit, if that comes sooner.
struct HitShape {
    int hit = 0;      ///< of the material
    double timeS = 0; ///< onset, session time
    bool isGhost = false;
    double peakDb = kSilenceDb;   ///< greatest sample of its first 20 ms, dBFS
    double attackDb = kSilenceDb; ///< energy of 0 to 10 ms after the onset: of frames of full scale, dB
    double bodyDb = kSilenceDb;   ///< energy of 10 to 120 ms
    double tailDb = kSilenceDb;   ///< energy of 120 to 400 ms; kSilenceDb where the next hit comes before
    double crestDb = 0;           ///< the greatest sample over the RMS of 0 to 120 ms
    double decayMs = 0; ///< from the peak until 1 ms envelopes stay 20 dB under it; 0 where they do not
    [[nodiscard]] double punchDb() const { return attackDb - bodyDb; }
};

/// Shapes of all own hits of a sound, channels added up by their energy. Hits that begin outside are left
/// out.
[[nodiscard]] std::vector<HitShape> hitShapes(const HitMaterial& material,
                                              const std::vector<std::vector<float>>& sound);

/// What became of another drum's hits in this sound.
struct SpillChange {
    int drum = -1;
    int hits = 0;
    double changeDb = 0; ///< of the energy of their first 20 ms, median
};

/// Medians over own hits, of what comes out against what goes in, made as loud as it.
struct ShapeChange {
    int hits = 0;
    double matchDb = 0; ///< gain that makes the whole take as loud as it was (BS.1770, integrated)
    double keptAttackDb = 0;
    double punchBeforeDb = 0, punchAfterDb = 0;
    double sustainDb = 0; ///< change of the tails; 0 without any
    double decayBeforeMs = 0, decayAfterMs = 0;
    double crestBeforeDb = 0, crestAfterDb = 0;
    double rangeBeforeDb = 0, rangeAfterDb = 0; ///< of peaks: from their 10th to their 95th percentile
    double ghostsDb = 0;                        ///< change of the peaks of ghosts; 0 without any
    std::vector<SpillChange> spill;             ///< by drum, the one that is raised most first
    std::vector<HitShape> before, after;        ///< hit by hit; `after` as it is, without the match
};

/// `after`: the same stretch behind the processing, its latency taken out. Nothing is found where there is no
/// own hit, or once cancelled.
[[nodiscard]] ShapeChange measureShapes(const HitMaterial& before,
                                        const std::vector<std::vector<float>>& after,
                                        const CancelToken& cancel = {});

/// Own hits of some stretches of time alone; match and spill stay those of the whole.
[[nodiscard]] ShapeChange within(const ShapeChange& whole, std::span<const MaterialStretch> stretches);

/// What the loudness of a material is made of, millisecond by millisecond: sums of squares behind the filters
/// of BS.1770, channels added.
[[nodiscard]] std::vector<float> loudnessPowers(const HitMaterial& material);
/// measureShapes() to a millisecond, from cells alone: while a value is dragged. Loudness is taken to change
/// in each millisecond as the energy does. `powers`: loudnessPowers() of the material.
[[nodiscard]] ShapeChange roughShapes(const HitMaterial& before, const std::vector<float>& powers,
                                      const std::vector<PunchCell>& cells);

} // namespace cask::measure
