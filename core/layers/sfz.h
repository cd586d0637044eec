// Kits from SFZ files: which sample plays for which note, velocity and turn.
#pragma once

#include <core/base/result.h>
#include <core/base/units.h>
#include <filesystem>
#include <functional>
#include <limits>
#include <string>
#include <string_view>
#include <vector>

namespace cask::layers {

/// A sample and when it plays.
struct SfzRegion {
    std::filesystem::path sample; ///< as it is found from the folder of the kit
    int lowNote = 0, highNote = 127;
    int centreNote = 60; ///< at which it plays as it is
    int lowVelocity = 0, highVelocity = 127;
    int turns = 1, turn = 1;              ///< alternates: of so many in a row, which one
    double lowChance = 0, highChance = 1; ///< of a number drawn for each stroke, low <= it < high
    double gainDb = 0;
    double pan = 0;              ///< -1 to 1
    double tuneCents = 0;        ///< with whole semitones
    double velocityTracking = 1; ///< how far the velocity moves the level, -1 to 1
    Frames fromFrame = 0;
    Frames toFrame = std::numeric_limits<Frames>::max(); ///< the last one that plays
    double attackS = 0, holdS = 0, decayS = 0, sustain = 1, releaseS = 0;
    bool isOneShot = true; ///< plays to its end whatever the length of the note
    int chokeGroup = 0;    ///< 0: none
    int chokedBy = 0;      ///< ends when a region of that group begins; 0: never
};

struct SfzKit {
    std::vector<SfzRegion> regions;
    std::vector<std::string> notUnderstood; ///< names of opcodes that were left out, each once
    std::vector<std::string> problems;      ///< a sentence each, naming the file
};

/// What a file holds; nothing where it is not there. Asked for what is included.
using SfzReader = std::function<Result<std::string>(const std::filesystem::path&)>;

/// From text. `name` stands in what is said. Values that can't be read are told and left at what they were; a
/// region without a sample, or whose sample lies outside of the kit's folder, is told and left out. An error
/// where there is no region.
[[nodiscard]] Result<SfzKit> sfzKit(std::string_view text, const std::string& name,
                                    const SfzReader& included = {});
/// A kit on the disk. Includes are read from its folder.
[[nodiscard]] Result<SfzKit> readSfzKit(const std::filesystem::path& file);
/// Every file that a kit needs, from its folder, once: includes, samples, then the kit itself.
[[nodiscard]] std::vector<std::filesystem::path> filesOfKit(const std::filesystem::path& file);

inline constexpr std::size_t kLargestSfzBytes = 8U << 20U;
inline constexpr std::size_t kMostRegions = 20000;

} // namespace cask::layers
