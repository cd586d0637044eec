#include "engine/live/live_chain.h"

#include "core/session/hearing.h"

#include <algorithm>

namespace cask::engine {

bool LiveHand::read(int channel, Frames /*start*/, std::span<float> out) noexcept {
    const auto& from = m_block[static_cast<std::size_t>(std::min(channel, 1))];
    const std::size_t count = std::min(out.size(), from.size());
    std::copy_n(from.begin(), count, out.begin());
    std::fill(out.begin() + static_cast<std::ptrdiff_t>(count), out.end(), 0.0F);
    return true;
}

void LiveHand::set(const float* interleaved, int frames) noexcept {
    for (int n = 0; n < frames; ++n)
        for (std::size_t side = 0; side < 2; ++side)
            m_block[side][static_cast<std::size_t>(n)] = interleaved[2 * n + static_cast<int>(side)];
}

Result<std::unique_ptr<LiveChain>> LiveChain::make(const session::Session& s, session::Id element,
                                                   std::shared_ptr<LiveHand> hand) {
    // A module whose key is not there hears its own sound.
    session::Session alone = session::withMute(session::withoutSolos(s), {element}, false);
    std::erase_if(alone.elements, [&](const auto& e) { return e->id != element; });
    if (alone.elements.empty())
        return Error{ErrorCode::NotFound, "The element is not in the session any more."};
    alone.elements.front().edit([&](session::Element& e) {
        e.startFrame = 0;
        e.input.shiftMs = 0; // the hand is the clock
        e.input.rightShiftMs = 0;
        for (std::size_t side = 0; side < e.channels.size(); ++side)
            e.channels[side].channel = static_cast<int>(side);
    });
    auto plan = graph::compile(alone, [&](session::Id) { return hand; });
    if (!plan)
        return plan.error();
    return std::unique_ptr<LiveChain>(new LiveChain(std::move(hand), std::move(*plan)));
}

bool LiveChain::goOnWith(LiveChain& other) noexcept {
    if (!m_runner.hasSameLayout(other.m_runner))
        return false;
    m_runner.retarget(other.m_plan);
    return true;
}

void LiveChain::process(float* interleaved, int frames, Frames at) noexcept {
    m_hand->set(interleaved, frames);
    (void)m_runner.process(at, frames);
    const float* const mix = m_runner.mix();
    for (int n = 0; n < frames; ++n)
        for (int side = 0; side < 2; ++side)
            interleaved[2 * n + side] = mix[n * dsp::kLanes + side];
}

} // namespace cask::engine
