// Which strikes are the louder ones.
#pragma once

#include <core/layers/layer.h>
#include <optional>

namespace cask::layers {

/// The level, in dB under the loudest strike, that parts the louder from the softer ones: of all places
/// between two levels the one after which the levels of both parts vary least (Otsu 1979), halfway between
/// its neighbours. Nothing where the parts lie less than 4 dB apart in the mean, are hardly more apart than
/// halves of levels that are spread evenly, or where one of them is less than a twelfth of all.
[[nodiscard]] std::optional<double> louderFromDb(const std::vector<Strike>& strikes);

/// How many strikes are at least so loud, in dB under the loudest.
[[nodiscard]] int countFrom(const std::vector<Strike>& strikes, double levelDb);

} // namespace cask::layers
