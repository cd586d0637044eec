// What the header of a WAV file says, against what is in the file: recorders that were stopped badly leave
// headers that contradict the sound.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace cask::media {

/// As far as the chunks can be followed (layout: the published RIFF and RF64 descriptions).
struct WavHeader {
    bool isRf64 = false;
    std::uint64_t fileBytes = 0;
    std::uint64_t riffBytes = 0; ///< that the header claims to follow its first eight
    std::uint16_t formatTag = 0;
    std::uint16_t channels = 0;
    std::uint32_t sampleRateHz = 0;
    std::uint32_t bytesPerSecond = 0;
    std::uint16_t bytesPerFrame = 0;
    std::uint16_t bitsPerSample = 0;
    bool hasData = false;
    std::uint64_t dataBytes = 0;    ///< promised
    std::uint64_t presentBytes = 0; ///< from the start of the sound to the end of the file
};

/// Nothing for other kinds of file.
[[nodiscard]] std::optional<WavHeader> readWavHeader(const std::filesystem::path& path);

/// One sentence for each contradiction, naming the file and what is done.
[[nodiscard]] std::vector<std::string> contradictions(const WavHeader& header, const std::string& name);

} // namespace cask::media
