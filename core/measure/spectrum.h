// Average power spectrum of a file on a musical scale.
#pragma once

#include <core/base/units.h>
#include <span>
#include <vector>

namespace cask::measure {

/// Fine points per octave, from kLowestHz up.
inline constexpr int kPointsPerOctave = 24;
inline constexpr double kLowestHz = 16;
inline constexpr int kSpectrumPoints = 10 * kPointsPerOctave + 12; // to 23 kHz

/// Power in bands of 1/24 octave, dB against a full-scale sine in the band (which reads 0 dB). Mono sum by
/// power.
struct Spectrum {
    std::vector<float> bandDb; ///< kSpectrumPoints, or empty when there was nothing to measure
    [[nodiscard]] static double pointHz(int point);
    /// Power of the bands between two frequencies together, dB.
    [[nodiscard]] double levelBetween(double fromHz, double toHz) const;
    /// Level per third of an octave around this centre, dB (nominal centres: IEC 61260).
    [[nodiscard]] double thirdOctaveDb(double centreHz) const;
};

/// From powers of evenly spaced bins (the first at 0 Hz), each multiplied with a scale.
[[nodiscard]] Spectrum spectrumOf(std::span<const double> powers, double binHz, double scale);

/// Welch's method: Hann windows of about a third of a second, half overlapped, powers averaged; silent
/// windows count.
class SpectrumMeter {
  public:
    SpectrumMeter(double sampleRateHz, int channels);
    ~SpectrumMeter();
    SpectrumMeter(const SpectrumMeter&) = delete;
    SpectrumMeter& operator=(const SpectrumMeter&) = delete;

    void add(std::span<const float> interleaved);
    /// One window that does not join what came before. REQUIRES: windowFrames() frames.
    void addAlone(std::span<const float> interleaved);
    [[nodiscard]] int windowFrames() const { return static_cast<int>(m_size); }
    [[nodiscard]] Spectrum result() const;

  private:
    void addWindow(std::size_t channel);

    double m_sampleRateHz;
    std::size_t m_size;
    std::vector<std::vector<float>> m_pending; // per channel
    std::vector<float> m_window;
    std::vector<double> m_power; // per bin, summed over windows
    double m_windows = 0;
    float* m_in;
    float* m_out;
    void* m_plan;
};

} // namespace cask::measure
