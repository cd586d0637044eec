#include "core/media/wav_header.h"

#include <fmt/format.h>

#include <array>
#include <cstring>
#include <fstream>

namespace cask::media {
namespace {

constexpr std::uint64_t kUnknown32 = 0xffffff00U; // recorders write this or a little more while they record

template <class T> T littleEndian(const char* bytes) {
    T value = 0;
    for (std::size_t i = 0; i < sizeof(T); ++i)
        value = static_cast<T>(
            value | static_cast<T>(static_cast<T>(static_cast<unsigned char>(bytes[i])) << (8 * i)));
    return value;
}

bool isPlainSamples(const WavHeader& h) {
    return h.formatTag == 1 || h.formatTag == 3 || h.formatTag == 0xfffe;
}

} // namespace

std::optional<WavHeader> readWavHeader(const std::filesystem::path& path) {
    std::error_code error;
    WavHeader h;
    h.fileBytes = std::filesystem::file_size(path, error);
    std::ifstream in(path, std::ios::binary);
    std::array<char, 12> head{};
    if (error || !in.read(head.data(), head.size()) || std::memcmp(head.data() + 8, "WAVE", 4) != 0)
        return std::nullopt;
    h.isRf64 = std::memcmp(head.data(), "RF64", 4) == 0;
    if (!h.isRf64 && std::memcmp(head.data(), "RIFF", 4) != 0)
        return std::nullopt;
    h.riffBytes = littleEndian<std::uint32_t>(head.data() + 4);
    std::uint64_t rf64DataBytes = 0;
    std::uint64_t at = 12;
    constexpr int kMostChunks = 64;
    for (int chunk = 0; chunk < kMostChunks && at + 8 <= h.fileBytes; ++chunk) {
        std::array<char, 8> name{};
        in.clear();
        in.seekg(static_cast<std::streamoff>(at));
        if (!in.read(name.data(), name.size()))
            return h;
        const std::uint64_t length = littleEndian<std::uint32_t>(name.data() + 4);
        std::array<char, 24> body{};
        in.read(body.data(), static_cast<std::streamsize>(std::min<std::uint64_t>(length, body.size())));
        if (std::memcmp(name.data(), "ds64", 4) == 0 && length >= 16) {
            h.riffBytes = littleEndian<std::uint64_t>(body.data());
            rf64DataBytes = littleEndian<std::uint64_t>(body.data() + 8);
        } else if (std::memcmp(name.data(), "fmt ", 4) == 0 && length >= 16) {
            h.formatTag = littleEndian<std::uint16_t>(body.data());
            h.channels = littleEndian<std::uint16_t>(body.data() + 2);
            h.sampleRateHz = littleEndian<std::uint32_t>(body.data() + 4);
            h.bytesPerSecond = littleEndian<std::uint32_t>(body.data() + 8);
            h.bytesPerFrame = littleEndian<std::uint16_t>(body.data() + 12);
            h.bitsPerSample = littleEndian<std::uint16_t>(body.data() + 14);
        } else if (std::memcmp(name.data(), "data", 4) == 0) {
            h.hasData = true;
            h.dataBytes = h.isRf64 && length >= kUnknown32 ? rf64DataBytes : length;
            h.presentBytes = h.fileBytes - at - 8;
            return h;
        }
        at += 8 + length + (length & 1U);
    }
    return h;
}

std::vector<std::string> contradictions(const WavHeader& h, const std::string& name) {
    std::vector<std::string> sentences;
    if (!h.hasData)
        return sentences;
    const bool isUnfinished = !h.isRf64 && (h.dataBytes >= kUnknown32 || h.riffBytes >= kUnknown32);
    if (isUnfinished) {
        sentences.push_back(name + " does not say how long it is (its recording was not finished properly); "
                                   "all the sound that is there is used.");
    } else if (h.dataBytes > h.presentBytes) {
        const double share = static_cast<double>(h.presentBytes) / static_cast<double>(h.dataBytes);
        sentences.push_back(fmt::format(
            "{} is cut short: {:.1f} % of the sound its header promises is there, and that is used.", name,
            100 * share));
    } else if (h.riffBytes + 8 > h.fileBytes + 1 || h.riffBytes + 9 < h.fileBytes) {
        sentences.push_back(fmt::format("{} has {} bytes, and its header says {}; the length of its sound is "
                                        "taken from the sound's own header.",
                                        name, h.fileBytes, h.riffBytes + 8));
    }
    if (isPlainSamples(h) && h.channels > 0 && h.bitsPerSample > 0) {
        const std::uint64_t perFrame = std::uint64_t{h.channels} * ((h.bitsPerSample + 7U) / 8U);
        const std::uint64_t perSecond = perFrame * h.sampleRateHz;
        if (h.bytesPerFrame != perFrame || h.bytesPerSecond != perSecond)
            sentences.push_back(fmt::format(
                "{} has a header that contradicts itself (its bytes per {}); {} Hz, {} bit and {} "
                "are believed.",
                name, h.bytesPerFrame != perFrame ? "frame" : "second", h.sampleRateHz, h.bitsPerSample,
                h.channels == 1 ? std::string("one channel") : fmt::format("{} channels", h.channels)));
    }
    return sentences;
}

} // namespace cask::media
