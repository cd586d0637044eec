#include "core/measure/hits/loop_hits.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

constexpr float kLeastShare = 0.5F;
constexpr double kApartS = 0.018;

/// The bands that a stroke of a drum is loud in, from and to.
struct BandRange {
    std::size_t from;
    std::size_t to;
};
constexpr std::array<BandRange, kLoopDrums> kOwnBands = {{{0, 2}, {2, 6}, {6, 8}, {0, 4}, {6, 8}, {5, 8}}};

/// Level of an arrival in a drum's bands: what else is struck with it counts little there.
double levelIn(BandRange range, std::span<const BandTrail* const> channels, const Arrival& arrival) {
    constexpr std::size_t kSteps = 20;
    double own = 0;
    double all = 0;
    const auto from = static_cast<std::size_t>(arrival.timeS / kTrailStepS);
    for (const auto* trail : channels)
        for (std::size_t n = from; n < std::min(from + kSteps, trail->steps()); ++n)
            for (std::size_t b = 0; b < kTrailBands; ++b) {
                const double power = static_cast<double>(powerOfLevelByte(trail->bands[n * kTrailBands + b]));
                all += power;
                own += b >= range.from && b < range.to ? power : 0;
            }
    constexpr double kLeast = 1e-6; // of all: 60 dB
    return all > 0 ? arrival.levelDb + powerToDb(std::max(own / all, kLeast)) : arrival.levelDb;
}

} // namespace

std::vector<LoopHit> findLoopHits(std::span<const BandTrail* const> channels,
                                  std::span<const Arrival> arrivals, const LoopEar& ear) {
    std::vector<LoopHit> hits;
    if (channels.empty() || arrivals.empty() || ear.second.empty())
        return hits;
    const auto shares = ear.shares(firstLook(channels, arrivals), arrivals);
    std::vector<std::size_t> order(arrivals.size());
    for (std::size_t d = 0; d < kLoopDrums; ++d) {
        std::iota(order.begin(), order.end(), 0U);
        std::stable_sort(order.begin(), order.end(),
                         [&](std::size_t a, std::size_t b) { return shares[a][d] > shares[b][d]; });
        std::vector<bool> isTaken(arrivals.size(), false); // too near to a surer one
        for (const std::size_t i : order) {
            if (shares[i][d] < kLeastShare)
                break;
            if (isTaken[i])
                continue;
            const auto isNear = [&](std::size_t j) {
                return std::abs(arrivals[j].timeS - arrivals[i].timeS) < kApartS;
            };
            for (std::size_t j = i; isNear(j); --j) {
                isTaken[j] = true;
                if (j == 0)
                    break;
            }
            for (std::size_t j = i; j < arrivals.size() && isNear(j); ++j)
                isTaken[j] = true;
            hits.push_back({static_cast<LoopDrum>(d), i, static_cast<double>(shares[i][d]),
                            levelIn(kOwnBands[d], channels, arrivals[i])});
        }
    }
    std::stable_sort(hits.begin(), hits.end(),
                     [](const LoopHit& a, const LoopHit& b) { return a.arrival < b.arrival; });
    return hits;
}

namespace {

constexpr std::array<const char*, kLoopDrums> kNames = {"kick", "snare", "hat", "tom", "ride", "crash"};
constexpr std::array<Role, kLoopDrums> kRoles = {Role::KickIn,  Role::SnareTop, Role::ClosedHat,
                                                 Role::RackTom, Role::Ride,     Role::Crash};

} // namespace

const char* nameOf(LoopDrum drum) {
    return kNames[static_cast<std::size_t>(drum)];
}

Role roleOf(LoopDrum drum) {
    return kRoles[static_cast<std::size_t>(drum)];
}

std::optional<LoopDrum> loopDrumFromName(std::string_view name) {
    const auto it = std::find(kNames.begin(), kNames.end(), name);
    return it == kNames.end() ? std::nullopt : std::optional(static_cast<LoopDrum>(it - kNames.begin()));
}

std::string loopDrumName(const Drum& drum) {
    const auto it = std::find(kRoles.begin(), kRoles.end(), drum.role);
    return drum.loop < 0 || it == kRoles.end() ? std::string()
                                               : kNames[static_cast<std::size_t>(it - kRoles.begin())];
}

int loopDrumIn(KitModel& kit, int input, const std::string& loopName, LoopDrum drum) {
    for (std::size_t d = 0; d < kit.drums.size(); ++d)
        if (kit.drums[d].loop == input && kit.drums[d].role == roleOf(drum))
            return static_cast<int>(d);
    const bool isAlone = kit.loops.size() == 1 && kit.listening.empty();
    kit.drums.push_back({isAlone ? nameOf(drum) : loopName + " " + nameOf(drum), roleOf(drum), {}, input});
    return static_cast<int>(kit.drums.size()) - 1;
}

} // namespace cask::measure
