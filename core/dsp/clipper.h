// Clipper: cuts peaks at a ceiling, hard or by a knee.
#pragma once

#include <core/dsp/curve_lanes.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/lane_delay.h>
#include <core/dsp/lane_glides.h>
#include <vector>

namespace cask::dsp {

struct ClipperSettings {
    double ceilingDb = -3; ///< dBFS, of samples
    double kneeDb = 3;     ///< it begins to bend by so much under the ceiling
    Oversampling oversampling = Oversampling::Four;
    bool isCapped = true; ///< at the session's rate, no sample passes the ceiling
    friend bool operator==(const ClipperSettings&, const ClipperSettings&) = default;
};

/// The clippers of a group of lanes.
///
/// Law. With c the ceiling and h = 1 - 10^(-knee / 20), |x| / c up to 1 - h passes, from 1 + h on it is 1,
/// between it is u - (u - 1 + h)^2 / (4 h): the slope falls evenly from 1 to 0. At the high rate the ceiling
/// holds but for what two samples share (see CurvePlanes); back at the session's rate, what is cut off in the
/// spectrum lets peaks of tones and drums pass it by about 1 dB, of white noise by up to 6. With the cap they
/// are cut there once more: samples hold the ceiling exactly, and a little folds back. What stays under the
/// knee passes bit for bit, late.
class ClipperLanes {
  public:
    using Settings = ClipperSettings;

    [[nodiscard]] static int latencyFrames(const Settings& settings, double sampleRateHz) {
        return CurveLanes::latencyFrames(settings.oversampling, sampleRateHz);
    }
    [[nodiscard]] static std::vector<EqBand> detectorBands(const Settings& /*settings*/) { return {}; }

    /// Every lane passes what comes.
    explicit ClipperLanes(double sampleRateHz);
    /// A module on a lane, or on it and the next. Call prepare() after the last one.
    void place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames);
    /// Allocates what the placed modules need.
    void prepare();

    /// Ceiling and knee glide to others; the rest stays as it was placed. RT: no alloc, no lock.
    void set(int lane, const Settings& settings, bool isOn, int glideFrames) noexcept;
    void reset() noexcept;
    /// Another's sound and values; set() lets them glide to this one's. RT: no alloc.
    void copyLanes(int lane, const ClipperLanes& from, int fromLane, int lanes) noexcept;
    /// In place. RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] static constexpr bool hearsApart() { return false; }

  private:
    static constexpr int kPiece = CurveLanes::kPiece;
    struct Values {
        LaneFloats ceiling; ///< ln c
        LaneFloats knee;    ///< h
        LaneFloats mix;     ///< 0 where it is bypassed
        static constexpr std::array kAll{&Values::ceiling, &Values::knee, &Values::mix};
    };
    struct Lane {
        int lanes = 0; ///< of the module; 0: none, or the right one of a pair
        int delayFrames = 0;
        bool isPlaced = false;
        bool isCapped = false;
    };

    /// What is to sound now, to the curves, the mix and the cap.
    void takeValues() noexcept;
    void takeCurve(int lane, int frame) noexcept;
    void takeMix(const Values& values) noexcept;
    void mixAndCap(const float* changed, float* io, int frames) noexcept;
    void processPiece(float* io, int frames) noexcept;

    std::array<Lane, kLanes> m_lanes{};
    LaneGlides<Values> m_glides;
    double m_sampleRateHz;
    CurveLanes m_curves;
    ShapedMix m_mix;
    LaneFloats m_cap; ///< greatest sample
    LaneDelay m_delay;
    LaneBuffer m_changed;
    std::vector<Values> m_moving; ///< while they glide, for every frame of a piece
};

} // namespace cask::dsp
