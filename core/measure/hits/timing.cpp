#include "core/measure/hits/hit_classes.h"
#include "core/measure/hits/tempo.h"
#include "core/measure/hits/tempo_search.h"

#include <algorithm>
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

namespace {

/// Whether a ghost is an ornament (a drag before a backbeat): its drum is struck sooner before or after it
/// than played notes come.
std::vector<bool> ornamentsOf(const KitHits& hits, const Tempo& tempo) {
    std::vector<bool> is(hits.strokes.size(), false);
    std::vector<int> before(hits.kit.drums.size(), -1);
    for (std::size_t s = 0; s < hits.strokes.size(); ++s) {
        int& last = before[static_cast<std::size_t>(hits.strokes[s].drum)];
        if (last >= 0) {
            const auto p = static_cast<std::size_t>(last);
            const double fromS = hits.strokes[p].timeS;
            const double toS = hits.strokes[s].timeS;
            if (toS - fromS < kRollMostS && tempo.beatAt(toS) - tempo.beatAt(fromS) < kRollMostBeats)
                for (const std::size_t one : {p, s})
                    is[one] = is[one] || hits.strokes[one].hitClass == HitClass::Ghost;
        }
        last = static_cast<int>(s);
    }
    return is;
}

/// Strokes without those that lie on triplets or thirty-seconds, where a drum plays such: several of its
/// strokes do, more than would by chance.
std::vector<int> withoutFinerLines(std::vector<int> strokes, const KitHits& hits, const Tempo& tempo,
                                   const DrumTiming& drum) {
    constexpr std::size_t kFewest = 3;
    constexpr double kMostOffMs = 8;
    const double mostMs = std::min(kMostOffMs, std::max(4.0, 2 * drum.spreadMs));
    for (const double perBeat : {3.0, 6.0, 8.0}) {
        const auto isOnLine = [&](int s) {
            const double timeS = hits.strokes[static_cast<std::size_t>(s)].timeS - 0.001 * drum.feelMs;
            const double line = std::round(perBeat * tempo.beatAt(timeS)) / perBeat;
            return 1000 * std::abs(timeS - tempo.timeOf(line)) <= mostMs;
        };
        const auto on = static_cast<std::size_t>(std::count_if(strokes.begin(), strokes.end(), isOnLine));
        const double chance = 2 * mostMs / (60000 / tempo.bpm / perBeat);
        if (on >= kFewest && static_cast<double>(on) > 2 * chance * static_cast<double>(strokes.size()))
            std::erase_if(strokes, isOnLine);
    }
    return strokes;
}

} // namespace

Timing measureTiming(const KitHits& hits, const Tempo& tempo) {
    constexpr double kGross = 4; // times the drum's own spread
    constexpr double kLeastGrossMs = 15;
    constexpr double kMostGross = 0.25; // of a drum's strokes
    Timing timing;
    timing.errorMs.assign(hits.strokes.size(), 0);
    timing.drums.resize(hits.kit.drums.size());
    if (!tempo.isKnown)
        return timing;
    for (std::size_t s = 0; s < hits.strokes.size(); ++s)
        timing.errorMs[s] = 1000 * (hits.strokes[s].timeS - tempo.nearestLineS(hits.strokes[s].timeS));
    const auto isOrnament = ornamentsOf(hits, tempo);
    for (std::size_t d = 0; d < timing.drums.size(); ++d) {
        std::vector<double> errors;
        std::vector<int> which;
        for (std::size_t s = 0; s < hits.strokes.size(); ++s) {
            const auto& stroke = hits.strokes[s];
            // Grace notes, ornaments and rolls are not meant to be on lines.
            if (stroke.drum == static_cast<int>(d) && stroke.hitClass != HitClass::Flam &&
                stroke.hitClass != HitClass::Roll && !isOrnament[s]) {
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
        const double leastMs = std::max(kLeastGrossMs, kGross * drum.spreadMs);
        std::vector<int> far;
        for (std::size_t i = 0; i < errors.size(); ++i)
            if (off[i] > leastMs)
                far.push_back(which[i]);
        drum.gross = withoutFinerLines(far, hits, tempo, drum);
        // Where so many are off, it is the grid that is wrong for this drum.
        if (static_cast<double>(drum.gross.size()) > kMostGross * static_cast<double>(errors.size()))
            drum.gross.clear();
    }
    return timing;
}

} // namespace cask::measure
