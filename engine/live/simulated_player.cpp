#include "engine/live/simulated_player.h"

#include <algorithm>
#include <cmath>
#include <core/layers/chance.h>
#include <utility>

namespace cask::engine {

std::vector<layers::Strike> asPlayed(const std::vector<layers::Strike>& pattern, double fromS, double toS) {
    std::vector<layers::Strike> played;
    for (std::size_t i = 0; i < pattern.size(); ++i) {
        auto strike = pattern[i];
        strike.timeS += SimulatedPlayer::kLateS * layers::chanceOf(17, i);
        strike.velocity = std::clamp(
            strike.velocity + SimulatedPlayer::kVelocities * (2 * layers::chanceOf(18, i) - 1), 1.0, 127.0);
        if (strike.timeS >= fromS && strike.timeS < toS)
            played.push_back(strike);
    }
    std::stable_sort(played.begin(), played.end(),
                     [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return played;
}

SimulatedPlayer::SimulatedPlayer(std::vector<layers::Strike> pattern, std::function<double()> positionS,
                                 StrokeSink sink)
    : m_pattern(std::move(pattern)), m_positionS(std::move(positionS)), m_sink(std::move(sink)),
      m_thread([this] { run(); }) {}

SimulatedPlayer::~SimulatedPlayer() {
    m_isStopping = true;
    m_thread.join();
}

void SimulatedPlayer::run() {
    constexpr double kJumpS = 0.5; // farther in one step: it was sent elsewhere
    double before = -1;
    while (!m_isStopping) {
        const double now = m_positionS();
        if (now >= 0 && before >= 0 && now > before && now - before < kJumpS)
            for (const auto& strike : asPlayed(m_pattern, before, now))
                m_sink({strike.note, static_cast<int>(std::lround(strike.velocity)),
                        std::chrono::steady_clock::now()});
        before = now;
        std::this_thread::sleep_for(std::chrono::milliseconds(1));
    }
}

} // namespace cask::engine
