#include "core/measure/tone/partials.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"
#include "core/measure/tone/decay_map.h"
#include "core/measure/tone/fine_spectrum.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
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
constexpr double kSoreDb = 14;      // a ring that stands out so far need not outlast the rest
constexpr double kOutOfCrowdDb = 4;
constexpr double kAloneDb = 14; // over the median around it, late: where that does not die away at all
constexpr std::array kHeadModes = {1.594, 2.136, 2.296, 2.653, 2.918};
constexpr double kSameHz = 0.03; // as a share
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

/// Finds rings among what stands out late, and among what stands out by far as long as a hit sounds.
class RingFinder {
  public:
    RingFinder(const std::vector<float>& decayDb, const std::vector<float>& lateDb,
               const std::vector<HitSpectrum>& each, const DecayMap& map, const Fundamental& fundamental,
               HzRange range, double binHz, double apartHz)
        : m_decayDb(decayDb), m_lateDb(lateDb), m_each(each), m_map(map), m_fundamental(fundamental),
          m_range(range), m_binHz(binHz), m_apartHz(apartHz) {}

    [[nodiscard]] std::vector<Ring> find() {
        const auto late = peaksOf(m_lateDb, m_binHz, m_apartHz, 40, kRingDb);
        for (const auto& p : late) {
            if (p.db < late.front().db - kHeardDb)
                break;
            // A ring that is struck anew swells and falls: that shows as lines beside it.
            const bool isBeside = std::any_of(late.begin(), late.end(), [&](const SpectrumPeak& q) {
                return q.db > p.db + kBesideDb && std::abs(q.bin / p.bin - 1) < kBesideHz;
            });
            if (!isBeside)
                look(p.bin, kRingLonger);
        }
        const double strongestDb = *std::max_element(m_decayDb.begin(), m_decayDb.end());
        std::vector<std::pair<double, double>> sore; // by bin
        for (const auto& p : peaksOf(m_decayDb, m_binHz, m_apartHz, 40, kPartialDb)) {
            sore.emplace_back(p.db - aroundDb(m_decayDb, p.bin, kAround) + (p.db - strongestDb) / 2, p.bin);
        }
        for (const auto& [db, bin] : sore)
            if (db >= kSoreDb && !isModeOfHead(bin * m_binHz) &&
                db >= crowdAround(bin * m_binHz, sore, 1) + kOutOfCrowdDb)
                look(bin, 0);
        for (auto& ring : m_rings)
            ring.crowdDb = crowdAround(ring.hz, sore, 2);
        std::sort(m_rings.begin(), m_rings.end(),
                  [](const Ring& a, const Ring& b) { return a.soreDb() > b.soreDb(); });
        return std::move(m_rings);
    }

  private:
    /// A circular head has modes at these ratios to its note (zeros of the Bessel functions): they are the
    /// drum's tone.
    [[nodiscard]] bool isModeOfHead(double hz) const {
        constexpr double kAsIdeal = 0.025;
        return m_fundamental.hz > 0 && std::any_of(kHeadModes.begin(), kHeadModes.end(), [&](double ratio) {
                   return std::abs(hz / (ratio * m_fundamental.hz) - 1) < kAsIdeal;
               });
    }
    /// Of the other partials the one that comes after `rank` others.
    [[nodiscard]] double crowdAround(double hz, const std::vector<std::pair<double, double>>& sore,
                                     std::size_t rank) const {
        std::vector<double> others(rank + 1, 0.0);
        for (const auto& [db, bin] : sore) {
            const auto isNear = [&](double other) {
                return std::abs(bin * m_binHz / other - 1) < 2 * kSameHz;
            };
            if (!isNear(hz) && !(m_fundamental.hz > 0 && isNear(m_fundamental.hz)))
                others.push_back(db);
        }
        std::sort(others.begin(), others.end(), std::greater<>());
        return others[rank];
    }
    void look(double bin, double leastLonger) {
        Ring ring;
        ring.hz = bin * m_binHz;
        const auto isNear = [&](double hz, double share) { return std::abs(ring.hz / hz - 1) < share; };
        if (m_fundamental.hz > 0 && isNear(m_fundamental.hz, 2 * kSameHz))
            return; // the drum itself
        if (m_fundamental.confidence < kSureNote && ring.hz >= m_range.low && ring.hz <= m_range.high)
            return; // and so this may be
        if (std::any_of(m_rings.begin(), m_rings.end(),
                        [&](const Ring& r) { return isNear(r.hz, kSameHz / 2); }))
            return;
        ring.aroundHz = surroundingsOf(m_map, ring.hz);
        const auto decay = decayAgainst(m_map, ring.hz, ring.aroundHz);
        const auto at = static_cast<std::size_t>(std::lround(bin));
        ring.excessDb = m_lateDb[at] - aroundDb(m_lateDb, bin, kAround);
        // In dense playing what lies around does not die away before the next stroke.
        const bool isAlone = decay.aroundMs > kLongestRingMs && ring.excessDb >= kAloneDb;
        if (decay.ms <= 0 || decay.ms > kLongestRingMs || decay.aroundMs <= 0 ||
            (!isAlone && decay.ms < leastLonger * decay.aroundMs))
            return;
        ring.decayMs = decay.ms;
        ring.aroundMs = decay.aroundMs;
        ring.outDb = m_decayDb[at] - aroundDb(m_decayDb, bin, kAround);
        ring.levelDb = m_decayDb[at] - *std::max_element(m_decayDb.begin(), m_decayDb.end());
        for (const auto& hit : m_each)
            if (!hit.late.empty()) {
                ++ring.hitsLookedAt;
                const auto& heard = leastLonger > 0 ? hit.late : hit.decay;
                ring.hits +=
                    isThere(heard, m_binHz, ring.hz, kSameHz, kRingDb / 2) &&
                    isNew(hit.decay, hit.before, bin, leastLonger > 0 ? kRingOverBeforeDb : kOverBeforeDb);
            }
        if (ring.hits >= kFewestRingHits && ring.hits >= kRingShare * ring.hitsLookedAt)
            m_rings.push_back(ring);
    }

    const std::vector<float>& m_decayDb;
    const std::vector<float>& m_lateDb;
    const std::vector<HitSpectrum>& m_each;
    const DecayMap& m_map;
    const Fundamental& m_fundamental;
    HzRange m_range;
    double m_binHz;
    double m_apartHz;
    std::vector<Ring> m_rings;
};

} // namespace

std::vector<ClearHit> hitsToLookAt(const HitMaterial& m) {
    constexpr std::ptrdiff_t kEnough = 4;
    constexpr double kLongS = 0.2;
    const auto isEnough = [&](const std::vector<ClearHit>& hits) {
        return std::count_if(hits.begin(), hits.end(),
                             [&](const ClearHit& h) { return h.lengthS >= kLongS; }) >= kEnough;
    };
    auto hits = clearHits(m);
    return isEnough(hits) ? hits : clearHits(m, kIgnoredDb);
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
    if (!latePower.empty()) {
        const auto lateDb = inDb(latePower);
        found.rings = RingFinder(decayDb, lateDb, each, map, found.fundamental, range, binHz, apartHz).find();
    }
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
