// Strokes that are played by hand while the session plays, or while it does not.
#include "engine/transport/player.h"

#include <algorithm>

namespace cask::engine {

void Player::setLive(std::unique_ptr<LiveSetup> setup) {
    Command command{Command::Kind::Live, nullptr, 0, 0, 0, 0};
    command.live = setup.release();
    m_commands.enqueue(command);
}

void Player::setLiveChain(std::unique_ptr<LiveChain> chain) {
    Command command{Command::Kind::LiveChain, nullptr, 0, 0, 0, 0};
    command.chain = chain.release();
    m_commands.enqueue(command);
}

void Player::takeStrokes(int frames) noexcept {
    const auto now = std::chrono::steady_clock::now();
    m_timedCount = m_timedDone = 0;
    LiveStroke stroke;
    while (m_timedCount < kMostStrokes && m_strokes.tryDequeue(stroke)) {
        // As far behind the callback before as it came: one block later, and none of its jitter is lost.
        const double behindS = std::chrono::duration<double>(stroke.at - m_lastFill).count();
        const int offset = static_cast<int>(std::clamp(behindS * m_sampleRateHz, 0.0, frames - 1.0));
        const int least = m_timedCount == 0 ? 0 : m_timed[m_timedCount - 1].offset;
        m_timed[m_timedCount++] = {std::max(offset, least), stroke.note, stroke.velocity};
    }
    m_lastFill = now;
}

void Player::addLive(float* out, int frames, int offset, Frames from) noexcept {
    std::array<LiveVoices::Timed, kMostStrokes> here;
    std::size_t count = 0;
    for (; m_timedDone < m_timedCount && m_timed[m_timedDone].offset < offset + frames; ++m_timedDone) {
        here[count] = m_timed[m_timedDone];
        here[count].offset -= offset;
        if (from != LiveVoices::kStopped)
            (void)m_heardStrokes.tryEnqueue(
                {here[count].note, here[count].velocity, from + here[count].offset});
        ++count;
    }
    m_live.play(out, frames, from, std::span(here).first(count));
}

} // namespace cask::engine
