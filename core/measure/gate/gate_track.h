// What of the material a gate's settings pick out, in cells of some frames.
#pragma once

#include <core/dsp/gate_settings.h>
#include <core/measure/hits/hit_material.h>
#include <span>

namespace cask::measure {

/// Detector and energy cell by cell. With one frame to a cell it is exact.
struct GateTrack {
    int cell = 1;      ///< frames
    double rateHz = 0; ///< cells in a second
    double startS = 0;
    std::vector<float>
        detector;              ///< greatest absolute value (or RMS) of each cell, after the detector's filter
    std::vector<float> energy; ///< sum of squares of what the gate acts on, both channels
    [[nodiscard]] std::size_t cells() const { return detector.size(); }
    /// Cell that holds an instant, within the track.
    [[nodiscard]] std::size_t at(double timeS) const;
};

/// Makes tracks and keeps the last: a threshold that moves needs no new one. Not thread-safe.
class GateTracks {
  public:
    /// REQUIRES: the material outlives it.
    explicit GateTracks(const HitMaterial& material) : m_material(&material) {}
    [[nodiscard]] const HitMaterial& material() const { return *m_material; }
    [[nodiscard]] const GateTrack& exact(const dsp::GateSettings& settings);
    /// Cells of some frames: thresholds are crossed within so many frames of where they are.
    static constexpr int kCoarse = 24;
    static constexpr int kRough = 64;
    [[nodiscard]] const GateTrack& coarse(const dsp::GateSettings& settings) {
        return inCells(m_coarse, kCoarse, settings);
    }
    [[nodiscard]] const GateTrack& rough(const dsp::GateSettings& settings) {
        return inCells(m_rough, kRough, settings);
    }
    /// What the gate acts on, one channel after the other; the sound itself without a corner.
    [[nodiscard]] std::span<const float> part(const dsp::GateSettings& settings, std::size_t channel);

  private:
    void prepareDetector(const dsp::GateSettings& settings);
    void preparePart(const dsp::GateSettings& settings);

    const HitMaterial* m_material;
    dsp::GateSettings m_detectorOf; ///< settings that m_exact.detector was made for
    dsp::GateSettings m_partOf;
    bool m_hasDetector = false;
    bool m_hasPart = false;
    bool m_isPartSound = true; ///< the gate acts on everything
    std::vector<std::vector<float>> m_part;
    GateTrack m_exact;
    struct Cells {
        GateTrack track;
        bool isFresh = false;
        dsp::GateDetector kind = dsp::GateDetector::Peak;
    };
    [[nodiscard]] const GateTrack& inCells(Cells& cells, int frames, const dsp::GateSettings& settings);
    Cells m_coarse;
    Cells m_rough;
};

} // namespace cask::measure
