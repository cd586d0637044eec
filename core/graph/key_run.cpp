#include "core/graph/key_run.h"

#include <algorithm>
#include <utility>

namespace cask::graph {

using dsp::kLanes;

KeyRun::KeyRun(const KeyPlan& plan, int lane, int lanes, int mostFrames)
    : m_plan(&plan), m_lane(lane), m_lanes(lanes),
      m_planar(static_cast<std::size_t>(plan.inputCount * mostFrames)),
      m_ring(static_cast<std::size_t>(2 * plan.delayFrames)) {}

void KeyRun::reset() noexcept {
    std::fill(m_ring.begin(), m_ring.end(), 0.0F);
    m_at = 0;
}

bool KeyRun::fill(Frames start, int frames, const float* bus, float* detectors) noexcept {
    float* const to = detectors + m_lane;
    if (bus == nullptr)
        return fillFromElement(start, frames, to);
    for (int n = 0; n < frames; ++n) {
        std::array<float, 2> x = {bus[n * kLanes], bus[n * kLanes + m_plan->lanes - 1]};
        if (m_plan->delayFrames > 0) {
            for (int c = 0; c < 2; ++c)
                std::swap(x[static_cast<std::size_t>(c)], m_ring[static_cast<std::size_t>(2 * m_at + c)]);
            m_at = m_at + 1 == m_plan->delayFrames ? 0 : m_at + 1;
        }
        to[n * kLanes] = m_lanes == 2 ? x[0] : 0.5F * (x[0] + x[1]);
        if (m_lanes == 2)
            to[n * kLanes + 1] = x[1];
    }
    return true;
}

bool KeyRun::fillFromElement(Frames start, int frames, float* to) noexcept {
    bool isReady = true;
    const auto count = static_cast<std::size_t>(frames);
    std::array<float*, 2> planar{m_planar.data(), m_planar.data()};
    for (int i = 0; i < m_plan->inputCount; ++i) {
        const LaneInput& input = m_plan->inputs[static_cast<std::size_t>(i)];
        const auto piece = std::span(m_planar).subspan(static_cast<std::size_t>(i) * count, count);
        planar[static_cast<std::size_t>(i)] = piece.data();
        if (input.source)
            isReady = input.source->read(input.channel, start - input.delayFrames, piece) && isReady;
        else
            std::fill(piece.begin(), piece.end(), 0.0F);
    }
    if (m_plan->inputCount == 1)
        planar[1] = planar[0];
    const float left = m_plan->inputs[0].gain;
    const float right = m_plan->inputs[m_plan->inputCount == 2 ? 1 : 0].gain;
    for (int n = 0; n < frames; ++n) {
        const float l = left * planar[0][n];
        const float r = right * planar[1][n];
        to[n * kLanes] = m_lanes == 2 ? l : 0.5F * (l + r);
        if (m_lanes == 2)
            to[n * kLanes + 1] = r;
    }
    return isReady;
}

} // namespace cask::graph
