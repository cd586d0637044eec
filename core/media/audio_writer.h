// Writes WAV and FLAC; dithers when it reduces to 16 or 24 bits.
#pragma once

#include <sndfile.h>

#include <array>
#include <core/base/new_file.h>
#include <core/base/units.h>
#include <core/media/descriptor_io.h>
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
    bool holdsCues = false; ///< plain WAV, of 4 GiB at the most: cue marks have no place in RF64
};

/// Triangular dither and rounding to a number of bits. The same seed gives the same bits.
class Ditherer {
  public:
    Ditherer(int bits, std::uint64_t seed, bool dither);
    /// Quantises to the integer range of the format: [-2^(bits-1), 2^(bits-1) - 1]; input is clipped to it.
    /// REQUIRES: out as long as samples. Returns how many samples were over full scale.
    Frames quantise(std::span<const float> samples, std::span<std::int32_t> out) noexcept;

  private:
    static constexpr std::size_t kSideBySide = 16;
    void fillNoise() noexcept;
    float m_scale;
    bool m_dithers;
    std::array<std::array<std::uint32_t, kSideBySide>, 2> m_states{};
    std::array<float, 64 * kSideBySide> m_noise{};
    std::size_t m_used = m_noise.size();
};

/// One file being written. It appears under its name only by commit(); without that nothing is left behind.
class AudioWriter {
  public:
    [[nodiscard]] static Result<AudioWriter> create(const std::filesystem::path& path, double sampleRateHz,
                                                    int channels, const WriteOptions& options,
                                                    const WriteRules& rules = {});

    /// Frame at which a cue mark stands; REQUIRES: before the first write(), a WAV file.
    [[nodiscard]] Status setCues(std::span<const Frames> frames);
    [[nodiscard]] Status write(std::span<const float> interleaved);
    [[nodiscard]] Status commit();
    /// Samples that had to be clipped to fit an integer format.
    [[nodiscard]] Frames clippedSamples() const { return m_clipped; }

  private:
    explicit AudioWriter(NewFile target);
    [[nodiscard]] Error failure() const;
    struct Closer {
        void operator()(SNDFILE* file) const { sf_close(file); }
    };
    NewFile m_target;
    std::unique_ptr<DescriptorIo> m_io;
    std::unique_ptr<SNDFILE, Closer> m_file; // closes before what it writes through
    std::unique_ptr<Ditherer> m_ditherer;
    std::int32_t m_step = 1; // of an integer sample in 32 bits
    int m_channels = 0;
    Frames m_clipped = 0;
    std::vector<std::int32_t> m_buffer;
};

/// Bytes that a file of this length takes at the most, headers left out.
[[nodiscard]] std::uintmax_t bytesFor(Frames frames, int channels, SampleFormat format);

} // namespace cask::media
