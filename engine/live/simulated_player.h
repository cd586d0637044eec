// A player that is none: strikes a pattern by the session's time, a little beside it as a hand would.
#pragma once

#include "engine/live/midi_ports.h"

#include <atomic>
#include <core/layers/layer.h>
#include <thread>

namespace cask::engine {

/// Follows a session as it plays: a strike is played when its time has come, up to kLateS later and up to
/// kVelocities softer or harder, the same ones each time.
class SimulatedPlayer final : public StrokeInput {
  public:
    static constexpr double kLateS = 0.012;
    static constexpr int kVelocities = 8;
    static constexpr const char* kName = "Simulated player (no device)";

    /// `positionS`: where the session plays, below 0 while it does not; asked about a thousand times a
    /// second from the player's own thread.
    SimulatedPlayer(std::vector<layers::Strike> pattern, std::function<double()> positionS, StrokeSink sink);
    ~SimulatedPlayer() override;

  private:
    void run();
    const std::vector<layers::Strike> m_pattern;
    const std::function<double()> m_positionS;
    const StrokeSink m_sink;
    std::atomic<bool> m_isStopping{false};
    std::thread m_thread;
};

/// What is played between two places of the session: strikes by the time at which the hand plays them.
[[nodiscard]] std::vector<layers::Strike> asPlayed(const std::vector<layers::Strike>& pattern, double fromS,
                                                   double toS);

} // namespace cask::engine
