// What a user sets on the equaliser.
#pragma once

#include <vector>

namespace cask::dsp {

enum class FilterKind { Bell, LowShelf, HighShelf, HighPass, LowPass, Notch, BandPass, Tilt };

[[nodiscard]] constexpr bool isPass(FilterKind kind) {
    return kind == FilterKind::HighPass || kind == FilterKind::LowPass;
}

[[nodiscard]] constexpr bool hasGain(FilterKind kind) {
    return kind == FilterKind::Bell || kind == FilterKind::LowShelf || kind == FilterKind::HighShelf ||
           kind == FilterKind::Tilt;
}

/// What of a stereo sound a move acts on: the middle is half the sum of both sides, the side half their
/// difference. A mono sound is all middle.
enum class StereoPart { Both, Middle, Side };

[[nodiscard]] constexpr bool canBeDynamic(FilterKind kind) {
    return hasGain(kind) && kind != FilterKind::Tilt;
}

/// When the level of its own band moves a band's gain.
enum class Dynamics { None, Above, Below };

/// One move. `gainDb` has no meaning for passes, band-pass and notch, `q` none for passes and the tilt,
/// `slopeDbPerOct` none for the rest. A tilt lifts what is above its frequency by `gainDb` and lowers what is
/// below by as much. With dynamics the gain moves on by a dB for each dB by which the band's level is above
/// (or below) the threshold, up to `rangeDb`.
struct EqBand {
    int id = 0; ///< stays with the band while it is moved and reordered
    FilterKind kind = FilterKind::Bell;
    bool isOn = true;
    double frequencyHz = 1000;
    double gainDb = 0;
    double q = 1;
    double slopeDbPerOct = 24; ///< 6 to 48 in steps of 6, Butterworth
    StereoPart part = StereoPart::Both;
    Dynamics dynamics = Dynamics::None;
    double thresholdDb = -30; ///< dBFS of a sine at the centre
    double rangeDb = -6;      ///< most that is added to the gain
    double attackMs = 5;      ///< to 63 % of the way, in dB, as the level rises
    double releaseMs = 120;   ///< as it falls
    bool isKeyed = false;     ///< the level is that of the equaliser's key, not of the sound itself

    [[nodiscard]] bool isDynamic() const { return dynamics != Dynamics::None && canBeDynamic(kind); }
    friend bool operator==(const EqBand&, const EqBand&) = default;
};

struct EqSettings {
    std::vector<EqBand> bands;
    double amountPercent = 100; ///< of every gain, -100 to 200
    friend bool operator==(const EqSettings&, const EqSettings&) = default;
};

} // namespace cask::dsp
