// Chance that is the same wherever playing begins: drawn from a seed and the number of a stroke.
#pragma once

#include <cstdint>

namespace cask::layers {

/// A number from 0 up to 1, even over the seeds and numbers: the output function of splitmix64 (Steele, Lea
/// and Flood 2014) of both.
[[nodiscard]] constexpr double chanceOf(std::uint64_t seed, std::uint64_t number) {
    std::uint64_t z = seed * 0xD1B54A32D192ED03ULL + (number + 1) * 0x9E3779B97F4A7C15ULL;
    z = (z ^ (z >> 30U)) * 0xBF58476D1CE4E5B9ULL;
    z = (z ^ (z >> 27U)) * 0x94D049BB133111EBULL;
    z ^= z >> 31U;
    return static_cast<double>(z >> 11U) * 0x1.0p-53;
}

} // namespace cask::layers
