// Filters that shape a layer of a stack: steep enough to part bands, with a resonance at the corner and
// drive.
#pragma once

#include <array>
#include <core/dsp/curve_lanes.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/lane_delay.h>
#include <core/dsp/section_design.h>
#include <vector>

namespace cask::dsp {

struct LayerFilterSettings {
    FilterKind kind = FilterKind::LowPass; ///< HighPass or LowPass
    double frequencyHz = 1000;
    double slopeDbPerOct = 12; ///< 12 or 24
    double resonanceDb = 0;    ///< 0 to 24, over the Butterworth corner's -3 dB
    double driveDb = 0;        ///< 0 to 36: see saturationOf()
    friend bool operator==(const LayerFilterSettings&, const LayerFilterSettings&) = default;
};

/// Sections in cascade, the equaliser's own: Butterworth, whose sharpest section's Q is raised by the
/// resonance, so that the level at the corner rises by as much and far from it nothing changes.
[[nodiscard]] std::vector<SvfCoefficients> designLayerFilter(const LayerFilterSettings& settings,
                                                             double sampleRateHz);

/// d of the curve y = tanh(d x) / d that stands before the filter: d = 10^(drive / 20) - 1, so that no drive
/// leaves the sound as it is and quiet sound passes with a gain of 1 at any drive.
[[nodiscard]] double saturationOf(const LayerFilterSettings& settings);

/// Filters of up to eight layers side by side, each with its own settings, which may change while it sounds:
/// they move to the new ones within kGlideMs. Same bits for any lengths of blocks.
class LayerFilter {
  public:
    static constexpr double kGlideMs = 20;

    /// `oversampling` while driven: 4 times to listen, 8 times to render.
    LayerFilter(double sampleRateHz, Oversampling oversampling);

    /// Not on the audio thread: it may allocate.
    void set(int lane, const LayerFilterSettings& settings);
    /// Of all lanes; 0 as long as no lane is driven. A lane that is driven no more keeps it until reset().
    [[nodiscard]] int latencyFrames() const { return m_isDriven ? m_delay.delayFrames.front() : 0; }
    /// RT: no alloc, no lock.
    void process(float* io, int frames) noexcept;
    /// Silence behind it, and all settings reached.
    void reset() noexcept;

  private:
    /// Frames between two steps of a drive that moves.
    static constexpr int kStepFrames = 16;
    void stepDrive() noexcept;

    void drive(float* io, int frames) noexcept;

    LaneFloats m_drive, m_driveGoal;
    std::array<LayerFilterSettings, kLanes> m_settings{};
    CurveLanes m_curves;
    ShapedMix m_mix;
    LaneDelay m_delay;
    LaneBuffer m_changed;
    SectionBank m_bank;
    const Kernels* m_kernels;
    double m_sampleRateHz;
    int m_untilStep = 0;
    bool m_isDriven = false;
};

} // namespace cask::dsp
