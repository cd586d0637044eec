#include "core/media/audio_writer.h"

#include <algorithm>
#include <cmath>
#include <system_error>

namespace cask::media {
namespace {

namespace fs = std::filesystem;

int bitsOf(SampleFormat format) {
    return format == SampleFormat::Pcm16 ? 16 : 24;
}

Error writeError(const fs::path& path, int channels) {
    std::error_code error;
    const auto space = fs::space(path.parent_path(), error);
    if (!error && space.available < 65536ULL * static_cast<unsigned>(std::max(1, channels)))
        return {ErrorCode::NoSpace, path.string() + " can't be written: the disk is full."};
    return {ErrorCode::NotWritable, path.string() + " can't be written."};
}

} // namespace

Ditherer::Ditherer(int bits, std::uint64_t seed, bool dither)
    : m_scale(std::ldexp(1.0, bits - 1)), m_dithers(dither), m_state(seed * 0x9E3779B97F4A7C15ULL + 1) {}

double Ditherer::uniform() noexcept {
    // xorshift64* (Vigna 2016)
    m_state ^= m_state >> 12U;
    m_state ^= m_state << 25U;
    m_state ^= m_state >> 27U;
    return static_cast<double>((m_state * 0x2545F4914F6CDD1DULL) >> 11U) * 0x1.0p-53;
}

std::int32_t Ditherer::quantise(float sample) noexcept {
    double value = static_cast<double>(sample) * m_scale;
    if (m_dithers)
        value += uniform() - uniform();
    return static_cast<std::int32_t>(std::lrint(std::clamp(value, -m_scale, m_scale - 1)));
}

Result<AudioWriter> AudioWriter::create(const fs::path& path, double sampleRateHz, int channels,
                                        const WriteOptions& options) {
    if (options.container == Container::Flac && options.sampleFormat == SampleFormat::Float32)
        return Error{ErrorCode::Unsupported, path.string() + ": FLAC holds 16 or 24 bits, not floats."};
    AudioWriter writer;
    writer.m_path = path;
    writer.m_temporary = path;
    writer.m_temporary += ".part";
    writer.m_channels = channels;
    SF_INFO info{};
    info.samplerate = static_cast<int>(std::lround(sampleRateHz));
    info.channels = channels;
    const int sub = options.sampleFormat == SampleFormat::Float32 ? SF_FORMAT_FLOAT
                    : options.sampleFormat == SampleFormat::Pcm24 ? SF_FORMAT_PCM_24
                                                                  : SF_FORMAT_PCM_16;
    // RF64 falls back to plain WAV on closing when the file stays under 4 GiB.
    info.format = (options.container == Container::Flac ? SF_FORMAT_FLAC : SF_FORMAT_RF64) | sub;
    writer.m_file.reset(sf_open(writer.m_temporary.c_str(), SFM_WRITE, &info));
    if (!writer.m_file)
        return writeError(path, channels);
    if (options.container == Container::Wav)
        sf_command(writer.m_file.get(), SFC_RF64_AUTO_DOWNGRADE, nullptr, SF_TRUE);
    if (options.sampleFormat != SampleFormat::Float32) {
        const int bits = bitsOf(options.sampleFormat);
        writer.m_shift = 32 - bits;
        writer.m_ditherer = std::make_unique<Ditherer>(bits, options.ditherSeed, options.dither);
    }
    return writer;
}

AudioWriter::~AudioWriter() {
    if (!m_file)
        return;
    m_file.reset();
    std::error_code ignored;
    fs::remove(m_temporary, ignored);
}

Status AudioWriter::write(std::span<const float> interleaved) {
    const auto frames = static_cast<Frames>(interleaved.size()) / m_channels;
    if (!m_ditherer) {
        if (sf_writef_float(m_file.get(), interleaved.data(), frames) != frames)
            return writeError(m_path, m_channels);
        return Done{};
    }
    m_buffer.resize(interleaved.size());
    for (std::size_t i = 0; i < interleaved.size(); ++i) {
        m_clipped += std::abs(interleaved[i]) > 1.0F;
        m_buffer[i] =
            static_cast<std::int32_t>(static_cast<std::uint32_t>(m_ditherer->quantise(interleaved[i]))
                                      << static_cast<unsigned>(m_shift));
    }
    if (sf_writef_int(m_file.get(), m_buffer.data(), frames) != frames)
        return writeError(m_path, m_channels);
    return Done{};
}

Status AudioWriter::commit() {
    sf_write_sync(m_file.get());
    if (sf_close(m_file.release()) != 0) {
        std::error_code ignored;
        fs::remove(m_temporary, ignored);
        return writeError(m_path, m_channels);
    }
    std::error_code error;
    fs::rename(m_temporary, m_path, error);
    if (error) {
        std::error_code ignored;
        fs::remove(m_temporary, ignored);
        return Error{ErrorCode::NotWritable, m_path.string() + " can't be written: " + error.message() + "."};
    }
    return Done{};
}

} // namespace cask::media
