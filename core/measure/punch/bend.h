// How far quick times bend a drum's lows: gain that moves with the wave itself makes overtones of it.
#pragma once

#include <core/measure/punch/compression.h>

namespace cask::measure {

/// Overtones that a sine of `hz` gets from a gain that moves inside its period, dB under the sine, over
/// [from, to) frames; kSilenceDb where there are less than four periods. A gain of g (1 + m cos k w t) on a
/// sine w puts m / 2 of it at (k + 1) w; so of all k together the overtones have the mean square of what the
/// gain is over its mean of one period, halved.
[[nodiscard]] double overtonesDb(const std::vector<float>& gains, double hz, double rateHz, std::size_t from,
                                 std::size_t to);

/// Median over own hits, ghosts left out, of those from 10 to 150 ms after the onset, or until the next own
/// hit; kSilenceDb without any.
[[nodiscard]] double bentDb(const HitMaterial& material, const dsp::CompressorSettings& settings,
                            double fundamentalHz, const CancelToken& cancel = {});

} // namespace cask::measure
