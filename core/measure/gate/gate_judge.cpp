#include "core/measure/gate/gate_judge.h"

#include "core/base/units.h"
#include "core/dsp/gate_lanes.h"
#include "core/measure/gate/gate_click.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kHitS = 0.020;    // that is kept or lost
constexpr double kAttackS = 0.002; // that an attack eats
constexpr double kTailS = 0.150;
constexpr double kSameS = 0.020;  // hits nearer than this are one to a gate
constexpr double kBlameS = 0.030; // before an opening, besides the attack
constexpr double kTailCutDb = -3;
constexpr double kNearDb = 3;

/// Gain of every cell, by time of the detector, and where it opened.
struct Run {
    std::vector<float> gain;
    std::vector<double> openingsS;
};

/// Where the gain counts as open: 3 dB under it, or half way down when the floor is higher than that.
struct Opening {
    float up = 1;
    float down = 1;
    bool isArmed = true;
    explicit Opening(const dsp::GateSettings& settings) {
        const auto ends = endsOf(settings);
        const double open = settings.isInverted ? ends.closed : ends.open;
        const double closed = std::max(1e-5, settings.isInverted ? ends.open : ends.closed);
        const double range = std::max(0.0, linearToDb(open / closed));
        up = static_cast<float>(open * dbToLinear(-std::min(3.0, range / 2)));
        down = static_cast<float>(open * dbToLinear(-std::min(6.0, 0.75 * range)));
        if (range < 0.1)
            up = 1e9F; // nothing moves
    }
    /// True when this gain opens it.
    [[nodiscard]] bool take(float gain) {
        const bool opens = isArmed && gain >= up;
        isArmed = !opens && (isArmed || gain <= down);
        return opens;
    }
};

Run runOf(const GateTrack& track, const dsp::GateSettings& settings, std::vector<float> gain) {
    Run run{std::move(gain), {}};
    Opening opening(settings);
    for (std::size_t n = 0; n < run.gain.size(); ++n)
        if (opening.take(run.gain[n]))
            run.openingsS.push_back(track.startS + static_cast<double>(n) / track.rateHz);
    return run;
}

/// Sums over what passes, with the sound waiting `late` cells for its gain.
class Passed {
  public:
    Passed(const GateTrack& track, const Run& run, std::size_t late)
        : m_track(track), m_run(run), m_late(late) {}

    struct Energy {
        double in = 0;
        double out = 0;
        [[nodiscard]] double db() const { return in > 0 ? powerToDb(std::max(out / in, 1e-20)) : 0; }
    };
    [[nodiscard]] Energy over(double fromS, double toS) const {
        const auto from = m_track.at(fromS);
        const auto to = std::min(std::max(m_track.at(toS), from + 1), m_track.cells());
        // Past the last gain it stays.
        const std::size_t known = std::clamp(m_track.cells() - std::min(m_late, m_track.cells()), from, to);
        Energy e = sum(from, known, m_run.gain.data() + std::min(m_late, m_track.cells()));
        const double last = m_run.gain.back();
        for (std::size_t n = known; n < to; ++n) {
            e.in += m_track.energy[n];
            e.out += last * last * m_track.energy[n];
        }
        return e;
    }

  private:
    /// Several sums side by side: one would wait for each addition.
    [[nodiscard]] Energy sum(std::size_t from, std::size_t to, const float* gain) const {
        constexpr std::size_t kSums = 4;
        std::array<double, kSums> in{};
        std::array<double, kSums> out{};
        const auto add = [&](std::size_t n, std::size_t i) {
            const double e = m_track.energy[n];
            const double g = gain[n];
            in[i] += e;
            out[i] += g * g * e;
        };
        std::size_t n = from;
        for (; n + kSums <= to; n += kSums)
            for (std::size_t i = 0; i < kSums; ++i)
                add(n + i, i);
        for (; n < to; ++n)
            add(n, 0);
        return {in[0] + in[1] + in[2] + in[3], out[0] + out[1] + out[2] + out[3]};
    }

    const GateTrack& m_track;
    const Run& m_run;
    std::size_t m_late;
};

/// Says which hit each opening is due to; returns those that are due to none.
std::vector<double> blame(const HitMaterial& m, const std::vector<double>& openingsS, double attackS,
                          std::vector<GatedHit>& hits) {
    std::vector<double> none;
    for (const double t : openingsS) {
        const auto end = std::upper_bound(m.hits.begin(), m.hits.end(), t + 0.002,
                                          [](double x, const MaterialHit& h) { return x < h.timeS; });
        // The latest own hit, else the latest other one.
        std::ptrdiff_t own = -1;
        std::ptrdiff_t other = -1;
        for (auto it = end; it != m.hits.begin();) {
            --it;
            if (it->timeS < t - attackS - kBlameS)
                break;
            std::ptrdiff_t& place = it->isOwn ? own : other;
            if (place < 0)
                place = it - m.hits.begin();
        }
        const std::ptrdiff_t culprit = own >= 0 ? own : other;
        if (culprit < 0) {
            // Within a hit that is still sounding it is chatter, else noise.
            const auto before = std::find_if(std::make_reverse_iterator(end), m.hits.rend(),
                                             [](const MaterialHit& h) { return h.isOwn; });
            if (before != m.hits.rend() && t - before->timeS < kTailS)
                ++hits[static_cast<std::size_t>(m.hits.rend() - before - 1)].reopenings;
            else
                none.push_back(t);
            continue;
        }
        GatedHit& hit = hits[static_cast<std::size_t>(culprit)];
        if (hit.opens)
            ++hit.reopenings;
        hit.opens = true;
    }
    return none;
}

void count(const MaterialHit& hit, const GatedHit& gated, GateCounts& c) {
    if (!hit.isOwn) {
        ++c.spill;
        c.spillPassing += gated.isKept();
        c.spillNear += gated.overDb < 0 && gated.overDb > -kNearDb;
        if (gated.opens) {
            ++c.spillOpening;
            ++c.openingDrums[hit.drum];
        }
        return;
    }
    const bool kept = gated.isKept();
    const bool isNear = kept && gated.overDb < kNearDb;
    switch (hit.hitClass) {
    case HitClass::Accent:
        ++c.accents;
        c.accentsKept += kept;
        c.accentsNear += isNear;
        break;
    case HitClass::Ghost:
        ++c.ghosts;
        c.ghostsKept += kept;
        c.ghostsNear += isNear;
        break;
    default:
        ++c.normals;
        c.normalsKept += kept;
        c.normalsNear += isNear;
        break;
    }
    c.tailsCut += kept && gated.tailDb < kTailCutDb;
    c.chatter += gated.reopenings;
    c.clicks += gated.clickDb > -40;
}

/// Energy outside of own hits, in the stretch and after the gate.
void addSpillEnergy(const HitMaterial& m, const Passed& passed, double ownMs, double fromS, double toS,
                    GateCounts& c) {
    double at = fromS;
    const auto add = [&](double endS) {
        if (endS <= at)
            return;
        const auto e = passed.over(at, endS);
        c.spillBefore += e.in;
        c.spillAfter += e.out;
    };
    for (const auto& hit : m.hits) {
        if (!hit.isOwn || hit.timeS + 0.001 * ownMs < fromS || hit.timeS > toS)
            continue;
        add(std::min(hit.timeS - 0.002, toS));
        at = std::max(at, hit.timeS + 0.001 * ownMs);
    }
    add(toS);
}

const dsp::GateSettings& settingsAt(const dsp::GateSettings& settings, const std::vector<GateTurn>& turns,
                                    double timeS) {
    const dsp::GateSettings* at = &settings;
    for (const auto& turn : turns)
        if (turn.timeS <= timeS)
            at = &turn.settings;
    return *at;
}

GateCounts countStretch(const HitMaterial& m, const std::vector<GatedHit>& hits, const Passed& passed,
                        const std::vector<double>& noiseS, double ownMs, double fromS, double toS) {
    GateCounts c;
    std::vector<double> attacks;
    std::vector<double> tails;
    for (std::size_t i = 0; i < hits.size(); ++i) {
        if (m.hits[i].timeS < fromS || m.hits[i].timeS >= toS)
            continue;
        count(m.hits[i], hits[i], c);
        if (m.hits[i].isOwn && hits[i].isKept()) {
            attacks.push_back(hits[i].attackDb);
            tails.push_back(hits[i].tailDb);
        }
    }
    for (const double t : noiseS)
        c.noiseOpenings += t >= fromS && t < toS;
    c.attackLostDb = median(attacks);
    c.tailLostDb = median(tails);
    addSpillEnergy(m, passed, ownMs, fromS, toS, c);
    return c;
}

} // namespace

double GateCounts::spillChangeDb() const {
    return spillBefore > 0 ? powerToDb(std::max(spillAfter / spillBefore, 1e-12)) : 0;
}

std::vector<MaterialHit> materialHitsOf(const KitHits& kit, int input) {
    std::vector<MaterialHit> own;
    std::vector<MaterialHit> other;
    for (const auto& h : kit.heard) {
        if (h.input != input || h.drum < 0)
            continue;
        MaterialHit hit{h.timeS, h.isOwn, HitClass::Normal, h.drum, h.levelDb};
        if (h.isOwn && h.stroke >= 0)
            hit.hitClass = kit.strokes[static_cast<std::size_t>(h.stroke)].hitClass;
        (h.isOwn ? own : other).push_back(hit);
    }
    std::vector<MaterialHit> all = own;
    for (const auto& hit : other) {
        const bool isNear = std::any_of(own.begin(), own.end(), [&](const MaterialHit& o) {
            return std::abs(o.timeS - hit.timeS) < kSameS;
        });
        if (!isNear)
            all.push_back(hit);
    }
    std::sort(all.begin(), all.end(),
              [](const MaterialHit& a, const MaterialHit& b) { return a.timeS < b.timeS; });
    return all;
}

double hitLevelDb(const GateTrack& track, double timeS) {
    float greatest = 1e-9F;
    const std::size_t end = std::min(track.at(timeS + kHitS) + 1, track.cells());
    for (std::size_t c = track.at(timeS); c < end; ++c)
        greatest = std::max(greatest, track.detector[c]);
    return linearToDb(greatest);
}

namespace {

const GateTrack& trackFor(GateTracks& tracks, const dsp::GateSettings& settings, GatePrecision precision) {
    switch (precision) {
    case GatePrecision::Rough:
        return tracks.rough(settings);
    case GatePrecision::Coarse:
        return tracks.coarse(settings);
    case GatePrecision::Exact:
        break;
    }
    return tracks.exact(settings);
}

GateReport reportOf(GateTracks& tracks, const GateTrack& track, const Run& run,
                    const dsp::GateSettings& settings, bool isExact, double ownMs,
                    const std::vector<GateTurn>& turns, const CancelToken& cancel) {
    const HitMaterial& m = tracks.material();
    GateReport report;
    report.isExact = isExact;
    report.hits.resize(m.hits.size());
    report.sections.resize(m.sections.size());
    if (track.cells() == 0)
        return report;
    const auto late = static_cast<std::size_t>(dsp::gateLatency(settings, track.rateHz));
    const Passed passed(track, run, late);

    for (std::size_t i = 0; i < m.hits.size() && !cancel.isCancelled(); ++i) {
        const double t = m.hits[i].timeS;
        GatedHit& hit = report.hits[i];
        hit.passDb = passed.over(t, t + kHitS).db();
        hit.overDb = hitLevelDb(track, t) - settingsAt(settings, turns, t).openDb;
        if (!m.hits[i].isOwn)
            continue;
        const double nextS = i + 1 < m.hits.size() ? m.hits[i + 1].timeS : m.endS();
        hit.attackDb = passed.over(t, t + kAttackS).db();
        hit.tailDb = passed.over(t, std::max(t + kHitS, std::min(t + kTailS, nextS - 0.005))).db();
    }
    const auto noise = blame(m, run.openingsS, 0.001 * settings.attackMs, report.hits);
    if (isExact)
        measureClicks(tracks.part(settings, 0), run.gain, late, m, report);
    report.all = countStretch(m, report.hits, passed, noise, ownMs, m.startS, m.endS());
    for (std::size_t s = 0; s < m.sections.size(); ++s)
        report.sections[s] = countStretch(m, report.hits, passed, noise, ownMs, m.sections[s].startS,
                                          std::min(m.sections[s].endS, m.endS()));
    return report;
}

} // namespace

GateReport judgeGate(GateTracks& tracks, const dsp::GateSettings& settings, GatePrecision precision,
                     double ownMs, const std::vector<GateTurn>& turns, const CancelToken& cancel) {
    const GateTrack& track = trackFor(tracks, settings, precision);
    const Run run = runOf(track, settings, gateGain(track, settings, turns, cancel));
    return reportOf(tracks, track, run, settings, precision == GatePrecision::Exact, ownMs, turns, cancel);
}

std::vector<GateReport> judgeGates(GateTracks& tracks, std::span<const dsp::GateSettings> settings,
                                   GatePrecision precision, double ownMs, const CancelToken& cancel) {
    std::vector<GateReport> reports;
    for (std::size_t at = 0; at < settings.size() && !cancel.isCancelled(); at += dsp::kLanes) {
        const auto some = settings.subspan(at, std::min<std::size_t>(dsp::kLanes, settings.size() - at));
        const GateTrack& track = trackFor(tracks, some[0], precision);
        auto gains = gateGains(track, some, 0, track.cells(), {}, cancel);
        for (std::size_t i = 0; i < some.size(); ++i)
            reports.push_back(reportOf(tracks, track, runOf(track, some[i], std::move(gains[i])), some[i],
                                       precision == GatePrecision::Exact, ownMs, {}, cancel));
    }
    reports.resize(settings.size());
    return reports;
}

std::vector<std::vector<float>> gatedSound(GateTracks& tracks, const dsp::GateSettings& settings) {
    auto sound = tracks.material().sound;
    const GateTrack& track = tracks.exact(settings);
    if (track.cells() == 0)
        return sound;
    const auto gain = gateGain(track, settings, {}, {});
    const auto late = static_cast<std::size_t>(dsp::gateLatency(settings, track.rateHz));
    for (auto& channel : sound)
        for (std::size_t n = 0; n < channel.size(); ++n)
            channel[n] *= gain[std::min(n + late, gain.size() - 1)];
    return sound;
}

std::vector<float> gateGainDb(GateTracks& tracks, const dsp::GateSettings& settings, double fromS, double toS,
                              std::size_t count) {
    const GateTrack& track = tracks.exact(settings);
    std::vector<float> db(count, 0.0F);
    if (track.cells() == 0 || count == 0)
        return db;
    // Begun some seconds before, the gate is in the state that it would be in.
    constexpr double kBeforeS = 5;
    const std::size_t from = track.at(fromS - kBeforeS);
    const auto late = static_cast<std::size_t>(dsp::gateLatency(settings, track.rateHz));
    const std::size_t to = std::min(track.cells(), track.at(toS) + late + 1);
    const auto gain = gateGains(track, {&settings, 1}, from, to, {}, {})[0];
    for (std::size_t i = 0; i < count; ++i) {
        const double t = fromS + (toS - fromS) * static_cast<double>(i) / static_cast<double>(count);
        const std::size_t cell = std::min(track.at(t) + late, to - 1);
        db[i] = static_cast<float>(linearToDb(std::max(1e-6F, gain[cell >= from ? cell - from : 0])));
    }
    return db;
}

} // namespace cask::measure
