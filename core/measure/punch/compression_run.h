// One material through one compressor or transient shaper, and what it does millisecond by millisecond.
#pragma once

#include <algorithm>
#include <cmath>
#include <core/dsp/compressor.h>
#include <core/dsp/eq_design.h>
#include <core/dsp/transient.h>
#include <core/measure/punch/compression.h>

namespace cask::measure {

inline constexpr int kRunBlock = 4096;
inline constexpr int kGainLane =
    2; // the sound is on lanes 0 and 1, a constant that shows the gain from here on

/// A millisecond of the material.
struct PunchCell {
    float level = 0; ///< greatest of the detector, or mean square of its window
    float before = 0;
    float after = 0;
    double powerBefore = 0;
    double powerAfter = 0;
    float gain = 1; ///< farthest from 1
    int frames = 0;
};

inline bool isFarther(float gain, float than) {
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

inline bool isRms(const dsp::CompressorSettings& s) {
    return s.detector == dsp::CompressorDetector::Rms;
}
inline bool isRms(const dsp::TransientSettings& /*settings*/) {
    return false;
}
inline double windowMs(const dsp::CompressorSettings& s) {
    return s.windowMs;
}
inline double windowMs(const dsp::TransientSettings& /*settings*/) {
    return 0;
}
inline double lookAheadMs(const dsp::CompressorSettings& s) {
    return s.lookAheadMs;
}
inline double lookAheadMs(const dsp::TransientSettings& /*settings*/) {
    return 0;
}
/// Without what is added to its own change of gain.
inline dsp::CompressorSettings bare(dsp::CompressorSettings settings) {
    settings.makeupDb = 0;
    settings.mixPercent = 100;
    settings.reach = dsp::GateReach::All; // a gain on a constant is the gain
    return settings;
}
inline dsp::TransientSettings bare(dsp::TransientSettings settings) {
    settings.mixPercent = 100;
    settings.reach = dsp::GateReach::All;
    return settings;
}

/// Runs one material through one compressor or transient shaper.
template <class Lanes> class PunchRun {
  public:
    using Settings = typename Lanes::Settings;

    PunchRun(const HitMaterial& m, const Settings& settings, const std::vector<SettingsTurn<Settings>>& turns)
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
            for (int lane = 0; lane < dsp::kLanes; ++lane)
                dsp::setTarget(m_filter.sections[i], lane, sections[i]);
        dsp::settle(m_filter);
        const auto window =
            static_cast<std::size_t>(std::max(1.0, std::round(0.001 * windowMs(settings) * m.rateHz)));
        m_squares.assign(static_cast<std::size_t>(m_channels), MeanSquare(window));
        m_cells.resize(static_cast<std::size_t>(1000 * static_cast<double>(m.frames()) / m.rateHz) + 1);
    }

    /// `after`: where there is one, gets the sound that comes out; `gains`: the first channel's gain.
    std::vector<PunchCell> cells(const CancelToken& cancel, std::vector<std::vector<float>>* after = nullptr,
                                 std::vector<float>* gains = nullptr) {
        m_after = after;
        m_gains = gains;
        const dsp::DenormalGuard flush;
        const auto frames = static_cast<std::ptrdiff_t>(m_material.frames());
        std::size_t turn = 0;
        for (std::ptrdiff_t at = 0; at < frames + m_wait && !cancel.isCancelled();) {
            std::ptrdiff_t end = std::min<std::ptrdiff_t>(at + kRunBlock, frames + m_wait);
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
    [[nodiscard]] PunchCell& cellAt(std::ptrdiff_t frame) {
        return m_cells[static_cast<std::size_t>(1000 * static_cast<double>(frame) / m_material.rateHz)];
    }

    void runBlock(std::ptrdiff_t at, int count) {
        const auto& sound = m_material.sound;
        const auto& key = m_material.key.empty() ? sound : m_material.key;
        const auto frames = static_cast<std::ptrdiff_t>(m_material.frames());
        std::fill_n(m_io.begin(), count * dsp::kLanes, 1.0F);
        std::fill_n(m_heard.begin(), count * dsp::kLanes, 0.0F);
        for (int n = 0; n < count; ++n)
            for (int c = 0; c < m_channels; ++c) {
                const auto channel = static_cast<std::size_t>(c);
                const auto frame = static_cast<std::size_t>(at + n);
                const bool isThere = at + n < frames;
                const auto place = static_cast<std::size_t>(n * dsp::kLanes + c);
                m_io[place] = isThere ? sound[channel][frame] : 0.0F;
                m_heard[place] = isThere ? key[channel % key.size()][frame] : 0.0F;
            }
        if (!m_filter.sections.empty())
            dsp::kernels().filter(m_filter, m_heard.data(), count);
        const bool isMean = isRms(m_settings);
        for (int n = 0; n < count; ++n)
            for (int c = 0; c < m_channels; ++c) {
                const auto place = static_cast<std::size_t>(n * dsp::kLanes + c);
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
            PunchCell& cell = cellAt(frame);
            ++cell.frames;
            for (int c = 0; c < m_channels; ++c) {
                const float before = sound[static_cast<std::size_t>(c)][static_cast<std::size_t>(frame)];
                const float after = m_io[static_cast<std::size_t>(n * dsp::kLanes + c)];
                const float gain = m_io[static_cast<std::size_t>(n * dsp::kLanes + kGainLane + c)];
                if (m_gains != nullptr && c == 0)
                    (*m_gains)[static_cast<std::size_t>(frame)] = gain;
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
    std::vector<float>* m_gains = nullptr;
    std::vector<PunchCell> m_cells;
    dsp::LaneBuffer m_io = dsp::LaneBuffer(static_cast<std::size_t>(kRunBlock) * dsp::kLanes);
    dsp::LaneBuffer m_heard = dsp::LaneBuffer(static_cast<std::size_t>(kRunBlock) * dsp::kLanes);
};

} // namespace cask::measure
