// What stands around the curve of a saturation: band, tone before and after, steady drive, tape's emphasis.
#pragma once

#include <core/dsp/kernels.h>
#include <core/dsp/lane_delay.h>
#include <core/dsp/saturation_settings.h>

namespace cask::dsp {

/// Tape lifts the highs before its curve and lowers them as much behind it: E(s) = 1 + (G - 1) s / (s + w),
/// with 20 log10 G = kEmphasisDb and w at kEmphasisHz, by a trapezoidal integrator, whose inverse is exact.
/// So highs give way sooner than lows, and quiet sound stays as it is.
///
/// A steady drive divides by an envelope before the curve and multiplies by it behind: the greatest absolute
/// sample of both sides of a pair, that falls by kFallDbPerMs; not
/// under kFloorDb, so that noise is not lifted into the curve.
class SaturationTone {
  public:
    static constexpr double kEmphasisDb = 9;
    static constexpr double kEmphasisHz = 3000;
    static constexpr double kFallDbPerMs = 0.15;
    static constexpr double kFloorDb = -40;

    /// Whether a lane with these settings needs any of it.
    [[nodiscard]] static bool isNeeded(const SaturationSettings& settings);

    explicit SaturationTone(double sampleRateHz);
    void place(int lane, int lanes, const SaturationSettings& settings, int lateFrames);
    /// Allocates what the placed lanes need.
    void prepare();
    [[nodiscard]] bool isUsed() const { return m_isUsed; }
    void reset() noexcept;
    void copyLane(int lane, const SaturationTone& from, int fromLane) noexcept;

    /// What comes to the curve. REQUIRES: frames <= CurveLanes::kPiece. RT: no alloc, no lock.
    [[nodiscard]] const float* before(const float* io, int frames) noexcept;
    /// `changed`, what the curve changed of that, becomes what is changed of the sound.
    void after(float* changed, int frames) noexcept;

  private:
    struct Lane {
        bool isUsed = false;
        int lanes = 0; ///< of the module; 0: the right one of a pair
        int lateFrames = 0;
        bool isSteady = false;
    };
    void follow(int frames) noexcept;
    void emphasise(int frames) noexcept;
    void deemphasise(int frames) noexcept;

    double m_rateHz;
    bool m_isUsed = false;
    bool m_hasSteady = false;
    bool m_hasTape = false;
    std::array<Lane, kLanes> m_lanes{};
    SectionBank m_band, m_before, m_after;
    LaneFloats m_lift; ///< G - 1; 0 in lanes without an emphasis
    float m_emphasisShare;
    float m_fall;
    LaneFloats m_lowBefore, m_lowAfter; ///< states of the emphasis
    LaneFloats m_envelope;
    LaneBuffer m_taken; ///< what the band takes
    LaneBuffer m_sound; ///< what comes to the curve
    LaneBuffer m_gain;  ///< of the steady drive
    LaneDelay m_takenDelay, m_soundDelay, m_gainDelay;
};

} // namespace cask::dsp
