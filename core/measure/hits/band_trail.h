// What the hit analysis keeps of a channel: levels in eight bands per millisecond, and a finer envelope.
#pragma once

#include <array>
#include <core/base/units.h>
#include <core/dsp/kernels.h>
#include <cstdint>
#include <span>
#include <vector>

namespace cask::measure {

inline constexpr int kTrailBands = 8;
/// Edges of the bands, Hz; the first has no lower edge but 25 Hz, the last no upper one.
inline constexpr std::array<double, kTrailBands - 1> kTrailEdgesHz = {90, 180, 360, 800, 1800, 4000, 8000};
inline constexpr double kTrailStepS = 0.001;
inline constexpr int kFineStepsPerStep = 4;
inline constexpr double kFineStepS = kTrailStepS / kFineStepsPerStep;

/// A level in half decibels above -120 dBFS, in one byte.
using LevelByte = std::uint8_t;
[[nodiscard]] LevelByte levelByteOfPower(float power);
[[nodiscard]] inline float dbOfLevelByte(LevelByte b) {
    return 0.5F * static_cast<float>(b) - 120.0F;
}
/// Mean square of each level.
inline constexpr std::array<float, 256> kLevelPowers = [] {
    std::array<float, 256> powers{};
    long double power = 1e-12L;
    for (float& p : powers) {
        p = static_cast<float>(power);
        power *= 1.12201845430196343559L; // 10 ^ 0.05
    }
    return powers;
}();
[[nodiscard]] inline float powerOfLevelByte(LevelByte b) {
    return kLevelPowers[b];
}

/// About 16 kB a second. Plain data, so that it can be kept in a cache.
struct BandTrail {
    double sampleRateHz = 0;
    std::vector<LevelByte> bands;    ///< mean square in each band; [step * kTrailBands + band]
    std::vector<LevelByte> fine;     ///< greatest square in each fine step
    std::vector<LevelByte> fineHigh; ///< the same of the strongest band above 1.8 kHz
    [[nodiscard]] std::size_t steps() const { return bands.size() / kTrailBands; }
    friend bool operator==(const BandTrail&, const BandTrail&) = default;
};

/// Streaming; one channel. Not thread-safe.
class BandTrailMeter {
  public:
    explicit BandTrailMeter(double sampleRateHz);
    /// Takes every `stride`-th sample of `samples`, from the first on.
    void add(std::span<const float> samples, std::size_t stride = 1);
    /// REQUIRES: nothing is added after. What does not fill a step is left out.
    [[nodiscard]] BandTrail take();

  private:
    void addBlock(std::span<const float> samples);
    void addRun(std::size_t frames, const dsp::LaneLevels& levels, float peak);
    void endFineStep();

    BandTrail m_trail;
    dsp::SectionBank m_bank;
    std::vector<float> m_mono;
    std::vector<int> m_runs;               ///< frames to the end of each fine step of a block
    std::vector<dsp::LaneLevels> m_levels; ///< of each run
    double m_fineFrames;
    double m_nextFine;
    Frames m_done = 0;
    int m_fineInStep = 0;
    Frames m_stepStart = 0;
    std::array<float, kTrailBands> m_sums{};
    float m_peak = 0;
    float m_peakHigh = 0;
};

} // namespace cask::measure
