#include "core/dsp/gate_level.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kSquareUnit = 1LL << 36; // 12 dB over full scale fit 10000 times
constexpr float kMostSquare = 16;

} // namespace

void GateLevel::prepare(double sampleRateHz) {
    const auto frames = static_cast<std::size_t>(std::lround(0.001 * kMostWindowMs * sampleRateHz) + 1);
    m_squares.assign(frames, 0);
    m_greatest.assign(frames + 1, {0, 0});
    forget();
}

void GateLevel::set(GateDetector detector, int windowFrames) noexcept {
    if (windowFrames != m_frames)
        forget();
    m_detector = detector;
    m_frames = windowFrames;
}

void GateLevel::forget() noexcept {
    std::fill(m_squares.begin(), m_squares.end(), 0);
    m_count = m_first = m_at = 0;
    m_sum = 0;
    m_frame = 0;
}

double GateLevel::next(float x) noexcept {
    const long long frame = m_frame++;
    if (m_detector == GateDetector::Rms) {
        const float square = std::min(x * x, kMostSquare);
        auto& place = m_squares[static_cast<std::size_t>(m_at)];
        const auto whole = static_cast<std::int64_t>(static_cast<double>(square) * kSquareUnit);
        m_sum += whole - place;
        place = whole;
        m_at = m_at + 1 >= m_frames ? 0 : m_at + 1;
        return std::sqrt(static_cast<double>(m_sum) / (kSquareUnit * m_frames));
    }
    const auto size = static_cast<int>(m_greatest.size());
    const float value = std::abs(x);
    const auto place = [&](int i) -> std::pair<float, long long>& {
        const int at = m_first + i;
        return m_greatest[static_cast<std::size_t>(at >= size ? at - size : at)];
    };
    while (m_count > 0 && place(m_count - 1).first <= value)
        --m_count;
    place(m_count++) = {value, frame};
    while (place(0).second <= frame - m_frames) {
        m_first = m_first + 1 == size ? 0 : m_first + 1;
        --m_count;
    }
    return place(0).first;
}

} // namespace cask::dsp
