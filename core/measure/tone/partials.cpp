#include "core/measure/tone/partials.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"
#include "core/measure/tone/decay_map.h"
#include "core/measure/tone/fine_spectrum.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

constexpr double kFromS = 0.030;
constexpr double kLateS = 0.100;
constexpr double kSurelyDb = 12;
constexpr double kPartialDb = 6;    // over the median around it
constexpr double kStrongDb = 12;    // under the strongest, the fundamental's lowest
constexpr double kRingLonger = 1.5; // than its surroundings
constexpr double kRingDb = 10;      // over the median around it, late
constexpr double kSameHz = 0.03;    // as a share
constexpr std::size_t kFewestHits = 2;
constexpr int kFewestRingHits = 3;
constexpr double kSureNote = 0.5;  // confidence
constexpr double kIgnoredDb = 15;  // spill so much softer leaves the drum's partials alone
constexpr double kBeforeS = 0.080; // what sounds just before a hit is no part of it
constexpr double kOverBeforeDb = 6;
constexpr double kRingOverBeforeDb = 3; // in dense playing it still rings from the hit before
constexpr double kBesideDb = 20;        // under a peak that is
constexpr double kBesideHz = 0.12;      // so near, as a share: it is part of that one
constexpr double kHeardDb = 36;         // under the strongest partial of the same time, a ring is no matter
constexpr double kRingShare = 0.6;      // of hits
constexpr double kOwnShare = 0.5;       // of hits that a partial of the drum is on
constexpr double kLongestRingMs = 2000;

/// Whether a level is well over what was there before the hit.
bool isNew(const std::vector<float>& db, const std::vector<float>& before, double bin,
           double overDb = kOverBeforeDb) {
    const auto k = static_cast<std::size_t>(std::lround(bin));
    return before.empty() || db[k] > before[k] + overDb;
}

/// Levels of one hit, dB: 30 to 300 ms after it, from 100 ms on, and just before it; the last two may be
/// empty.
struct HitSpectrum {
    std::vector<float> decay;
    std::vector<float> late;
    std::vector<float> before;
};

Fundamental fundamentalOf(const std::vector<Partial>& partials, HzRange range,
                          const std::vector<HitSpectrum>& each, const std::vector<float>& decayDb,
                          double binHz) {
    // On how many hits a partial is there, and new.
    const auto shareOf = [&](double hz) {
        int there = 0;
        for (const auto& hit : each)
            there += isThere(hit.decay, binHz, hz, kSameHz, 0) && isNew(hit.decay, hit.before, hz / binHz);
        return there / static_cast<double>(each.size());
    };
    std::vector<std::pair<const Partial*, double>> own;
    double strongest = -200;
    for (const auto& p : partials)
        if (p.hz >= range.low && p.hz <= range.high)
            if (const double share = shareOf(p.hz); share >= kOwnShare) {
                own.emplace_back(&p, share);
                strongest = std::max(strongest, p.levelDb);
            }
    for (const auto& [p, share] : own)
        if (p->levelDb >= strongest - kStrongDb) {
            const auto bin = static_cast<std::size_t>(std::lround(p->hz / binHz));
            const double out = decayDb[bin] - aroundDb(decayDb, p->hz / binHz, kAround);
            return {p->hz, p->decayMs, std::clamp(out / kSurelyDb, 0.0, 1.0) * share};
        }
    return {};
}

std::vector<Ring> ringsOf(const std::vector<float>& lateDb, const std::vector<HitSpectrum>& each,
                          const DecayMap& map, const Fundamental& fundamental, HzRange range, double binHz,
                          double apartHz) {
    std::vector<Ring> rings;
    const auto peaks = peaksOf(lateDb, binHz, apartHz, 40, kRingDb);
    for (const auto& p : peaks) {
        if (p.db < peaks.front().db - kHeardDb)
            break;
        Ring ring;
        ring.hz = p.bin * binHz;
        if (fundamental.hz > 0 && std::abs(ring.hz / fundamental.hz - 1) < 2 * kSameHz)
            continue; // the drum itself
        if (fundamental.confidence < kSureNote && ring.hz >= range.low && ring.hz <= range.high)
            continue; // and so this may be
        // A ring that is struck anew swells and falls: that shows as lines beside it.
        if (std::any_of(peaks.begin(), peaks.end(), [&](const SpectrumPeak& q) {
                return q.db > p.db + kBesideDb && std::abs(q.bin / p.bin - 1) < kBesideHz;
            }))
            continue;
        ring.aroundHz = surroundingsOf(map, ring.hz);
        const auto decay = decayAgainst(map, ring.hz, ring.aroundHz);
        if (decay.ms <= 0 || decay.ms > kLongestRingMs || decay.aroundMs <= 0 ||
            decay.ms < kRingLonger * decay.aroundMs)
            continue;
        ring.decayMs = decay.ms;
        ring.aroundMs = decay.aroundMs;
        ring.excessDb = p.db - aroundDb(lateDb, p.bin, kAround);
        for (const auto& hit : each)
            if (!hit.late.empty()) {
                ++ring.hitsLookedAt;
                ring.hits += isThere(hit.late, binHz, ring.hz, kSameHz, kRingDb / 2) &&
                             isNew(hit.decay, hit.before, p.bin, kRingOverBeforeDb);
            }
        if (ring.hits >= kFewestRingHits && ring.hits >= kRingShare * ring.hitsLookedAt)
            rings.push_back(ring);
    }
    std::sort(rings.begin(), rings.end(),
              [](const Ring& a, const Ring& b) { return a.excessDb > b.excessDb; });
    return rings;
}

} // namespace

std::vector<ClearHit> hitsToLookAt(const HitMaterial& m) {
    constexpr std::size_t kEnough = 4;
    constexpr double kLongS = 0.2;
    auto hits = clearHits(m);
    const auto longOnes =
        std::count_if(hits.begin(), hits.end(), [](const ClearHit& h) { return h.lengthS >= kLongS; });
    return static_cast<std::size_t>(longOnes) >= kEnough ? hits : clearHits(m, kIgnoredDb);
}

HzRange fundamentalRange(Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
        return {30, 130};
    case Role::SnareTop:
    case Role::SnareBottom:
        return {120, 400};
    case Role::RackTom:
        return {70, 320};
    case Role::FloorTom:
        return {45, 200};
    default:
        return {};
    }
}

Partials measurePartials(const HitMaterial& m, HzRange range) {
    Partials found;
    const auto hits = hitsToLookAt(m);
    found.hits = static_cast<int>(hits.size());
    if (hits.size() < kFewestHits)
        return found;
    FineSpectrum fine(m.rateHz);
    std::vector<double> decayPower;
    std::vector<double> latePower;
    std::vector<HitSpectrum> each;
    double shortestS = kLongestClearS;
    const auto add = [](const std::vector<double>& one, double energy, std::vector<double>& sum) {
        sum.resize(one.size(), 0);
        for (std::size_t k = 0; k < one.size(); ++k)
            sum[k] += one[k] / energy;
    };
    for (const auto& hit : hits) {
        std::vector<double> decay;
        if (!fine.add(m, hit.fromS + kFromS, std::min(hit.lengthS, 0.3) - kFromS, decay))
            continue;
        const double energy = std::accumulate(decay.begin(), decay.end(), 1e-30);
        add(decay, energy, decayPower);
        std::vector<double> late;
        if (fine.add(m, hit.fromS + kLateS, hit.lengthS - kLateS, late))
            add(late, energy, latePower);
        std::vector<double> before;
        if (hit.fromS > kBeforeS)
            fine.add(m, hit.fromS - kBeforeS - 0.002, kBeforeS, before);
        each.push_back({inDb(decay), inDb(late), inDb(before)});
        shortestS = std::min(shortestS, hit.lengthS);
    }
    if (each.size() < kFewestHits)
        return found;
    const double binHz = fine.binHz();
    const double apartHz = 2 / (std::min(shortestS, 0.3) - kFromS);
    const auto map = measureDecayMap(m, hits);
    const auto decayDb = inDb(decayPower);
    const auto peaks = peaksOf(decayDb, binHz, apartHz, 25, kPartialDb);
    for (const auto& p : peaks)
        found.partials.push_back(
            {p.bin * binHz, p.db - peaks.front().db,
             map.decayMs(static_cast<std::size_t>(std::lround(p.bin * binHz / map.binHz)))});
    std::sort(found.partials.begin(), found.partials.end(),
              [](const Partial& a, const Partial& b) { return a.hz < b.hz; });
    found.fundamental = fundamentalOf(found.partials, range, each, decayDb, binHz);
    if (!latePower.empty())
        found.rings = ringsOf(inDb(latePower), each, map, found.fundamental, range, binHz, apartHz);
    return found;
}

Note nearestNote(double hz) {
    constexpr std::array<const char*, 12> kNames = {"C",  "C#", "D",  "D#", "E",  "F",
                                                    "F#", "G",  "G#", "A",  "A#", "B"};
    if (hz <= 0)
        return {};
    const double semitones = 69 + 12 * std::log2(hz / 440);
    const auto nearest = static_cast<int>(std::lround(semitones));
    if (nearest < 0)
        return {};
    return {fmt::format("{}{}", kNames[static_cast<std::size_t>(nearest % 12)], nearest / 12 - 1),
            100 * (semitones - nearest)};
}

} // namespace cask::measure
