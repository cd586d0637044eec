// Where the beats of a performance are, in frames.
#pragma once

#include <cstddef>
#include <vector>

namespace cask::dsp {

/// Quarter notes, also where the tempo drifts. Before the first and after the last one they go on as the two
/// next to them are apart.
struct BeatGrid {
    std::vector<double> beatFrames; ///< rising; less than two: there is no grid
    int beatsPerBar = 4;

    [[nodiscard]] bool isKnown() const { return beatFrames.size() >= 2; }
    /// Beats since the first one; parts count, negative before it. `near`: any number; the place of the last
    /// answer makes the next one quick. REQUIRES: there is a grid. RT: no alloc, no lock.
    [[nodiscard]] double beatAt(double frame, std::size_t& near) const noexcept;
    /// Frames of the beat that this beat number lies in. REQUIRES: there is a grid.
    [[nodiscard]] double framesAt(std::size_t near) const noexcept;
    friend bool operator==(const BeatGrid&, const BeatGrid&) = default;
};

} // namespace cask::dsp
