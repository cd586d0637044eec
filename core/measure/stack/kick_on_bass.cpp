#include "core/measure/stack/kick_on_bass.h"

#include "core/base/units.h"
#include "core/measure/stack/one_shot_alignment.h"
#include "core/measure/stack/stretches.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr std::size_t kMostStrikes = 64; // of more, every nth
constexpr double kRingMs = 50;
constexpr double kStepMs = 20;

double energyOf(std::span<const float> x) {
    double energy = 0;
    for (const float v : x)
        energy += static_cast<double>(v) * v;
    return energy;
}

} // namespace

KickOnBass scoreKickOnBass(std::span<const float> kick, double gainDb, std::span<const float> bass,
                           std::span<const double> strikesS, double rateHz) {
    const auto framesOf = [&](double ms) {
        return static_cast<std::size_t>(std::llround(0.001 * ms * rateHz));
    };
    const std::size_t body = framesOf(KickOnBass::kBodyMs);
    const std::size_t ring = framesOf(kRingMs);
    const std::size_t step = framesOf(kStepMs);
    const auto onset = static_cast<std::ptrdiff_t>(oneShotOnset(kick, rateHz).value_or(0) * rateHz);
    auto own = stretchOf(kick, onset - static_cast<std::ptrdiff_t>(ring), body + 2 * ring);
    for (float& x : own)
        x *= static_cast<float>(dbToLinear(gainDb));
    const auto ownLow = lowsOf(own, KickOnBass::kLowHz, rateHz);

    double kickEnergy = 0, bassEnergy = 0, both = 0;
    float peaks[2] = {0, 0};
    struct Strayed {
        double squares = 0, weight = 0;
    } strayed[2];
    const std::size_t every = 1 + (strikesS.empty() ? 0 : strikesS.size() - 1) / kMostStrikes;
    for (std::size_t i = 0; i < strikesS.size(); i += every) {
        const auto from = static_cast<std::ptrdiff_t>(secondsToFrames(strikesS[i], rateHz)) -
                          static_cast<std::ptrdiff_t>(ring);
        const auto here = stretchOf(bass, from, body + 2 * ring);
        const auto hereLow = lowsOf(here, KickOnBass::kLowHz, rateHz);
        for (std::size_t n = ring; n < ring + body; ++n) {
            kickEnergy += static_cast<double>(ownLow[n]) * ownLow[n];
            bassEnergy += static_cast<double>(hereLow[n]) * hereLow[n];
            both += static_cast<double>(ownLow[n]) * hereLow[n];
            peaks[0] = std::max(peaks[0], std::fabs(here[n] + own[n]));
            peaks[1] = std::max(peaks[1], std::fabs(here[n] - own[n]));
        }
        for (std::size_t at = ring; at + step <= ring + body; at += step) {
            const double a = energyOf(std::span(ownLow).subspan(at, step));
            const double b = energyOf(std::span(hereLow).subspan(at, step));
            double ab = 0;
            for (std::size_t n = at; n < at + step; ++n)
                ab += static_cast<double>(ownLow[n]) * hereLow[n];
            if (a + b <= 0)
                continue;
            for (const int side : {0, 1}) {
                const double sum = std::max(1e-3 * (a + b), a + b + (side == 0 ? 2 : -2) * ab);
                strayed[side].squares += (a + b) * std::pow(powerToDb(sum / (a + b)), 2);
                strayed[side].weight += a + b;
            }
        }
    }
    KickOnBass best;
    const double louder = std::max(kickEnergy, bassEnergy);
    if (louder <= 0)
        return best;
    for (const int side : {0, 1}) {
        KickOnBass one;
        one.isInverted = side == 1;
        const double sum = kickEnergy + bassEnergy + (side == 0 ? 2 : -2) * both;
        one.lowGainDb = powerToDb(std::max(1e-4 * louder, sum) / louder);
        one.beatingDb =
            strayed[side].weight > 0 ? std::sqrt(strayed[side].squares / strayed[side].weight) : 0;
        one.roomDb = -linearToDb(static_cast<double>(peaks[side]));
        one.score = one.lowGainDb - one.beatingDb + std::min(0.0, one.roomDb);
        if (side == 0 || one.score > best.score)
            best = one;
    }
    return best;
}

} // namespace cask::measure
