// Where a drum has its sound, and whether that lies where such drums usually have it.
#pragma once

#include <array>
#include <core/measure/spectrum.h>
#include <optional>
#include <span>
#include <vector>

namespace cask::measure {

/// Thirds of an octave from 40 Hz to 16 kHz.
inline constexpr int kThirds = 27;
/// Exact centre: 1 kHz times 2^(n / 3) (IEC 61260).
[[nodiscard]] double thirdHz(int third);

/// Level per third of an octave, dB against the median of all of them, so that drums of any level compare and
/// one strong partial shifts nothing else.
using ToneShape = std::array<float, kThirds>;
/// Nothing for an empty spectrum.
[[nodiscard]] std::optional<ToneShape> shapeOf(const Spectrum& own);

/// What is usual, per third of an octave.
struct ToneRange {
    ToneShape fromDb{};
    ToneShape toDb{};
    friend bool operator==(const ToneRange&, const ToneRange&) = default;
};
/// From the 10 % to the 90 % rank of the shapes in each third (from least to most of a few), 6 dB wide at
/// least. REQUIRES: at least one shape.
[[nodiscard]] ToneRange rangeOf(std::span<const ToneShape> shapes);

/// Median distance of a shape from the middle of a range, dB: how far the range is moved to be compared.
[[nodiscard]] double offsetDb(const ToneShape& shape, const ToneRange& range);

/// A stretch of at least an octave that lies out of the range altogether.
struct OutOfRange {
    double fromHz = 0;
    double toHz = 0;
    double excessDb = 0; ///< mean over it: positive over the range, negative under it
};
/// Those of at least `leastDb`, worst (excess times width) first. Thirds that lie 40 dB under the loudest one
/// are left out as long as the range does not reach above that line either. Nothing is missed under
/// `lowestHz`: what a drum has below its note is for a high-pass to take.
[[nodiscard]] std::vector<OutOfRange> outOfRange(const ToneShape& shape, const ToneRange& range,
                                                 double leastDb, double lowestHz = 0);

} // namespace cask::measure
