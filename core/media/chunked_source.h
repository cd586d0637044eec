// A file as a source for playing: pieces of it are loaded by another thread, the audio thread never waits.
#pragma once

#include <atomic>
#include <core/base/audio_source.h>
#include <core/media/audio_reader.h>
#include <filesystem>
#include <memory>
#include <vector>

namespace cask::media {

/// Threads: read() on the audio thread; load(), take() and isLoaded() on one loader thread.
/// A chunk taken out by take() may still be in use by a read() that has begun: the caller keeps it
/// until the audio thread has passed on to a later block.
class ChunkedSource final : public AudioSource {
  public:
    static constexpr Frames kChunkFrames = 16384;
    using Chunk = std::vector<float>; // planar: channel after channel, kChunkFrames each

    /// REQUIRES: a file that seeks exactly, at the session rate (see SourceCache).
    [[nodiscard]] static Result<std::shared_ptr<ChunkedSource>> open(const SoundFile& file);
    explicit ChunkedSource(AudioReader reader);
    ~ChunkedSource() override;

    [[nodiscard]] int channels() const noexcept override { return m_channels; }
    [[nodiscard]] Frames frames() const noexcept override { return m_frames; }
    /// RT: no alloc, no lock, no file access.
    bool read(int channel, Frames start, std::span<float> out) noexcept override;
    [[nodiscard]] std::string failure() const override;

    [[nodiscard]] Frames chunkCount() const { return static_cast<Frames>(m_chunks.size()); }
    [[nodiscard]] bool isLoaded(Frames chunk) const;
    /// Loads a chunk unless it is there; false when the file gives nothing there any more (it is then
    /// silence).
    bool load(Frames chunk);
    /// Takes a chunk out of service and hands it over; null when it was not loaded.
    [[nodiscard]] std::unique_ptr<Chunk> take(Frames chunk);
    [[nodiscard]] std::size_t chunkBytes() const;

  private:
    const int m_channels;
    const Frames m_frames;
    std::vector<std::atomic<Chunk*>> m_chunks; // each owned by this object while it is set
    std::atomic<bool> m_hasFailed{false};      // once set, m_failure stays as it is
    std::string m_failure;                     // written before m_hasFailed is
    AudioReader m_reader;                      // loader thread only
    std::vector<float> m_interleaved;          // loader thread only
};

} // namespace cask::media
