// Gate and expander: detector, gain, look-ahead and the part of the spectrum they act on.
#pragma once

#include <array>
#include <core/dsp/eq_settings.h>
#include <core/dsp/gate_gain.h>
#include <core/dsp/reach_filter.h>
#include <core/dsp/section_design.h>
#include <vector>

namespace cask::dsp {

/// What comes out: the sound, or for a person who sets the gate the detector's sound or what is taken away.
enum class GateOutput { Sound, Detector, Removed };

/// Frames by which the sound waits for the gain.
[[nodiscard]] int gateLatency(const GateSettings& settings, double sampleRateHz);
/// The detector's filter, low cut first; empty when it is off.
[[nodiscard]] std::vector<EqBand> detectorBands(const GateSettings& settings);
[[nodiscard]] std::vector<SvfCoefficients> designDetectorFilter(const GateSettings& settings,
                                                                double sampleRateHz);

/// One or two channels with one gain: two are linked by the louder of their detectors.
class Gate {
  public:
    /// Frames that process() takes at most at a time.
    static constexpr int kPiece = 256;

    /// Allocates. `waitFrames`: by which the sound waits on top of the look-ahead, for a key that comes late.
    void prepare(double sampleRateHz, int channels, const GateSettings& settings, int waitFrames = 0);
    /// Times and levels glide; the look-ahead stays what prepare() was given. RT: no alloc, no lock.
    void set(const GateSettings& settings, bool isOn, GateOutput output, int glideFrames) noexcept;
    void reset() noexcept;
    /// The other's sound and movement, with this one's settings as their goal.
    /// RT: no alloc. REQUIRES: prepared alike.
    void copyStateFrom(const Gate& other, int glideFrames) noexcept;
    /// In place; frame n of channel c is sound[c][n * stride]. The detectors, filtered, have the same
    /// stride; the second may be null for a mono key. RT: no alloc, no lock. REQUIRES: frames <= kPiece.
    void process(const std::array<float*, 2>& sound, const std::array<const float*, 2>& detectors, int stride,
                 int frames) noexcept;
    [[nodiscard]] int latencyFrames() const { return m_latency; }
    /// Gain (linear) at the end of the last call, for display.
    [[nodiscard]] float gainNow() const { return m_gainNow; }

  private:
    void delay(float* sound, int stride, int channel, int frames) noexcept;
    [[nodiscard]] bool switchGains(bool isOneGain, int frames) noexcept;

    int m_channels = 1;
    int m_latency = 0;
    bool m_isOn = true;
    GateReach m_reach = GateReach::All;
    GateOutput m_output = GateOutput::Sound;
    GateGain m_gain;
    std::array<ReachFilter, 2> m_reachFilters;
    std::array<std::vector<float>, 2> m_ring; ///< latency frames
    int m_ringAt = 0;
    // Switching on and off goes from one gain to the other.
    float m_offShare = 0; ///< 1: off
    float m_offStep = 0;
    float m_gainNow = 1;
    std::array<float, kPiece> m_gains{};
    std::array<float, kPiece> m_mono{};
    std::array<float, kPiece> m_dry{};
};

} // namespace cask::dsp
