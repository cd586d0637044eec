// Where a layer lies best under the others: every place and both polarities tried, over all strikes.
#pragma once

#include <core/base/progress.h>
#include <optional>
#include <span>

namespace cask::measure {

struct LayerPlace {
    double shiftMs = 0;      ///< of the layer from where it lies; later is positive, whole frames
    bool isInverted = false; ///< against how it is
    int strikes = 0;         ///< that it was tried on
    /// What the sum gains by it, dB: energy of the first kAttackMs behind the strikes, and of what of the
    /// first kLowMs lies below kLowHz; of both together for the softer and for the louder half of the
    /// strikes.
    double attackDb = 0, lowDb = 0;
    double softDb = 0, loudDb = 0;

    static constexpr double kReachMs = 6;
    static constexpr double kAttackMs = 10;
    static constexpr double kLowMs = 50;
    static constexpr double kLowHz = 200;
    static constexpr double kWorthDb = 0.15;  ///< less is no gain
    static constexpr double kAsGoodDb = 0.02; ///< of places within this of the best, the nearest is taken
};

/// Both as they sound in the take, mono, of one rate. Best is the greatest sum of both gains in dB, over all
/// strikes. Nothing where one is silent at every strike, or when cancelled.
[[nodiscard]] std::optional<LayerPlace> bestPlace(std::span<const float> others, std::span<const float> layer,
                                                  std::span<const double> strikesS, double rateHz,
                                                  const CancelToken& cancel = {});

/// What half the length of a sound does for its attack, dB: it dies away so that it is 40 dB down in half the
/// time, is made as loud again (energy, K-weighted), and its first 10 ms are compared. 0 of silence.
[[nodiscard]] double attackOfHalfLengthDb(std::span<const float> sound, double rateHz);

} // namespace cask::measure
