// The greatest of the last while, eight lanes side by side, in cells of some frames.
#pragma once

#include <core/dsp/lane.h>
#include <vector>

namespace cask::dsp {

/// Windows of N cells besides the one that goes on. Cells are taken in blocks of N: a window is the end of a
/// block, whose greatest from each cell on are known once it is full, and the beginning of the next one (van
/// Herk 1992, Gil and Werman 1993).
struct WindowMax {
    int cellFrames = 1;
    float least = 0;           ///< what a window of nothing is
    bool hasOneWindow = false; ///< all lanes look at as many cells
    // State
    LaneFloats cell;    ///< greatest of the cell that goes on
    LaneFloats earlier; ///< greatest of the cells before that are in the window
    int inCell = 0;
    std::array<int, kLanes> cellsBefore{}; ///< N
    std::array<int, kLanes> inBlock{};     ///< cells of the block that goes on
    LaneFloats block;                      ///< and their greatest
    std::vector<LaneFloats> ring;          ///< cells; their number is a power of two
    std::vector<LaneFloats> ends;          ///< greatest from each cell of the last block on; then `least`
    int ringAt = 0;

    /// Allocates for windows of at most so many cells; silent.
    void prepare(int mostCells);
    /// REQUIRES: prepared for so many. RT: no alloc.
    void setCells(int lane, int cells) noexcept;
    void reset() noexcept;
    /// RT: no alloc. REQUIRES: prepared for as many cells, of as many frames.
    void copyLane(int lane, const WindowMax& from, int fromLane) noexcept;
    /// What the last cell ends, lane by lane, once it is in the ring and in the block.
    void turnLanes() noexcept;

  private:
    /// A block ends with the newest cell of the ring.
    void endBlock(int lane) noexcept;
};

} // namespace cask::dsp
