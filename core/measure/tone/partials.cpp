#include "core/measure/tone/partials.h"

#include "core/base/units.h"
#include "core/measure/real_fft.h"
#include "core/measure/statistics.h"
#include "core/measure/tone/decay_map.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

constexpr double kFromS = 0.030;
constexpr double kLateS = 0.100;
constexpr double kHighestHz = 5000;
constexpr double kSurelyDb = 12;
constexpr double kPartialDb = 6;    // over the median around it
constexpr double kStrongDb = 12;    // under the strongest, the fundamental's lowest
constexpr double kRingLonger = 1.5; // than its surroundings
constexpr double kRingDb = 10;      // over the median around it, late
constexpr double kSameHz = 0.03;    // as a share
constexpr std::size_t kFewestHits = 2;
constexpr double kIgnoredDb = 15;  // spill so much softer leaves the drum's partials alone
constexpr double kBeforeS = 0.080; // what sounds just before a hit is no part of it
constexpr double kOverBeforeDb = 6;
constexpr double kHeardDb = 36;    // under the strongest partial of the same time, a ring is no matter
constexpr double kRingShare = 0.5; // of hits
constexpr double kOwnShare = 0.5;  // of hits that a partial of the drum is on
constexpr double kLongestRingMs = 3000;
constexpr double kAround = 1.41; // half an octave to either side

/// Power of a hit between two moments with much finer bins than its length asks for.
class FineSpectrum {
  public:
    explicit FineSpectrum(double rateHz) : m_rateHz(rateHz), m_fft(sizeFor(rateHz)) {}
    [[nodiscard]] double binHz() const { return m_rateHz / static_cast<double>(m_fft.size()); }
    [[nodiscard]] std::size_t bins() const { return m_fft.bins(); }

    /// Power of the Hann-windowed stretch; false when it is too short. A steady noise reads the same whatever
    /// the length.
    bool add(const GateMaterial& m, double fromS, double lengthS, std::vector<double>& power) {
        constexpr double kShortestS = 0.025;
        const auto from = static_cast<std::size_t>(fromS * m_rateHz);
        if (lengthS < kShortestS || from >= m.frames())
            return false;
        const std::size_t count =
            std::min({static_cast<std::size_t>(lengthS * m_rateHz), m.frames() - from, m_fft.size()});
        power.resize(bins(), 0);
        m_piece.resize(count);
        const double weight = 1 / static_cast<double>(count);
        for (const auto& channel : m.sound) {
            for (std::size_t n = 0; n < count; ++n)
                m_piece[n] = static_cast<float>(0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) /
                                                                     static_cast<double>(count))) *
                             channel[from + n];
            const auto spectrum = m_fft.forward(m_piece);
            for (std::size_t k = 0; k < power.size(); ++k)
                power[k] += weight * std::norm(spectrum[k]);
        }
        return true;
    }

  private:
    static std::size_t sizeFor(double rateHz) {
        std::size_t size = 32768;
        while (static_cast<double>(size) < 0.68 * rateHz) // bins of 1.5 Hz at most
            size *= 2;
        return size;
    }
    double m_rateHz;
    RealFft m_fft;
    std::vector<float> m_piece;
};

std::vector<float> inDb(const std::vector<double>& power) {
    std::vector<float> db(power.size());
    for (std::size_t k = 0; k < db.size(); ++k)
        db[k] = static_cast<float>(powerToDb(power[k] + 1e-30));
    return db;
}

/// Median level from a share below a bin to as much above.
double aroundDb(const std::vector<float>& db, double bin, double ratio) {
    const auto low = static_cast<std::size_t>(std::max(1.0, bin / ratio));
    const auto high = std::min(db.size() - 1, static_cast<std::size_t>(bin * ratio) + 1);
    return median(std::vector<float>(db.begin() + static_cast<std::ptrdiff_t>(low),
                                     db.begin() + static_cast<std::ptrdiff_t>(high)));
}

struct Peak {
    double bin = 0; ///< between bins, by a parabola through three levels
    double db = 0;
};

/// Local maxima that stand out, strongest first; of two that are nearer than the window can tell apart the
/// stronger.
std::vector<Peak> peaksOf(const std::vector<float>& db, double binHz, double apartHz, double fromHz,
                          double outDb) {
    std::vector<Peak> all;
    const auto last = std::min(db.size() - 1, static_cast<std::size_t>(kHighestHz / binHz));
    for (auto k = static_cast<std::size_t>(std::max(2.0, fromHz / binHz)); k < last; ++k) {
        if (db[k] <= db[k - 1] || db[k] < db[k + 1])
            continue;
        const double curve = db[k - 1] - 2 * db[k] + db[k + 1];
        const double shift = curve < 0 ? 0.5 * (db[k - 1] - db[k + 1]) / curve : 0;
        const double bin = static_cast<double>(k) + shift;
        if (db[k] - aroundDb(db, bin, kAround) >= outDb)
            all.push_back({bin, db[k]});
    }
    std::sort(all.begin(), all.end(), [](const Peak& a, const Peak& b) { return a.db > b.db; });
    std::vector<Peak> peaks;
    for (const auto& p : all)
        if (std::none_of(peaks.begin(), peaks.end(),
                         [&](const Peak& q) { return std::abs(p.bin - q.bin) * binHz < apartHz; }))
            peaks.push_back(p);
    return peaks;
}

/// Whether a hit's own spectrum has its greatest level near a frequency right there.
bool isThere(const std::vector<float>& db, double binHz, double hz, double shareHz, double outDb) {
    const auto low = static_cast<std::size_t>(std::max(1.0, hz / 1.15 / binHz));
    const auto high = std::min(db.size() - 1, static_cast<std::size_t>(hz * 1.15 / binHz) + 1);
    const auto top = std::max_element(db.begin() + static_cast<std::ptrdiff_t>(low),
                                      db.begin() + static_cast<std::ptrdiff_t>(high));
    const double at = static_cast<double>(top - db.begin());
    return std::abs(at * binHz - hz) <= std::max(shareHz * hz, 1.5 * binHz) &&
           *top - aroundDb(db, at, kAround) >= outDb;
}

/// Whether a level is well over what was there before the hit.
bool isNew(const std::vector<float>& db, const std::vector<float>& before, double bin) {
    const auto k = static_cast<std::size_t>(std::lround(bin));
    return before.empty() || db[k] > before[k] + kOverBeforeDb;
}

/// Decay at a frequency, and the median of the octave to either side (of two when little sounds there).
struct Decay {
    double ms = 0;
    double aroundMs = 0;
};

/// Surroundings are local maxima not far softer than the one itself: what is softer, or lies between, may be
/// its own leakage.
Decay decayAt(const DecayMap& map, double hz) {
    constexpr double kLeakDb = 25;
    constexpr std::size_t kEnough = 2;
    Decay decay;
    const auto bin = static_cast<std::size_t>(std::lround(hz / map.binHz));
    const auto frame = static_cast<std::size_t>(kFromS / map.stepS);
    if (bin >= map.bins() || frame >= map.powerDb.size())
        return decay;
    const auto& db = map.powerDb[frame];
    decay.ms = map.decayMs(bin);
    const double leakBins = 2.5 / map.windowS / map.binHz; // the window spreads a tone so far
    for (const double ratio : {2.0, 4.0}) {
        std::vector<double> around;
        for (auto k = static_cast<std::size_t>(std::max(1.0, hz / ratio / map.binHz));
             k + 1 < std::min(map.bins(), static_cast<std::size_t>(ratio * hz / map.binHz)); ++k)
            if (std::abs(static_cast<double>(k) - hz / map.binHz) > leakBins && db[k] > db[bin] - kLeakDb &&
                db[k] > db[k - 1] && db[k] >= db[k + 1])
                if (const double ms = map.decayMs(k); ms > 0)
                    around.push_back(ms);
        decay.aroundMs = median(around);
        if (around.size() >= kEnough)
            break;
    }
    return decay;
}

/// Levels of one hit, dB: 30 to 300 ms after it, from 100 ms on, and just before it; the last two may be
/// empty.
struct HitSpectrum {
    std::vector<float> decay;
    std::vector<float> late;
    std::vector<float> before;
};

/// Hits that nothing at all disturbs, if there are enough long ones; else those that soft spill disturbs.
std::vector<ClearHit> hitsToLookAt(const GateMaterial& m) {
    constexpr std::size_t kEnough = 4;
    constexpr double kLongS = 0.2;
    auto hits = clearHits(m);
    const auto longOnes =
        std::count_if(hits.begin(), hits.end(), [](const ClearHit& h) { return h.lengthS >= kLongS; });
    return static_cast<std::size_t>(longOnes) >= kEnough ? hits : clearHits(m, kIgnoredDb);
}

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
                          const DecayMap& map, double fundamentalHz, double binHz, double apartHz) {
    std::vector<Ring> rings;
    const auto peaks = peaksOf(lateDb, binHz, apartHz, 40, kRingDb);
    for (const auto& p : peaks) {
        if (p.db < peaks.front().db - kHeardDb)
            break;
        Ring ring;
        ring.hz = p.bin * binHz;
        if (fundamentalHz > 0 && std::abs(ring.hz / fundamentalHz - 1) < 2 * kSameHz)
            continue; // the drum itself
        const Decay decay = decayAt(map, ring.hz);
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
                             isNew(hit.late, hit.before, p.bin);
            }
        if (ring.hits >= kRingShare * ring.hitsLookedAt)
            rings.push_back(ring);
    }
    std::sort(rings.begin(), rings.end(),
              [](const Ring& a, const Ring& b) { return a.excessDb > b.excessDb; });
    return rings;
}

} // namespace

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

Partials measurePartials(const GateMaterial& m, HzRange range) {
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
        found.partials.push_back({p.bin * binHz, p.db - peaks.front().db, decayAt(map, p.bin * binHz).ms});
    std::sort(found.partials.begin(), found.partials.end(),
              [](const Partial& a, const Partial& b) { return a.hz < b.hz; });
    found.fundamental = fundamentalOf(found.partials, range, each, decayDb, binHz);
    if (!latePower.empty())
        found.rings = ringsOf(inDb(latePower), each, map, found.fundamental.hz, binHz, apartHz);
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
