// Where the drums and the microphones of the made-up kit stand.
#pragma once

#include <core/demo/performance.h>
#include <core/demo/room.h>
#include <string>
#include <vector>

namespace cask::demo {

/// In a room of 6.5 x 8 x 3.2 m.
[[nodiscard]] Point placeOf(Drum drum);

struct Placement {
    std::string name;
    std::vector<Microphone> microphones; ///< one per channel
    int own = -1;                        ///< drum it stands at
    bool hearsUnderside = false;
};
[[nodiscard]] std::vector<Placement> placements();

/// Microphones pass nothing down there: takes out what a stroke's asymmetry leaves below 12 Hz.
void highPass(std::vector<float>& track, double rateHz);

} // namespace cask::demo
