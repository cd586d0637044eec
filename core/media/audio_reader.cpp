#include "core/media/audio_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <fstream>

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

/// Bytes that the RIFF/RF64 header promises for its sound and bytes that are in the file after it.
/// Nothing for other kinds of file. The chunk layout is that of the published RIFF description.
struct PromisedBytes {
    std::uint64_t promised = 0;
    std::uint64_t present = 0;
};
std::optional<PromisedBytes> promisedDataBytes(const fs::path& path) {
    std::error_code error;
    const auto size = fs::file_size(path, error);
    std::ifstream in(path, std::ios::binary);
    std::array<char, 12> head{};
    if (error || !in.read(head.data(), head.size()) || std::memcmp(head.data() + 8, "WAVE", 4) != 0 ||
        std::memcmp(head.data(), "RIFF", 4) != 0)
        return std::nullopt;
    std::uint64_t at = 12;
    for (int chunk = 0; chunk < 64 && at + 8 <= size; ++chunk) {
        std::array<unsigned char, 8> header{};
        in.seekg(static_cast<std::streamoff>(at));
        if (!in.read(reinterpret_cast<char*>(header.data()), header.size()))
            return std::nullopt;
        const std::uint64_t length = header[4] | (header[5] << 8U) | (header[6] << 16U) |
                                     (static_cast<std::uint64_t>(header[7]) << 24U);
        if (std::memcmp(header.data(), "data", 4) == 0)
            return PromisedBytes{length, size - at - 8};
        at += 8 + length + (length & 1U);
    }
    return std::nullopt;
}

std::string describeOpenFailure(const fs::path& path) {
    std::error_code error;
    const auto size = fs::file_size(path, error);
    if (!error && size == 0)
        return path.string() + " is empty (0 bytes); it was left out.";
    return path.string() + " is not a sound file that can be read; it was left out.";
}

} // namespace

Result<AudioReader> AudioReader::open(const fs::path& path) {
    std::error_code error;
    if (!fs::exists(path, error))
        return Error{ErrorCode::NotFound, path.string() + " is not there."};
    if (!fs::is_regular_file(path, error))
        return Error{ErrorCode::NotReadable, path.string() + " is not a file; it was left out."};
    if (!std::ifstream(path, std::ios::binary))
        return Error{ErrorCode::NotReadable,
                     path.string() + " can't be opened (no permission to read it); it was left out."};
    SF_INFO raw{};
    AudioReader reader;
    reader.m_file.reset(sf_open(path.c_str(), SFM_READ, &raw));
    if (!reader.m_file) {
        const bool empty = fs::file_size(path, error) == 0 && !error;
        return Error{empty ? ErrorCode::Empty : ErrorCode::BadFormat, describeOpenFailure(path)};
    }
    if (raw.samplerate < kLowestRateHz || raw.samplerate > kHighestRateHz)
        return Error{
            ErrorCode::Unsupported,
            fmt::format("{} claims a sample rate of {} Hz, outside {:.0f} Hz to {:.0f} kHz; it was left out.",
                        path.string(), raw.samplerate, kLowestRateHz, kHighestRateHz / 1000)};
    if (raw.channels < 1 || raw.channels > kMostChannels)
        return Error{ErrorCode::Unsupported, fmt::format("{} has {} channels, more than {}; it was left out.",
                                                         path.string(), raw.channels, kMostChannels)};
    if (raw.frames <= 0)
        return Error{ErrorCode::Empty, path.string() + " holds no sound (0 samples); it was left out."};
    if (raw.frames > Frames{1} << 40)
        return Error{ErrorCode::BadFormat, path.string() + " claims an impossible length; it was left out."};

    reader.m_info.frames = raw.frames;
    reader.m_info.channels = raw.channels;
    reader.m_info.sampleRateHz = raw.samplerate;
    reader.m_info.format = formatName(raw.format);
    reader.m_info.seeksExactly = seeksExactly(raw.format);
    SF_BROADCAST_INFO broadcast{};
    if (sf_command(reader.m_file.get(), SFC_GET_BROADCAST_INFO, &broadcast, sizeof broadcast) == SF_TRUE)
        reader.m_info.timeReference =
            static_cast<Frames>((static_cast<std::uint64_t>(broadcast.time_reference_high) << 32U) |
                                broadcast.time_reference_low);
    // A recorder that crashed leaves 0 or 2^32-1 as its length: then what is there is simply taken.
    if (const auto bytes = promisedDataBytes(path);
        bytes && bytes->promised > bytes->present && bytes->promised < 0xffffff00U && bytes->present > 0) {
        const double share = static_cast<double>(bytes->present) / static_cast<double>(bytes->promised);
        reader.m_info.warnings.push_back(fmt::format(
            "{} is cut short: {:.1f} % of the sound its header promises is there, and that is used.",
            path.string(), 100 * share));
    }
    return reader;
}

Frames AudioReader::read(std::span<float> interleaved) {
    const auto want = static_cast<Frames>(interleaved.size()) / m_info.channels;
    const Frames got = std::max<Frames>(0, sf_readf_float(m_file.get(), interleaved.data(), want));
    for (float& sample : interleaved.first(static_cast<std::size_t>(got * m_info.channels))) {
        if (!std::isfinite(sample)) {
            sample = 0;
            ++m_notFinite;
        }
    }
    return got;
}

bool AudioReader::seek(Frames frame) {
    return sf_seek(m_file.get(), frame, SEEK_SET) == frame;
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
