// The greatest of the last while, eight lanes side by side, in cells of some frames.
#pragma once

#include <core/dsp/lane.h>
#include <span>

namespace cask::dsp {

struct WindowMax {
    /// Enough for windows of 2^kLevels cells.
    static constexpr int kLevels = 10;

    int cellFrames = 1;
    std::array<int, kLanes> cellsBefore{}; ///< of a lane's window, besides the cell that goes on
    float least = 0;                       ///< what a window of nothing is
    int levels = 0;                        ///< 2^levels cells are enough for any lane
    bool hasOneWindow = false;             ///< all lanes look at as many cells
    // State
    LaneFloats cell;    ///< greatest of the cell that goes on
    LaneFloats earlier; ///< greatest of the cells before that are in the window
    /// [cell of the ring][level]: the greatest of the last 2^level cells. Two of them, one over the other,
    /// are any window.
    std::vector<std::array<LaneFloats, kLevels>> ring;
    int ringAt = 0;
    int inCell = 0;

    /// Allocates for windows of at most so many cells; silent.
    void prepare(int mostCells);
    /// REQUIRES: prepared for so many. RT: no alloc.
    void setCells(int lane, int cells) noexcept;
    void reset() noexcept;
    /// RT: no alloc. REQUIRES: prepared for as many cells, of as many frames.
    void copyLane(int lane, const WindowMax& from, int fromLane) noexcept;
};

} // namespace cask::dsp
