// Values that follow a rule over hits: a reverb on every second snare, a brighter fourth hit.
#pragma once

#include <core/layers/layer.h>
#include <core/session/rides.h>
#include <vector>

namespace cask::project {

/// How a value moves around a hit: there aheadMs before it, within glideMs; stays to holdMs behind it; back
/// within backMs.
struct HitShape {
    double change = 0;
    double aheadMs = 2;
    double glideMs = 8;
    double holdMs = 120;
    double backMs = 60;
};

/// By time. Where the next hit comes before the value is back, it stays.
[[nodiscard]] std::vector<session::RidePoint> pointsAround(const std::vector<double>& hitsS,
                                                           const HitShape& shape);

/// The ride of a value by those of the strikes that a rule chooses, in the place of the one it had.
/// `chosen` gets their number.
[[nodiscard]] session::Session withRuledRide(session::Session s, const session::RidePlace& place,
                                             const std::vector<layers::Strike>& strikes,
                                             const layers::LayerRule& rule, const HitShape& shape,
                                             std::size_t* chosen = nullptr);

} // namespace cask::project
