// A player that is filled by hand.
#pragma once

#include "core/session/edits.h"
#include "engine/transport/player.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::engine {

inline std::unique_ptr<PlayerPlan> planOf(const session::Session& s, const graph::SourceLookup& lookup,
                                          float gain = 1) {
    auto plan = std::make_unique<PlayerPlan>();
    plan->runner = std::make_unique<graph::Runner>(*graph::compile(s, lookup), kPlayerBlock);
    plan->gain = gain;
    return plan;
}

/// Plays blocks by hand; left channel only.
inline std::vector<float> pump(Player& player, int blocks, int frames = 128) {
    std::vector<float> out;
    std::vector<float> block(static_cast<std::size_t>(2 * frames));
    for (int i = 0; i < blocks; ++i) {
        player.fill(block.data(), frames);
        for (int n = 0; n < frames; ++n)
            out.push_back(block[static_cast<std::size_t>(2 * n)]);
    }
    return out;
}

class PlayerTest : public testing::Test {
  protected:
    PlayerTest() : m_kit(test::memoryKit({{test::sine(150, 0.5, 20)}})), m_player(48000) {}
    test::MemoryKit m_kit;
    Player m_player;
};

} // namespace cask::engine
