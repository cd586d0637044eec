// What a gate's settings do to the hits of an element: kept, lost, let through, cut, clicked.
#pragma once

#include <core/base/progress.h>
#include <core/measure/gate/gate_sweep.h>
#include <map>

namespace cask::measure {

/// What became of one hit.
struct GatedHit {
    double passDb = 0;     ///< level of its first 20 ms against the source's, the reach's part alone
    double attackDb = 0;   ///< the same of its first 2 ms
    double tailDb = 0;     ///< of own hits: the 150 ms after them, at most to the next hit
    double overDb = 0;     ///< the detector's peak in these 20 ms over the opening threshold
    bool opens = false;    ///< the gate opened because of it
    int reopenings = 0;    ///< of own hits: times it opened again before the next hit
    double clickDb = -200; ///< of own hits: energy that the edge splatters above 4 kHz, against the hit's;
                           ///< only when judged exactly
    [[nodiscard]] bool isKept() const { return passDb >= -3; }
};

/// Counts over the take or a section.
struct GateCounts {
    int accents = 0, accentsKept = 0;
    int normals = 0, normalsKept = 0; ///< flams and rolls are counted here
    int ghosts = 0, ghostsKept = 0;
    /// Own hits that open it, and hits of other drums that do not, by less than 3 dB: a little louder or
    /// softer another time, and it would be otherwise.
    int accentsNear = 0, normalsNear = 0, ghostsNear = 0, spillNear = 0;
    int spill = 0;        ///< hits of other drums without an own hit within 20 ms
    int spillOpening = 0; ///< that open the gate
    int spillPassing =
        0; ///< whose first 20 ms pass within 3 dB, whoever opened it: an open gate lets all pass
    std::map<int, int> openingDrums; ///< the same by drum
    int noiseOpenings = 0;           ///< with no hit to blame
    int tailsCut = 0;                ///< own hits kept whose tail loses more than 3 dB
    int chatter = 0;                 ///< re-openings within hits
    int clicks = 0;                  ///< own hits whose edge is heard: over -40 dB and over what was there
    double attackLostDb = 0;         ///< median over own hits that are kept
    double tailLostDb = 0;           ///< likewise
    double spillBefore = 0;          ///< energy outside of own hits, linear
    double spillAfter = 0;
    [[nodiscard]] int own() const { return accents + normals + ghosts; }
    [[nodiscard]] int ownKept() const { return accentsKept + normalsKept + ghostsKept; }
    /// What the spill loses, dB; 0 or less.
    [[nodiscard]] double spillChangeDb() const;
};

struct GateReport {
    std::vector<GatedHit> hits; ///< by hit of the material
    GateCounts all;
    std::vector<GateCounts> sections; ///< by section of the material
    bool isExact = false;
};

enum class GatePrecision {
    Rough,  ///< cells of 64 frames: for a search
    Coarse, ///< cells of 24 frames: for a drag
    Exact,  ///< the gain of the running gate, frame by frame
};

/// `ownMs`: how long an own hit is louder than the spill, for telling the two apart. `turns` by time.
[[nodiscard]] GateReport judgeGate(GateTracks& tracks, const dsp::GateSettings& settings,
                                   GatePrecision precision, double ownMs,
                                   const std::vector<GateTurn>& turns = {}, const CancelToken& cancel = {});

/// Several settings side by side, for about the price of two: a report for each.
/// REQUIRES: all hear and act on the same part of the sound, by the same detector.
[[nodiscard]] std::vector<GateReport> judgeGates(GateTracks& tracks,
                                                 std::span<const dsp::GateSettings> settings,
                                                 GatePrecision precision, double ownMs,
                                                 const CancelToken& cancel = {});

/// Level of a hit as the detector hears it: the greatest of its first 20 ms, dBFS.
[[nodiscard]] double hitLevelDb(const GateTrack& track, double timeS);

/// The sound as it leaves a gate that acts on everything, the look-ahead taken out.
[[nodiscard]] std::vector<std::vector<float>> gatedSound(GateTracks& tracks,
                                                         const dsp::GateSettings& settings);

/// The gain of a stretch around an instant, one value for each of `count` steps from `fromS` to `toS`, dB,
/// by session time of the sound: for pictures.
[[nodiscard]] std::vector<float> gateGainDb(GateTracks& tracks, const dsp::GateSettings& settings,
                                            double fromS, double toS, std::size_t count);

} // namespace cask::measure
