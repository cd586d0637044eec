// An element's way to the monitor for what is played by hand: its chain, level and buses.
#pragma once

#include <array>
#include <core/base/result.h>
#include <core/graph/runner.h>
#include <core/session/session.h>
#include <memory>

namespace cask::engine {

/// What is played by hand, as a source of two channels: always the block that is under way.
class LiveHand final : public AudioSource {
  public:
    static constexpr int kMostFrames = 256;

    [[nodiscard]] int channels() const noexcept override { return 2; }
    [[nodiscard]] Frames frames() const noexcept override { return Frames{1} << 60; }
    bool read(int channel, Frames start, std::span<float> out) noexcept override;
    /// The next block. RT: no alloc, no lock.
    void set(const float* interleaved, int frames) noexcept;

  private:
    std::array<std::array<float, kMostFrames>, 2> m_block{};
};

/// Alone: no other element is heard in it, nor by its detectors. Made on the control thread, used on the
/// audio thread.
class LiveChain {
  public:
    static constexpr int kMostFrames = LiveHand::kMostFrames;

    /// Of an element as the session has it, heard even where it is muted. Chains that are to go on with each
    /// other have one hand. An error where there is no such element.
    [[nodiscard]] static Result<std::unique_ptr<LiveChain>>
    make(const session::Session& s, session::Id element,
         std::shared_ptr<LiveHand> hand = std::make_shared<LiveHand>());

    /// By which what is played comes later.
    [[nodiscard]] int latencyFrames() const { return m_runner.plan().latencyFrames; }
    /// Goes on with the settings of another one, gliding to them, where both have one hand and the same
    /// modules: true; the other one is not to be used any more. RT: no alloc, no lock.
    [[nodiscard]] bool goOnWith(LiveChain& other) noexcept;
    /// Takes over what sounds in one of other modules, which is not to be used any more. RT: no alloc, no
    /// lock.
    void goOnFrom(LiveChain& before) noexcept { m_runner.adopt(before.m_runner); }
    /// Interleaved stereo becomes what is heard of it. `at`: the frame of the session. RT: no alloc, no lock.
    /// REQUIRES: frames <= kMostFrames.
    void process(float* interleaved, int frames, Frames at) noexcept;

  private:
    LiveChain(std::shared_ptr<LiveHand> hand, std::shared_ptr<const graph::Plan> plan)
        : m_hand(std::move(hand)), m_plan(plan), m_runner(std::move(plan), kMostFrames) {}

    std::shared_ptr<LiveHand> m_hand;
    std::shared_ptr<const graph::Plan> m_plan; ///< of the runner, until another chain goes on with it
    graph::Runner m_runner;
};

} // namespace cask::engine
