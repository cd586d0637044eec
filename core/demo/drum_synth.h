// Drums from membrane modes, wires and metal partials.
#pragma once

#include <core/demo/performance.h>
#include <core/demo/random.h>
#include <vector>

namespace cask::demo {

/// Sound of a stroke as it leaves the drum, mono. `underside` is what radiates from the resonant side.
struct StrokeSound {
    std::vector<float> top;
    std::vector<float> underside;
};

/// Tunings of the kit; each drum's lowest mode in Hz.
struct Tuning {
    double kickHz = 56;
    double snareHz = 188;
    double snareRingHz = 417; ///< planted: a partial that outlasts the rest
    double rackHz = 128;
    double rackBoxHz = 370; ///< planted: a boxy hump
    double floorHz = 82;
};

/// Harder strokes are louder, brighter and bend the pitch more. No two are the same.
[[nodiscard]] StrokeSound synthesise(const Stroke& stroke, const Tuning& tuning, double sampleRateHz,
                                     Random& random);

} // namespace cask::demo
