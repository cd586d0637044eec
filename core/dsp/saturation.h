// The saturations of a group of lanes.
#pragma once

#include <core/dsp/eq_settings.h>
#include <core/dsp/kernels.h>
#include <core/dsp/lane_delay.h>
#include <core/dsp/lane_glides.h>
#include <core/dsp/saturation_settings.h>
#include <core/dsp/saturation_tone.h>
#include <vector>

namespace cask::dsp {

/// Eight channels side by side, at 2, 4 or 8 times the rate; what is not saturated waits as long.
class SaturationLanes {
  public:
    using Settings = SaturationSettings;

    /// Frames by which the sound is late, at any rate.
    [[nodiscard]] static int latencyFrames(const Settings& settings, double sampleRateHz);
    [[nodiscard]] static std::vector<EqBand> detectorBands(const Settings& /*settings*/) { return {}; }

    /// Every lane passes what comes.
    explicit SaturationLanes(double sampleRateHz);
    /// A module on a lane, or on it and the next. Call prepare() after the last one.
    void place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames);
    /// Allocates what the placed modules need.
    void prepare();

    /// Drive, bias, mix and output glide to others; the rest stays as it was placed. RT: no alloc, no lock.
    void set(int lane, const Settings& settings, bool isOn, int glideFrames) noexcept;
    void reset() noexcept;
    /// Another's sound and values; set() lets them glide to this one's. RT: no alloc.
    void copyLanes(int lane, const SaturationLanes& from, int fromLane, int lanes) noexcept;
    /// In place. RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] static constexpr bool hearsApart() { return false; }

  private:
    static constexpr int kPiece = CurveLanes::kPiece;

    struct Values {
        LaneFloats drive; ///< ln d
        LaneFloats bias;
        LaneFloats blocks; ///< 1: without what the curve shifts
        LaneFloats mix;
        LaneFloats output;
        static constexpr std::array kAll{&Values::drive, &Values::bias, &Values::blocks, &Values::mix,
                                         &Values::output};
    };
    struct Lane {
        int lanes = 0; ///< of the module; 0: none, or the right one of a pair
        int delayFrames = 0;
        bool isPlaced = false;
    };

    /// What is to sound now, to the curves and the mix.
    void takeValues() noexcept;
    void takeCurve(int lane, int frame) noexcept;
    void takeMix(const Values& values) noexcept;
    void processPiece(float* io, int frames) noexcept;

    std::array<Lane, kLanes> m_lanes{};
    LaneGlides<Values> m_glides;
    double m_sampleRateHz;
    CurveLanes m_curves;
    SaturationTone m_tone;
    ShapedMix m_mix;
    LaneDelay m_delay;
    LaneBuffer m_changed;
    std::vector<Values> m_moving; ///< while they glide, for every frame of a piece
};

} // namespace cask::dsp
