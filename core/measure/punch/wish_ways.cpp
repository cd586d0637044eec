#include "core/base/units.h"
#include "core/dsp/beat_grid.h"
#include "core/measure/punch/hit_shapes.h"
#include "core/measure/punch/wishes.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <initializer_list>
#include <optional>
#include <set>

namespace cask::measure {
namespace {

using dsp::CompressorSettings;
using dsp::TransientSettings;

/// Levels and gaps that ways are made for.
struct Played {
    double softDb = -40;   ///< 10th percentile of the peaks of own hits, or of the key's
    double middleDb = -20; ///< median
    double strongDb = -10; ///< 95th percentile
    double gapMs = 500;    ///< 10th percentile from one hit to the next
};

Played playedOf(const HitMaterial& m) {
    Played played;
    std::vector<double> peaks;
    for (const auto& shape : hitShapes(m, m.key.empty() ? m.sound : m.key))
        if (shape.peakDb > kSilenceDb)
            peaks.push_back(shape.peakDb);
    std::vector<double> gaps;
    double last = -1;
    for (const auto& hit : m.hits) {
        if (!hit.isOwn)
            continue;
        if (last >= 0)
            gaps.push_back(1000 * (hit.timeS - last));
        last = hit.timeS;
    }
    if (!peaks.empty()) {
        played.softDb = quantile(peaks, 0.1);
        played.middleDb = quantile(peaks, 0.5);
        played.strongDb = quantile(peaks, 0.95);
    }
    if (!gaps.empty())
        played.gapMs = quantile(gaps, 0.1);
    return played;
}

/// Releases that let go before the next hit, quick ones first.
std::vector<double> releasesFor(const Played& played, std::initializer_list<double> sharesOfGap) {
    std::vector<double> releases;
    for (const double share : sharesOfGap)
        releases.push_back(std::clamp(std::round(share * played.gapMs), 8.0, 1000.0));
    releases.erase(std::unique(releases.begin(), releases.end()), releases.end());
    return releases;
}

struct CompressorGrid {
    double underDb;             ///< thresholds lie under this level ...
    std::vector<double> depths; ///< ... by so much
    std::vector<double> ratios;
    std::vector<double> attacksMs;
    std::vector<double> releasesMs;
};

void addCompressors(std::vector<WishWay>& ways, std::string_view id, std::string_view words,
                    const CompressorGrid& grid, const CompressorSettings& base = {}) {
    for (const double depth : grid.depths)
        for (const double ratio : grid.ratios)
            for (const double attackMs : grid.attacksMs)
                for (const double releaseMs : grid.releasesMs) {
                    auto s = base;
                    s.thresholdDb = std::clamp(std::round(grid.underDb - depth), -80.0, 0.0);
                    s.ratio = ratio;
                    s.attackMs = attackMs;
                    s.releaseMs = releaseMs;
                    ways.push_back({id, words, {s}});
                }
}

void addShapers(std::vector<WishWay>& ways, std::initializer_list<double> attacks,
                std::initializer_list<double> sustains, std::initializer_list<double> attackMs,
                std::initializer_list<double> sustainMs) {
    for (const double attack : attacks)
        for (const double sustain : sustains)
            for (const double fast : attackMs)
                for (const double slow : sustainMs) {
                    if (attack == 0 && sustain == 0)
                        continue; // that does nothing
                    TransientSettings s;
                    s.attackPercent = attack;
                    s.sustainPercent = sustain;
                    s.attackMs = fast;
                    s.sustainMs = slow;
                    ways.push_back({"shaper", "a transient shaper", {s}});
                }
}

/// Two modules of half the work each.
void addTwo(std::vector<WishWay>& ways, const CompressorSettings& first, const CompressorSettings& second) {
    ways.push_back({"two", "two gentle stages", {first, second}});
}

void addSnap(std::vector<WishWay>& ways, const Played& p) {
    addCompressors(ways, "slow", "a slow compressor",
                   {p.middleDb, {6, 12, 18}, {2.5, 6}, {10, 25}, releasesFor(p, {0.08, 0.2})});
    addShapers(ways, {15, 35, 60, 100}, {0}, {6, 18}, {600});
    addShapers(ways, {0, 30}, {-30, -70}, {15}, {300, 900});
    for (const double depth : {7.0, 14.0})
        for (const double attackMs : {12.0, 30.0})
            for (const double releaseMs : releasesFor(p, {0.07, 0.15})) {
                CompressorSettings s;
                s.thresholdDb = std::clamp(std::round(p.middleDb - depth), -80.0, 0.0);
                s.ratio = 2;
                s.attackMs = attackMs;
                s.releaseMs = releaseMs;
                addTwo(ways, s, s);
            }
}

void addThick(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings fast;
    fast.lookAheadMs = 1;
    fast.kneeDb = 3;
    addCompressors(ways, "fast", "a fast compressor",
                   {p.middleDb, {4, 9, 15}, {2.5, 6}, {0.1, 1}, releasesFor(p, {0.06, 0.2})}, fast);
    addShapers(ways, {0, -25, -60, -100}, {0, 35, 80}, {10}, {600});
    for (const double depth : {7.0, 13.0})
        for (const double ratio : {1.7, 2.5})
            for (const double releaseMs : releasesFor(p, {0.06, 0.12})) {
                CompressorSettings s = fast;
                s.thresholdDb = std::clamp(std::round(p.middleDb - depth), -80.0, 0.0);
                s.ratio = ratio;
                s.attackMs = 0.3;
                s.releaseMs = releaseMs;
                addTwo(ways, s, s);
            }
}

void addEven(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings quick;
    quick.lookAheadMs = 2;
    quick.kneeDb = 6;
    addCompressors(ways, "fast", "a fast compressor",
                   {p.softDb, {-6, -1, 4}, {1.5, 2.5, 6}, {0.3}, releasesFor(p, {0.08, 0.2})}, quick);
    for (const double depth : {-3.0, 3.0})
        for (const double ratio : {1.5, 2.2})
            for (const double releaseMs : releasesFor(p, {0.1, 0.2})) {
                CompressorSettings s = quick;
                s.thresholdDb = std::clamp(std::round(p.softDb - depth), -80.0, 0.0);
                s.ratio = ratio;
                s.attackMs = 0.3;
                s.releaseMs = releaseMs;
                addTwo(ways, s, s);
            }
}

void addGlue(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings bus;
    bus.lowCutHz = 100;
    addCompressors(ways, "slow", "a slow compressor",
                   {p.middleDb, {5, 11, 18}, {1.5, 3}, {10, 25}, releasesFor(p, {0.2, 0.5})}, bus);
    addShapers(ways, {0}, {15, 35, 70}, {15}, {300, 1000});
}

void addControl(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings fast;
    fast.lookAheadMs = 2;
    fast.kneeDb = 2;
    addCompressors(ways, "fast", "a fast compressor",
                   {p.strongDb, {3, 6, 10, 15}, {4, 20}, {0.1}, releasesFor(p, {0.05, 0.12})}, fast);
    addShapers(ways, {-20, -50, -100}, {0}, {3, 10}, {600});
    for (const double depth : {4.0, 9.0})
        for (const double ratio : {2.0, 4.0})
            for (const double releaseMs : releasesFor(p, {0.05, 0.1})) {
                CompressorSettings slow = fast;
                slow.thresholdDb = std::clamp(std::round(p.strongDb - depth - 2), -80.0, 0.0);
                slow.ratio = ratio;
                slow.attackMs = 1;
                slow.releaseMs = releaseMs;
                CompressorSettings quick = fast;
                quick.thresholdDb = std::clamp(std::round(p.strongDb - depth), -80.0, 0.0);
                quick.ratio = 8;
                quick.attackMs = 0.1;
                quick.releaseMs = releaseMs;
                addTwo(ways, slow, quick);
            }
}

/// What is above the ceiling is held: the peaks alone.
void addLimiters(std::vector<WishWay>& ways, const Played& p) {
    for (const double depth : {2.0, 4.0, 7.0})
        for (const double releaseMs : releasesFor(p, {0.05, 0.12})) {
            dsp::LimiterSettings s;
            s.ceilingDb = std::clamp(std::round(p.strongDb - depth), -60.0, 0.0);
            s.releaseMs = releaseMs;
            ways.push_back({"limiter", "a limiter", {s}});
        }
}

void addTameTail(std::vector<WishWay>& ways, const Played& p) {
    addShapers(ways, {0}, {-15, -40, -80}, {15}, {300, 900, 2500});
    CompressorSettings opens;
    opens.direction = dsp::CompressorDirection::Expand;
    opens.rangeDb = 6;
    addCompressors(ways, "expand", "an expansion upward",
                   {p.softDb, {0, 6, 12}, {1.3, 2.2}, {0.3}, releasesFor(p, {0.06, 0.15})}, opens);
}

void addDuck(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings keyed;
    keyed.kneeDb = 3;
    for (const double rangeDb : {6.0, 10.0}) {
        keyed.rangeDb = rangeDb;
        addCompressors(ways, "key", "ducking by key",
                       {p.softDb, {8, 16}, {10}, {0.5, 3}, releasesFor(p, {0.06, 0.15, 0.3})}, keyed);
    }
}

/// The longest note at whose beginnings the key's hits lie, nearly all of them, and that has one at most of
/// them; nothing where there is none.
std::optional<dsp::PumpNote> noteOfHits(const HitMaterial& m) {
    constexpr double kNearS = 0.020;
    constexpr double kHitsOnIt = 0.9;
    constexpr double kNotesHit = 0.8;
    constexpr int kFewestNotes = 8;
    using dsp::PumpNote;
    if (m.beatsS.size() < 2)
        return std::nullopt;
    dsp::BeatGrid grid;
    for (const double atS : m.beatsS)
        grid.beatFrames.push_back(atS * m.rateHz);
    for (const PumpNote note : {PumpNote::Half, PumpNote::Quarter, PumpNote::Eighth}) {
        const double beats = dsp::pumpBeats(note, grid.beatsPerBar);
        std::size_t near = 0;
        int hits = 0;
        std::set<long> hit;
        for (const auto& h : m.hits) {
            if (!h.isOwn)
                continue;
            ++hits;
            const double notes = grid.beatAt(h.timeS * m.rateHz, near) / beats;
            const double besideS =
                std::abs(notes - std::round(notes)) * beats * grid.framesAt(near) / m.rateHz;
            if (besideS <= kNearS)
                hit.insert(std::lround(notes));
        }
        if (hit.empty())
            continue;
        const double all = static_cast<double>(*hit.rbegin() - *hit.begin() + 1);
        const auto met = static_cast<double>(hit.size());
        if (all >= kFewestNotes && met >= kHitsOnIt * hits && met >= kNotesHit * all)
            return note;
    }
    return std::nullopt;
}

/// On the beat, whatever the key plays: only where it plays so.
void addPumps(std::vector<WishWay>& ways, const HitMaterial& m) {
    const auto note = noteOfHits(m);
    if (!note)
        return;
    std::vector<double> beatsS;
    for (const double atS : m.beatsS)
        beatsS.push_back(std::round(1e5 * atS) / 1e5);
    for (const double depthDb : {5.0, 9.0})
        for (const double openPercent : {30.0, 60.0, 90.0}) {
            dsp::PumpSettings s;
            s.note = *note;
            s.depthDb = depthDb;
            s.smoothMs = 3;
            s.points = {{1, 0, 0}, {2, openPercent, 100}};
            ways.push_back({"pump", "a pump", {s}, beatsS});
        }
}

void addDeHarsh(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings band;
    band.reach = dsp::GateReach::Between;
    band.fromHz = 3000;
    band.toHz = 9000;
    band.kneeDb = 3;
    band.lookAheadMs = 1;
    addCompressors(ways, "band", "a compressor of 3 to 9 kHz",
                   {p.strongDb, {6, 14, 24}, {2.5, 6}, {0.5}, releasesFor(p, {0.06, 0.2})}, band);
    for (const double attack : {-35.0, -80.0})
        for (const double fast : {8.0, 25.0}) {
            TransientSettings s;
            s.attackPercent = attack;
            s.attackMs = fast;
            s.reach = dsp::GateReach::Between;
            s.fromHz = 3000;
            s.toHz = 9000;
            ways.push_back({"shaper", "a transient shaper", {s}});
        }
}

} // namespace

std::vector<WishWay> wishWays(Wish wish, const HitMaterial& material) {
    const Played played = playedOf(material);
    std::vector<WishWay> ways;
    switch (wish) {
    case Wish::Snap:
        addSnap(ways, played);
        break;
    case Wish::Thick:
        addThick(ways, played);
        break;
    case Wish::Even:
        addEven(ways, played);
        break;
    case Wish::Glue:
        addGlue(ways, played);
        break;
    case Wish::Control:
        addControl(ways, played);
        addLimiters(ways, played);
        break;
    case Wish::TameTail:
        addTameTail(ways, played);
        break;
    case Wish::Duck:
        addDuck(ways, played);
        addPumps(ways, material);
        break;
    case Wish::DeHarsh:
        addDeHarsh(ways, played);
        break;
    }
    return ways;
}

} // namespace cask::measure
