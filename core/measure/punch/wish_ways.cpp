#include "core/base/units.h"
#include "core/measure/punch/hit_shapes.h"
#include "core/measure/punch/wishes.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <initializer_list>

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
    addCompressors(
        ways, "slow", "a slow compressor",
        {p.middleDb, {5, 9, 13, 18}, {2.5, 4, 8}, {10, 20, 40}, releasesFor(p, {0.08, 0.14, 0.25})});
    addShapers(ways, {10, 20, 30, 40, 55, 70, 85, 100}, {0}, {5, 8, 15, 30}, {600});
    addShapers(ways, {0, 20, 40}, {-15, -30, -50, -70, -100}, {15}, {300, 600, 1200});
    for (const double depth : {6.0, 10.0, 14.0, 18.0})
        for (const double attackMs : {10.0, 20.0, 35.0})
            for (const double releaseMs : releasesFor(p, {0.06, 0.12, 0.2})) {
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
                   {p.middleDb,
                    {3, 6, 9, 12, 16, 20},
                    {2, 4, 8},
                    {0.1, 0.5, 2},
                    releasesFor(p, {0.04, 0.08, 0.15, 0.3})},
                   fast);
    addShapers(ways, {0, -15, -30, -50, -75, -100}, {0, 20, 40, 70, 100}, {5, 15}, {600});
    for (const double depth : {6.0, 10.0, 15.0})
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
    addCompressors(
        ways, "fast", "a fast compressor",
        {p.softDb, {-6, -3, 0, 3, 6}, {1.5, 2, 3, 5, 10}, {0.1, 1}, releasesFor(p, {0.06, 0.12, 0.25})},
        quick);
    for (const double depth : {-4.0, 0.0, 4.0})
        for (const double ratio : {1.4, 1.8, 2.5})
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
    addCompressors(
        ways, "slow", "a slow compressor",
        {p.middleDb, {4, 8, 12, 16, 20}, {1.5, 2, 3, 4}, {10, 20, 30}, releasesFor(p, {0.15, 0.3, 0.5, 0.8})},
        bus);
    addShapers(ways, {0}, {10, 20, 30, 45, 60, 80}, {15}, {300, 600, 1200});
}

void addControl(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings fast;
    fast.lookAheadMs = 2;
    fast.kneeDb = 2;
    addCompressors(ways, "fast", "a fast compressor",
                   {p.strongDb,
                    {2, 3, 4, 5, 6, 8, 10, 12, 15, 19},
                    {3, 6, 20},
                    {0.05, 0.3},
                    releasesFor(p, {0.04, 0.08, 0.15})},
                   fast);
    addShapers(ways, {-10, -20, -30, -40, -55, -70, -100}, {0}, {3, 8, 15}, {600});
    for (const double depth : {3.0, 5.0, 8.0, 12.0})
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

void addTameTail(std::vector<WishWay>& ways, const Played& p) {
    addShapers(ways, {0}, {-10, -20, -30, -45, -60, -80, -100}, {15}, {200, 400, 800, 1600, 3200});
    CompressorSettings opens;
    opens.direction = dsp::CompressorDirection::Expand;
    opens.rangeDb = 6;
    addCompressors(ways, "expand", "an expansion upward",
                   {p.softDb, {0, 4, 8, 12}, {1.2, 1.5, 2, 3}, {0.1, 1}, releasesFor(p, {0.05, 0.1, 0.2})},
                   opens);
}

void addDuck(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings keyed;
    keyed.kneeDb = 3;
    for (const double rangeDb : {5.0, 6.0, 8.0, 12.0}) {
        keyed.rangeDb = rangeDb;
        addCompressors(ways, "key", "ducking by key",
                       {p.softDb, {6, 12, 18}, {4, 20}, {0.5, 3}, releasesFor(p, {0.06, 0.12, 0.2, 0.35})},
                       keyed);
    }
}

void addDeHarsh(std::vector<WishWay>& ways, const Played& p) {
    CompressorSettings band;
    band.reach = dsp::GateReach::Between;
    band.fromHz = 3000;
    band.toHz = 9000;
    band.kneeDb = 3;
    band.lookAheadMs = 1;
    addCompressors(
        ways, "band", "a compressor of 3 to 9 kHz",
        {p.strongDb, {4, 8, 12, 16, 20, 26, 32}, {2, 4, 10}, {0.3, 2}, releasesFor(p, {0.06, 0.15, 0.3})},
        band);
    for (const double attack : {-20.0, -40.0, -60.0, -80.0, -100.0})
        for (const double fast : {8.0, 20.0, 50.0}) {
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
        break;
    case Wish::TameTail:
        addTameTail(ways, played);
        break;
    case Wish::Duck:
        addDuck(ways, played);
        break;
    case Wish::DeHarsh:
        addDeHarsh(ways, played);
        break;
    }
    return ways;
}

} // namespace cask::measure
