// Writes WAV and FLAC; dithers when it reduces to 16 or 24 bits.
#pragma once

#include <sndfile.h>

#include <core/base/result.h>
#include <core/base/units.h>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <span>
#include <vector>

namespace cask::media {

enum class Container { Wav, Flac };
enum class SampleFormat { Pcm16, Pcm24, Float32 };

struct WriteOptions {
    Container container = Container::Wav;
    SampleFormat sampleFormat = SampleFormat::Pcm24;
    bool dither = true; ///< TPDF of 2 LSB peak to peak (Lipshitz, Wannamaker, Vanderkooy 1992); not for float
    std::uint64_t ditherSeed = 1;
};

/// Triangular dither and rounding to a number of bits. The same seed gives the same bits.
class Ditherer {
  public:
    Ditherer(int bits, std::uint64_t seed, bool dither);
    /// Quantises to the integer range of the format: [-2^(bits-1), 2^(bits-1) - 1]; input is clipped to it.
    [[nodiscard]] std::int32_t quantise(float sample) noexcept;

  private:
    [[nodiscard]] double uniform() noexcept; // [0, 1)
    double m_scale;
    bool m_dithers;
    std::uint64_t m_state;
};

/// One file being written. It appears under its name only by commit(); without that nothing is left behind.
class AudioWriter {
  public:
    [[nodiscard]] static Result<AudioWriter> create(const std::filesystem::path& path, double sampleRateHz,
                                                    int channels, const WriteOptions& options);
    AudioWriter(AudioWriter&&) noexcept = default;
    AudioWriter& operator=(AudioWriter&&) = delete;
    AudioWriter(const AudioWriter&) = delete;
    AudioWriter& operator=(const AudioWriter&) = delete;
    ~AudioWriter();

    [[nodiscard]] Status write(std::span<const float> interleaved);
    [[nodiscard]] Status commit();
    /// Samples that had to be clipped to fit an integer format.
    [[nodiscard]] Frames clippedSamples() const { return m_clipped; }

  private:
    AudioWriter() = default;
    struct Closer {
        void operator()(SNDFILE* file) const { sf_close(file); }
    };
    std::filesystem::path m_path;
    std::filesystem::path m_temporary;
    std::unique_ptr<SNDFILE, Closer> m_file;
    std::unique_ptr<Ditherer> m_ditherer;
    int m_shift = 0; // bits that an integer sample is moved up to fill 32
    int m_channels = 0;
    Frames m_clipped = 0;
    std::vector<std::int32_t> m_buffer;
};

} // namespace cask::media
