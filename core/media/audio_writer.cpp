#include "core/media/audio_writer.h"

#include "core/base/system_error.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstring>

namespace cask::media {
namespace {

namespace fs = std::filesystem;

int bitsOf(SampleFormat format) {
    return format == SampleFormat::Pcm16 ? 16 : 24;
}

} // namespace

Ditherer::Ditherer(int bits, std::uint64_t seed, bool dither)
    : m_scale(std::ldexp(1.0, bits - 1)), m_dithers(dither), m_state(seed * 0x9E3779B97F4A7C15ULL + 1) {}

double Ditherer::triangular() noexcept {
    // xorshift64* (Vigna 2016); its two halves are the two numbers whose difference is triangular.
    m_state ^= m_state >> 12U;
    m_state ^= m_state << 25U;
    m_state ^= m_state >> 27U;
    const std::uint64_t random = m_state * 0x2545F4914F6CDD1DULL;
    const auto first = static_cast<std::int64_t>(random >> 32U);
    const auto second = static_cast<std::int64_t>(random & 0xffffffffU);
    return static_cast<double>(first - second) * 0x1.0p-32;
}

std::int32_t Ditherer::quantise(float sample) noexcept {
    double value = static_cast<double>(sample) * m_scale;
    if (m_dithers)
        value += triangular();
    return static_cast<std::int32_t>(std::lrint(std::clamp(value, -m_scale, m_scale - 1)));
}

AudioWriter::AudioWriter(NewFile target)
    : m_target(std::move(target)), m_io(std::make_unique<DescriptorIo>(m_target.descriptor())) {}

Error AudioWriter::failure() const {
    if (m_io->failure() != 0)
        return systemError(m_target.path(), "can't be written", m_io->failure());
    return {ErrorCode::NotWritable,
            m_target.path().string() + " can't be written: " + sf_strerror(m_file.get()) + "."};
}

Result<AudioWriter> AudioWriter::create(const fs::path& path, double sampleRateHz, int channels,
                                        const WriteOptions& options, const WriteRules& rules) {
    if (options.container == Container::Flac && options.sampleFormat == SampleFormat::Float32)
        return Error{ErrorCode::Unsupported, path.string() + ": FLAC holds 16 or 24 bits, not floats."};
    auto target = NewFile::create(path, rules);
    if (!target)
        return target.error();
    AudioWriter writer(std::move(*target));
    writer.m_channels = channels;
    SF_INFO info{};
    info.samplerate = static_cast<int>(std::lround(sampleRateHz));
    info.channels = channels;
    const int sub = options.sampleFormat == SampleFormat::Float32 ? SF_FORMAT_FLOAT
                    : options.sampleFormat == SampleFormat::Pcm24 ? SF_FORMAT_PCM_24
                                                                  : SF_FORMAT_PCM_16;
    // RF64 falls back to plain WAV on closing when the file stays under 4 GiB.
    info.format = (options.container == Container::Flac ? SF_FORMAT_FLAC
                   : options.holdsCues                  ? SF_FORMAT_WAV
                                                        : SF_FORMAT_RF64) |
                  sub;
    writer.m_file.reset(writer.m_io->open(SFM_WRITE, info));
    if (!writer.m_file)
        return writer.failure();
    if (options.container == Container::Wav)
        sf_command(writer.m_file.get(), SFC_RF64_AUTO_DOWNGRADE, nullptr, SF_TRUE);
    if (options.sampleFormat != SampleFormat::Float32) {
        const int bits = bitsOf(options.sampleFormat);
        writer.m_shift = 32 - bits;
        writer.m_ditherer = std::make_unique<Ditherer>(bits, options.ditherSeed, options.dither);
    }
    return writer;
}

Status AudioWriter::setCues(std::span<const Frames> frames) {
    if (frames.empty())
        return Done{};
    // The library takes a count with as many points behind it; its own struct has room for a hundred.
    const auto count = static_cast<std::uint32_t>(frames.size());
    std::vector<SF_CUE_POINT> points(frames.size());
    for (std::size_t i = 0; i < frames.size(); ++i) {
        points[i].indx = static_cast<std::int32_t>(i + 1);
        points[i].position = static_cast<std::uint32_t>(frames[i]);
        points[i].sample_offset = static_cast<std::uint32_t>(frames[i]);
        std::memcpy(&points[i].fcc_chunk, "data", 4);
    }
    std::vector<char> cues(std::max(sizeof(SF_CUES), sizeof count + count * sizeof(SF_CUE_POINT)));
    std::memcpy(cues.data(), &count, sizeof count);
    std::memcpy(cues.data() + offsetof(SF_CUES, cue_points), points.data(), count * sizeof(SF_CUE_POINT));
    if (sf_command(m_file.get(), SFC_SET_CUE, cues.data(), static_cast<int>(cues.size())) != SF_TRUE)
        return failure();
    return Done{};
}

Status AudioWriter::write(std::span<const float> interleaved) {
    const auto frames = static_cast<Frames>(interleaved.size()) / m_channels;
    if (!m_ditherer) {
        if (sf_writef_float(m_file.get(), interleaved.data(), frames) != frames)
            return failure();
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
        return failure();
    return Done{};
}

Status AudioWriter::commit() {
    const bool isClosed = sf_close(m_file.release()) == 0;
    if (!isClosed || m_io->failure() != 0)
        return failure();
    return m_target.commit();
}

std::uintmax_t bytesFor(Frames frames, int channels, SampleFormat format) {
    const int bytes = format == SampleFormat::Float32 ? 4 : bitsOf(format) / 8;
    return static_cast<std::uintmax_t>(frames) * static_cast<std::uintmax_t>(channels * bytes);
}

} // namespace cask::media
