#include "core/media/resampler.h"

#include <cmath>

namespace cask::media {

Result<Resampler> Resampler::create(double fromHz, double toHz, int channels) {
    soxr_error_t error = nullptr;
    const auto quality = soxr_quality_spec(SOXR_VHQ, 0);
    const auto io = soxr_io_spec(SOXR_FLOAT32_I, SOXR_FLOAT32_I);
    Resampler resampler;
    resampler.m_handle.reset(
        soxr_create(fromHz, toHz, static_cast<unsigned>(channels), &error, &io, &quality, nullptr));
    if (error != nullptr || !resampler.m_handle)
        return Error{ErrorCode::Unsupported, "The sample rate can't be converted."};
    resampler.m_ratio = toHz / fromHz;
    resampler.m_channels = channels;
    return resampler;
}

std::span<const float> Resampler::process(std::span<const float> interleaved) {
    const auto channels = static_cast<std::size_t>(m_channels);
    const std::size_t framesIn = interleaved.size() / channels;
    std::size_t filled = 0;
    std::size_t consumed = 0;
    for (;;) {
        const std::size_t room = 4096 + static_cast<std::size_t>(static_cast<double>(framesIn) * m_ratio);
        m_out.resize((filled + room) * channels);
        std::size_t used = 0;
        std::size_t made = 0;
        const float* in = interleaved.empty() ? nullptr : interleaved.data() + consumed * channels;
        soxr_process(m_handle.get(), in, framesIn - consumed, &used, m_out.data() + filled * channels, room,
                     &made);
        consumed += used;
        filled += made;
        if (made < room && consumed >= framesIn)
            return {m_out.data(), filled * channels};
    }
}

Frames Resampler::convertedLength(Frames frames, double fromHz, double toHz) {
    return std::llround(static_cast<double>(frames) * toHz / fromHz);
}

} // namespace cask::media
