#include "core/media/audio_reader.h"

#include "core/base/system_error.h"
#include "core/media/wav_header.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <unistd.h>

namespace cask::media {
namespace {

namespace fs = std::filesystem;

std::string formatName(int format) {
    const char* container = "audio";
    switch (format & SF_FORMAT_TYPEMASK) {
    case SF_FORMAT_WAV:
    case SF_FORMAT_WAVEX:
        container = "WAV";
        break;
    case SF_FORMAT_RF64:
        container = "RF64";
        break;
    case SF_FORMAT_AIFF:
        container = "AIFF";
        break;
    case SF_FORMAT_FLAC:
        container = "FLAC";
        break;
    case SF_FORMAT_OGG:
        return (format & SF_FORMAT_SUBMASK) == SF_FORMAT_OPUS ? "Opus" : "Ogg Vorbis";
    case SF_FORMAT_MPEG:
        return "MP3";
    case SF_FORMAT_W64:
        container = "W64";
        break;
    case SF_FORMAT_CAF:
        container = "CAF";
        break;
    default:
        break;
    }
    switch (format & SF_FORMAT_SUBMASK) {
    case SF_FORMAT_PCM_S8:
    case SF_FORMAT_PCM_U8:
        return fmt::format("{}, 8 bit", container);
    case SF_FORMAT_PCM_16:
        return fmt::format("{}, 16 bit", container);
    case SF_FORMAT_PCM_24:
        return fmt::format("{}, 24 bit", container);
    case SF_FORMAT_PCM_32:
        return fmt::format("{}, 32 bit", container);
    case SF_FORMAT_FLOAT:
        return fmt::format("{}, 32 bit float", container);
    case SF_FORMAT_DOUBLE:
        return fmt::format("{}, 64 bit float", container);
    default:
        return container;
    }
}

bool seeksExactly(int format) {
    switch (format & SF_FORMAT_TYPEMASK) {
    case SF_FORMAT_WAV:
    case SF_FORMAT_WAVEX:
    case SF_FORMAT_RF64:
    case SF_FORMAT_AIFF:
    case SF_FORMAT_W64:
    case SF_FORMAT_CAF:
        break;
    case SF_FORMAT_FLAC:
        return true;
    default:
        return false;
    }
    switch (format & SF_FORMAT_SUBMASK) {
    case SF_FORMAT_PCM_S8:
    case SF_FORMAT_PCM_U8:
    case SF_FORMAT_PCM_16:
    case SF_FORMAT_PCM_24:
    case SF_FORMAT_PCM_32:
    case SF_FORMAT_FLOAT:
    case SF_FORMAT_DOUBLE:
        return true;
    default:
        return false;
    }
}

/// The most frames that a byte of a coded file can stand for, well above what the coders can do: FLAC's
/// constant blocks hold 65535 frames in a dozen bytes, Vorbis and Opus code silence in packets of a byte or
/// two, MP3 has at least 24 bytes for 576 frames.
double mostFramesPerByte(int format) {
    switch (format & SF_FORMAT_TYPEMASK) {
    case SF_FORMAT_FLAC:
    case SF_FORMAT_OGG:
        return 6000;
    default:
        return 64;
    }
}

Error cantOpen(const fs::path& path) {
    std::error_code error;
    const auto size = fs::file_size(path, error);
    if (!error && size == 0)
        return {ErrorCode::Empty, path.string() + " is empty (0 bytes)."};
    return {ErrorCode::BadFormat, path.string() + " is not a sound file that can be read."};
}

Error withoutSound(const fs::path& path) {
    const auto header = readWavHeader(path);
    if (header && header->hasData && header->dataBytes == 0 && header->presentBytes > 1)
        return {
            ErrorCode::BadFormat,
            fmt::format("{} has a header that says it holds no sound, and {} bytes follow it (its recording "
                        "was not finished properly).",
                        path.string(), header->presentBytes)};
    return {ErrorCode::Empty, path.string() + " holds no sound (0 samples)."};
}

} // namespace

AudioReader::OwnedDescriptor::~OwnedDescriptor() {
    ::close(fd);
}

Result<AudioReader> AudioReader::open(const SoundFile& file) {
    const fs::path& path = file.path;
    const auto fd = openRegularFile(path);
    if (!fd)
        return fd.error();
    AudioReader reader;
    reader.m_path = path;
    reader.m_descriptor = std::make_unique<OwnedDescriptor>(*fd);
    reader.m_io = std::make_unique<DescriptorIo>(*fd);
    SF_INFO raw{};
    reader.m_file.reset(reader.m_io->open(SFM_READ, raw));
    if (!reader.m_file && reader.m_io->failure() != 0)
        return systemError(path, "can't be read", reader.m_io->failure());
    if (!reader.m_file)
        return cantOpen(path);
    if (raw.samplerate < kLowestRateHz || raw.samplerate > kHighestRateHz)
        return Error{ErrorCode::Unsupported,
                     fmt::format("{} claims a sample rate of {} Hz, outside {:.0f} Hz to {:.0f} kHz.",
                                 path.string(), raw.samplerate, kLowestRateHz, kHighestRateHz / 1000)};
    if (raw.channels < 1 || raw.channels > kMostChannels)
        return Error{ErrorCode::Unsupported, fmt::format("{} has {} channels, more than {}.", path.string(),
                                                         raw.channels, kMostChannels)};
    if (raw.frames <= 0)
        return withoutSound(path);
    MediaInfo& info = reader.m_info;
    std::error_code error;
    const auto bytes = static_cast<double>(fs::file_size(path, error));
    // A length that the file can't hold is not believed; reading will tell.
    info.isLengthKnown = raw.frames != SF_COUNT_MAX &&
                         (error || static_cast<double>(raw.frames) <= bytes * mostFramesPerByte(raw.format));
    if (info.isLengthKnown && static_cast<double>(raw.frames) / raw.samplerate > kLongestFileS)
        return Error{ErrorCode::Unsupported, path.string() + " is longer than 24 hours."};
    info.frames = info.isLengthKnown                                 ? std::min(raw.frames, file.frames)
                  : file.frames < std::numeric_limits<Frames>::max() ? file.frames
                                                                     : 0;
    info.isLengthKnown = info.frames > 0;
    info.channels = raw.channels;
    info.sampleRateHz = raw.samplerate;
    info.format = formatName(raw.format);
    info.seeksExactly = seeksExactly(raw.format);
    SF_BROADCAST_INFO broadcast{};
    if (sf_command(reader.m_file.get(), SFC_GET_BROADCAST_INFO, &broadcast, sizeof broadcast) == SF_TRUE)
        info.timeReference =
            static_cast<Frames>((static_cast<std::uint64_t>(broadcast.time_reference_high) << 32U) |
                                broadcast.time_reference_low);
    if (const auto header = readWavHeader(path))
        info.warnings = contradictions(*header, path.string());
    return reader;
}

Frames AudioReader::read(std::span<float> interleaved) {
    auto want = static_cast<Frames>(interleaved.size()) / m_info.channels;
    if (m_info.isLengthKnown)
        want = std::clamp<Frames>(m_info.frames - m_at, 0, want);
    if (want == 0)
        return 0;
    const Frames got = std::max<Frames>(0, sf_readf_float(m_file.get(), interleaved.data(), want));
    m_at += got;
    if (got < want && !m_failedAt && (m_info.isLengthKnown || m_io->failure() != 0))
        m_failedAt = m_at;
    const auto read = interleaved.first(static_cast<std::size_t>(got * m_info.channels));
    // Rare, so it is looked for in a pass that runs side by side: all bits of the exponent are set.
    constexpr std::uint32_t kExponent = 0x7f800000U;
    bool any = false;
    for (const float sample : read)
        any |= (std::bit_cast<std::uint32_t>(sample) & kExponent) == kExponent;
    for (std::size_t i = 0; any && i < read.size(); ++i)
        if (!std::isfinite(read[i])) {
            read[i] = 0;
            ++m_notFinite;
        }
    return got;
}

Status AudioReader::state() const {
    if (!m_failedAt)
        return Done{};
    const double atS = static_cast<double>(*m_failedAt) / m_info.sampleRateHz;
    const std::string reason = m_io->failure() != 0                        ? systemReason(m_io->failure())
                               : sf_error(m_file.get()) != SF_ERR_NO_ERROR ? "it is damaged there"
                                                                           : "it ends before its header says";
    return Error{m_io->failure() != 0 ? ErrorCode::NotReadable : ErrorCode::Truncated,
                 fmt::format("{} can't be read from {:.3f} s on: {}.", m_path.string(), atS, reason)};
}

bool AudioReader::seek(Frames frame) {
    if (sf_seek(m_file.get(), frame, SEEK_SET) != frame)
        return false;
    m_at = frame;
    return true;
}

bool hasAudioEnding(const fs::path& path) {
    static constexpr std::array kEndings = {".wav",  ".wave", ".bwf", ".rf64", ".w64",  ".aif", ".aiff",
                                            ".aifc", ".flac", ".ogg", ".oga",  ".opus", ".mp3", ".caf"};
    std::string ending = path.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return std::find(kEndings.begin(), kEndings.end(), ending) != kEndings.end();
}

} // namespace cask::media
