// What a user sets on the equaliser.
#pragma once

#include <vector>

namespace cask::dsp {

enum class FilterKind { Bell, LowShelf, HighShelf, HighPass, LowPass, Notch };

[[nodiscard]] constexpr bool isPass(FilterKind kind) {
    return kind == FilterKind::HighPass || kind == FilterKind::LowPass;
}

/// One move. `gainDb` has no meaning for passes and the notch, `q` none for passes, `slopeDbPerOct` none for
/// the rest.
struct EqBand {
    int id = 0; ///< stays with the band while it is moved and reordered
    FilterKind kind = FilterKind::Bell;
    bool isOn = true;
    double frequencyHz = 1000;
    double gainDb = 0;
    double q = 1;
    double slopeDbPerOct = 24; ///< 6 to 48 in steps of 6, Butterworth

    friend bool operator==(const EqBand&, const EqBand&) = default;
};

struct EqSettings {
    std::vector<EqBand> bands;
    friend bool operator==(const EqSettings&, const EqSettings&) = default;
};

} // namespace cask::dsp
