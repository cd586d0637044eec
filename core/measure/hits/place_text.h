// A place of the performance as a person types it.
#pragma once

#include <core/base/result.h>
#include <core/measure/hits/tempo.h>
#include <string>
#include <string_view>

namespace cask::measure {

/// Seconds from the start: "17" is bar 17, "17.3" its third beat, "1:23.5" and "83.5 s" are times. Bars count
/// from 1 and need a tempo; past its last beat they go on at its pace.
[[nodiscard]] Result<double> parsePlace(std::string_view text, const Tempo& tempo);
/// "bar 17, beat 3", or "1:23.5" without a tempo.
[[nodiscard]] std::string placeText(double timeS, const Tempo& tempo);

} // namespace cask::measure
