// What a user sets on the pump.
#pragma once

#include <vector>

namespace cask::dsp {

struct BeatGrid;

/// The note over which the gain is drawn. A bar has as many beats as the grid says.
enum class PumpNote { Bar, Half, Quarter, Eighth, Sixteenth, QuarterTriplet, EighthTriplet };

inline constexpr int kMostPumpPoints = 8; ///< more than these are not heard

/// A point of the drawn gain.
struct PumpPoint {
    int id = 0;
    double placePercent = 0; ///< of the note
    double openPercent = 0;  ///< 0: down by the whole depth; 100: open
    friend bool operator==(const PumpPoint&, const PumpPoint&) = default;
};

struct PumpSettings {
    double depthDb = 6; ///< what the lowest point is down by
    PumpNote note = PumpNote::Quarter;
    double smoothMs = 8;           ///< over which a bend or a jump of the gain is spread
    std::vector<PumpPoint> points; ///< none: down at the start of the note, open from 70 % on
    // Filled in by what runs it.
    const BeatGrid* grid = nullptr; ///< null: it stays open
    double lateFrames = 0;          ///< by which the sound comes later than the grid says
    friend bool operator==(const PumpSettings&, const PumpSettings&) = default;
};

/// Beats of a note.
[[nodiscard]] constexpr double pumpBeats(PumpNote note, int beatsPerBar) {
    switch (note) {
    case PumpNote::Bar:
        return beatsPerBar;
    case PumpNote::Half:
        return 2;
    case PumpNote::Quarter:
        return 1;
    case PumpNote::Eighth:
        return 0.5;
    case PumpNote::Sixteenth:
        return 0.25;
    case PumpNote::QuarterTriplet:
        return 2.0 / 3;
    case PumpNote::EighthTriplet:
        return 1.0 / 3;
    }
    return 1;
}

} // namespace cask::dsp
