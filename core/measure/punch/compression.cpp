#include "core/measure/punch/compression.h"

#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/transient.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

using dsp::kLanes;

constexpr int kBlock = 4096;
constexpr double kHitMs = 20;
constexpr double kLongestMs = 2000; // of a hit that no other follows
constexpr double kRecoveredDb = 1;
constexpr int kGainLane = 2; // the sound is on lanes 0 and 1, a constant that shows the gain from here on

/// A millisecond of the material.
struct Cell {
    float level = 0; ///< greatest of the detector, or mean square of its window
    float before = 0;
    float after = 0;
    double powerBefore = 0;
    double powerAfter = 0;
    float gain = 1; ///< farthest from 1
    int frames = 0;
};

bool isFarther(float gain, float than) {
    return std::abs(std::log(gain)) > std::abs(std::log(than));
}

/// Mean squares of the last frames of what one channel of the detector hears.
class MeanSquare {
  public:
    explicit MeanSquare(std::size_t frames) : m_squares(frames, 0.0F) {}
    float next(float x) {
        float& place = m_squares[m_at];
        m_sum += static_cast<double>(x * x) - static_cast<double>(place);
        place = x * x;
        m_at = m_at + 1 == m_squares.size() ? 0 : m_at + 1;
        return static_cast<float>(m_sum / static_cast<double>(m_squares.size()));
    }

  private:
    std::vector<float> m_squares;
    std::size_t m_at = 0;
    double m_sum = 0;
};

bool isRms(const dsp::CompressorSettings& s) {
    return s.detector == dsp::CompressorDetector::Rms;
}
bool isRms(const dsp::TransientSettings& /*settings*/) {
    return false;
}
double windowMs(const dsp::CompressorSettings& s) {
    return s.windowMs;
}
double windowMs(const dsp::TransientSettings& /*settings*/) {
    return 0;
}
/// Without what is added to its own change of gain.
dsp::CompressorSettings bare(dsp::CompressorSettings settings) {
    settings.makeupDb = 0;
    settings.mixPercent = 100;
    settings.reach = dsp::GateReach::All; // a gain on a constant is the gain
    return settings;
}
dsp::TransientSettings bare(dsp::TransientSettings settings) {
    settings.mixPercent = 100;
    settings.reach = dsp::GateReach::All;
    return settings;
}

/// Runs one material through one compressor or transient shaper.
template <class Lanes> class Run {
  public:
    using Settings = typename Lanes::Settings;

    Run(const HitMaterial& m, const Settings& settings, const std::vector<SettingsTurn<Settings>>& turns)
        : m_material(m), m_settings(settings), m_turns(turns), m_channels(static_cast<int>(m.sound.size())),
          m_lanes(m.rateHz), m_wait(Lanes::latencyFrames(settings, m.rateHz)) {
        m_lanes.place(0, m_channels, settings, true, 0);
        m_lanes.place(kGainLane, m_channels, bare(settings), true, 0);
        m_lanes.prepare();
        const auto bands = Lanes::detectorBands(settings);
        std::vector<dsp::SvfCoefficients> sections;
        for (const auto& band : bands)
            for (const auto& section : dsp::designBand(band, m.rateHz))
                sections.push_back(section);
        m_filter = dsp::makeBank(static_cast<int>(sections.size()));
        for (std::size_t i = 0; i < sections.size(); ++i)
            for (int lane = 0; lane < kLanes; ++lane)
                dsp::setTarget(m_filter.sections[i], lane, sections[i]);
        dsp::settle(m_filter);
        const auto window =
            static_cast<std::size_t>(std::max(1.0, std::round(0.001 * windowMs(settings) * m.rateHz)));
        m_squares.assign(static_cast<std::size_t>(m_channels), MeanSquare(window));
        m_cells.resize(static_cast<std::size_t>(1000 * static_cast<double>(m.frames()) / m.rateHz) + 1);
    }

    /// `after`: where there is one, gets the sound that comes out.
    std::vector<Cell> cells(const CancelToken& cancel, std::vector<std::vector<float>>* after = nullptr) {
        m_after = after;
        const dsp::DenormalGuard flush;
        const auto frames = static_cast<std::ptrdiff_t>(m_material.frames());
        std::size_t turn = 0;
        for (std::ptrdiff_t at = 0; at < frames + m_wait && !cancel.isCancelled();) {
            std::ptrdiff_t end = std::min<std::ptrdiff_t>(at + kBlock, frames + m_wait);
            for (; turn < m_turns.size() && frameOf(m_turns[turn]) <= at; ++turn)
                take(m_turns[turn], at == 0);
            if (turn < m_turns.size())
                end = std::min(end, frameOf(m_turns[turn]));
            runBlock(at, static_cast<int>(end - at));
            at = end;
        }
        return std::move(m_cells);
    }

  private:
    [[nodiscard]] std::ptrdiff_t frameOf(const SettingsTurn<Settings>& turn) const {
        return std::max<std::ptrdiff_t>(0,
                                        std::llround((turn.timeS - m_material.startS) * m_material.rateHz));
    }
    void take(const SettingsTurn<Settings>& turn, bool isAtStart) {
        const int glide = isAtStart ? 0 : static_cast<int>(std::lround(turn.glideS * m_material.rateHz));
        m_lanes.set(0, turn.settings, true, glide);
        m_lanes.set(kGainLane, bare(turn.settings), true, glide);
    }
    [[nodiscard]] Cell& cellAt(std::ptrdiff_t frame) {
        return m_cells[static_cast<std::size_t>(1000 * static_cast<double>(frame) / m_material.rateHz)];
    }

    void runBlock(std::ptrdiff_t at, int count) {
        const auto& sound = m_material.sound;
        const auto& key = m_material.key.empty() ? sound : m_material.key;
        const auto frames = static_cast<std::ptrdiff_t>(m_material.frames());
        std::fill_n(m_io.begin(), count * kLanes, 1.0F);
        std::fill_n(m_heard.begin(), count * kLanes, 0.0F);
        for (int n = 0; n < count; ++n)
            for (int c = 0; c < m_channels; ++c) {
                const auto channel = static_cast<std::size_t>(c);
                const auto frame = static_cast<std::size_t>(at + n);
                const bool isThere = at + n < frames;
                const auto place = static_cast<std::size_t>(n * kLanes + c);
                m_io[place] = isThere ? sound[channel][frame] : 0.0F;
                m_heard[place] = isThere ? key[channel % key.size()][frame] : 0.0F;
            }
        if (!m_filter.sections.empty())
            dsp::kernels().filter(m_filter, m_heard.data(), count);
        const bool isMean = isRms(m_settings);
        for (int n = 0; n < count; ++n)
            for (int c = 0; c < m_channels; ++c) {
                const auto place = static_cast<std::size_t>(n * kLanes + c);
                m_heard[place + kGainLane] = m_heard[place];
                const float x = m_heard[place];
                const float level = isMean ? m_squares[static_cast<std::size_t>(c)].next(x) : std::abs(x);
                if (at + n < frames)
                    cellAt(at + n).level = std::max(cellAt(at + n).level, level);
            }
        m_lanes.process(m_heard.data(), m_io.data(), count);
        for (int n = 0; n < count; ++n) {
            const std::ptrdiff_t frame = at + n - m_wait; // of the sound that comes out now
            if (frame < 0)
                continue;
            Cell& cell = cellAt(frame);
            ++cell.frames;
            for (int c = 0; c < m_channels; ++c) {
                const float before = sound[static_cast<std::size_t>(c)][static_cast<std::size_t>(frame)];
                const float after = m_io[static_cast<std::size_t>(n * kLanes + c)];
                const float gain = m_io[static_cast<std::size_t>(n * kLanes + kGainLane + c)];
                if (m_after != nullptr)
                    (*m_after)[static_cast<std::size_t>(c)][static_cast<std::size_t>(frame)] = after;
                cell.before = std::max(cell.before, std::abs(before));
                cell.after = std::max(cell.after, std::abs(after));
                cell.powerBefore += static_cast<double>(before) * before;
                cell.powerAfter += static_cast<double>(after) * after;
                if (gain > 0 && isFarther(gain, cell.gain))
                    cell.gain = gain;
            }
        }
    }

    const HitMaterial& m_material;
    const Settings& m_settings;
    const std::vector<SettingsTurn<Settings>>& m_turns;
    int m_channels;
    Lanes m_lanes;
    std::ptrdiff_t m_wait;
    dsp::SectionBank m_filter;
    std::vector<MeanSquare> m_squares;
    std::vector<std::vector<float>>* m_after = nullptr;
    std::vector<Cell> m_cells;
    dsp::LaneBuffer m_io = dsp::LaneBuffer(static_cast<std::size_t>(kBlock) * kLanes);
    dsp::LaneBuffer m_heard = dsp::LaneBuffer(static_cast<std::size_t>(kBlock) * kLanes);
};

double dbOf(double linear) {
    return linearToDb(std::max(linear, 1e-6));
}

void measureHits(Compression& out, const HitMaterial& m, bool isMean, const std::vector<Cell>& cells) {
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
        const std::ptrdiff_t start = own[i].second;
        const bool hasNext = i + 1 < own.size();
        const std::ptrdiff_t next =
            std::min(size, hasNext ? own[i + 1].second : start + static_cast<std::ptrdiff_t>(kLongestMs));
        double level = 0;
        double before = 0;
        double after = 0;
        for (auto c = start; c < std::min(size, start + static_cast<std::ptrdiff_t>(kHitMs)); ++c) {
            const Cell& cell = cells[static_cast<std::size_t>(c)];
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
            ++out.followed;
            out.recovered += std::abs(hit.leftDb) < kRecoveredDb ? 1 : 0;
        }
        out.hits.push_back(hit);
    }
}

void measureAverage(Compression& out, const HitMaterial& m, const std::vector<Cell>& cells) {
    constexpr int kSteps = Compression::kBeforeMs + Compression::kAfterMs;
    std::vector<double> before(kSteps, 0.0);
    std::vector<double> after(kSteps, 0.0);
    std::vector<double> gain(kSteps, 0.0);
    int count = 0;
    for (const auto& hit : m.hits) {
        const auto first =
            static_cast<std::ptrdiff_t>(std::floor(1000 * (hit.timeS - m.startS))) - Compression::kBeforeMs;
        if (!hit.isOwn || hit.hitClass == HitClass::Ghost || first < 0 ||
            first + kSteps > static_cast<std::ptrdiff_t>(cells.size()))
            continue;
        ++count;
        for (int i = 0; i < kSteps; ++i) {
            const Cell& cell = cells[static_cast<std::size_t>(first + i)];
            const auto at = static_cast<std::size_t>(i);
            const int frames = std::max(1, cell.frames);
            before[at] += cell.powerBefore / frames;
            after[at] += cell.powerAfter / frames;
            gain[at] += linearToDb(cell.gain);
        }
    }
    for (std::size_t i = 0; count > 0 && i < kSteps; ++i) {
        out.beforeDb.push_back(static_cast<float>(powerToDb(before[i] / count + 1e-12)));
        out.afterDb.push_back(static_cast<float>(powerToDb(after[i] / count + 1e-12)));
        out.gainDb.push_back(static_cast<float>(gain[i] / count));
    }
}

} // namespace

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
    Compression out;
    if (material.frames() == 0)
        return out;
    const auto cells = Run<Lanes>(material, settings, turns).cells(cancel);
    measureHits(out, material, isRms(settings), cells);
    measureAverage(out, material, cells);
    return out;
}

template <class Lanes>
std::vector<std::vector<float>>
soundBehind(const HitMaterial& material, const typename Lanes::Settings& settings,
            const std::vector<SettingsTurn<typename Lanes::Settings>>& turns, const CancelToken& cancel) {
    std::vector<std::vector<float>> after(material.sound.size(), std::vector<float>(material.frames(), 0.0F));
    if (material.frames() > 0)
        (void)Run<Lanes>(material, settings, turns).cells(cancel, &after);
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
    for (const Cell& cell : Run<dsp::CompressorLanes>(material, settings, none).cells(cancel))
        changes.push_back(std::abs(static_cast<float>(linearToDb(static_cast<double>(cell.gain)))));
    return changes;
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

} // namespace cask::measure
