#include "core/measure/stack/layer_place.h"

#include "core/base/units.h"
#include "core/measure/stack/one_shot_alignment.h"
#include "core/measure/stack/stack_judge.h"
#include "core/measure/stack/stretches.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace cask::measure {
namespace {

constexpr std::size_t kMostStrikes = 200; // of more, every nth
constexpr double kRingS = 0.020;          // beside what is filtered

/// Energies of what lies behind some strikes, for every shift of the layer: of the others, of the layer, and
/// of both with each other.
struct Energies {
    double others = 0;
    std::vector<double> layer, both;

    explicit Energies(std::size_t shifts) : layer(shifts, 0), both(shifts, 0) {}
    [[nodiscard]] double sum(std::size_t shift, bool isInverted) const {
        return others + layer[shift] + (isInverted ? -2 : 2) * both[shift];
    }
    Energies& operator+=(const Energies& more) {
        others += more.others;
        for (std::size_t i = 0; i < layer.size(); ++i) {
            layer[i] += more.layer[i];
            both[i] += more.both[i];
        }
        return *this;
    }
};

/// `layer` begins `reach` frames before `others`, and ends as much later than `frames`.
void add(Energies& e, std::span<const float> others, std::span<const float> layer, std::size_t frames) {
    for (std::size_t n = 0; n < frames; ++n)
        e.others += static_cast<double>(others[n]) * others[n];
    std::vector<double> until(layer.size() + 1, 0);
    for (std::size_t n = 0; n < layer.size(); ++n)
        until[n + 1] = until[n] + static_cast<double>(layer[n]) * layer[n];
    const std::size_t shifts = e.layer.size();
    for (std::size_t s = 0; s < shifts; ++s) {
        const std::size_t from = shifts - 1 - s; // the later the layer, the earlier of it is seen
        e.layer[s] += until[from + frames] - until[from];
        float both = 0;
        for (std::size_t n = 0; n < frames; ++n)
            both += others[n] * layer[from + n];
        e.both[s] += static_cast<double>(both);
    }
}

struct Bands {
    Energies attack, low;
    explicit Bands(std::size_t shifts) : attack(shifts), low(shifts) {}
    /// Both gains against where the layer lies, dB.
    [[nodiscard]] double attackDb(std::size_t shift, bool isInverted) const {
        return gainDb(attack, shift, isInverted);
    }
    [[nodiscard]] double lowDb(std::size_t shift, bool isInverted) const {
        return gainDb(low, shift, isInverted);
    }
    [[nodiscard]] double bothDb(std::size_t shift, bool isInverted) const {
        return attackDb(shift, isInverted) + lowDb(shift, isInverted);
    }

  private:
    [[nodiscard]] static double gainDb(const Energies& e, std::size_t shift, bool isInverted) {
        const double now = e.sum((e.layer.size() - 1) / 2, false);
        // What is next to nothing beside either of them counts as nothing.
        const double least = 1e-6 * (e.others + *std::max_element(e.layer.begin(), e.layer.end()));
        if (least <= 0)
            return 0;
        return powerToDb(std::max(least, e.sum(shift, isInverted)) / std::max(least, now));
    }
};

} // namespace

std::optional<LayerPlace> bestPlace(std::span<const float> others, std::span<const float> layer,
                                    std::span<const double> strikesS, double rateHz,
                                    const CancelToken& cancel) {
    const auto framesOf = [&](double ms) {
        return static_cast<std::size_t>(std::llround(0.001 * ms * rateHz));
    };
    const std::size_t reach = framesOf(LayerPlace::kReachMs);
    const std::size_t shifts = 2 * reach + 1;
    const std::size_t attack = framesOf(LayerPlace::kAttackMs);
    const std::size_t low = framesOf(LayerPlace::kLowMs);
    const std::size_t ring = framesOf(1000 * kRingS);
    const std::size_t step = 1 + (strikesS.empty() ? 0 : strikesS.size() - 1) / kMostStrikes;
    std::vector<std::pair<double, Bands>> byLevel;
    for (std::size_t i = 0; i < strikesS.size(); i += step) {
        if (cancel.isCancelled())
            return std::nullopt;
        const auto at = static_cast<std::ptrdiff_t>(secondsToFrames(strikesS[i], rateHz));
        const auto from = at - static_cast<std::ptrdiff_t>(reach + ring);
        const std::size_t frames = low + 2 * (reach + ring);
        const auto othersHere = stretchOf(others, from, frames);
        const auto layerHere = stretchOf(layer, from, frames);
        const auto othersLow = lowsOf(othersHere, LayerPlace::kLowHz, rateHz);
        const auto layerLow = lowsOf(layerHere, LayerPlace::kLowHz, rateHz);
        Bands bands(shifts);
        add(bands.attack, std::span(othersHere).subspan(ring + reach),
            std::span(layerHere).subspan(ring, attack + 2 * reach), attack);
        add(bands.low, std::span(othersLow).subspan(ring + reach),
            std::span(layerLow).subspan(ring, low + 2 * reach), low);
        const double level = bands.attack.others + bands.attack.layer[reach];
        byLevel.emplace_back(level, std::move(bands));
    }
    if (byLevel.empty())
        return std::nullopt;
    std::stable_sort(byLevel.begin(), byLevel.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::array<Bands, 3> sums{Bands(shifts), Bands(shifts), Bands(shifts)}; // all, softer, louder
    for (std::size_t i = 0; i < byLevel.size(); ++i)
        for (const std::size_t into :
             {std::size_t{0}, 2 * i < byLevel.size() ? std::size_t{1} : std::size_t{2}}) {
            sums[into].attack += byLevel[i].second.attack;
            sums[into].low += byLevel[i].second.low;
        }
    const auto& all = sums[0];
    if (all.attack.others <= 0 || *std::max_element(all.attack.layer.begin(), all.attack.layer.end()) <= 0)
        return std::nullopt;
    double best = 0;
    for (std::size_t s = 0; s < shifts; ++s)
        best = std::max({best, all.bothDb(s, false), all.bothDb(s, true)});
    LayerPlace place;
    place.strikes = static_cast<int>(byLevel.size());
    if (best <= LayerPlace::kWorthDb)
        return place; // where it lies is as good
    std::size_t shift = reach;
    std::size_t nearest = shifts;
    for (std::size_t s = 0; s < shifts; ++s)
        for (const bool isInverted : {false, true}) {
            const std::size_t away = s > reach ? s - reach : reach - s;
            if (away < nearest && all.bothDb(s, isInverted) >= best - LayerPlace::kAsGoodDb) {
                nearest = away;
                shift = s;
                place.isInverted = isInverted;
            }
        }
    place.shiftMs = 1000 * (static_cast<double>(shift) - static_cast<double>(reach)) / rateHz;
    place.attackDb = all.attackDb(shift, place.isInverted);
    place.lowDb = all.lowDb(shift, place.isInverted);
    place.softDb = sums[1].bothDb(shift, place.isInverted);
    place.loudDb = sums[2].bothDb(shift, place.isInverted);
    return place;
}

double attackOfHalfLengthDb(std::span<const float> sound, double rateHz) {
    const auto onset = oneShotOnset(sound, rateHz);
    if (!onset)
        return 0;
    const Sound before{{sound.begin(), sound.end()}};
    const auto judged = judgeStack({before}, rateHz);
    const double lengthS = 0.001 * judged.layers.front().lengthMs;
    if (lengthS <= 0)
        return 0;
    Sound shorter = before;
    const auto from = static_cast<std::size_t>(*onset * rateHz);
    // It falls by 40 dB over its length of itself: as much again, so that half of it is enough.
    for (std::size_t n = from; n < shorter.front().size(); ++n)
        shorter.front()[n] *=
            static_cast<float>(dbToLinear(-40 * static_cast<double>(n - from) / rateHz / lengthS));
    const auto attackOf = [&](const Sound& s) {
        double energy = 0;
        const auto to = std::min(s.front().size(), from + static_cast<std::size_t>(0.010 * rateHz));
        for (std::size_t n = from; n < to; ++n)
            energy += static_cast<double>(s.front()[n]) * s.front()[n];
        return energy;
    };
    const double loudness = weightedEnergy(before, rateHz) / weightedEnergy(shorter, rateHz);
    return powerToDb(loudness * attackOf(shorter) / attackOf(before));
}

} // namespace cask::measure
