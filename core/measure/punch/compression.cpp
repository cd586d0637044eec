#include "core/measure/punch/compression.h"

#include "core/base/units.h"
#include "core/measure/punch/punch_run.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::measure {
namespace {

constexpr double kHitMs = 20;
constexpr double kLongestMs = 2000; // of a hit that no other follows
constexpr double kRecoveredDb = 1;

double dbOf(double linear) {
    return linearToDb(std::max(linear, 1e-6));
}

void countRecovered(Compression& c) {
    c.followed = std::max(0, static_cast<int>(c.hits.size()) - 1);
    c.recovered =
        static_cast<int>(std::count_if(c.hits.begin(), c.hits.begin() + c.followed,
                                       [](const auto& hit) { return std::abs(hit.leftDb) < kRecoveredDb; }));
}

/// `lookAheadMs`: in which the gain is already the next hit's; it counts to neither.
void measureHits(Compression& out, const HitMaterial& m, bool isMean, double lookAheadMs,
                 const std::vector<PunchCell>& cells) {
    const auto ahead = static_cast<std::ptrdiff_t>(std::ceil(lookAheadMs));
    std::vector<std::pair<int, std::ptrdiff_t>> own; // hit and its cell
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const auto cell = static_cast<std::ptrdiff_t>(std::floor(1000 * (m.hits[i].timeS - m.startS)));
        if (m.hits[i].isOwn && cell >= 0 && cell < static_cast<std::ptrdiff_t>(cells.size()))
            own.emplace_back(static_cast<int>(i), cell);
    }
    const auto size = static_cast<std::ptrdiff_t>(cells.size());
    for (std::size_t i = 0; i < own.size(); ++i) {
        CompressedHit hit;
        hit.hit = own[i].first;
        hit.timeS = m.hits[static_cast<std::size_t>(hit.hit)].timeS;
        const std::ptrdiff_t start = own[i].second;
        const bool hasNext = i + 1 < own.size();
        const std::ptrdiff_t next = std::min(size, hasNext ? own[i + 1].second - ahead
                                                           : start + static_cast<std::ptrdiff_t>(kLongestMs));
        double level = 0;
        double before = 0;
        double after = 0;
        for (auto c = start; c < std::min(size, start + static_cast<std::ptrdiff_t>(kHitMs)); ++c) {
            const PunchCell& cell = cells[static_cast<std::size_t>(c)];
            level = std::max(level, static_cast<double>(cell.level));
            before = std::max(before, static_cast<double>(cell.before));
            after = std::max(after, static_cast<double>(cell.after));
        }
        hit.levelDb = isMean ? powerToDb(std::max(level, 1e-12)) : dbOf(level);
        hit.beforeDb = dbOf(before);
        hit.afterDb = dbOf(after);
        float farthest = 1;
        for (auto c = start; c < next; ++c)
            if (isFarther(cells[static_cast<std::size_t>(c)].gain, farthest)) {
                farthest = cells[static_cast<std::size_t>(c)].gain;
                hit.changeAtMs = static_cast<double>(c - start);
            }
        hit.changeDb = dbOf(farthest);
        if (hasNext && next > 0) {
            // The cell before the next onset: what that one finds.
            hit.leftDb = dbOf(cells[static_cast<std::size_t>(std::max(start, next - 1))].gain);
        }
        out.hits.push_back(hit);
    }
    countRecovered(out);
}

/// Whether a hit of another drum stands clear of own hits, and of louder ones of others: from `at` on there
/// is a window that is its own, whose end is told. 0: it has none.
double ownWindowEndS(const HitMaterial& m, std::size_t at) {
    constexpr double kWindowS = 0.060;
    constexpr double kShortestS = 0.015;
    constexpr double kTogetherS = 0.020;
    const MaterialHit& hit = m.hits[at];
    double endS = hit.timeS + kWindowS;
    for (std::size_t i = at; i-- > 0 && m.hits[i].timeS > hit.timeS - kWindowS;)
        if (m.hits[i].isOwn || (m.hits[i].timeS > hit.timeS - kTogetherS && m.hits[i].levelDb > hit.levelDb))
            return 0;
    for (std::size_t i = at + 1; i < m.hits.size() && m.hits[i].timeS < endS; ++i) {
        if (m.hits[i].timeS < hit.timeS + kTogetherS && m.hits[i].levelDb > hit.levelDb)
            return 0;
        if (m.hits[i].isOwn || m.hits[i].levelDb > hit.levelDb)
            endS = m.hits[i].timeS - 0.002;
    }
    return endS < hit.timeS + kShortestS ? 0 : endS;
}

void measurePumped(Compression& out, const HitMaterial& m, const std::vector<PunchCell>& cells) {
    constexpr double kMovedDb = 1;
    const auto changeDb = [&](std::ptrdiff_t cell) {
        return std::abs(linearToDb(static_cast<double>(cells[static_cast<std::size_t>(cell)].gain)));
    };
    std::map<int, std::vector<double>> byDrum;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const auto start = static_cast<std::ptrdiff_t>(std::floor(1000 * (m.hits[i].timeS - m.startS)));
        const double endS = m.hits[i].isOwn ? 0 : ownWindowEndS(m, i);
        const auto end = std::min(static_cast<std::ptrdiff_t>(cells.size()),
                                  static_cast<std::ptrdiff_t>(std::floor(1000 * (endS - m.startS))));
        if (endS <= 0 || start < 1)
            continue;
        double moved = 0;
        for (auto c = start; c < end; ++c)
            moved = std::max(moved, changeDb(c) - changeDb(start - 1));
        byDrum[m.hits[i].drum].push_back(moved);
    }
    for (auto& [drum, moved] : byDrum) {
        const auto many = std::count_if(moved.begin(), moved.end(), [](double db) { return db >= kMovedDb; });
        out.pumped.push_back({drum, static_cast<int>(moved.size()), static_cast<int>(many), median(moved)});
    }
    std::stable_sort(out.pumped.begin(), out.pumped.end(),
                     [](const Pumped& a, const Pumped& b) { return a.movedDb > b.movedDb; });
}

/// Own hits that are no ghosts, and lie wholly within.
std::vector<int> averagedHits(const HitMaterial& m, const std::vector<PunchCell>& cells) {
    std::vector<int> hits;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const auto first = static_cast<std::ptrdiff_t>(std::floor(1000 * (m.hits[i].timeS - m.startS))) -
                           HitCourse::kBeforeMs;
        if (m.hits[i].isOwn && m.hits[i].hitClass != HitClass::Ghost && first >= 0 &&
            first + HitCourse::kBeforeMs + HitCourse::kAfterMs <= static_cast<std::ptrdiff_t>(cells.size()))
            hits.push_back(static_cast<int>(i));
    }
    return hits;
}

Compression compressionOf(const HitMaterial& m, bool isMean, double lookAheadMs,
                          const std::vector<PunchCell>& cells) {
    Compression out;
    measureHits(out, m, isMean, lookAheadMs, cells);
    measurePumped(out, m, cells);
    out.average = courseOf(m, cells, averagedHits(m, cells));
    return out;
}

} // namespace

HitCourse courseOf(const HitMaterial& m, const std::vector<PunchCell>& cells, std::span<const int> hits) {
    constexpr int kSteps = HitCourse::kBeforeMs + HitCourse::kAfterMs;
    HitCourse course;
    if (hits.empty())
        return course;
    std::vector<double> before(kSteps, 0.0);
    std::vector<double> after(kSteps, 0.0);
    std::vector<double> gain(kSteps, 0.0);
    for (const int hit : hits) {
        const double timeS = m.hits[static_cast<std::size_t>(hit)].timeS - m.startS;
        const auto first = static_cast<std::ptrdiff_t>(std::floor(1000 * timeS)) - HitCourse::kBeforeMs;
        for (std::ptrdiff_t i = std::max<std::ptrdiff_t>(0, -first);
             i < kSteps && first + i < static_cast<std::ptrdiff_t>(cells.size()); ++i) {
            const PunchCell& cell = cells[static_cast<std::size_t>(first + i)];
            const auto at = static_cast<std::size_t>(i);
            const int frames = std::max(1, cell.frames);
            before[at] += static_cast<double>(cell.powerBefore) / frames;
            after[at] += static_cast<double>(cell.powerAfter) / frames;
            gain[at] += linearToDb(static_cast<double>(cell.gain));
        }
    }
    const auto count = static_cast<double>(hits.size());
    for (std::size_t i = 0; i < kSteps; ++i) {
        course.beforeDb.push_back(static_cast<float>(powerToDb(before[i] / count + 1e-12)));
        course.afterDb.push_back(static_cast<float>(powerToDb(after[i] / count + 1e-12)));
        course.gainDb.push_back(static_cast<float>(gain[i] / count));
    }
    return course;
}

Compression within(const Compression& whole, std::span<const MaterialStretch> stretches) {
    Compression part;
    part.pumped = whole.pumped;
    std::copy_if(whole.hits.begin(), whole.hits.end(), std::back_inserter(part.hits),
                 [&](const CompressedHit& hit) { return isWithin(stretches, hit.timeS); });
    countRecovered(part);
    return part;
}

HitCourse averageWithin(const HitMaterial& m, const std::vector<PunchCell>& cells,
                        std::span<const MaterialStretch> stretches) {
    auto hits = averagedHits(m, cells);
    std::erase_if(hits,
                  [&](int hit) { return !isWithin(stretches, m.hits[static_cast<std::size_t>(hit)].timeS); });
    return courseOf(m, cells, hits);
}

double Compression::middleChangeDb() const {
    if (hits.empty())
        return 0;
    std::vector<double> changes;
    for (const auto& hit : hits)
        changes.push_back(hit.changeDb);
    const auto middle = changes.begin() + static_cast<std::ptrdiff_t>(changes.size() / 2);
    std::nth_element(changes.begin(), middle, changes.end());
    return *middle;
}

namespace {

template <class Lanes>
Compression measureRun(const HitMaterial& material, const typename Lanes::Settings& settings,
                       const std::vector<SettingsTurn<typename Lanes::Settings>>& turns,
                       const CancelToken& cancel) {
    if (material.frames() == 0)
        return {};
    const auto cells = PunchRun<Lanes>(material, settings, turns).cells(cancel, oneByOne);
    return compressionOf(material, punch_run::isRms(settings), punch_run::lookAheadMs(settings), cells);
}

template <class Lanes>
QuickPunch quickRun(const HitMaterial& material, const std::vector<float>& powers,
                    const typename Lanes::Settings& settings,
                    const std::vector<SettingsTurn<typename Lanes::Settings>>& turns,
                    const CancelToken& cancel, const ParallelFor& parallel) {
    if (material.frames() == 0)
        return {};
    auto cells = PunchRun<Lanes>(material, settings, turns).cells(cancel, parallel);
    auto compression =
        compressionOf(material, punch_run::isRms(settings), punch_run::lookAheadMs(settings), cells);
    auto shapes = roughShapes(material, powers, cells);
    return {std::move(compression), std::move(shapes), std::move(cells)};
}

template <class Lanes>
std::vector<std::vector<float>>
soundBehind(const HitMaterial& material, const typename Lanes::Settings& settings,
            const std::vector<SettingsTurn<typename Lanes::Settings>>& turns, const CancelToken& cancel) {
    std::vector<std::vector<float>> after(material.sound.size(), std::vector<float>(material.frames(), 0.0F));
    if (material.frames() > 0)
        (void)PunchRun<Lanes>(material, settings, turns).cells(cancel, oneByOne, &after);
    return after;
}

} // namespace

Compression measureCompression(const HitMaterial& material, const dsp::CompressorSettings& settings,
                               const std::vector<CompressionTurn>& turns, const CancelToken& cancel) {
    return measureRun<dsp::CompressorLanes>(material, settings, turns, cancel);
}

std::vector<float> reductionsDb(const HitMaterial& material, const dsp::CompressorSettings& settings,
                                const CancelToken& cancel) {
    std::vector<float> changes;
    if (material.frames() == 0)
        return changes;
    const std::vector<CompressionTurn> none;
    for (const PunchCell& cell :
         PunchRun<dsp::CompressorLanes>(material, settings, none).cells(cancel, oneByOne))
        changes.push_back(std::abs(static_cast<float>(linearToDb(static_cast<double>(cell.gain)))));
    return changes;
}

std::vector<float> gainsOf(const HitMaterial& material, const dsp::CompressorSettings& settings,
                           const CancelToken& cancel) {
    std::vector<float> gains(material.frames(), 1.0F);
    const std::vector<CompressionTurn> none;
    if (material.frames() > 0)
        (void)PunchRun<dsp::CompressorLanes>(material, settings, none)
            .cells(cancel, oneByOne, nullptr, &gains);
    return gains;
}

Compression measureShaping(const HitMaterial& material, const dsp::TransientSettings& settings,
                           const std::vector<ShapingTurn>& turns, const CancelToken& cancel) {
    return measureRun<dsp::TransientLanes>(material, settings, turns, cancel);
}

std::vector<std::vector<float>> compressedSound(const HitMaterial& material,
                                                const dsp::CompressorSettings& settings,
                                                const std::vector<CompressionTurn>& turns,
                                                const CancelToken& cancel) {
    return soundBehind<dsp::CompressorLanes>(material, settings, turns, cancel);
}

std::vector<std::vector<float>> shapedSound(const HitMaterial& material,
                                            const dsp::TransientSettings& settings,
                                            const std::vector<ShapingTurn>& turns,
                                            const CancelToken& cancel) {
    return soundBehind<dsp::TransientLanes>(material, settings, turns, cancel);
}

std::vector<std::vector<float>>
limitedSound(const HitMaterial& material, const dsp::LimiterSettings& settings, const CancelToken& cancel) {
    constexpr std::size_t kPiece = 4096;
    std::vector<std::vector<float>> after(material.sound.size(), std::vector<float>(material.frames(), 0.0F));
    dsp::Limiter limiter;
    limiter.prepare(material.rateHz, settings.lookAheadMs);
    limiter.set(settings);
    const auto wait = static_cast<std::size_t>(limiter.latencyFrames());
    const dsp::DenormalGuard flush;
    std::array<std::vector<float>, 2> io;
    for (std::size_t at = 0; at < material.frames() + wait && !cancel.isCancelled(); at += kPiece) {
        for (std::size_t c = 0; c < io.size(); ++c) {
            // One channel alone is on both sides.
            const auto& sound = material.sound[std::min(c, material.sound.size() - 1)];
            io[c].assign(kPiece, 0.0F);
            for (std::size_t n = 0; n < kPiece && at + n < sound.size(); ++n)
                io[c][n] = sound[at + n];
        }
        limiter.process(io[0].data(), io[1].data(), 1, static_cast<int>(kPiece));
        for (std::size_t c = 0; c < after.size(); ++c)
            for (std::size_t n = 0; n < kPiece; ++n)
                if (at + n >= wait && at + n - wait < after[c].size())
                    after[c][at + n - wait] = io[c][n];
    }
    return after;
}

namespace {

/// Of a limiter: the gain of a millisecond is that of its loudest frame.
std::vector<PunchCell> limitedCells(const HitMaterial& material, const dsp::LimiterSettings& settings,
                                    const CancelToken& cancel) {
    const auto after = limitedSound(material, settings, cancel);
    std::vector<PunchCell> cells(
        static_cast<std::size_t>(1000 * static_cast<double>(material.frames()) / material.rateHz) + 1);
    for (std::size_t n = 0; n < material.frames(); ++n) {
        PunchCell& cell = cells[static_cast<std::size_t>(1000 * static_cast<double>(n) / material.rateHz)];
        ++cell.frames;
        for (std::size_t c = 0; c < after.size(); ++c) {
            const float was = std::abs(material.sound[c][n]);
            const float is = std::abs(after[c][n]);
            if (was > cell.before && is > 0)
                cell.gain = is / was;
            cell.before = std::max(cell.before, was);
            cell.after = std::max(cell.after, is);
            cell.powerBefore += was * was;
            cell.powerAfter += is * is;
        }
        cell.level = cell.before;
    }
    return cells;
}

/// From which on it already moves for the next hit.
double limiterAheadMs(const dsp::LimiterSettings& settings) {
    return settings.lookAheadMs + 1;
}

} // namespace

Compression measureLimiting(const HitMaterial& material, const dsp::LimiterSettings& settings,
                            const CancelToken& cancel) {
    if (material.frames() == 0)
        return {};
    return compressionOf(material, false, limiterAheadMs(settings), limitedCells(material, settings, cancel));
}

QuickPunch measureQuickly(const HitMaterial& material, const std::vector<float>& powers,
                          const dsp::CompressorSettings& settings, const std::vector<CompressionTurn>& turns,
                          const CancelToken& cancel, const ParallelFor& parallel) {
    return quickRun<dsp::CompressorLanes>(material, powers, settings, turns, cancel, parallel);
}

QuickPunch measureQuickly(const HitMaterial& material, const std::vector<float>& powers,
                          const dsp::TransientSettings& settings, const std::vector<ShapingTurn>& turns,
                          const CancelToken& cancel, const ParallelFor& parallel) {
    return quickRun<dsp::TransientLanes>(material, powers, settings, turns, cancel, parallel);
}

QuickPunch measureQuickly(const HitMaterial& material, const std::vector<float>& powers,
                          const dsp::LimiterSettings& settings, const CancelToken& cancel) {
    if (material.frames() == 0)
        return {};
    auto cells = limitedCells(material, settings, cancel);
    auto compression = compressionOf(material, false, limiterAheadMs(settings), cells);
    auto shapes = roughShapes(material, powers, cells);
    return {std::move(compression), std::move(shapes), std::move(cells)};
}

} // namespace cask::measure
