#include "core/measure/hits/given_hits.h"

#include "core/measure/hits/loop_hits.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {

float peakAround(const HitInput& input, double timeS, bool isAmbient) {
    constexpr double kEarlyS = 0.001;
    const double wholeS = isAmbient ? 0.032 : 0.02; // it comes late there
    LevelByte loudest = 0;
    for (const auto* trail : input.channels) {
        const auto steps = static_cast<long>(trail->fine.size());
        const long from = std::clamp(std::lround((timeS - kEarlyS - input.offsetS) / kFineStepS), 0L, steps);
        const long to = std::clamp(from + std::lround((wholeS + kEarlyS) / kFineStepS), from, steps);
        for (long k = from; k < to; ++k)
            loudest = std::max(loudest, trail->fine[static_cast<std::size_t>(k)]);
    }
    return dbOfLevelByte(loudest);
}

bool isGivenLoop(const HitInput& input) {
    return input.given != nullptr && std::any_of(input.given->begin(), input.given->end(),
                                                 [](const GivenHit& hit) { return !hit.drum.empty(); });
}

void addGivenLoop(KitHits& hits, int input, const HitInput& loop) {
    for (const GivenHit& hit : *loop.given)
        if (const auto drum = loopDrumFromName(hit.drum)) {
            const double timeS = hit.timeS + loop.offsetS;
            const double levelDb = peakAround(loop, timeS, false);
            const int which = loopDrumIn(hits.kit, input, loop.name, *drum);
            hits.heard.push_back(
                {input, which, static_cast<int>(hits.strokes.size()), true, timeS, levelDb, 1});
            hits.strokes.push_back({which, timeS, levelDb, 0, HitClass::Normal, 1, false, hit.hitClass});
        }
}

void addPlayed(KitHits& hits, std::span<const HitInput> inputs) {
    const std::size_t recorded = hits.kit.drums.size();
    addPlayedDrums(hits.kit, inputs);
    for (std::size_t d = recorded; d < hits.kit.drums.size(); ++d) {
        const int input = hits.kit.drums[d].inputs.front();
        const HitInput& played = inputs[static_cast<std::size_t>(input)];
        double lastS = -1e9;
        for (const GivenHit& hit : *played.given) {
            const double timeS = hit.timeS + played.offsetS;
            if (timeS == lastS) // of several drums of a loop
                continue;
            lastS = timeS;
            const double levelDb = peakAround(played, timeS, false);
            if (levelDb <= dbOfLevelByte(0))
                continue;
            const int drum = static_cast<int>(d);
            hits.heard.push_back(
                {input, drum, static_cast<int>(hits.strokes.size()), true, timeS, levelDb, 1});
            hits.strokes.push_back({drum, timeS, levelDb, 0, HitClass::Normal, 1, false, hit.hitClass});
        }
    }
}

} // namespace cask::measure
