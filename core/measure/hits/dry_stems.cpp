#include "core/measure/hits/dry_stems.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kLeastSilentShare = 0.1; // of the time between its first and last sound
constexpr int kFewestOthers = 4;          // strokes of others that it does not hear
constexpr double kAroundS = 0.02;         // in which it would
constexpr double kTogetherS = 0.006;
constexpr double kOneDrumShare = 0.7; // of both: layers that are triggered together

bool isSilent(const HitInput& input, std::size_t fineStep) {
    return std::all_of(input.channels.begin(), input.channels.end(), [&](const BandTrail* trail) {
        return fineStep >= trail->fine.size() || trail->fine[fineStep] == 0;
    });
}

double silentShare(const HitInput& input) {
    const std::size_t steps = input.channels.front()->fine.size();
    std::size_t first = 0;
    while (first < steps && isSilent(input, first))
        ++first;
    std::size_t end = steps;
    while (end > first && isSilent(input, end - 1))
        --end;
    std::size_t silent = 0;
    for (std::size_t k = first; k < end; ++k)
        silent += isSilent(input, k) ? 1 : 0;
    return end > first ? static_cast<double>(silent) / static_cast<double>(end - first) : 0;
}

bool beginsOrEndsSilent(const HitInput& input) {
    constexpr double kLeastS = 0.02;
    const auto steps = static_cast<std::size_t>(kLeastS / kFineStepS);
    const std::size_t size = input.channels.front()->fine.size();
    const auto isSilentFrom = [&](std::size_t from) {
        for (std::size_t k = from; k < from + steps; ++k)
            if (!isSilent(input, k))
                return false;
        return true;
    };
    return size > 2 * steps && (isSilentFrom(0) || isSilentFrom(size - steps));
}

/// Share of the arrivals of one that coincide with some of another.
double togetherShare(const std::vector<Arrival>& a, double aOffsetS, const std::vector<Arrival>& b,
                     double bOffsetS) {
    std::size_t together = 0;
    for (const auto& x : a) {
        const double t = x.timeS + aOffsetS - bOffsetS;
        const auto near = std::lower_bound(b.begin(), b.end(), t - kTogetherS,
                                           [](const Arrival& y, double at) { return y.timeS < at; });
        together += near != b.end() && near->timeS <= t + kTogetherS ? 1 : 0;
    }
    return a.empty() ? 0 : static_cast<double>(together) / static_cast<double>(a.size());
}

KitPart partWith(const KitModel& kit, const std::vector<bool>& keeps, bool hasAmbient) {
    KitPart part;
    part.kit.drumOf.assign(kit.drumOf.size(), -1);
    for (std::size_t d = 0; d < kit.drums.size(); ++d) {
        if (!keeps[d])
            continue;
        for (const int input : kit.drums[d].inputs) {
            part.kit.drumOf[static_cast<std::size_t>(input)] = static_cast<int>(part.kit.drums.size());
            part.kit.listening.push_back(input);
        }
        part.kit.drums.push_back(kit.drums[d]);
        part.drums.push_back(static_cast<int>(d));
    }
    std::sort(part.kit.listening.begin(), part.kit.listening.end());
    if (hasAmbient) {
        part.kit.ambient = kit.ambient;
        part.kit.listening.insert(part.kit.listening.end(), kit.ambient.begin(), kit.ambient.end());
    }
    return part;
}

} // namespace

std::vector<bool> findDryStems(const KitModel& kit, std::span<const HitInput> inputs,
                               const std::vector<std::vector<Arrival>>& arrivals) {
    std::vector<bool> isDry(inputs.size(), false);
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        if (kit.drumOf[i] < 0 || inputs[i].channels.empty() || silentShare(inputs[i]) < kLeastSilentShare)
            continue;
        int unheard = 0;
        for (std::size_t other = 0; other < inputs.size(); ++other)
            for (const auto& a : arrivals[other]) {
                const double fromS = a.timeS + inputs[other].offsetS - inputs[i].offsetS;
                if (other == i || fromS < 0)
                    continue;
                const auto from = static_cast<std::size_t>(fromS / kFineStepS);
                bool isHeard = from >= inputs[i].channels.front()->fine.size(); // past its end: says nothing
                for (std::size_t k = from; k < from + static_cast<std::size_t>(kAroundS / kFineStepS); ++k)
                    isHeard = isHeard || !isSilent(inputs[i], k);
                unheard += isHeard ? 0 : 1;
            }
        isDry[i] = unheard >= kFewestOthers;
    }
    // A kit without any microphone that hears all, some of whose stems are so, and that has no noise in any
    // of them where it begins or ends, is programmed as a whole: long sounds and dense figures leave no
    // silence between them.
    const bool isAnyDry = std::count(isDry.begin(), isDry.end(), true) > 0;
    bool haveNoNoise = true;
    for (std::size_t i = 0; i < inputs.size(); ++i)
        haveNoNoise = haveNoNoise && (kit.drumOf[i] < 0 || isDry[i] || beginsOrEndsSilent(inputs[i]));
    if (kit.ambient.empty() && isAnyDry && haveNoNoise)
        for (std::size_t i = 0; i < inputs.size(); ++i)
            isDry[i] = kit.drumOf[i] >= 0;
    return isDry;
}

std::vector<KitPart> partsOf(KitModel& kit, const std::vector<bool>& isDry, std::span<const HitInput> inputs,
                             const std::vector<std::vector<Arrival>>& arrivals) {
    for (std::size_t d = 0, count = kit.drums.size(); d < count; ++d) {
        const auto own = kit.drums[d].inputs;
        for (std::size_t n = 1; n < own.size(); ++n) {
            const auto first = static_cast<std::size_t>(own.front());
            const auto i = static_cast<std::size_t>(own[n]);
            const double share = std::min(
                togetherShare(arrivals[i], inputs[i].offsetS, arrivals[first], inputs[first].offsetS),
                togetherShare(arrivals[first], inputs[first].offsetS, arrivals[i], inputs[i].offsetS));
            if (!isDry[i] || share >= kOneDrumShare)
                continue;
            std::erase(kit.drums[d].inputs, own[n]);
            kit.drumOf[i] = static_cast<int>(kit.drums.size());
            kit.drums.push_back({inputs[i].name, inputs[i].role, {own[n]}});
        }
    }
    std::vector<KitPart> parts;
    std::vector<bool> rest(kit.drums.size(), true);
    for (std::size_t d = 0; d < kit.drums.size(); ++d) {
        const auto& own = kit.drums[d].inputs;
        if (own.empty() ||
            !std::all_of(own.begin(), own.end(), [&](int i) { return isDry[static_cast<std::size_t>(i)]; }))
            continue;
        std::vector<bool> alone(kit.drums.size(), false);
        alone[d] = true;
        rest[d] = false;
        parts.push_back(partWith(kit, alone, false));
    }
    if (auto others = partWith(kit, rest, true); !others.kit.listening.empty())
        parts.push_back(std::move(others));
    return parts;
}

} // namespace cask::measure
