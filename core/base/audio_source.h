// Where sound comes from, as the graph sees it: planar, random access, at the session rate.
#pragma once

#include <core/base/units.h>
#include <span>
#include <string>

namespace cask {

class AudioSource {
  public:
    AudioSource() = default;
    AudioSource(const AudioSource&) = delete;
    AudioSource& operator=(const AudioSource&) = delete;
    virtual ~AudioSource() = default;

    [[nodiscard]] virtual int channels() const noexcept = 0;
    [[nodiscard]] virtual Frames frames() const noexcept = 0;
    /// Fills `out` with one channel from frame `start` (may be negative); silence outside the file.
    /// False when some of it was not there in time (that part is silence).
    /// Real-time sources: no allocation, no lock, no file access.
    virtual bool read(int channel, Frames start, std::span<float> out) noexcept = 0;
    /// A sentence once a read has failed for good: what came out since is silence, not sound. For offline
    /// work, from any thread.
    [[nodiscard]] virtual std::string failure() const { return {}; }
};

} // namespace cask
