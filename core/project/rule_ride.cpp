#include "core/project/rule_ride.h"

#include <algorithm>

namespace cask::project {

std::vector<session::RidePoint> pointsAround(const std::vector<double>& hitsS, const HitShape& shape) {
    std::vector<session::RidePoint> points;
    double backS = -1; // where the value is what it was before, behind the last hit
    for (const double hit : hitsS) {
        const double there = std::max(0.0, hit - 0.001 * shape.aheadMs);
        const double from = std::max(0.0, there - 0.001 * shape.glideMs);
        const double hold = std::max(hit + 0.001 * shape.holdMs, there + 0.001);
        if (!points.empty() && from <= backS) {
            points.resize(points.size() - 2); // it stays
        } else {
            if (there > from)
                points.push_back({from, 0});
            points.push_back({there, shape.change});
        }
        backS = hold + std::max(0.001, 0.001 * shape.backMs);
        points.push_back({hold, shape.change});
        points.push_back({backS, 0});
    }
    return points;
}

session::Session withRuledRide(session::Session s, const session::RidePlace& place,
                               const std::vector<layers::Strike>& strikes, const layers::LayerRule& rule,
                               const HitShape& shape, std::size_t* chosen) {
    std::vector<double> hitsS;
    for (const auto i : layers::strikesOf(rule, strikes))
        hitsS.push_back(strikes[i].timeS);
    if (chosen != nullptr)
        *chosen = hitsS.size();
    return session::withPoints(std::move(s), place, pointsAround(hitsS, shape));
}

} // namespace cask::project
