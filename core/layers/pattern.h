// A pattern: strokes of drums in time, with the tempo and metre they were written in.
#pragma once

#include <vector>

namespace cask::layers {

/// A stroke as it is written: times from the start.
struct PatternStroke {
    double timeS = 0;
    double beat = 0;  ///< quarter notes
    int note = 0;     ///< MIDI, 0 to 127
    int velocity = 0; ///< MIDI, 1 to 127
    int channel = 0;  ///< 0 to 15; drums are on the tenth, 9
    friend bool operator==(const PatternStroke&, const PatternStroke&) = default;
};

struct TempoChange {
    double beat = 0;
    double timeS = 0;
    double bpm = 120; ///< quarter notes a minute
};

struct MetreChange {
    double beat = 0;
    int beats = 4; ///< of the bar, as it is written: 6 of 6/8
    int unit = 4;  ///< 8 of 6/8
    [[nodiscard]] double barBeats() const { return 4.0 * beats / unit; }
};

struct Pattern {
    std::vector<PatternStroke> strokes; ///< in time
    std::vector<TempoChange> tempi;     ///< the first at 0
    std::vector<MetreChange> metres;    ///< the first at 0
    double lengthBeats = 0;             ///< to the end of its last bar

    /// Where bars begin, quarter notes, the end of the last one behind them.
    [[nodiscard]] std::vector<double> barLines() const;
    /// Instant of a place, s.
    [[nodiscard]] double timeOf(double beat) const;
};

} // namespace cask::layers
