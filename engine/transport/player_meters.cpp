// What the audio thread tells of what it plays.
#include "engine/transport/player.h"

#include <algorithm>

namespace cask::engine {

namespace {

std::span<const graph::DynamicPlan> dynamicsOf(const graph::StepPlan& step) {
    const auto* dynamics = std::get_if<std::vector<graph::DynamicPlan>>(&step.what);
    return dynamics != nullptr ? std::span(*dynamics) : std::span<const graph::DynamicPlan>();
}

} // namespace

NodeLevel Player::takeLevel(graph::Id node) {
    for (auto& slot : m_levels)
        if (slot.node.load(std::memory_order_relaxed) == node)
            return {slot.peak.exchange(0, std::memory_order_relaxed),
                    slot.meanSquare.load(std::memory_order_relaxed)};
    return {};
}

float Player::gateGain(graph::Id node) const {
    for (const auto& slot : m_levels)
        if (slot.node.load(std::memory_order_relaxed) == node)
            return slot.gateGain.load(std::memory_order_relaxed);
    return 1;
}

float Player::compressorGain(graph::Id node) const {
    for (const auto& slot : m_levels)
        if (slot.node.load(std::memory_order_relaxed) == node)
            return slot.compressorGain.load(std::memory_order_relaxed);
    return 1;
}

float Player::movedDb(graph::Id band) const {
    for (const auto& slot : m_bands)
        if (slot.band.load(std::memory_order_relaxed) == band)
            return slot.movedDb.load(std::memory_order_relaxed);
    return 0;
}

void Player::publish(int frames) noexcept {
    const auto& nodes = m_current->runner->plan().nodes;
    for (std::size_t i = 0; i < std::min<std::size_t>(nodes.size(), kMostNodes); ++i) {
        auto& slot = m_levels[i];
        slot.node.store(nodes[i].id, std::memory_order_relaxed);
        const float peak = nodes[i].outputGain * m_current->runner->peak(nodes[i]);
        if (peak > slot.peak.load(std::memory_order_relaxed))
            slot.peak.store(peak, std::memory_order_relaxed);
        slot.gateGain.store(m_current->runner->gainOf(Stage::Clean, nodes[i]), std::memory_order_relaxed);
        slot.compressorGain.store(m_current->runner->gainOf(Stage::Punch, nodes[i]),
                                  std::memory_order_relaxed);
        slot.meanSquare.store(nodes[i].outputGain * nodes[i].outputGain *
                                  m_current->runner->meanSquare(nodes[i]),
                              std::memory_order_relaxed);
    }
    std::size_t at = 0;
    for (const auto& group : m_current->runner->plan().groups)
        for (const auto& step : group.steps)
            for (const auto& dynamics : dynamicsOf(step))
                for (const auto& design : dynamics.settings)
                    if (at < kMostMovingBands) {
                        m_bands[at].band.store(design.band.id, std::memory_order_relaxed);
                        m_bands[at++].movedDb.store(m_current->runner->movedDb(design.band.id),
                                                    std::memory_order_relaxed);
                    }
    for (; at < kMostMovingBands; ++at)
        m_bands[at].band.store(session::kNoId, std::memory_order_relaxed);
    m_notFinite.store(m_current->runner->notFiniteBlocks(), std::memory_order_relaxed);
    for (int i = 0; i < 2 * frames; ++i) {
        m_tap[m_tapFill++] = m_mix[static_cast<std::size_t>(i)];
        if (m_tapFill == kTapFloats) {
            (void)m_mixTap.tryEnqueue(m_tap); // full when nobody listens: then it is dropped
            m_tapFill = 0;
        }
    }
}

} // namespace cask::engine
