// An element's way to the monitor for what is played by hand: its chain, level and buses.
#pragma once

#include <array>
#include <core/base/result.h>
#include <core/graph/runner.h>
#include <core/session/session.h>
#include <memory>

namespace cask::engine {

/// Alone: no other element is heard in it, nor by its detectors. Made on the control thread, used on the
/// audio thread.
class LiveChain {
  public:
    static constexpr int kMostFrames = 256;

    /// Of an element as the session has it, heard even where it is muted. An error where there is no such
    /// element.
    [[nodiscard]] static Result<std::unique_ptr<LiveChain>> make(const session::Session& s,
                                                                 session::Id element);

    /// By which what is played comes later.
    [[nodiscard]] int latencyFrames() const { return m_runner.plan().latencyFrames; }
    /// Goes on where another one was, as far as both are alike. RT: no alloc, no lock.
    void goOnFrom(LiveChain& before) noexcept { m_runner.adopt(before.m_runner); }
    /// Interleaved stereo becomes what is heard of it. `at`: the frame of the session. RT: no alloc, no lock.
    /// REQUIRES: frames <= kMostFrames.
    void process(float* interleaved, int frames, Frames at) noexcept;

  private:
    /// What is played, as a source: always the block that is under way.
    class Hand final : public AudioSource {
      public:
        explicit Hand(int channels) : m_channels(channels) {}
        [[nodiscard]] int channels() const noexcept override { return m_channels; }
        [[nodiscard]] Frames frames() const noexcept override { return Frames{1} << 60; }
        bool read(int channel, Frames start, std::span<float> out) noexcept override;
        void set(const float* interleaved, int frames) noexcept;

      private:
        int m_channels;
        std::array<std::array<float, kMostFrames>, 2> m_block{};
    };
    LiveChain(std::shared_ptr<Hand> hand, std::shared_ptr<const graph::Plan> plan)
        : m_hand(std::move(hand)), m_runner(std::move(plan), kMostFrames) {}

    std::shared_ptr<Hand> m_hand;
    graph::Runner m_runner;
};

} // namespace cask::engine
