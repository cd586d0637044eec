// Reads WAV, AIFF, FLAC, Ogg Vorbis, Opus, MP3 and whatever else libsndfile knows, as interleaved floats.
#pragma once

#include <sndfile.h>

#include <core/base/result.h>
#include <core/base/units.h>
#include <filesystem>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace cask::media {

inline constexpr double kLowestRateHz = 4000;
inline constexpr double kHighestRateHz = 768000;
inline constexpr int kMostChannels = 64;

struct MediaInfo {
    Frames frames = 0; ///< at the file's own rate
    int channels = 0;
    double sampleRateHz = 0;
    std::string format;                  ///< as people read it: "WAV, 24 bit"
    bool seeksExactly = false;           ///< plain samples or FLAC: any frame can be reached exactly
    std::optional<Frames> timeReference; ///< broadcast time stamp, frames since midnight at the file's rate
    std::vector<std::string> warnings;   ///< one sentence each, naming the file
};

/// One open file. Not thread-safe. Samples that are not finite are read as 0 and counted.
class AudioReader {
  public:
    /// Every way to fail gives one sentence that names the file.
    [[nodiscard]] static Result<AudioReader> open(const std::filesystem::path& path);

    [[nodiscard]] const MediaInfo& info() const { return m_info; }
    /// Reads up to interleaved.size() / channels frames; returns the frames read (less at the end).
    [[nodiscard]] Frames read(std::span<float> interleaved);
    /// False when the file can't go there.
    [[nodiscard]] bool seek(Frames frame);
    /// Samples met so far that were NaN or infinite.
    [[nodiscard]] Frames notFiniteSamples() const { return m_notFinite; }

  private:
    struct Closer {
        void operator()(SNDFILE* file) const { sf_close(file); }
    };
    std::unique_ptr<SNDFILE, Closer> m_file;
    MediaInfo m_info;
    Frames m_notFinite = 0;
};

/// Endings of the files that a folder scan takes, lower case with the dot.
[[nodiscard]] bool hasAudioEnding(const std::filesystem::path& path);

} // namespace cask::media
