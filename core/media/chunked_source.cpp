#include "core/media/chunked_source.h"

#include <algorithm>

namespace cask::media {

Result<std::shared_ptr<ChunkedSource>> ChunkedSource::open(const SoundFile& file) {
    auto reader = AudioReader::open(file);
    if (!reader)
        return reader.error();
    return std::make_shared<ChunkedSource>(std::move(*reader));
}

ChunkedSource::ChunkedSource(AudioReader reader)
    : m_channels(reader.info().channels), m_frames(reader.info().frames),
      m_chunks(static_cast<std::size_t>((m_frames + kChunkFrames - 1) / kChunkFrames)),
      m_reader(std::move(reader)) {}

ChunkedSource::~ChunkedSource() {
    for (auto& chunk : m_chunks)
        delete chunk.load();
}

bool ChunkedSource::read(int channel, Frames start, std::span<float> out) noexcept {
    bool complete = true;
    std::size_t done = 0;
    while (done < out.size()) {
        const Frames at = start + static_cast<Frames>(done);
        const auto left = static_cast<Frames>(out.size() - done);
        float* to = out.data() + done;
        Frames n = left;
        if (at < 0) {
            n = std::min(left, -at);
            std::fill_n(to, n, 0.0F);
        } else if (at >= m_frames) {
            std::fill_n(to, n, 0.0F);
        } else {
            const Frames index = at / kChunkFrames;
            const Frames offset = at % kChunkFrames;
            n = std::min(left, kChunkFrames - offset);
            const Chunk* chunk = m_chunks[static_cast<std::size_t>(index)].load(std::memory_order_acquire);
            if (chunk != nullptr) {
                std::copy_n(chunk->data() + channel * kChunkFrames + offset, n, to);
            } else {
                std::fill_n(to, n, 0.0F);
                complete = false;
            }
        }
        done += static_cast<std::size_t>(n);
    }
    return complete;
}

std::string ChunkedSource::failure() const {
    return m_hasFailed.load(std::memory_order_acquire) ? m_failure : std::string();
}

bool ChunkedSource::isLoaded(Frames chunk) const {
    return m_chunks[static_cast<std::size_t>(chunk)].load(std::memory_order_relaxed) != nullptr;
}

bool ChunkedSource::load(Frames chunk) {
    if (isLoaded(chunk))
        return true;
    m_interleaved.resize(static_cast<std::size_t>(kChunkFrames * m_channels));
    const Frames got = m_reader.seek(chunk * kChunkFrames) ? m_reader.read(m_interleaved) : 0;
    if (const auto state = m_reader.state(); !state && !m_hasFailed) {
        m_failure = state.error().message;
        m_hasFailed.store(true, std::memory_order_release);
    }
    auto loaded = std::make_unique<Chunk>(static_cast<std::size_t>(kChunkFrames * m_channels), 0.0F);
    for (int c = 0; c < m_channels; ++c)
        for (Frames i = 0; i < got; ++i)
            (*loaded)[static_cast<std::size_t>(c * kChunkFrames + i)] =
                m_interleaved[static_cast<std::size_t>(i * m_channels + c)];
    m_chunks[static_cast<std::size_t>(chunk)].store(loaded.release(), std::memory_order_release);
    return got > 0;
}

std::unique_ptr<ChunkedSource::Chunk> ChunkedSource::take(Frames chunk) {
    return std::unique_ptr<Chunk>(
        m_chunks[static_cast<std::size_t>(chunk)].exchange(nullptr, std::memory_order_acq_rel));
}

std::size_t ChunkedSource::chunkBytes() const {
    return static_cast<std::size_t>(kChunkFrames * m_channels) * sizeof(float);
}

} // namespace cask::media
