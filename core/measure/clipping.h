// Where a signal stands flat at an extreme: what a converter or a stage that ran out of range leaves.
#pragma once

#include <array>
#include <core/base/units.h>
#include <span>
#include <vector>

namespace cask::measure {

/// Samples in a row that stand flat at an extreme.
struct ClippedRun {
    double startS = 0; ///< from the file's start
    Frames frames = 0; ///< samples of the file as it is
    int channel = 0;
    double levelDb = 0; ///< at which it stands, dBFS
};

/// Clipped runs of one channel, at full scale and, where a fader came after the clipping, at any other level.
///
/// A run is a stretch of at least kLeastRun samples that differ by no more than one step of the file's
/// resolution, at an extreme of its surroundings, and longer than curvature explains: a wave that bends
/// evenly and falls by y within d samples of the ends of n would have gone on by y n^2 / 4 (n d + d^2)
/// between them, which has to be well over a step of 16 bits. Below full scale at least kLeastRepeats runs
/// stand at one value, and a file of held samples (flat places on its slopes too) has none. Streaming; not
/// thread-safe.
class ClipFinder {
  public:
    static constexpr Frames kLeastRun = 3;
    static constexpr int kLeastRepeats = 3;
    static constexpr float kFullScale = 0.999F;

    struct Run {
        Frames start = 0;
        Frames frames = 0;
        float value = 0;
    };

    void add(std::span<const float> samples);
    /// By time; runs that reach the end of what was added count.
    [[nodiscard]] std::vector<Run> result() const;

  private:
    static constexpr std::size_t kAround = 16; // samples looked at on each side of a run
    void process(std::size_t end, bool isAtEnd);
    void close(std::size_t at, bool isAtEnd);
    /// Within which values are one.
    [[nodiscard]] float tolerance(float value) const;
    [[nodiscard]] bool isExtreme(float value) const;

    std::vector<float> m_buffer;           // kAround samples already looked at, then those to come
    std::size_t m_next = 0;                // in the buffer: first that was not looked at
    Frames m_bufferStart = 0;              // frame of the buffer's first sample
    float m_step = 1;                      // least difference that was seen
    Run m_run;                             // the stretch that is going on; m_run.frames 0: none yet
    float m_lowest = 0;                    // within it
    float m_highest = 0;                   //
    std::array<float, kAround> m_before{}; // it, the nearest first
    bool m_isFromStart = true;             // nothing was before it
    std::vector<Run> m_full;               // at full scale
    std::vector<Run> m_candidates;         // below
    Frames m_stairs = 0;                   // flat places on a slope
};

} // namespace cask::measure
