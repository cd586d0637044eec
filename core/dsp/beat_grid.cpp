#include "core/dsp/beat_grid.h"

#include <algorithm>

namespace cask::dsp {

double BeatGrid::beatAt(double frame, std::size_t& near) const noexcept {
    const std::size_t last = beatFrames.size() - 2;
    near = std::min(near, last);
    const bool isNear = beatFrames[near] <= frame && frame < beatFrames[near + 1];
    if (!isNear) {
        const auto after = std::upper_bound(beatFrames.begin(), beatFrames.end(), frame);
        const auto at = after - beatFrames.begin();
        near = at == 0 ? 0 : std::min(static_cast<std::size_t>(at) - 1, last);
    }
    return static_cast<double>(near) + (frame - beatFrames[near]) / framesAt(near);
}

double BeatGrid::framesAt(std::size_t near) const noexcept {
    near = std::min(near, beatFrames.size() - 2);
    return beatFrames[near + 1] - beatFrames[near];
}

} // namespace cask::dsp
