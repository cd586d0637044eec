// Where tracks of a mix get in each other's way, and who owns which band.
#pragma once

#include <array>
#include <core/measure/tone/band_cells.h>
#include <vector>

namespace cask::measure {

/// A track in the mix: its cells, and what its filters and levels make of each band.
struct MixTrack {
    const BandCells* cells = nullptr;
    std::array<float, kErbBands> gainDb{};
    /// By cell: whether the track's own drum sounds. A cell that is spill competes with nobody. Empty:
    /// always.
    std::vector<bool> own;
    [[nodiscard]] bool isOwn(std::size_t cell) const {
        return own.empty() || (cell < own.size() && own[cell]);
    }
};

/// Two tracks conflict in a cell of both their own in which both are within 6 dB of each other and of the
/// mix.
struct Conflict {
    std::size_t first = 0; ///< index into the tracks
    std::size_t second = 0;
    double share = 0;                      ///< of the cells in which either is within 6 dB of the mix
    std::array<float, kErbBands> byBand{}; ///< of the cells of each band alone
    int fromBand = 0;                      ///< the stretch in which they conflict most
    int toBand = 0;
    double worstShare = 0; ///< of the cells of that stretch
};

struct MixPicture {
    std::vector<Conflict> conflicts; ///< of every pair that has one, by worst share
    /// Power of each track in each band over the whole, as a share of the mix.
    std::vector<std::array<float, kErbBands>> share;
    std::array<float, kErbBands> mixDb{}; ///< mean power of the mix by band
};

/// Cells 50 dB under the mean of their band or of the loudest one count for nothing. `everyCell`: 1 for all
/// cells, more to skip.
[[nodiscard]] MixPicture lookAtMix(const std::vector<MixTrack>& tracks, std::size_t everyCell = 1);

/// Share of the cells of a conflict's stretch in which its two tracks conflict.
[[nodiscard]] double conflictShare(const std::vector<MixTrack>& tracks, const Conflict& conflict,
                                   std::size_t everyCell = 1);

} // namespace cask::measure
