#include "core/measure/balance/balance_pans.h"

#include "core/base/shared_drum.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kApart = 0.02;    // places closer than this are not told from each other
constexpr double kMostStretch = 8; // of places that are close together

bool isInTheMiddle(Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
    case Role::SnareTop:
    case Role::SnareBottom:
    case Role::SideStick:
    case Role::Clap:
        return true;
    default:
        return false;
    }
}
bool isHat(Role role) {
    return role == Role::ClosedHat || role == Role::OpenHat;
}
bool isSpread(Role role) {
    return isHat(role) || role == Role::Ride || role == Role::Crash || role == Role::Percussion;
}

double inHundredths(double pan) {
    return std::round(100 * pan) / 100 + 0.0; // no -0
}

} // namespace

std::vector<std::optional<PanPlace>> findPans(std::span<const PanDrum> drums, double spread,
                                              bool isFromDrummer) {
    std::vector<std::optional<PanPlace>> pans(drums.size());
    const auto heard = [](double pan) { return PanPlace{inHundredths(pan), true}; };
    const auto placed = [](double pan) { return PanPlace{inHundredths(pan), false}; };
    std::vector<std::size_t> toms;
    double farthest = 0;
    for (std::size_t d = 0; d < drums.size(); ++d) {
        if (isTom(drums[d].role))
            toms.push_back(d);
        else if (isSpread(drums[d].role))
            farthest = std::max(farthest, std::abs(drums[d].heardAt.value_or(0)));
    }
    for (const auto& drum : drums)
        if (isHat(drum.role) && std::abs(drum.heardAt.value_or(0)) > kApart)
            isFromDrummer = *drum.heardAt < 0;
    const double right = isFromDrummer ? -spread : spread;
    const double stretch = farthest < kApart ? 1 : std::min(kMostStretch, spread / farthest);
    for (std::size_t d = 0; d < drums.size(); ++d) {
        const Role role = drums[d].role;
        if (isInTheMiddle(role))
            pans[d] = placed(0);
        else if (isSpread(role) && drums[d].heardAt)
            pans[d] = heard(*drums[d].heardAt * stretch);
        else if (isHat(role))
            pans[d] = placed(right / 2);
        else if (role == Role::Ride)
            pans[d] = placed(-right / 2);
    }
    const bool areHeard =
        std::all_of(toms.begin(), toms.end(), [&](std::size_t d) { return drums[d].heardAt.has_value(); });
    double least = 1;
    double most = -1;
    for (const std::size_t d : toms) {
        least = std::min(least, drums[d].heardAt.value_or(0));
        most = std::max(most, drums[d].heardAt.value_or(0));
    }
    for (std::size_t k = 0; k < toms.size(); ++k) {
        const std::size_t d = toms[k];
        if (toms.size() == 1)
            pans[d] = areHeard ? heard(std::clamp(*drums[d].heardAt * stretch, -spread, spread)) : placed(0);
        else if (areHeard && most - least > kApart)
            pans[d] = heard(spread * (2 * (*drums[d].heardAt - least) / (most - least) - 1));
        else
            pans[d] = placed(right * (1 - 2 * static_cast<double>(k) / static_cast<double>(toms.size() - 1)));
    }
    return pans;
}

} // namespace cask::measure
