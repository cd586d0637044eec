// A track as levels over time and frequency, small enough to keep for a whole kit.
#pragma once

#include <core/base/audio_source.h>
#include <core/base/progress.h>
#include <cstdint>
#include <span>
#include <vector>

namespace cask::measure {

/// Bands one equivalent rectangular bandwidth apart (Glasberg and Moore 1990), 30 Hz to 16 kHz.
inline constexpr int kErbBands = 38;
[[nodiscard]] double erbBandHz(int band); ///< centre
[[nodiscard]] double erbPlace(double hz); ///< the same turned round: band 3 lies at 3.0

/// Power per band every 10 ms of session time, from Hann windows of about 43 ms around that time.
struct BandCells {
    static constexpr double kHopS = 0.010;
    /// [cell * kErbBands + band]: half decibels over kFloorDb.
    std::vector<std::uint8_t> levels;
    [[nodiscard]] std::size_t cells() const { return levels.size() / kErbBands; }
    static constexpr double kFloorDb = -120;
    [[nodiscard]] static double levelDb(std::uint8_t level) { return kFloorDb + 0.5 * level; }
};

/// Where a channel's sound is: frame `delayFrames` of the session is the source's first.
struct CellInput {
    AudioSource* source = nullptr;
    int channel = 0;
    Frames delayFrames = 0;
    double gain = 1;
};

/// Channels are summed by power. `frames`: length of the session. Empty when cancelled.
[[nodiscard]] BandCells measureBandCells(std::span<const CellInput> inputs, Frames frames,
                                         double sampleRateHz, const CancelToken& cancel = {});

} // namespace cask::measure
