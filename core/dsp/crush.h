// Crush: fewer bits, and a lower rate by holding samples.
#pragma once

#include <core/base/units.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/kernels.h>
#include <core/dsp/lane_glides.h>
#include <vector>

namespace cask::dsp {

struct CrushSettings {
    static constexpr double kMostBits = 24;      ///< untouched
    static constexpr double kMostRateHz = 96000; ///< untouched

    double bits = 12;
    bool isDithered = false; ///< triangular noise of two steps before the rounding
    double rateHz = kMostRateHz;
    bool isFiltered = false; ///< low-pass before and after the holding
    double mixPercent = 100;
    friend bool operator==(const CrushSettings&, const CrushSettings&) = default;
};

/// The crushers of a group of lanes.
///
/// Law. The sound is held at every frame n of the session where floor(n r) steps on, r = rate / session's
/// rate: so what is held does not depend on where playing began. It is rounded to steps of 2^(1 - bits); with
/// dither after the sum of two evenly spread numbers of half a step each, that depend on the frame and the
/// side alone. With the filter, Butterworth low-passes of 48 dB an octave at 0.45 of the rate stand before
/// and after. Without it what lies over half the rate folds back, and holding adds images: that is what it is
/// for, so nothing is oversampled here.
class CrushLanes {
  public:
    using Settings = CrushSettings;

    [[nodiscard]] static int latencyFrames(const Settings& /*settings*/, double /*sampleRateHz*/) {
        return 0;
    }
    [[nodiscard]] static std::vector<EqBand> detectorBands(const Settings& /*settings*/) { return {}; }

    /// Every lane passes what comes.
    explicit CrushLanes(double sampleRateHz);
    /// A module on a lane, or on it and the next. Call prepare() after the last one.
    void place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames);
    void prepare() { reset(); }

    /// The mix glides to another; the rest stays as it was placed. RT: no alloc, no lock.
    void set(int lane, const Settings& settings, bool isOn, int glideFrames) noexcept;
    void reset() noexcept;
    /// Another's sound and values; set() lets them glide to this one's. RT: no alloc.
    void copyLanes(int lane, const CrushLanes& from, int fromLane, int lanes) noexcept;
    /// The frame that the next call begins with.
    void standAt(Frames frame) noexcept { m_frame = frame; }
    /// In place. RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] static constexpr bool hearsApart() { return false; }

  private:
    static constexpr int kPiece = 64;
    struct Values {
        LaneFloats mix;
        static constexpr std::array kAll{&Values::mix};
    };
    struct Lane {
        int lanes = 0;     ///< of the module; 0: none, or the right one of a pair
        int side = 0;      ///< 1: the right one
        double step = 1;   ///< r; 1: every frame
        float quantum = 0; ///< a step; 0: not rounded
        bool isDithered = false;
        bool isPlaced = false;
    };
    void crush(const Lane& lane, int at, float* sound, int frames) noexcept;

    double m_rateHz;
    Frames m_frame = 0;
    std::array<Lane, kLanes> m_lanes{};
    LaneGlides<Values> m_glides;
    bool m_isFiltered = false;
    SectionBank m_before, m_after;
    LaneFloats m_held;
    LaneBuffer m_crushed;
};

} // namespace cask::dsp
