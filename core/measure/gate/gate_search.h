// Looks for the settings of a gate that keep what is wanted and let least else through.
#pragma once

#include <core/measure/gate/gate_judge.h>
#include <optional>

namespace cask::measure {

/// What of an element's own hits a person wants kept.
enum class GateWants { Accents, Normals, Ghosts };
/// Whether a hit is an own one that is wanted.
[[nodiscard]] bool isWanted(const MaterialHit& hit, GateWants wants);

/// What a fault costs; each is multiplied with a share between 0 and 1.
struct GateWeights {
    double lost = 8;       ///< share of wanted own hits that are lost
    double opened = 1;     ///< share of spill hits that pass
    double left = 0.5;     ///< spill that is left, as a ratio of levels
    double tail = 0.5;     ///< level that tails lose, 12 dB and more counting as all
    double unsafe = 0.5;   ///< wanted hits that open it, and spill that does not, by less than 3 dB
    double restless = 0.5; ///< re-openings and openings by noise, for each own hit
};
[[nodiscard]] double gateLoss(const GateCounts& counts, GateWants wants, const GateWeights& weights);

/// The values that are tried.
struct GateGrid {
    std::vector<double> openDb;
    std::vector<double> gapDb = {3, 6, 9, 12};
    std::vector<double> holdMs = {10, 30, 60, 120};
    std::vector<double> releaseMs = {40, 80, 160, 320};
};
/// Thresholds in whole dB from under the softest own hit to the loudest, as the detector hears them.
[[nodiscard]] GateGrid gateGridFor(GateTracks& tracks, const dsp::GateSettings& settings);

struct GateChoice {
    dsp::GateSettings settings;
    GateCounts counts; ///< coarse
    double loss = 0;
};
/// Tries thresholds first, then the rest one after the other from the best of them, until nothing gets
/// better. About a twentieth of all combinations.
[[nodiscard]] GateChoice searchGate(GateTracks& tracks, const dsp::GateSettings& start, GateWants wants,
                                    const GateWeights& weights, const GateGrid& grid, double ownMs,
                                    const CancelToken& cancel = {});
/// Tries every combination: to compare with.
[[nodiscard]] GateChoice searchEveryGate(GateTracks& tracks, const dsp::GateSettings& start, GateWants wants,
                                         const GateWeights& weights, const GateGrid& grid, double ownMs);

/// Times from how the drum sounds: the sound waits until the gate is open, the attack is as long as the
/// hit's own rise and on drums with a slow one no shorter than 2 ms.
[[nodiscard]] dsp::GateSettings gateStart(const HitNature& nature);

/// The highest floor that takes `targetDb` off the spill, of a few; the lowest of them when none does.
[[nodiscard]] GateChoice withGentlestFloor(GateTracks& tracks, const GateChoice& choice, double targetDb,
                                           double lowestDb, GateWants wants, const GateWeights& weights,
                                           double ownMs);

/// Levels of own and of other hits where they come too near each other for a threshold.
struct GateOverlap {
    double lowDb = 0;       ///< softest wanted own hits (10th percentile), as the detector hears them
    double highDb = 0;      ///< loudest spill (90th percentile)
    int drum = -1;          ///< most of the spill there
    bool areGhosts = false; ///< whether the soft ones are
    [[nodiscard]] double overlapDb() const { return highDb - lowDb; }
};
[[nodiscard]] std::optional<GateOverlap> findOverlap(GateTracks& tracks, const dsp::GateSettings& settings,
                                                     GateWants wants);

/// Where in the spectrum own hits stand out most.
struct GateBand {
    double hz = 0;      ///< centre, a third of an octave wide
    double ownDb = 0;   ///< softest wanted own hits (10th percentile), dBFS
    double spillDb = 0; ///< loudest spill (90th percentile)
    [[nodiscard]] double partedDb() const { return ownDb - spillDb; }
};
/// Power of the 20 ms after each hit in thirds of an octave.
struct HitSpectra {
    std::vector<double> hz;                  ///< centres
    std::vector<std::vector<double>> powers; ///< by hit; empty at the edges of the material
};
/// Of the key where there is one.
[[nodiscard]] HitSpectra hitSpectra(const HitMaterial& material);
/// Empty with too few hits of either kind.
[[nodiscard]] std::vector<GateBand> separationOf(const HitMaterial& material, const HitSpectra& spectra,
                                                 GateWants wants);
[[nodiscard]] std::vector<GateBand> measureSeparation(const HitMaterial& material, GateWants wants);
/// Distance from the loudest spill (90th percentile) to the softest wanted own hits (10th), as the detector
/// hears them, dB; negative when they overlap.
[[nodiscard]] double partedDb(GateTracks& tracks, const dsp::GateSettings& settings, GateWants wants);
/// Detector cuts that part the two best: around the bands that do, or a plain cut. Nothing when none parts
/// them clearly better than the whole sound.
[[nodiscard]] std::optional<dsp::GateSettings>
withBestDetectorFilter(GateTracks& tracks, const dsp::GateSettings& settings, GateWants wants);

} // namespace cask::measure
