// Compressor, upward compressor and upward expander: feed-forward, in dB, eight channels side by side.
#pragma once

#include <core/dsp/clipper.h>
#include <core/dsp/compressor_bank.h>
#include <core/dsp/compressor_settings.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/kernels.h>
#include <core/dsp/lane_delay.h>
#include <core/dsp/reach_filter.h>
#include <optional>
#include <vector>

namespace cask::dsp {

/// Frames by which the sound comes late: it waits for the gain, and for a clipper that it may have.
[[nodiscard]] int compressorLatency(const CompressorSettings& settings, double sampleRateHz);
/// The detector's filter, low cut first; empty when it is off.
[[nodiscard]] std::vector<EqBand> detectorBands(const CompressorSettings& settings);
/// The law without its times: gain (dB, without make-up and mix) while the detector's level stays at a level
/// (dBFS). Down: (1 - 1/ratio) dB lower for each dB over the threshold; up: so much higher for each dB under
/// it; expand: (ratio - 1) dB higher for each dB over it. Within half a knee of the threshold the slope grows
/// evenly (a parabola); no more than the range.
[[nodiscard]] double compressorGainDb(const CompressorSettings& settings, double levelDb);
/// Length of the piece of which a peak detector takes the greatest value: the window, but at most a fifth of
/// the release, so that holding a peak never decides the release. ms.
[[nodiscard]] double peakWindowMs(const CompressorSettings& settings);

/// The compressors of a group of lanes, each on one lane or on a pair.
///
/// Times. The change of gain, in dB, follows its goal by one-pole steps: with the attack after a rise of the
/// level, with the release after a fall, both to 63 % (1 - 1/e) of the way. A peak detector holds for its
/// window; the release is shorter by that, so that 63 % stay where they are. A programme-dependent release
/// has a second, slow part: 70 % of the goal, reached with four times the release and left with six times;
/// the greater of both is heard. So single hits recover as set, and what is held down for long comes back
/// slowly.
///
/// Grab. A follower gets used to the goal (63 % in 20 ms or twice the attack, whichever is longer); by 60 %
/// of what the goal stands over the follower, the goal is passed, and by as much of what it stands under it,
/// undercut, down to no change. So a hit is taken up to 1.6 times as far as the law says, and let go while it
/// still sounds; what lasts is changed as the law says.
class CompressorLanes {
  public:
    using Settings = CompressorSettings;

    [[nodiscard]] static int latencyFrames(const CompressorSettings& settings, double sampleRateHz) {
        return compressorLatency(settings, sampleRateHz);
    }
    [[nodiscard]] static std::vector<EqBand> detectorBands(const CompressorSettings& settings) {
        return dsp::detectorBands(settings);
    }
    /// Allocates. Every lane passes what comes.
    explicit CompressorLanes(double sampleRateHz);
    /// A module on a lane, or on it and the next. `waitFrames`: by which the sound waits on top of the
    /// look-ahead, for a key that comes late. Call prepare() after the last one.
    void place(int lane, int lanes, const CompressorSettings& settings, bool isOn, int waitFrames);
    /// Allocates what the placed modules need.
    void prepare();

    /// Threshold, ratio, knee, times, range, mix, link and make-up glide to others; the rest stays as it was
    /// placed. RT: no alloc, no lock.
    void set(int lane, const CompressorSettings& settings, bool isOn, int glideFrames) noexcept;
    void reset() noexcept;
    /// Another's sound, movement and values as they are now; set() lets them glide to this one's.
    /// RT: no alloc.
    void copyLanes(int lane, const CompressorLanes& from, int fromLane, int lanes) noexcept;
    /// In place. `heard`, filtered, is the sound as it comes or a key; it may be io where nothing waits.
    /// RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept {
        processWith(kernels(), heard, io, frames);
    }
    void processWith(const Kernels& kernels, const float* heard, float* io, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] bool hearsApart() const { return m_delay.tapCount > 0; }
    /// Gain (linear, without make-up) of a lane at the end of the last call, for display.
    [[nodiscard]] float gainNow(int lane) const { return m_bank.gain[lane]; }

  private:
    struct Glide {
        int frames = 1;
        int left = 0;
    };
    struct Place {
        CompressorSettings settings;
        int lanes = 0; ///< 0: none, or the right one of a pair
        int waitFrames = 0;
        ReachFilter reach;
    };

    void take(int lane, const CompressorSettings& settings, bool isOn) noexcept;
    void stepGlides() noexcept;
    /// A piece, where some lane acts on a part of the spectrum through its filter.
    void compressPart(const Kernels& kernels, const float* heard, float* io, int frames) noexcept;
    void compress(const Kernels& kernels, const float* heard, float* io, int frames) noexcept;

    double m_rateHz;
    CompressorBank m_bank;
    CompressorValues m_from;
    CompressorValues m_to;
    std::array<Glide, kLanes> m_glides;
    bool m_isGliding = false;
    std::array<Place, kLanes> m_places;
    LaneDelay m_delay;
    bool m_hasReach = false;            ///< some lane acts on a part of the spectrum
    LaneBuffer m_piece;                 ///< of what comes out, where that is so
    std::optional<ClipperLanes> m_clip; ///< of lanes that are soft-clipped
};

} // namespace cask::dsp
