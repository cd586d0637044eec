// Small arithmetic that the files of Patterns share.
#pragma once

#include <algorithm>
#include <bit>
#include <core/measure/statistics.h>
#include <cstdint>
#include <vector>

namespace cask::measure {

inline constexpr float kLeastPower = 1e-12F;

/// 10 log10 within 0.002 dB: a polynomial in the mantissa. Inlined into loops over entries.
inline float fastDb(float power) {
    const auto bits = std::bit_cast<std::uint32_t>(power);
    const auto exponent = static_cast<float>(static_cast<int>(bits >> 23U) - 127);
    const float m = std::bit_cast<float>((bits & 0x007FFFFFU) | 0x3F800000U);
    const float log2 =
        exponent + (-2.5056147F + (4.0496169F + (-2.0994023F + (0.6355111F + -0.0800109F * m) * m) * m) * m);
    return 3.0103F * log2;
}

/// What strokes of a drum add in one place, against their sizes. A stroke that is drowned there only tells
/// how much it may be at most.
class Ratios {
  public:
    void clear() {
        m_heard.clear();
        m_most.clear();
    }
    void add(float heard, float rest, float size) {
        size = std::max(size, 1e-20F);
        m_most.push_back((std::max(heard - rest, 0.0F) + 0.1F * rest) / size);
        if (heard > 1.6F * rest)
            m_heard.push_back((heard - rest) / size);
    }
    [[nodiscard]] float result(double share) {
        if (m_most.empty())
            return kLeastPower;
        // Strokes that were not heard count as less than all that were.
        const double drowned = static_cast<double>(m_most.size() - m_heard.size());
        const double rank = share * static_cast<double>(m_most.size()) - drowned;
        if (rank >= 0 && !m_heard.empty())
            return std::max(quantile(m_heard, rank / static_cast<double>(m_heard.size())), kLeastPower);
        return std::max(quantile(m_most, 0.1), kLeastPower);
    }

  private:
    std::vector<float> m_heard;
    std::vector<float> m_most;
};

} // namespace cask::measure
