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
    : m_scale(std::ldexp(1.0F, bits - 1)), m_dithers(dither) {
    // Seeds of the generators by splitmix64 (Steele, Lea, Flood 2014).
    for (auto& generators : m_states)
        for (auto& state : generators) {
            seed += 0x9E3779B97F4A7C15ULL;
            std::uint64_t mixed = (seed ^ (seed >> 30U)) * 0xBF58476D1CE4E5B9ULL;
            mixed = (mixed ^ (mixed >> 27U)) * 0x94D049BB133111EBULL;
            state = static_cast<std::uint32_t>((mixed ^ (mixed >> 31U)) >> 32U) | 1U;
        }
}

void Ditherer::fillNoise() noexcept {
    // xorshift32 (Marsaglia 2003), many side by side; the difference of two is triangular.
    const auto next = [](std::uint32_t& state) {
        state ^= state << 13U;
        state ^= state >> 17U;
        state ^= state << 5U;
        return static_cast<std::int32_t>(state >> 8U);
    };
    auto states = m_states;
    for (std::size_t at = 0; at < m_noise.size(); at += kSideBySide)
        for (std::size_t k = 0; k < kSideBySide; ++k)
            m_noise[at + k] =
                static_cast<float>(next(states[0][k]) - next(states[1][k])) * 0x1.0p-24F; // -1 to 1
    m_states = states;
    m_used = 0;
}

Frames Ditherer::quantise(std::span<const float> samples, std::span<std::int32_t> out) noexcept {
    const float full = m_scale;
    const auto lowest = static_cast<std::int32_t>(-full);
    const auto highest = static_cast<std::int32_t>(full - 1);
    std::int32_t clipped = 0;
    const auto bounded = [](float x) { return std::max(-1.5F, std::min(1.5F, x)); }; // a NaN too
    const auto within = [&](std::int32_t value) { return std::clamp(value, lowest, highest); };
    for (std::size_t at = 0; at < samples.size();) {
        if (m_used == m_noise.size() && m_dithers)
            fillNoise();
        m_used %= m_noise.size(); // without noise: pieces of the same length
        const std::size_t n = std::min(samples.size() - at, m_noise.size() - m_used);
        const float* from = samples.data() + at;
        const float* noise = m_noise.data() + m_used;
        std::int32_t* to = out.data() + at;
        if (m_dithers)
            for (std::size_t i = 0; i < n; ++i) {
                clipped += std::abs(from[i]) > 1.0F ? 1 : 0;
                // Whole steps apart from what is left of one: a float has no room for both.
                const float steps = bounded(from[i]) * full;
                const auto whole = static_cast<std::int32_t>(steps);
                constexpr float kAbove = 8; // what is rounded is positive
                const float rest = (steps - static_cast<float>(whole)) + noise[i] + (kAbove + 0.5F);
                to[i] = within(whole + static_cast<std::int32_t>(rest) - static_cast<std::int32_t>(kAbove));
            }
        else
            for (std::size_t i = 0; i < n; ++i) {
                clipped += std::abs(from[i]) > 1.0F ? 1 : 0;
                to[i] = within(static_cast<std::int32_t>(std::lrint(bounded(from[i]) * full)));
            }
        m_used += n;
        at += n;
    }
    return clipped;
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
        writer.m_step = 1 << (32 - bits);
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
    m_clipped += m_ditherer->quantise(interleaved, m_buffer);
    const std::int32_t step = m_step;
    for (auto& value : m_buffer)
        value *= step;
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
