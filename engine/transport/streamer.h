// Keeps the pieces of files loaded that the audio thread will need next.
#pragma once

#include "engine/transport/player.h"

#include <condition_variable>
#include <core/media/chunked_source.h>
#include <deque>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

namespace cask::engine {

/// A thread of its own. All functions: control thread.
class Streamer {
  public:
    /// Loads up to `budgetBytes`; what lies farthest from the playhead goes first.
    Streamer(const Player& player, double sampleRateHz, std::size_t budgetBytes);
    Streamer(const Streamer&) = delete;
    Streamer& operator=(const Streamer&) = delete;
    ~Streamer();

    struct Wanted {
        std::shared_ptr<media::ChunkedSource> source;
        Frames delayFrames = 0; ///< session frame of the source's frame 0
    };
    void setSources(std::vector<Wanted> sources);
    /// Places that must be ready besides the playhead: the start of the loop, where a jump will go.
    void setPlaces(std::vector<Frames> places);
    /// True when everything within the next second of the playhead and the places is loaded.
    [[nodiscard]] bool isReady() const;

  private:
    struct Retired {
        std::unique_ptr<media::ChunkedSource::Chunk> chunk;
        long long callback;
    };
    void run();
    [[nodiscard]] bool loadNext(const std::vector<Wanted>& sources, const std::vector<Frames>& places);
    void evict(const std::vector<Wanted>& sources);

    const Player& m_player;
    const double m_sampleRateHz;
    const std::size_t m_budgetBytes;
    mutable std::mutex m_mutex; // guards the lists and the flag
    std::condition_variable m_wake;
    std::vector<Wanted> m_sources;
    std::vector<Frames> m_places;
    bool m_isStopping = false;
    std::deque<Retired> m_retired; // streamer thread only
    std::thread m_thread;
};

} // namespace cask::engine
