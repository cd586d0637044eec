#include "core/measure/punch/hit_shapes.h"

#include "core/base/units.h"
#include "core/measure/integrated_loudness.h"
#include "core/measure/loudness.h"
#include "core/measure/punch/lane_feed.h"
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

/// A sound as shapes are read off it, by its frames.
class FrameTrack {
  public:
    FrameTrack(const Sound& sound, double rateHz) : m_sound(sound), m_rateHz(rateHz) {
        const std::size_t frames = sound.empty() ? 0 : sound.front().size();
        m_sums.assign(frames + 1, 0);
        for (std::size_t n = 0; n < frames; ++n) {
            double power = 0;
            for (const auto& channel : sound)
                power += static_cast<double>(channel[n]) * channel[n];
            m_sums[n + 1] = m_sums[n] + power;
        }
    }
    [[nodiscard]] double placesPerS() const { return m_rateHz; }
    [[nodiscard]] std::size_t places() const { return m_sums.size() - 1; }
    [[nodiscard]] double framesPerPlace() const { return 1; }
    [[nodiscard]] std::size_t placeOf(double s) const {
        return static_cast<std::size_t>(std::lround(s * m_rateHz));
    }
    /// Energy of a stretch.
    [[nodiscard]] double energy(std::size_t from, std::size_t to) const {
        to = std::min(to, places());
        return from >= to ? 0 : m_sums[to] - m_sums[from];
    }
    [[nodiscard]] float peak(std::size_t from, std::size_t to) const {
        float peak = 0;
        for (const auto& channel : m_sound)
            for (std::size_t n = from; n < std::min(to, channel.size()); ++n)
                peak = std::max(peak, std::abs(channel[n]));
        return peak;
    }

  private:
    const Sound& m_sound;
    double m_rateHz;
    std::vector<double> m_sums;
};

/// The same by milliseconds.
class CellTrack {
  public:
    CellTrack(const std::vector<PunchCell>& cells, float PunchCell::*power, float PunchCell::*peak,
              double rateHz)
        : m_cells(cells), m_peak(peak), m_framesPerPlace(rateHz / kPerS), m_sums(cells.size() + 1, 0.0) {
        for (std::size_t i = 0; i < cells.size(); ++i)
            m_sums[i + 1] = m_sums[i] + static_cast<double>(cells[i].*power);
    }
    [[nodiscard]] double placesPerS() const { return kPerS; }
    [[nodiscard]] std::size_t places() const { return m_cells.size(); }
    [[nodiscard]] double framesPerPlace() const { return m_framesPerPlace; }
    [[nodiscard]] std::size_t placeOf(double s) const { return static_cast<std::size_t>(s * kPerS); }
    [[nodiscard]] double energy(std::size_t from, std::size_t to) const {
        to = std::min(to, places());
        return from >= to ? 0 : m_sums[to] - m_sums[from];
    }
    [[nodiscard]] float peak(std::size_t from, std::size_t to) const {
        float peak = 0;
        for (std::size_t i = from; i < std::min(to, places()); ++i)
            peak = std::max(peak, m_cells[i].*m_peak);
        return peak;
    }

  private:
    static constexpr double kPerS = 1000;
    const std::vector<PunchCell>& m_cells;
    float PunchCell::*m_peak;
    double m_framesPerPlace;
    std::vector<double> m_sums;
};

double energyDb(double energy) {
    return energy > 0 ? powerToDb(energy) : kSilenceDb;
}

/// From the loudest millisecond on, until one is 20 dB under it and none after it within the stretch is more.
template <class Track> double decayMs(const Track& track, std::size_t from, std::size_t to) {
    const auto step = static_cast<std::size_t>(std::lround(0.001 * track.placesPerS()));
    std::vector<float> peaks;
    for (std::size_t n = from; n + step <= to; n += step)
        peaks.push_back(track.peak(n, n + step));
    if (peaks.empty())
        return 0;
    const auto loudest = std::max_element(peaks.begin(), peaks.end());
    const float limit = *loudest * static_cast<float>(dbToLinear(-kDecayDb));
    auto last = peaks.end();
    while (last != loudest && *(last - 1) <= limit)
        --last;
    return last == peaks.end()
               ? 0
               : static_cast<double>(last - loudest) * 1000 * static_cast<double>(step) / track.placesPerS();
}

struct Stretch {
    int hit = 0;
    std::size_t from = 0, next = 0; ///< places of the track: its onset, the next own one or the end
};

template <class Track> std::vector<Stretch> stretchesOf(const HitMaterial& m, const Track& track) {
    std::vector<Stretch> all;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const double atS = m.hits[i].timeS - m.startS;
        if (!m.hits[i].isOwn || atS < 0 || atS * m.rateHz >= static_cast<double>(m.frames()))
            continue;
        const std::size_t from = track.placeOf(atS);
        if (!all.empty())
            all.back().next = from;
        all.push_back({static_cast<int>(i), from, track.places()});
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

template <class Track>
std::vector<SpillChange> spillOf(const HitMaterial& m, const Track& was, const Track& is, double matchDb) {
    std::map<int, std::vector<double>> byDrum;
    const std::size_t length = was.placeOf(kPeakS);
    for (const auto& hit : m.hits) {
        const double atS = hit.timeS - m.startS;
        if (hit.isOwn || atS < 0)
            continue;
        const std::size_t from = was.placeOf(atS);
        const double before = was.energy(from, from + length);
        const double behind = is.energy(from, from + length);
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

template <class Track> std::vector<HitShape> shapesOn(const HitMaterial& m, const Track& track) {
    std::vector<HitShape> shapes;
    for (const auto& stretch : stretchesOf(m, track)) {
        const auto until = [&](double s) {
            return std::min({stretch.next, stretch.from + track.placeOf(s), track.places()});
        };
        HitShape shape;
        const MaterialHit& hit = m.hits[static_cast<std::size_t>(stretch.hit)];
        shape.hit = stretch.hit;
        shape.timeS = hit.timeS;
        shape.isGhost = hit.hitClass == HitClass::Ghost;
        shape.peakDb = linearToDb(static_cast<double>(track.peak(stretch.from, until(kPeakS))));
        shape.attackDb = energyDb(track.energy(stretch.from, until(kAttackS)));
        shape.bodyDb = energyDb(track.energy(until(kAttackS), until(kBodyS)));
        if (until(kTailS) >= until(kBodyS) + track.placeOf(kShortestTailS))
            shape.tailDb = energyDb(track.energy(until(kBodyS), until(kTailS)));
        const std::size_t end = until(kBodyS);
        const double mean = track.energy(stretch.from, end) /
                            std::max(1.0, static_cast<double>((end - stretch.from) * m.sound.size()) *
                                              track.framesPerPlace());
        const auto greatest = static_cast<double>(track.peak(stretch.from, end));
        shape.crestDb = mean > 0 ? linearToDb(greatest) - powerToDb(mean) : 0;
        shape.decayMs = decayMs(track, stretch.from, std::min(stretch.next, track.places()));
        shapes.push_back(shape);
    }
    return shapes;
}

/// REQUIRES: `change` has the shapes before and after, and the match.
void compare(ShapeChange& change) {
    change.hits = static_cast<int>(change.before.size());
    const auto medianChange = [&](double HitShape::*value, bool ghostsOnly) {
        std::vector<double> changes;
        for (std::size_t i = 0; i < change.before.size(); ++i) {
            const auto& was = change.before[i];
            if (was.*value > kSilenceDb && change.after[i].*value > kSilenceDb &&
                (!ghostsOnly || was.isGhost))
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
}

} // namespace

std::vector<HitShape> hitShapes(const HitMaterial& m, const Sound& sound) {
    return shapesOn(m, FrameTrack(sound, m.rateHz));
}

ShapeChange measureShapes(const HitMaterial& m, const Sound& after, const CancelToken& cancel) {
    ShapeChange change;
    if (m.sound.empty() || after.empty())
        return change;
    const FrameTrack was(m.sound, m.rateHz);
    change.before = shapesOn(m, was);
    if (change.before.empty() || cancel.isCancelled())
        return {};
    const FrameTrack is(after, m.rateHz);
    change.after = shapesOn(m, is);
    const double wasLufs = integratedLufs(m.sound, m.rateHz);
    if (cancel.isCancelled())
        return {};
    const double isLufs = integratedLufs(after, m.rateHz);
    change.matchDb = wasLufs > kSilenceDb && isLufs > kSilenceDb ? wasLufs - isLufs : 0;
    compare(change);
    change.spill = spillOf(m, was, is, change.matchDb);
    return change;
}

ShapeChange within(const ShapeChange& whole, std::span<const MaterialStretch> stretches) {
    ShapeChange part = whole;
    for (auto* shapes : {&part.before, &part.after})
        std::erase_if(*shapes, [&](const HitShape& shape) { return !isWithin(stretches, shape.timeS); });
    compare(part);
    return part;
}

std::vector<float> loudnessPowers(const HitMaterial& m) {
    std::vector<float> powers;
    if (m.frames() == 0)
        return powers;
    // Stretches side by side, each begun so early that the filters have settled.
    constexpr double kEarlyS = 0.3;
    const std::size_t channels = m.sound.size();
    const std::size_t count = dsp::kLanes / channels;
    const auto frameOf = [&](std::size_t ms) {
        return static_cast<std::ptrdiff_t>(std::ceil(0.001 * static_cast<double>(ms) * m.rateHz));
    };
    const auto msOf = [&](std::ptrdiff_t frame) {
        return static_cast<std::size_t>(1000 * static_cast<double>(frame) / m.rateHz);
    };
    powers.resize(msOf(static_cast<std::ptrdiff_t>(m.frames())) + 1);
    const std::size_t eachMs = (powers.size() + count - 1) / count;
    std::vector<std::ptrdiff_t> begins;
    for (std::size_t i = 0; i < count; ++i)
        begins.push_back(frameOf(i * eachMs) - static_cast<std::ptrdiff_t>(kEarlyS * m.rateHz));
    LaneFeed feed(m.sound, channels, begins);
    auto filter = loudnessBank(m.rateHz);
    const dsp::DenormalGuard flush;
    dsp::LaneBuffer lanes(static_cast<std::size_t>(LaneFeed::kBlock) * dsp::kLanes);
    const std::ptrdiff_t end = frameOf(eachMs) + static_cast<std::ptrdiff_t>(kEarlyS * m.rateHz);
    for (std::ptrdiff_t at = 0; at < end; at += LaneFeed::kBlock) {
        const auto frames = static_cast<int>(std::min<std::ptrdiff_t>(LaneFeed::kBlock, end - at));
        feed.read(at, frames, lanes.data());
        dsp::kernels().filter(filter, lanes.data(), frames);
        for (std::size_t i = 0; i < count; ++i)
            for (int n = 0; n < frames; ++n) {
                const std::ptrdiff_t frame = begins[i] + at + n;
                const std::size_t ms = frame < 0 ? 0 : msOf(frame);
                if (frame < 0 || ms < i * eachMs || ms >= std::min(powers.size(), (i + 1) * eachMs))
                    continue;
                for (std::size_t c = 0; c < channels; ++c) {
                    const float x = lanes[static_cast<std::size_t>(n) * dsp::kLanes + i * channels + c];
                    powers[ms] += x * x;
                }
            }
    }
    return powers;
}

ShapeChange roughShapes(const HitMaterial& m, const std::vector<float>& powers,
                        const std::vector<PunchCell>& cells) {
    ShapeChange change;
    const CellTrack was(cells, &PunchCell::powerBefore, &PunchCell::before, m.rateHz);
    const CellTrack is(cells, &PunchCell::powerAfter, &PunchCell::after, m.rateHz);
    change.before = shapesOn(m, was);
    if (change.before.empty())
        return {};
    change.after = shapesOn(m, is);
    constexpr std::size_t kStepMs = 100;
    std::vector<double> stepsBefore(cells.size() / kStepMs);
    std::vector<double> stepsAfter(stepsBefore.size());
    for (std::size_t i = 0; i < stepsBefore.size() * kStepMs && i < powers.size(); ++i) {
        const double power = static_cast<double>(powers[i]) / (kStepMs * 0.001 * m.rateHz);
        const auto before = static_cast<double>(cells[i].powerBefore);
        stepsBefore[i / kStepMs] += power;
        stepsAfter[i / kStepMs] +=
            before > 0 ? power * static_cast<double>(cells[i].powerAfter) / before : power;
    }
    const double wasLufs = gatedLufs(stepsBefore);
    const double isLufs = gatedLufs(stepsAfter);
    change.matchDb = wasLufs > kSilenceDb && isLufs > kSilenceDb ? wasLufs - isLufs : 0;
    compare(change);
    change.spill = spillOf(m, was, is, change.matchDb);
    return change;
}

} // namespace cask::measure
