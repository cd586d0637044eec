#include "core/session/markers.h"

#include <algorithm>
#include <cmath>

namespace cask::session {
namespace {

constexpr double kSameMarkerS = 0.01;

void sortMarkers(Session& s) {
    std::stable_sort(s.markers.begin(), s.markers.end(),
                     [](const Marker& a, const Marker& b) { return a.timeS < b.timeS; });
}

} // namespace

const Marker* markerNear(const Session& s, double atS, double nearS) {
    const Marker* nearest = nullptr;
    for (const auto& marker : s.markers)
        if (std::abs(marker.timeS - atS) <= nearS &&
            (nearest == nullptr || std::abs(marker.timeS - atS) < std::abs(nearest->timeS - atS)))
            nearest = &marker;
    return nearest;
}

Session withMarker(Session s, double atS, const std::string& name) {
    std::erase_if(s.markers,
                  [&](const Marker& marker) { return std::abs(marker.timeS - atS) < kSameMarkerS; });
    s.markers.push_back({name, std::max(0.0, atS), {}});
    sortMarkers(s);
    return s;
}

Session withMarkerNamed(Session s, double atS, const std::string& name) {
    for (auto& marker : s.markers)
        if (std::abs(marker.timeS - atS) < kSameMarkerS && !name.empty())
            marker.name = name;
    return s;
}

Session withMarkerMoved(Session s, double atS, double toS) {
    for (auto& marker : s.markers)
        if (std::abs(marker.timeS - atS) < kSameMarkerS) {
            marker.timeS = std::max(0.0, toS);
            break;
        }
    sortMarkers(s);
    return s;
}

Session withoutMarker(Session s, double atS) {
    std::erase_if(s.markers,
                  [&](const Marker& marker) { return std::abs(marker.timeS - atS) < kSameMarkerS; });
    return s;
}

} // namespace cask::session
