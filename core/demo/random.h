// Random numbers with a seed, the same on every machine.
#pragma once

#include <cmath>
#include <cstdint>

namespace cask::demo {

/// splitmix64 (Steele, Lea, Flood 2014).
class Random {
  public:
    explicit Random(std::uint64_t seed) : m_state(seed) {}
    std::uint64_t next() {
        std::uint64_t z = (m_state += 0x9E3779B97F4A7C15ULL);
        z = (z ^ (z >> 30U)) * 0xBF58476D1CE4E5B9ULL;
        z = (z ^ (z >> 27U)) * 0x94D049BB133111EBULL;
        return z ^ (z >> 31U);
    }
    double uniform() { return static_cast<double>(next() >> 11U) * 0x1.0p-53; }
    double between(double low, double high) { return low + (high - low) * uniform(); }
    /// Mean 0, standard deviation 1 (sum of twelve).
    double normal() {
        double sum = -6;
        for (int i = 0; i < 12; ++i)
            sum += uniform();
        return sum;
    }
    /// White noise, -1 to 1.
    float noise() { return static_cast<float>(uniform() * 2 - 1); }

  private:
    std::uint64_t m_state;
};

} // namespace cask::demo
