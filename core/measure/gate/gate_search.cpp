#include "core/measure/gate/gate_search.h"

#include "core/measure/statistics.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace cask::measure {
namespace {

/// Level of each hit as the detector hears it: greatest of its first 20 ms, dBFS.
std::vector<double> detectorLevelsDb(GateTracks& tracks, const dsp::GateSettings& settings) {
    const GateTrack& track = tracks.rough(settings);
    std::vector<double> levels;
    for (const auto& hit : tracks.material().hits)
        levels.push_back(hitLevelDb(track, hit.timeS));
    return levels;
}

class Search {
  public:
    Search(GateTracks& tracks, const dsp::GateSettings& start, GateWants wants, const GateWeights& weights,
           const GateGrid& grid, double ownMs, const CancelToken& cancel)
        : m_tracks(tracks), m_start(start), m_wants(wants), m_weights(weights), m_grid(grid), m_ownMs(ownMs),
          m_cancel(cancel) {}

    using Place = std::array<std::size_t, 4>; // open, gap, hold, release

    [[nodiscard]] dsp::GateSettings settingsAt(const Place& p) const {
        auto s = m_start;
        s.openDb = m_grid.openDb[p[0]];
        s.closeDb = s.openDb - m_grid.gapDb[p[1]];
        s.holdMs = m_grid.holdMs[p[2]];
        s.releaseMs = m_grid.releaseMs[p[3]];
        return s;
    }
    [[nodiscard]] std::array<std::size_t, 4> sizes() const {
        return {m_grid.openDb.size(), m_grid.gapDb.size(), m_grid.holdMs.size(), m_grid.releaseMs.size()};
    }
    /// Judges those of them that are new, side by side.
    void visit(const std::vector<Place>& places) {
        std::vector<Place> fresh;
        std::vector<dsp::GateSettings> settings;
        for (const auto& p : places)
            if (!m_seen.contains(p)) {
                fresh.push_back(p);
                settings.push_back(settingsAt(p));
            }
        auto reports = judgeGates(m_tracks, settings, GatePrecision::Rough, m_ownMs, m_cancel);
        for (std::size_t i = 0; i < fresh.size(); ++i) {
            const double loss = gateLoss(reports[i].all, m_wants, m_weights);
            m_seen[fresh[i]] = loss;
            if (m_hasBest && loss >= m_best.loss - 1e-12)
                continue;
            m_best = {settings[i], std::move(reports[i].all), loss};
            m_bestPlace = fresh[i];
            m_hasBest = true;
        }
    }
    /// Changes one value after the other from a place on, as long as something gets better.
    void descend(Place p) {
        double at = m_seen.at(p);
        for (bool moves = true; moves && !m_cancel.isCancelled();) {
            moves = false;
            for (const std::size_t axis : {1U, 2U, 3U, 0U}) {
                std::vector<Place> others;
                for (std::size_t i = 0; i < sizes()[axis]; ++i) {
                    // Thresholds near by; of the rest all.
                    if (i == p[axis] || (axis == 0 && (i > p[0] + 3 || i + 3 < p[0])))
                        continue;
                    others.push_back(p);
                    others.back()[axis] = i;
                }
                visit(others);
                Place best = p;
                for (const auto& other : others)
                    if (m_seen.at(other) < at - 1e-12) {
                        at = m_seen.at(other);
                        best = other;
                    }
                moves = moves || best != p;
                p = best;
            }
        }
    }
    [[nodiscard]] std::vector<Place> bestStarts(std::size_t count) {
        std::vector<std::pair<Place, double>> sorted(m_seen.begin(), m_seen.end());
        std::stable_sort(sorted.begin(), sorted.end(),
                         [](const auto& a, const auto& b) { return a.second < b.second; });
        std::vector<Place> places;
        for (const auto& [place, loss] : sorted)
            if (places.size() < count)
                places.push_back(place);
        return places;
    }
    /// Thresholds that do as well on both sides: the one in the middle is the safest, but where the room is
    /// wide, one a few dB over the loudest spill: the softest hit of a drum that is struck seldom is yet to
    /// come.
    void centre() {
        constexpr double kAsWell = 0.002;
        constexpr double kOverSpillDb = 5; // the lowest that does as well keeps 3 dB already where it can
        const double limit = m_best.loss + kAsWell;
        std::array<std::size_t, 2> ends{m_bestPlace[0], m_bestPlace[0]};
        GateChoice middle = m_best;
        const auto doesWell = [&](std::size_t open) {
            Place p = m_bestPlace;
            p[0] = open;
            const auto settings = settingsAt(p);
            auto report = judgeGate(m_tracks, settings, GatePrecision::Rough, m_ownMs, {}, m_cancel);
            const double loss = gateLoss(report.all, m_wants, m_weights);
            if (loss > limit)
                return false;
            middle = {settings, std::move(report.all), loss};
            return true;
        };
        while (ends[0] > 0 && doesWell(ends[0] - 1))
            --ends[0];
        while (ends[1] + 1 < m_grid.openDb.size() && doesWell(ends[1] + 1))
            ++ends[1];
        std::size_t chosen = (ends[0] + ends[1]) / 2;
        while (chosen > ends[0] && m_grid.openDb[chosen] > m_grid.openDb[ends[0]] + kOverSpillDb)
            --chosen;
        if (m_hasBest && doesWell(chosen))
            m_best = middle;
    }
    [[nodiscard]] const GateChoice& best() const { return m_best; }

  private:
    GateTracks& m_tracks;
    const dsp::GateSettings& m_start;
    GateWants m_wants;
    const GateWeights& m_weights;
    const GateGrid& m_grid;
    double m_ownMs;
    const CancelToken& m_cancel;
    std::map<Place, double> m_seen; // losses
    GateChoice m_best;
    Place m_bestPlace{};
    bool m_hasBest = false;
};

} // namespace

bool isWanted(const MaterialHit& hit, GateWants wants) {
    if (!hit.isOwn)
        return false;
    if (wants == GateWants::Accents)
        return hit.hitClass == HitClass::Accent;
    return wants == GateWants::Ghosts || hit.hitClass != HitClass::Ghost;
}

double gateLoss(const GateCounts& c, GateWants wants, const GateWeights& w) {
    int wanted = c.accents;
    int kept = c.accentsKept;
    int near = c.accentsNear;
    if (wants != GateWants::Accents) {
        wanted += c.normals;
        kept += c.normalsKept;
        near += c.normalsNear;
    }
    if (wants == GateWants::Ghosts) {
        wanted += c.ghosts;
        kept += c.ghostsKept;
        near += c.ghostsNear;
    }
    const auto share = [](int part, int whole) {
        return whole > 0 ? std::min(1.0, static_cast<double>(part) / whole) : 0;
    };
    return w.lost * share(wanted - kept, wanted) + w.opened * share(c.spillPassing, c.spill) +
           w.left * std::min(1.0, dbToLinear(c.spillChangeDb())) +
           w.tail * std::clamp(-c.tailLostDb / 12, 0.0, 1.0) +
           w.unsafe * (share(near, wanted) + share(c.spillNear, c.spill)) +
           w.restless * share(c.chatter + c.noiseOpenings, c.own());
}

GateGrid gateGridFor(GateTracks& tracks, const dsp::GateSettings& settings) {
    const auto levels = detectorLevelsDb(tracks, settings);
    double low = 0;
    double high = -90;
    double spill = 0; // the loudest
    bool hasSpill = false;
    for (std::size_t i = 0; i < levels.size(); ++i)
        if (tracks.material().hits[i].isOwn) {
            low = std::min(low, levels[i]);
            high = std::max(high, levels[i]);
        } else {
            spill = hasSpill ? std::max(spill, levels[i]) : levels[i];
            hasSpill = true;
        }
    GateGrid grid;
    const int last = std::min(0, static_cast<int>(std::ceil(high)));
    const double lowest = std::min(low - 6, hasSpill ? spill : 0);
    for (int db = std::max(-84, static_cast<int>(std::floor(lowest))); db <= last; ++db)
        grid.openDb.push_back(db);
    if (grid.openDb.empty())
        grid.openDb.push_back(settings.openDb);
    return grid;
}

GateChoice searchGate(GateTracks& tracks, const dsp::GateSettings& start, GateWants wants,
                      const GateWeights& weights, const GateGrid& grid, double ownMs,
                      const CancelToken& cancel) {
    constexpr std::size_t kStarts = 3;
    Search search(tracks, start, wants, weights, grid, ownMs, cancel);
    const std::size_t hold = std::min<std::size_t>(1, grid.holdMs.size() - 1);
    const std::size_t gap = std::min<std::size_t>(1, grid.gapDb.size() - 1);
    const std::size_t release = std::min<std::size_t>(1, grid.releaseMs.size() - 1);
    std::vector<Search::Place> coarse;
    for (std::size_t i = 0; i < grid.openDb.size(); i += 2) // those between come later
        coarse.push_back({i, gap, hold, release});
    search.visit(coarse);
    for (const auto& place : search.bestStarts(kStarts))
        search.descend(place);
    search.centre();
    return search.best();
}

GateChoice searchEveryGate(GateTracks& tracks, const dsp::GateSettings& start, GateWants wants,
                           const GateWeights& weights, const GateGrid& grid, double ownMs) {
    const CancelToken never;
    Search search(tracks, start, wants, weights, grid, ownMs, never);
    const auto sizes = search.sizes();
    std::vector<Search::Place> all;
    for (std::size_t a = 0; a < sizes[0]; ++a)
        for (std::size_t b = 0; b < sizes[1]; ++b)
            for (std::size_t c = 0; c < sizes[2]; ++c)
                for (std::size_t d = 0; d < sizes[3]; ++d)
                    all.push_back({a, b, c, d});
    search.visit(all);
    return search.best();
}

dsp::GateSettings gateStart(const HitNature& nature) {
    constexpr double kSlowRiseMs = 1.5; // low drums
    dsp::GateSettings s;
    const double rise = std::clamp(nature.riseMs, 0.0, 8.0);
    s.attackMs = std::round(10 * std::clamp(rise, rise > kSlowRiseMs ? 2.0 : 0.5, 4.0)) / 10;
    // Open by the onset: the attack, and until then the threshold may be reached only near the peak.
    const double late = std::clamp(nature.peakMs, 0.3, 8.0);
    s.lookAheadMs = std::round(10 * std::min(20.0, s.attackMs + late)) / 10;
    return s;
}

GateChoice withGentlestFloor(GateTracks& tracks, const GateChoice& choice, double targetDb, double lowestDb,
                             GateWants wants, const GateWeights& weights, double ownMs) {
    GateChoice best = choice;
    for (const double floorDb : {-6.0, -9.0, -12.0, -18.0, -24.0, -32.0, -40.0, -60.0, dsp::kSilentFloorDb}) {
        if (floorDb < lowestDb)
            break;
        best.settings.floorDb = floorDb;
        best.counts = judgeGate(tracks, best.settings, GatePrecision::Coarse, ownMs).all;
        best.loss = gateLoss(best.counts, wants, weights);
        if (best.counts.spillChangeDb() <= -targetDb)
            break;
    }
    return best;
}

std::optional<GateOverlap> findOverlap(GateTracks& tracks, const dsp::GateSettings& settings,
                                       GateWants wants) {
    const auto levels = detectorLevelsDb(tracks, settings);
    const auto& hits = tracks.material().hits;
    std::vector<double> own;
    std::vector<double> spill;
    bool areGhosts = false;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (isWanted(hits[i], wants)) {
            own.push_back(levels[i]);
            areGhosts = areGhosts || hits[i].hitClass == HitClass::Ghost;
        } else if (!hits[i].isOwn) {
            spill.push_back(levels[i]);
        }
    }
    if (own.empty() || spill.empty())
        return std::nullopt;
    GateOverlap overlap;
    overlap.lowDb = quantile(own, 0.1);
    overlap.highDb = quantile(spill, 0.9);
    overlap.areGhosts = areGhosts;
    if (overlap.overlapDb() <= 0)
        return std::nullopt;
    std::map<int, int> drums;
    for (std::size_t i = 0; i < hits.size(); ++i)
        if (!hits[i].isOwn && levels[i] >= overlap.lowDb)
            ++drums[hits[i].drum];
    for (const auto& [drum, count] : drums)
        if (overlap.drum < 0 || count > drums[overlap.drum])
            overlap.drum = drum;
    return overlap;
}

namespace {

/// Cuts around the bands that part the two nearly as well as the best one.
dsp::GateSettings aroundBest(const std::vector<GateBand>& bands, dsp::GateSettings settings) {
    constexpr double kNearBestDb = 6;
    constexpr double kThirdHalf = 1.122; // half of a third of an octave
    std::size_t best = 0;
    for (std::size_t b = 0; b < bands.size(); ++b)
        if (bands[b].partedDb() > bands[best].partedDb())
            best = b;
    std::size_t low = best;
    std::size_t high = best;
    while (low > 0 && bands[low - 1].partedDb() > bands[best].partedDb() - kNearBestDb)
        --low;
    while (high + 1 < bands.size() && bands[high + 1].partedDb() > bands[best].partedDb() - kNearBestDb)
        ++high;
    settings.lowCutHz = low == 0 ? 10 : std::round(bands[low].hz / kThirdHalf);
    settings.highCutHz = high + 1 == bands.size() ? 20000 : std::round(bands[high].hz * kThirdHalf);
    return settings;
}

} // namespace

double partedDb(GateTracks& tracks, const dsp::GateSettings& settings, GateWants wants) {
    const auto levels = detectorLevelsDb(tracks, settings);
    std::vector<double> own;
    std::vector<double> spill;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (isWanted(tracks.material().hits[i], wants))
            own.push_back(levels[i]);
        else if (!tracks.material().hits[i].isOwn)
            spill.push_back(levels[i]);
    }
    return own.empty() || spill.empty() ? 0 : quantile(own, 0.1) - quantile(spill, 0.9);
}

std::optional<dsp::GateSettings> withBestDetectorFilter(GateTracks& tracks, const dsp::GateSettings& settings,
                                                        GateWants wants) {
    constexpr double kClearlyDb = 2;
    const auto spectra = hitSpectra(tracks.material());
    const auto bands = separationOf(tracks.material(), spectra, wants);
    if (bands.empty())
        return std::nullopt;
    std::vector<dsp::GateSettings> candidates{aroundBest(bands, settings)};
    for (const double hz : {300.0, 1000.0, 3000.0, 7000.0}) {
        auto& cut = candidates.emplace_back(settings);
        cut.lowCutHz = hz;
    }
    for (const double hz : {150.0, 400.0, 1000.0}) {
        auto& cut = candidates.emplace_back(settings);
        cut.highCutHz = hz;
    }
    // By the power that each cut leaves of every hit; only the best is then listened to.
    const auto parted = [&](const dsp::GateSettings& s) {
        std::vector<double> own;
        std::vector<double> spill;
        for (std::size_t i = 0; i < spectra.powers.size(); ++i) {
            const auto& hit = tracks.material().hits[i];
            if (spectra.powers[i].empty() || (hit.isOwn && !isWanted(hit, wants)))
                continue;
            double power = 1e-20;
            for (std::size_t b = 0; b < spectra.powers[i].size(); ++b)
                if (spectra.hz[b] >= s.lowCutHz && spectra.hz[b] <= s.highCutHz)
                    power += spectra.powers[i][b];
            (hit.isOwn ? own : spill).push_back(powerToDb(power));
        }
        return own.empty() || spill.empty() ? 0 : quantile(own, 0.1) - quantile(spill, 0.9);
    };
    double best = parted(settings) + kClearlyDb;
    std::optional<dsp::GateSettings> found;
    for (const auto& candidate : candidates)
        if (const double by = parted(candidate); by > best) {
            best = by;
            found = candidate;
        }
    if (!found)
        return std::nullopt;
    const double whole = partedDb(tracks, settings, wants);
    return partedDb(tracks, *found, wants) > whole + kClearlyDb / 2 ? found : std::nullopt;
}

} // namespace cask::measure
