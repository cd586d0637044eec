// A file as a source for offline work: blocks on the disk, keeps only a window of the file in memory.
#pragma once

#include <core/base/audio_source.h>
#include <core/media/audio_reader.h>
#include <filesystem>
#include <memory>
#include <mutex>
#include <vector>

namespace cask::media {

/// Thread-safe (a lock per read); made for reading forward.
class OfflineSource final : public AudioSource {
  public:
    /// REQUIRES: a file that seeks exactly, at the session rate (see SourceCache).
    [[nodiscard]] static Result<std::shared_ptr<OfflineSource>> open(const SoundFile& file);
    explicit OfflineSource(AudioReader reader);

    [[nodiscard]] int channels() const noexcept override { return m_channels; }
    [[nodiscard]] Frames frames() const noexcept override { return m_frames; }
    bool read(int channel, Frames start, std::span<float> out) noexcept override;
    [[nodiscard]] std::string failure() const override;

  private:
    static constexpr Frames kWindowFrames = 32768;
    void fillWindow(Frames start);

    const int m_channels;
    const Frames m_frames;
    mutable std::mutex m_mutex; // guards all below
    AudioReader m_reader;
    Frames m_readerAt = 0;
    Frames m_windowStart = 0;
    Frames m_windowFrames = 0;
    std::vector<float> m_window; // interleaved
    std::string m_failure;
};

/// Sound held in memory: for tests, the demo and generated material. Planar.
class MemorySource final : public AudioSource {
  public:
    explicit MemorySource(std::vector<std::vector<float>> planar);
    [[nodiscard]] int channels() const noexcept override { return static_cast<int>(m_planar.size()); }
    [[nodiscard]] Frames frames() const noexcept override;
    bool read(int channel, Frames start, std::span<float> out) noexcept override;

  private:
    std::vector<std::vector<float>> m_planar;
};

} // namespace cask::media
