// Who hits what, when and how hard: the truth of the demo take.
#pragma once

#include <string_view>
#include <vector>

namespace cask::demo {

enum class Drum { Kick, Snare, Hat, OpenHat, RackTom, FloorTom, Crash, Ride };
inline constexpr int kDrums = 8;
[[nodiscard]] std::string_view drumName(Drum drum);

struct Stroke {
    Drum drum = Drum::Kick;
    double timeS = 0;
    double velocity = 1;              ///< 0-1, amplitude relative to a full stroke
    std::string_view kind = "normal"; ///< accent, normal, ghost, flam, drag
};

struct Performance {
    double tempoBpm = 104;
    int bars = 16;
    double verseStartS = 0;
    double chorusStartS = 0;
    double endS = 0;
    std::vector<Stroke> strokes; ///< by time
    [[nodiscard]] double beatS() const { return 60 / tempoBpm; }
};

/// Eight bars of verse (closed hat, ghosts, a fill) and eight of chorus (ride and crash, open hats, a fill),
/// played by a hand that errs by a few milliseconds and never hits twice the same.
[[nodiscard]] Performance playDemo(unsigned long long seed);

} // namespace cask::demo
