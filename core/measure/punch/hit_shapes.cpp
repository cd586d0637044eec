#include "core/measure/punch/hit_shapes.h"

#include "core/base/units.h"
#include "core/measure/loudness.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::measure {
namespace {

constexpr double kPeakS = 0.020;
constexpr double kAttackS = 0.010;
constexpr double kBodyS = 0.120;
constexpr double kTailS = 0.400;
constexpr double kDecayDb = 20;
constexpr double kShortestTailS = 0.020;

using Sound = std::vector<std::vector<float>>;

/// Energies of any stretch, by sums from the start.
class Energy {
  public:
    explicit Energy(const Sound& sound) {
        const std::size_t frames = sound.empty() ? 0 : sound.front().size();
        m_sums.assign(frames + 1, 0);
        for (std::size_t n = 0; n < frames; ++n) {
            double power = 0;
            for (const auto& channel : sound)
                power += static_cast<double>(channel[n]) * channel[n];
            m_sums[n + 1] = m_sums[n] + power;
        }
    }
    [[nodiscard]] std::size_t frames() const { return m_sums.size() - 1; }
    [[nodiscard]] double of(std::size_t from, std::size_t to) const {
        to = std::min(to, frames());
        return from >= to ? 0 : m_sums[to] - m_sums[from];
    }

  private:
    std::vector<double> m_sums;
};

double energyDb(double energy) {
    return energy > 0 ? powerToDb(energy) : kSilenceDb;
}

float peakOf(const Sound& sound, std::size_t from, std::size_t to) {
    float peak = 0;
    for (const auto& channel : sound)
        for (std::size_t n = from; n < std::min(to, channel.size()); ++n)
            peak = std::max(peak, std::abs(channel[n]));
    return peak;
}

/// From the loudest millisecond on, until one is 20 dB under it and none after it within the stretch is more.
double decayMs(const Sound& sound, std::size_t from, std::size_t to, double rateHz) {
    const auto step = static_cast<std::size_t>(std::lround(0.001 * rateHz));
    std::vector<float> peaks;
    for (std::size_t n = from; n + step <= to; n += step)
        peaks.push_back(peakOf(sound, n, n + step));
    if (peaks.empty())
        return 0;
    const auto loudest = std::max_element(peaks.begin(), peaks.end());
    const float limit = *loudest * static_cast<float>(dbToLinear(-kDecayDb));
    auto last = peaks.end();
    while (last != loudest && *(last - 1) <= limit)
        --last;
    return last == peaks.end()
               ? 0
               : static_cast<double>(last - loudest) * 1000 * static_cast<double>(step) / rateHz;
}

struct Stretch {
    int hit = 0;
    std::size_t from = 0, next = 0; ///< frames: its onset, the next own one or the end
};

std::vector<Stretch> stretchesOf(const HitMaterial& m) {
    std::vector<Stretch> all;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const double at = (m.hits[i].timeS - m.startS) * m.rateHz;
        if (!m.hits[i].isOwn || at < 0 || at >= static_cast<double>(m.frames()))
            continue;
        const auto from = static_cast<std::size_t>(std::lround(at));
        if (!all.empty())
            all.back().next = from;
        all.push_back({static_cast<int>(i), from, m.frames()});
    }
    return all;
}

double medianOf(const std::vector<HitShape>& shapes, double HitShape::*value) {
    std::vector<double> values;
    for (const auto& shape : shapes)
        if (shape.*value > kSilenceDb)
            values.push_back(shape.*value);
    return values.empty() ? 0 : median(std::move(values));
}

double medianPunch(const std::vector<HitShape>& shapes) {
    std::vector<double> values;
    for (const auto& shape : shapes)
        if (shape.attackDb > kSilenceDb && shape.bodyDb > kSilenceDb)
            values.push_back(shape.punchDb());
    return values.empty() ? 0 : median(std::move(values));
}

double medianDecay(const std::vector<HitShape>& shapes) {
    std::vector<double> values;
    for (const auto& shape : shapes)
        if (shape.decayMs > 0)
            values.push_back(shape.decayMs);
    return values.empty() ? 0 : median(std::move(values));
}

double rangeOf(const std::vector<HitShape>& shapes) {
    std::vector<double> peaks;
    peaks.reserve(shapes.size());
    for (const auto& shape : shapes)
        peaks.push_back(shape.peakDb);
    return quantile(peaks, 0.95) - quantile(peaks, 0.1);
}

std::vector<SpillChange> spillOf(const HitMaterial& m, const Sound& after, double matchDb) {
    const Energy was(m.sound);
    const Energy is(after);
    std::map<int, std::vector<double>> byDrum;
    const auto length = static_cast<std::size_t>(std::lround(kPeakS * m.rateHz));
    for (const auto& hit : m.hits) {
        const double at = (hit.timeS - m.startS) * m.rateHz;
        if (hit.isOwn || at < 0)
            continue;
        const auto from = static_cast<std::size_t>(at);
        const double before = was.of(from, from + length);
        const double behind = is.of(from, from + length);
        if (before > 0 && behind > 0)
            byDrum[hit.drum].push_back(powerToDb(behind / before) + matchDb);
    }
    std::vector<SpillChange> spill;
    spill.reserve(byDrum.size());
    for (auto& [drum, changes] : byDrum)
        spill.push_back({drum, static_cast<int>(changes.size()), median(std::move(changes))});
    std::stable_sort(spill.begin(), spill.end(),
                     [](const SpillChange& a, const SpillChange& b) { return a.changeDb > b.changeDb; });
    return spill;
}

} // namespace

std::vector<HitShape> hitShapes(const HitMaterial& m, const Sound& sound) {
    std::vector<HitShape> shapes;
    const Energy energy(sound);
    const auto frames = [&](double s) { return static_cast<std::size_t>(std::lround(s * m.rateHz)); };
    for (const auto& stretch : stretchesOf(m)) {
        const auto until = [&](double s) {
            return std::min({stretch.next, stretch.from + frames(s), energy.frames()});
        };
        HitShape shape;
        shape.hit = stretch.hit;
        shape.peakDb = linearToDb(static_cast<double>(peakOf(sound, stretch.from, until(kPeakS))));
        shape.attackDb = energyDb(energy.of(stretch.from, until(kAttackS)));
        shape.bodyDb = energyDb(energy.of(until(kAttackS), until(kBodyS)));
        if (until(kTailS) >= until(kBodyS) + frames(kShortestTailS))
            shape.tailDb = energyDb(energy.of(until(kBodyS), until(kTailS)));
        const std::size_t end = until(kBodyS);
        const double mean =
            energy.of(stretch.from, end) /
            static_cast<double>(std::max<std::size_t>(1, (end - stretch.from) * sound.size()));
        const auto greatest = static_cast<double>(peakOf(sound, stretch.from, end));
        shape.crestDb = mean > 0 ? linearToDb(greatest) - powerToDb(mean) : 0;
        shape.decayMs = decayMs(sound, stretch.from, std::min(stretch.next, energy.frames()), m.rateHz);
        shapes.push_back(shape);
    }
    return shapes;
}

ShapeChange measureShapes(const HitMaterial& m, const Sound& after, const CancelToken& cancel) {
    ShapeChange change;
    if (m.sound.empty() || after.empty())
        return change;
    change.before = hitShapes(m, m.sound);
    if (change.before.empty() || cancel.isCancelled())
        return {};
    change.after = hitShapes(m, after);
    const double wasLufs = integratedLufs(m.sound, m.rateHz);
    if (cancel.isCancelled())
        return {};
    const double isLufs = integratedLufs(after, m.rateHz);
    change.matchDb = wasLufs > kSilenceDb && isLufs > kSilenceDb ? wasLufs - isLufs : 0;
    change.hits = static_cast<int>(change.before.size());
    const auto medianChange = [&](double HitShape::*value, bool ghostsOnly) {
        std::vector<double> changes;
        for (std::size_t i = 0; i < change.before.size(); ++i) {
            const auto& was = change.before[i];
            const bool isGhost = m.hits[static_cast<std::size_t>(was.hit)].hitClass == HitClass::Ghost;
            if (was.*value > kSilenceDb && change.after[i].*value > kSilenceDb && (!ghostsOnly || isGhost))
                changes.push_back(change.after[i].*value - was.*value);
        }
        return changes.empty() ? 0 : median(std::move(changes)) + change.matchDb;
    };
    change.keptAttackDb = medianChange(&HitShape::attackDb, false);
    change.sustainDb = medianChange(&HitShape::tailDb, false);
    change.ghostsDb = medianChange(&HitShape::peakDb, true);
    change.punchBeforeDb = medianPunch(change.before);
    change.punchAfterDb = medianPunch(change.after);
    change.decayBeforeMs = medianDecay(change.before);
    change.decayAfterMs = medianDecay(change.after);
    change.crestBeforeDb = medianOf(change.before, &HitShape::crestDb);
    change.crestAfterDb = medianOf(change.after, &HitShape::crestDb);
    change.rangeBeforeDb = rangeOf(change.before);
    change.rangeAfterDb = rangeOf(change.after);
    change.spill = spillOf(m, after, change.matchDb);
    return change;
}

} // namespace cask::measure
