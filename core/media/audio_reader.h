// Reads WAV, AIFF, FLAC, Ogg Vorbis, Opus, MP3 and whatever else libsndfile knows, as interleaved floats.
#pragma once

#include <sndfile.h>

#include <concepts>
#include <core/base/result.h>
#include <core/base/units.h>
#include <core/media/descriptor_io.h>
#include <filesystem>
#include <limits>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace cask::media {

inline constexpr double kLowestRateHz = 4000;
inline constexpr double kHighestRateHz = 768000;
inline constexpr int kMostChannels = 64;

/// No file that is longer is taken, whatever its rate.
inline constexpr double kLongestFileS = 24 * 3600;

/// A sound file, and how much of it can be used: what its header claims may not be there.
struct SoundFile {
    std::filesystem::path path;
    Frames frames = std::numeric_limits<Frames>::max(); ///< at the file's own rate, at the most
    SoundFile() = default;
    SoundFile(std::filesystem::path where, Frames most) : path(std::move(where)), frames(most) {}
    template <class P>
    requires std::convertible_to<P, std::filesystem::path> SoundFile(P&& where)
        : path(std::forward<P>(where)) {} // all that it claims
};

struct MediaInfo {
    Frames frames = 0; ///< at the file's own rate, as its header says; 0 while that is not known
    int channels = 0;
    double sampleRateHz = 0;
    std::string format;        ///< as people read it: "WAV, 24 bit"
    bool seeksExactly = false; ///< plain samples or FLAC: any frame can be reached exactly
    bool isLengthKnown = true; ///< false: only reading it tells, the header is silent or can't be believed
    std::optional<Frames> timeReference; ///< broadcast time stamp, frames since midnight at the file's rate
    std::vector<std::string> warnings;   ///< one sentence each, naming the file
};

/// One open file. Not thread-safe. Samples that are not finite are read as 0 and counted.
class AudioReader {
  public:
    /// Every way to fail gives one sentence that names the file.
    [[nodiscard]] static Result<AudioReader> open(const SoundFile& file);

    [[nodiscard]] const MediaInfo& info() const { return m_info; }
    /// Reads up to interleaved.size() / channels frames; returns the frames read (less at the end, and where
    /// the file can't be read: see state()).
    [[nodiscard]] Frames read(std::span<float> interleaved);
    /// False when the file can't go there.
    [[nodiscard]] bool seek(Frames frame);
    /// An error that names the file and the place once a read gave less than the header promises.
    [[nodiscard]] Status state() const;
    /// Samples met so far that were NaN or infinite.
    [[nodiscard]] Frames notFiniteSamples() const { return m_notFinite; }

  private:
    struct OwnedDescriptor {
        int fd;
        explicit OwnedDescriptor(int descriptor) : fd(descriptor) {}
        OwnedDescriptor(const OwnedDescriptor&) = delete;
        OwnedDescriptor& operator=(const OwnedDescriptor&) = delete;
        ~OwnedDescriptor();
    };
    struct Closer {
        void operator()(SNDFILE* file) const { sf_close(file); }
    };
    AudioReader() = default;
    std::filesystem::path m_path;
    std::unique_ptr<OwnedDescriptor> m_descriptor;
    std::unique_ptr<DescriptorIo> m_io;
    std::unique_ptr<SNDFILE, Closer> m_file; // closes before what it reads through
    MediaInfo m_info;
    Frames m_at = 0;
    std::optional<Frames> m_failedAt;
    Frames m_notFinite = 0;
};

/// Endings of the files that a folder scan takes, lower case with the dot.
[[nodiscard]] bool hasAudioEnding(const std::filesystem::path& path);

} // namespace cask::media
