#include "core/demo/placements.h"

#include "core/base/units.h"

#include <cmath>

namespace cask::demo {

Point placeOf(Drum drum) {
    switch (drum) {
    case Drum::Kick:
        return {3.2, 3.2, 0.35};
    case Drum::Snare:
        return {3.55, 2.8, 0.75};
    case Drum::Hat:
    case Drum::OpenHat:
        return {4.0, 2.85, 0.95};
    case Drum::RackTom:
        return {3.3, 3.15, 0.95};
    case Drum::FloorTom:
        return {2.65, 2.75, 0.65};
    case Drum::Crash:
        return {3.95, 3.45, 1.35};
    case Drum::Ride:
        return {2.5, 3.25, 1.2};
    }
    return {};
}

std::vector<Placement> placements() {
    const auto close = [](Point at, double gain) { return Microphone{at, gain, 0.05, 0.012, 7000}; };
    const auto far = [](Point at, double gain, double reverb) {
        return Microphone{at, gain, 0.6, reverb, 15000};
    };
    const auto own = [](Drum d) { return static_cast<int>(d); };
    return {
        {"Kick In", {close({3.2, 3.12, 0.36}, 0.55)}, own(Drum::Kick), false},
        {"Kick Out", {close({3.2, 3.62, 0.38}, 1.15)}, own(Drum::Kick), true},
        {"Snare Top", {close({3.58, 2.86, 0.82}, 0.62)}, own(Drum::Snare), false},
        {"Snare Bottom", {close({3.56, 2.84, 0.62}, 0.55)}, own(Drum::Snare), true},
        {"Hat", {close({4.08, 2.95, 1.06}, 0.9)}, own(Drum::Hat), false},
        {"Rack Tom", {close({3.31, 3.22, 1.04}, 0.62)}, own(Drum::RackTom), false},
        {"Floor Tom", {close({2.6, 2.83, 0.75}, 0.7)}, own(Drum::FloorTom), false},
        {"Overheads", {far({3.95, 3.1, 1.95}, 3.4, 0.03), far({2.6, 3.1, 1.95}, 3.4, 0.03)}, -1, false},
        {"Room", {far({4.6, 6.2, 1.5}, 5.5, 0.16), far({1.9, 6.2, 1.5}, 5.5, 0.16)}, -1, false},
    };
}

void highPass(std::vector<float>& track, double rate) {
    const double a = 1 - std::exp(-2 * kPi * 12 / rate);
    double z = 0;
    for (float& x : track) {
        z += a * (x - z);
        x = static_cast<float>(x - z);
    }
}

} // namespace cask::demo
