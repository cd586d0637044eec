// Values of lanes that glide to others, each lane in its own time.
#pragma once

#include <algorithm>
#include <core/dsp/lane.h>

namespace cask::dsp {

/// `Values` has LaneFloats and kAll, an array of pointers to all of them.
template <class Values> class LaneGlides {
  public:
    Values to;  ///< where begin() takes a lane
    Values now; ///< what sounds

    /// A lane goes to what `to` says; at once in 0 frames. RT: no alloc.
    void begin(int lane, int frames) noexcept {
        bool moves = false;
        for (const auto value : Values::kAll) {
            (m_from.*value)[lane] = (now.*value)[lane];
            moves = moves || (now.*value)[lane] != (to.*value)[lane];
            if (frames == 0)
                (now.*value)[lane] = (to.*value)[lane];
        }
        const auto l = static_cast<std::size_t>(lane);
        m_frames[l] = std::max(1, frames);
        m_left[l] = moves ? frames : 0;
        m_isGliding = m_isGliding || m_left[l] > 0;
    }
    [[nodiscard]] bool isGliding() const { return m_isGliding; }
    /// The values of the next frame. RT: no alloc.
    void step() noexcept {
        m_isGliding = false;
        for (int lane = 0; lane < kLanes; ++lane) {
            const auto l = static_cast<std::size_t>(lane);
            if (m_left[l] == 0)
                continue;
            --m_left[l];
            m_isGliding = m_isGliding || m_left[l] > 0;
            const float t = 1 - static_cast<float>(m_left[l]) / static_cast<float>(m_frames[l]);
            const float share = t * t * (3 - 2 * t);
            for (const auto value : Values::kAll) {
                const float a = (m_from.*value)[lane];
                const float b = (to.*value)[lane];
                (now.*value)[lane] = m_left[l] == 0 ? b : a + share * (b - a);
            }
        }
    }
    /// A block's worth of steps: each frame's values to `each`, with moved(lane, frame) for each lane that
    /// moves there, once they are in `now`. Without a glide nothing is stepped or written. RT: no alloc.
    template <class Moved> void stepThrough(Values* each, int frames, const Moved& moved) noexcept {
        for (int n = 0, glides = m_isGliding ? frames : 0; n < glides; ++n) {
            const auto left = m_left;
            step();
            for (int lane = 0; lane < kLanes; ++lane)
                if (left[static_cast<std::size_t>(lane)] > 0)
                    moved(lane, n);
            each[n] = now;
        }
    }
    /// All lanes are where they go to.
    void settle() noexcept {
        now = to;
        m_left.fill(0);
        m_isGliding = false;
    }
    /// What sounds in a lane of another; begin() takes it on from there.
    void copyLane(int lane, const LaneGlides& from, int fromLane) noexcept {
        for (const auto value : Values::kAll)
            (now.*value)[lane] = (from.now.*value)[fromLane];
    }

  private:
    Values m_from;
    std::array<int, kLanes> m_frames{};
    std::array<int, kLanes> m_left{};
    bool m_isGliding = false;
};

} // namespace cask::dsp
