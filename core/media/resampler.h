// Sample rate conversion: soxr at its very-high quality.
#pragma once

#include <soxr.h>

#include <core/base/result.h>
#include <core/base/units.h>
#include <memory>
#include <span>
#include <vector>

namespace cask::media {

/// Streaming converter for interleaved sound. Group delay is taken out: output frame n is the instant n /
/// toHz.
class Resampler {
  public:
    [[nodiscard]] static Result<Resampler> create(double fromHz, double toHz, int channels);

    /// Converts a piece; the result stays valid until the next call. An empty piece ends the stream.
    [[nodiscard]] std::span<const float> process(std::span<const float> interleaved);

    /// Frames that `frames` become.
    [[nodiscard]] static Frames convertedLength(Frames frames, double fromHz, double toHz);

  private:
    Resampler() = default;
    struct Closer {
        void operator()(soxr_t handle) const { soxr_delete(handle); }
    };
    std::unique_ptr<soxr, Closer> m_handle;
    double m_ratio = 1;
    int m_channels = 1;
    std::vector<float> m_out;
};

} // namespace cask::media
