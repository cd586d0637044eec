// Other values in time: where a step is among them.
#pragma once

#include <core/base/units.h>
#include <cstddef>
#include <limits>
#include <span>
#include <vector>

namespace cask::graph {

/// From a frame on, other values; at first they glide there.
template <class Value> struct Moment {
    Frames frame = 0;
    Value value;
    int glideFrames = 0;
};

/// Follows the moments of a step through its blocks. `Any` has a `frame`; they are sorted by it.
template <class Any> class MomentClock {
  public:
    /// REQUIRES: the moments outlive it.
    explicit MomentClock(const std::vector<Any>& moments) : m_moments(&moments) {}

    /// Whether a block does not go on where the last one ended.
    [[nodiscard]] bool isJump(Frames start) const { return start != m_expected; }
    [[nodiscard]] Frames expected() const { return m_expected; }
    void forget() { m_expected = kNowhere; }

    /// Stands at a frame. The moments that have come by then, in order.
    std::span<const Any> settle(Frames frame) {
        m_expected = frame;
        m_next = 0;
        while (m_next < m_moments->size() && (*m_moments)[m_next].frame <= frame)
            ++m_next;
        return std::span(*m_moments).first(m_next);
    }
    /// The next moment, when it has come at this frame; else null.
    const Any* take(Frames frame) {
        return m_next < m_moments->size() && (*m_moments)[m_next].frame <= frame ? &(*m_moments)[m_next++]
                                                                                 : nullptr;
    }
    /// Frames from here on in which no moment comes, at most so many.
    [[nodiscard]] int untilNext(Frames frame, int most) const {
        return m_next < m_moments->size() && (*m_moments)[m_next].frame - frame < most
                   ? static_cast<int>((*m_moments)[m_next].frame - frame)
                   : most;
    }
    void standAt(Frames frame) { m_expected = frame; }
    /// Others from here on; call settle() next. REQUIRES: they outlive it.
    void follow(const std::vector<Any>& moments) { m_moments = &moments; }

  private:
    static constexpr Frames kNowhere = std::numeric_limits<Frames>::min();

    const std::vector<Any>* m_moments;
    std::size_t m_next = 0;
    Frames m_expected = kNowhere;
};

} // namespace cask::graph
