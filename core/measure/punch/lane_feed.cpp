#include "core/measure/punch/lane_feed.h"

namespace cask::measure {

LaneFeed::LaneFeed(const std::vector<std::vector<float>>& sound, std::size_t channels,
                   std::vector<std::ptrdiff_t> begins)
    : m_sound(sound), m_channels(channels), m_begins(std::move(begins)),
      m_edges(m_begins.size() * channels, std::vector<float>(kBlock)) {
    for (std::size_t lane = 0; lane < m_edges.size(); ++lane)
        m_isUsed.v[lane] = 1;
}

void LaneFeed::read(std::ptrdiff_t at, int frames, float* lanes) {
    const auto there = static_cast<std::ptrdiff_t>(m_sound.front().size());
    std::array<const float*, dsp::kLanes> planar{};
    for (std::size_t lane = 0; lane < m_edges.size(); ++lane) {
        const auto& channel = m_sound[lane % m_channels % m_sound.size()];
        const std::ptrdiff_t from = m_begins[lane / m_channels] + at;
        if (from >= 0 && from + frames <= there) {
            planar[lane] = channel.data() + from;
            continue;
        }
        planar[lane] = m_edges[lane].data();
        for (std::ptrdiff_t n = 0; n < frames; ++n)
            m_edges[lane][static_cast<std::size_t>(n)] =
                from + n >= 0 && from + n < there ? channel[static_cast<std::size_t>(from + n)] : 0.0F;
    }
    for (std::size_t lane = m_edges.size(); lane < dsp::kLanes; ++lane)
        planar[lane] = planar[0];
    dsp::kernels().interleave(planar.data(), m_isUsed, lanes, frames);
}

} // namespace cask::measure
