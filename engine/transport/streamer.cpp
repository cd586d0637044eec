#include "engine/transport/streamer.h"

#include <algorithm>
#include <chrono>

namespace cask::engine {
namespace {

using media::ChunkedSource;
constexpr double kAheadS = 6;

std::size_t loadedBytes(const std::vector<Streamer::Wanted>& sources) {
    std::size_t bytes = 0;
    for (const auto& wanted : sources)
        for (Frames c = 0; c < wanted.source->chunkCount(); ++c)
            bytes += wanted.source->isLoaded(c) ? wanted.source->chunkBytes() : 0;
    return bytes;
}

} // namespace

Streamer::Streamer(const Player& player, double sampleRateHz, std::size_t budgetBytes)
    : m_player(player), m_sampleRateHz(sampleRateHz), m_budgetBytes(budgetBytes),
      m_thread([this] { run(); }) {}

Streamer::~Streamer() {
    {
        const std::lock_guard lock(m_mutex);
        m_isStopping = true;
    }
    m_wake.notify_all();
    m_thread.join();
}

void Streamer::setSources(std::vector<Wanted> sources) {
    {
        const std::lock_guard lock(m_mutex);
        m_sources = std::move(sources);
    }
    m_wake.notify_all();
}

void Streamer::setPlaces(std::vector<Frames> places) {
    {
        const std::lock_guard lock(m_mutex);
        m_places = std::move(places);
    }
    m_wake.notify_all();
}

bool Streamer::isReady() const {
    const std::lock_guard lock(m_mutex);
    auto places = m_places;
    places.push_back(m_player.position());
    const auto ahead = static_cast<Frames>(m_sampleRateHz);
    for (const auto& wanted : m_sources) {
        for (const Frames place : places) {
            const Frames from = std::max<Frames>(0, place - wanted.delayFrames);
            for (Frames c = from / ChunkedSource::kChunkFrames;
                 c * ChunkedSource::kChunkFrames < from + ahead && c < wanted.source->chunkCount(); ++c)
                if (!wanted.source->isLoaded(c))
                    return false;
        }
    }
    return true;
}

bool Streamer::loadNext(const std::vector<Wanted>& sources, const std::vector<Frames>& places) {
    // Nearest first, over all sources: the k-th chunk from each place before the (k+1)-th from any.
    const auto chunksAhead = static_cast<Frames>(kAheadS * m_sampleRateHz) / ChunkedSource::kChunkFrames + 2;
    for (Frames k = 0; k < chunksAhead; ++k) {
        for (const Frames place : places) {
            for (const auto& wanted : sources) {
                // One chunk of the past as well: shifts and interpolation look back.
                const Frames at = place - wanted.delayFrames;
                const Frames c = std::max<Frames>(0, at / ChunkedSource::kChunkFrames - 1) + k;
                if (at > -static_cast<Frames>(kAheadS * m_sampleRateHz) && c < wanted.source->chunkCount() &&
                    !wanted.source->isLoaded(c)) {
                    wanted.source->load(c);
                    return true;
                }
            }
        }
    }
    return false;
}

void Streamer::evict(const std::vector<Wanted>& sources) {
    std::size_t bytes = loadedBytes(sources);
    const Frames position = m_player.position();
    while (bytes > m_budgetBytes) {
        const Wanted* farthest = nullptr;
        Frames farthestChunk = 0;
        Frames farthestDistance = static_cast<Frames>((kAheadS + 2) * m_sampleRateHz);
        for (const auto& wanted : sources) {
            for (Frames c = 0; c < wanted.source->chunkCount(); ++c) {
                const Frames at = c * ChunkedSource::kChunkFrames + wanted.delayFrames;
                // The past is worth less than the future.
                const Frames distance = at < position ? 2 * (position - at) : at - position;
                if (wanted.source->isLoaded(c) && distance > farthestDistance) {
                    farthest = &wanted;
                    farthestChunk = c;
                    farthestDistance = distance;
                }
            }
        }
        if (farthest == nullptr)
            return;
        m_retired.push_back({farthest->source->take(farthestChunk), m_player.callbacks()});
        bytes -= farthest->source->chunkBytes();
    }
}

void Streamer::run() {
    std::unique_lock lock(m_mutex);
    int sinceEviction = 0;
    while (!m_isStopping) {
        const auto sources = m_sources;
        auto places = m_places;
        lock.unlock();
        while (!m_retired.empty() && m_player.callbacks() >= m_retired.front().callback + 2)
            m_retired.pop_front();
        places.insert(places.begin(), m_player.position());
        const bool loaded = loadNext(sources, places);
        if (loaded && ++sinceEviction >= 64) {
            evict(sources);
            sinceEviction = 0;
        }
        lock.lock();
        if (!loaded && !m_isStopping)
            m_wake.wait_for(lock, std::chrono::milliseconds(20));
    }
}

} // namespace cask::engine
