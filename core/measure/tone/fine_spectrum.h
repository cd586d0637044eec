// Spectra of short stretches with bins much finer than their length asks for, and the peaks in them.
#pragma once

#include <core/measure/hits/hit_material.h>
#include <core/measure/real_fft.h>
#include <vector>

namespace cask::measure {

/// Power of a stretch between two moments.
class FineSpectrum {
  public:
    explicit FineSpectrum(double rateHz) : m_rateHz(rateHz), m_fft(sizeFor(rateHz)) {}
    [[nodiscard]] double binHz() const { return m_rateHz / static_cast<double>(m_fft.size()); }
    [[nodiscard]] std::size_t bins() const { return m_fft.bins(); }

    /// Adds the power of the Hann-windowed stretch; false when it is too short. A steady noise reads the same
    /// whatever the length.
    bool add(const HitMaterial& m, double fromS, double lengthS, std::vector<double>& power);

  private:
    static std::size_t sizeFor(double rateHz);
    double m_rateHz;
    RealFft m_fft;
    std::vector<float> m_piece;
};

[[nodiscard]] std::vector<float> inDb(const std::vector<double>& power);

/// Half an octave to either side.
inline constexpr double kAround = 1.41;
/// Median level from a share below a bin to as much above.
[[nodiscard]] double aroundDb(const std::vector<float>& db, double bin, double ratio = kAround);

struct SpectrumPeak {
    double bin = 0; ///< between bins, by a parabola through three levels
    double db = 0;
};

/// Local maxima up to 5 kHz that stand out, strongest first; of two that are nearer than the window can tell
/// apart the stronger.
[[nodiscard]] std::vector<SpectrumPeak> peaksOf(const std::vector<float>& db, double binHz, double apartHz,
                                                double fromHz, double outDb);

/// Whether a spectrum has its greatest level near a frequency right there.
[[nodiscard]] bool isThere(const std::vector<float>& db, double binHz, double hz, double shareHz,
                           double outDb);

} // namespace cask::measure
