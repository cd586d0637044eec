// The level that a gate compares with its thresholds, where it has to be known frame by frame.
#pragma once

#include <core/dsp/gate_settings.h>
#include <cstdint>
#include <utility>
#include <vector>

namespace cask::dsp {

/// Greatest absolute value, or root mean square, of the last frames: exact, the same for any split into
/// calls.
class GateLevel {
  public:
    static constexpr double kMostWindowMs = 50;

    /// Allocates.
    void prepare(double sampleRateHz);
    /// Another window begins anew. RT: no alloc.
    void set(GateDetector detector, int windowFrames) noexcept;
    void forget() noexcept;
    [[nodiscard]] int mostFrames() const { return static_cast<int>(m_squares.size()); }
    [[nodiscard]] double next(float x) noexcept;

  private:
    GateDetector m_detector = GateDetector::Peak;
    int m_frames = 1;
    std::vector<std::int64_t> m_squares;                 ///< of the last frames
    std::vector<std::pair<float, long long>> m_greatest; ///< values that may still be the greatest
    int m_first = 0;
    int m_count = 0;
    int m_at = 0;
    std::int64_t m_sum = 0;
    long long m_frame = 0;
};

} // namespace cask::dsp
