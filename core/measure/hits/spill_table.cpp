#include "core/measure/hits/spill_table.h"

#include "core/measure/hits/arrivals.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kAboveFloorDb = 6;

double percentile(std::vector<double>& x, double share) {
    const auto at = x.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(x.size() - 1) + 0.5);
    std::nth_element(x.begin(), at, x.end());
    return *at;
}

/// Noise peaks are about so much above its mean power.
constexpr double kPeakOverPowerDb = 10;

double floorOf(const HitInput& input) {
    double power = 0;
    for (const auto* trail : input.channels) {
        double own = 0;
        for (const float db : bandFloors(*trail))
            own += std::pow(10.0, db / 10);
        power = std::max(power, own);
    }
    return powerToDb(power);
}

} // namespace

SpillTable makeSpillTable(const KitHits& hits, std::span<const HitInput> inputs) {
    SpillTable table;
    const auto drums = hits.kit.drums.size();
    table.cells.assign(drums, std::vector<SpillCell>(inputs.size()));
    table.rooms.resize(inputs.size());
    for (std::size_t i = 0; i < inputs.size(); ++i)
        table.rooms[i].floorDb = floorOf(inputs[i]);
    std::vector<double> levels;
    std::vector<double> accents;
    std::vector<std::vector<double>> accentDb(drums); // of each drum in its own microphone
    for (std::size_t d = 0; d < drums; ++d) {
        const Drum& drum = hits.kit.drums[d];
        if (!drum.isMiked())
            continue;
        for (std::size_t s = 0; s < hits.strokes.size(); ++s)
            if (hits.strokes[s].drum == static_cast<int>(d) && hits.strokes[s].hitClass == HitClass::Accent)
                accentDb[d].push_back(hits.levelDb(s, drum.inputs.front()));
        for (std::size_t i = 0; i < inputs.size(); ++i) {
            const bool isOwn = hits.kit.drumOf[i] == static_cast<int>(d);
            if (!isOwn && (drum.isPlayed || isPlayedDrum(inputs[i])) &&
                !(drum.isPlayed && inputs[i].hasSpill))
                continue; // the one can't be in the other
            levels.clear();
            int drowned = 0;
            for (std::size_t s = 0; s < hits.strokes.size(); ++s) {
                const auto& stroke = hits.strokes[s];
                if (stroke.drum != static_cast<int>(d) || !stroke.isAlone ||
                    stroke.hitClass == HitClass::Ghost)
                    continue;
                const double there = hits.levelDb(s, static_cast<int>(i));
                levels.push_back(there - hits.levelDb(s, drum.inputs.front()));
                drowned += there < table.rooms[i].floorDb + kPeakOverPowerDb + kAboveFloorDb ? 1 : 0;
            }
            if (levels.empty())
                continue;
            SpillCell& cell = table.cells[d][i];
            cell.count = static_cast<int>(levels.size());
            cell.spreadDb = 0.5 * (percentile(levels, 0.84) - percentile(levels, 0.16));
            cell.levelDb = percentile(levels, 0.5);
            cell.isDrowned = 2 * drowned > cell.count;
        }
    }
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        MicrophoneRoom& room = table.rooms[i];
        levels.clear();
        accents.clear();
        const int own = hits.kit.drumOf[i];
        for (std::size_t s = 0; s < hits.strokes.size(); ++s)
            if (own >= 0 && hits.strokes[s].drum == own) {
                levels.push_back(hits.levelDb(s, static_cast<int>(i)));
                if (hits.strokes[s].hitClass == HitClass::Accent)
                    accents.push_back(levels.back());
            }
        if (!levels.empty()) {
            room.softestDb = percentile(levels, 0.1);
            room.ownDb = percentile(accents.empty() ? levels : accents, 0.5);
        }
        for (std::size_t d = 0; d < drums; ++d) {
            const SpillCell& cell = table.cells[d][i];
            if (static_cast<int>(d) == own || cell.count == 0 || cell.isDrowned)
                continue;
            std::vector<double> loud = accentDb[d];
            if (loud.empty())
                for (const auto& stroke : hits.strokes)
                    if (stroke.drum == static_cast<int>(d))
                        loud.push_back(stroke.levelDb);
            if (loud.empty())
                continue;
            const double here = percentile(loud, 0.5) + cell.levelDb;
            if (here > room.spillDb) {
                room.spillDb = here;
                room.spillDrum = static_cast<int>(d);
            }
        }
    }
    return table;
}

} // namespace cask::measure
