// What a one-shot is like: numbers that people search by, and its look, by which sounds are alike.
#pragma once

#include <array>
#include <core/base/units.h>
#include <core/measure/sound.h>
#include <cstddef>
#include <cstdint>
#include <optional>

namespace cask::measure {

/// How the power of a sound lies in bands and times, and how its partials stand: dB in steps of kStepDb.
struct LookShape {
    static constexpr double kRangeDb = 54;
    static constexpr double kStepDb = kRangeDb / 255;
    static constexpr std::size_t kTimes = 5;  ///< from the onset to 6, 20, 60, 150 and 400 ms
    static constexpr std::size_t kBands = 26; ///< thirds of an octave from 40 Hz to 12.7 kHz
    static constexpr std::size_t kCells = kTimes * kBands;
    static constexpr std::size_t kLow = 56;  ///< twelfths of an octave from 40 Hz to 1 kHz, 20 to 400 ms
    static constexpr std::size_t kFine = 98; ///< the same to 12 kHz
    static constexpr std::size_t kValues = kCells + kLow + kFine;
    /// Cells under the strongest one, low twelfths under the strongest of them (0 from kRangeDb on), fine
    /// twelfths over the mean of the octave around them (0 is kFineLeastDb).
    static constexpr double kFineLeastDb = -12;
    static constexpr double kFineMostDb = 18;
    std::array<std::uint8_t, kValues> values{};
    friend bool operator==(const LookShape&, const LookShape&) = default;
};

struct SoundLook {
    double onsetMs = 0;
    double lengthMs = 0;            ///< from the onset until it stays 40 dB under its peak
    double peakDb = kSilenceDb;     ///< dBFS
    double loudnessDb = kSilenceDb; ///< energy, K-weighted (BS.1770): of 1 s at full scale 0 dB
    double attackMs = 0;            ///< from the onset to the peak of its level (RMS of 1 ms)
    double decayMs = 0;             ///< from there to 20 dB under it
    double brightnessHz = 0;        ///< centroid of power on a musical scale, 30 Hz to 16 kHz
    double noisiness = 0;           ///< 0 a tone, 1 noise: power that does not stand in peaks of the spectrum
    double lowShare = 0;            ///< of the energy, 20 to 120 Hz
    double widthPercent = 0;        ///< energy of the side against middle and side
    bool isHeld = false; ///< its tops are flat or its crest is under 7 dB: it was limited or driven before
    /// Of a sound with a note: the lowest strong partial of its decay, and where it came from.
    double fundamentalHz = 0, fromHz = 0;
    double fallMs = 0; ///< from fromHz until within 5 % of fundamentalHz
    LookShape shape;
};

/// Nothing of silence. One stroke, any rate.
[[nodiscard]] std::optional<SoundLook> lookOf(const Sound& sound, double rateHz);

/// The strongest twelfth of an octave under 1 kHz of what rings on: near the note, also where none was found.
[[nodiscard]] double strongestLowHz(const LookShape& shape);

/// How unlike two sounds are, about dB: their shapes without a difference in level; one in tilt counts
/// little, for a softer stroke is a darker one. 0 of the same.
[[nodiscard]] double unlikeness(const LookShape& a, const LookShape& b);

} // namespace cask::measure
