#include "core/media/offline_source.h"

#include <algorithm>

namespace cask::media {

Result<std::shared_ptr<OfflineSource>> OfflineSource::open(const SoundFile& file) {
    auto reader = AudioReader::open(file);
    if (!reader)
        return reader.error();
    return std::make_shared<OfflineSource>(std::move(*reader));
}

OfflineSource::OfflineSource(AudioReader reader)
    : m_channels(reader.info().channels), m_frames(reader.info().frames), m_reader(std::move(reader)) {}

void OfflineSource::fillWindow(Frames start) {
    m_window.resize(static_cast<std::size_t>(kWindowFrames * m_channels));
    m_windowStart = start;
    m_windowFrames = 0;
    if (m_readerAt == start || m_reader.seek(start)) {
        m_windowFrames = m_reader.read(m_window);
        m_readerAt = start + m_windowFrames;
    }
    if (m_windowFrames == 0 && m_failure.empty()) {
        const auto state = m_reader.state();
        m_failure = state ? "A sound file can't be read any more." : state.error().message;
    }
}

std::string OfflineSource::failure() const {
    const std::lock_guard lock(m_mutex);
    return m_failure;
}

bool OfflineSource::read(int channel, Frames start, std::span<float> out) noexcept {
    const std::lock_guard lock(m_mutex);
    std::size_t done = 0;
    while (done < out.size()) {
        const Frames at = start + static_cast<Frames>(done);
        const auto left = static_cast<Frames>(out.size() - done);
        if (at < 0 || at >= m_frames) {
            const Frames n = at < 0 ? std::min(left, -at) : left;
            std::fill_n(out.begin() + static_cast<std::ptrdiff_t>(done), n, 0.0F);
            done += static_cast<std::size_t>(n);
            continue;
        }
        if (at < m_windowStart || at >= m_windowStart + m_windowFrames) {
            fillWindow(at);
            if (m_windowFrames == 0) { // the file ends before its header says so, or vanished
                std::fill(out.begin() + static_cast<std::ptrdiff_t>(done), out.end(), 0.0F);
                return false;
            }
        }
        const Frames n = std::min(left, m_windowStart + m_windowFrames - at);
        const float* from = m_window.data() + (at - m_windowStart) * m_channels + channel;
        for (Frames i = 0; i < n; ++i)
            out[done + static_cast<std::size_t>(i)] = from[i * m_channels];
        done += static_cast<std::size_t>(n);
    }
    return true;
}

MemorySource::MemorySource(std::vector<std::vector<float>> planar) : m_planar(std::move(planar)) {}

Frames MemorySource::frames() const noexcept {
    return m_planar.empty() ? 0 : static_cast<Frames>(m_planar.front().size());
}

bool MemorySource::read(int channel, Frames start, std::span<float> out) noexcept {
    const auto& samples = m_planar[static_cast<std::size_t>(channel)];
    const auto size = static_cast<Frames>(samples.size());
    const Frames first = std::clamp<Frames>(-start, 0, static_cast<Frames>(out.size()));
    const Frames end = std::clamp<Frames>(size - start, first, static_cast<Frames>(out.size()));
    std::fill_n(out.begin(), first, 0.0F);
    std::copy_n(samples.begin() + (start + first), end - first, out.begin() + first);
    std::fill(out.begin() + end, out.end(), 0.0F);
    return true;
}

} // namespace cask::media
