#include "core/media/overview.h"

#include <algorithm>
#include <cstring>
#include <string>

namespace cask::media {
namespace {

constexpr std::string_view kMagic = "caskovw2";

OverviewBin merge(std::span<const OverviewBin> bins) {
    OverviewBin merged = bins.front();
    double sum = 0;
    for (const auto& bin : bins) {
        merged.min = std::min(merged.min, bin.min);
        merged.max = std::max(merged.max, bin.max);
        sum += bin.meanSquare;
    }
    merged.meanSquare = static_cast<float>(sum / static_cast<double>(bins.size()));
    return merged;
}

template <class T> void append(std::string& bytes, const T& value) {
    bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
}

template <class T> bool take(std::string_view& bytes, T& value) {
    if (bytes.size() < sizeof value)
        return false;
    std::memcpy(&value, bytes.data(), sizeof value);
    bytes.remove_prefix(sizeof value);
    return true;
}

} // namespace

Overview::Overview(int channels)
    : m_levels(static_cast<std::size_t>(channels), std::vector<std::vector<OverviewBin>>(1)),
      m_open(static_cast<std::size_t>(channels)) {}

void Overview::add(std::span<const float> interleaved) {
    const std::size_t channels = m_levels.size();
    std::size_t at = 0;
    const std::size_t frames = interleaved.size() / channels;
    while (at < frames) {
        const std::size_t n = std::min(frames - at, static_cast<std::size_t>(kBaseBinFrames - m_openFrames));
        for (std::size_t c = 0; c < channels; ++c) {
            Open& open = m_open[c];
            const float* samples = interleaved.data() + at * channels + c;
            if (m_openFrames == 0)
                open = {samples[0], samples[0], 0};
            float low = open.min;
            float high = open.max;
            double sum = open.sum; // one running sum, so that the pieces do not matter
            for (std::size_t i = 0; i < n; ++i) {
                const float s = samples[i * channels];
                low = std::min(low, s);
                high = std::max(high, s);
                sum += static_cast<double>(s * s);
            }
            open.min = low;
            open.max = high;
            open.sum = sum;
        }
        at += n;
        m_openFrames += static_cast<Frames>(n);
        m_frames += static_cast<Frames>(n);
        if (m_openFrames == kBaseBinFrames)
            closeBin();
    }
}

void Overview::closeBin() {
    for (std::size_t c = 0; c < m_levels.size(); ++c)
        m_levels[c][0].push_back({m_open[c].min, m_open[c].max,
                                  static_cast<float>(m_open[c].sum / static_cast<double>(m_openFrames))});
    m_openFrames = 0;
}

void Overview::finish() {
    if (m_openFrames > 0)
        closeBin();
    for (auto& levels : m_levels) {
        while (levels.back().size() > kWidening) {
            const auto& fine = levels.back();
            std::vector<OverviewBin> wide;
            wide.reserve(fine.size() / kWidening + 1);
            for (std::size_t i = 0; i < fine.size(); i += kWidening)
                wide.push_back(
                    merge(std::span(fine).subspan(i, std::min<std::size_t>(kWidening, fine.size() - i))));
            levels.push_back(std::move(wide));
        }
    }
}

int Overview::levels(int channel) const {
    return static_cast<int>(m_levels[static_cast<std::size_t>(channel)].size());
}

std::span<const OverviewBin> Overview::level(int channel, int level) const {
    return m_levels[static_cast<std::size_t>(channel)][static_cast<std::size_t>(level)];
}

Frames Overview::binFrames(int level) {
    Frames width = kBaseBinFrames;
    for (int i = 0; i < level; ++i)
        width *= kWidening;
    return width;
}

OverviewBin Overview::range(int channel, Frames from, Frames to) const {
    from = std::max<Frames>(from, 0);
    to = std::min(to, m_frames);
    if (from >= to)
        return {};
    int chosen = 0;
    while (chosen + 1 < levels(channel) && binFrames(chosen + 1) * 2 <= to - from)
        ++chosen;
    const auto bins = level(channel, chosen);
    const Frames width = binFrames(chosen);
    const auto first = static_cast<std::size_t>(from / width);
    const auto last = std::min(bins.size(), static_cast<std::size_t>((to + width - 1) / width));
    return first < last ? merge(bins.subspan(first, last - first)) : OverviewBin{};
}

std::string Overview::serialise() const {
    std::string bytes(kMagic);
    append(bytes, m_frames);
    append(bytes, static_cast<std::uint32_t>(m_levels.size()));
    for (const auto& levels : m_levels)
        bytes.append(reinterpret_cast<const char*>(levels[0].data()), levels[0].size() * sizeof(OverviewBin));
    return bytes;
}

Result<Overview> Overview::parse(std::string_view bytes) {
    const Error bad{ErrorCode::BadFormat, "The cached overview is damaged."};
    std::uint32_t channels = 0;
    Frames frames = 0;
    if (!bytes.starts_with(kMagic))
        return bad;
    bytes.remove_prefix(kMagic.size());
    if (!take(bytes, frames) || !take(bytes, channels) || channels < 1 || channels > 64 || frames < 0 ||
        frames > Frames{1} << 40)
        return bad;
    const auto bins = static_cast<std::size_t>((frames + kBaseBinFrames - 1) / kBaseBinFrames);
    if (bytes.size() != bins * channels * sizeof(OverviewBin))
        return bad;
    Overview overview(static_cast<int>(channels));
    overview.m_frames = frames;
    for (auto& levels : overview.m_levels) {
        levels[0].resize(bins);
        if (bins > 0)
            std::memcpy(levels[0].data(), bytes.data(), bins * sizeof(OverviewBin));
        bytes.remove_prefix(bins * sizeof(OverviewBin));
    }
    overview.finish();
    return overview;
}

} // namespace cask::media
