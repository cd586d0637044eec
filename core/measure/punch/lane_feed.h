// Sounds put on lanes, block by block.
#pragma once

#include <core/dsp/kernels.h>
#include <vector>

namespace cask::measure {

/// A sound on the lanes again and again, each time from another frame on; silence before it and behind it.
class LaneFeed {
  public:
    static constexpr int kBlock = 256; ///< its lanes stay in the first cache

    /// Time i is on the lanes i * channels and up; a sound of fewer channels is on all of them.
    LaneFeed(const std::vector<std::vector<float>>& sound, std::size_t channels,
             std::vector<std::ptrdiff_t> begins);
    /// `at`: after each time's beginning. REQUIRES: frames <= kBlock.
    void read(std::ptrdiff_t at, int frames, float* lanes);

  private:
    const std::vector<std::vector<float>>& m_sound;
    std::size_t m_channels;
    std::vector<std::ptrdiff_t> m_begins;
    dsp::LaneFloats m_isUsed;
    std::vector<std::vector<float>> m_edges; ///< of each lane that is used
};

} // namespace cask::measure
