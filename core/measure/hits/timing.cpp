#include "core/measure/hits/tempo.h"
#include "core/measure/hits/tempo_search.h"

#include <cmath>

namespace cask::measure {

std::vector<PlayedNote> playedNotes(const KitHits& hits) {
    std::vector<PlayedNote> notes;
    for (const auto& stroke : hits.strokes) {
        if (stroke.hitClass == HitClass::Flam)
            continue;
        const Role role = hits.kit.drums[static_cast<std::size_t>(stroke.drum)].role;
        notes.push_back({stroke.timeS, stroke.velocity * stroke.confidence,
                         role == Role::KickIn     ? PlayedNote::Part::Kick
                         : role == Role::SnareTop ? PlayedNote::Part::Snare
                                                  : PlayedNote::Part::Other});
    }
    return notes;
}

Timing measureTiming(const KitHits& hits, const Tempo& tempo) {
    constexpr double kGross = 4; // times the drum's own spread
    constexpr double kLeastGrossMs = 15;
    Timing timing;
    timing.errorMs.assign(hits.strokes.size(), 0);
    timing.drums.resize(hits.kit.drums.size());
    if (!tempo.isKnown)
        return timing;
    for (std::size_t s = 0; s < hits.strokes.size(); ++s)
        timing.errorMs[s] = 1000 * (hits.strokes[s].timeS - tempo.nearestLineS(hits.strokes[s].timeS));
    for (std::size_t d = 0; d < timing.drums.size(); ++d) {
        std::vector<double> errors;
        std::vector<int> which;
        for (std::size_t s = 0; s < hits.strokes.size(); ++s) {
            const auto& stroke = hits.strokes[s];
            // Grace notes and rolls are not meant to be on lines.
            if (stroke.drum == static_cast<int>(d) && stroke.hitClass != HitClass::Flam &&
                stroke.hitClass != HitClass::Roll) {
                errors.push_back(timing.errorMs[s]);
                which.push_back(static_cast<int>(s));
            }
        }
        if (errors.size() < 4)
            continue;
        DrumTiming& drum = timing.drums[d];
        drum.feelMs = median(errors);
        std::vector<double> off;
        for (const double e : errors)
            off.push_back(std::abs(e - drum.feelMs));
        drum.spreadMs = 1.48 * median(off);
        for (std::size_t i = 0; i < errors.size(); ++i)
            if (off[i] > std::max(kLeastGrossMs, kGross * drum.spreadMs))
                drum.gross.push_back(which[i]);
    }
    return timing;
}

} // namespace cask::measure
