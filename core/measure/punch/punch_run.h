// One material through one compressor or transient shaper, and what it does millisecond by millisecond.
#pragma once

#include <algorithm>
#include <cmath>
#include <core/base/parallel.h>
#include <core/dsp/compressor.h>
#include <core/dsp/eq_design.h>
#include <core/dsp/transient.h>
#include <core/measure/punch/compression.h>
#include <core/measure/punch/lane_feed.h>
#include <core/measure/punch/punch_cell.h>
#include <core/measure/punch/punch_settings.h>
#include <numeric>
#include <optional>

namespace cask::measure {

/// From 1, in dB. REQUIRES: both are above 0.
inline bool isFarther(float gain, float than) {
    if ((gain >= 1) == (than >= 1))
        return gain >= 1 ? gain > than : gain < than;
    return gain >= 1 ? gain * than > 1 : gain * than < 1;
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

/// Runs one material through one compressor or transient shaper. A long material is cut into stretches that
/// run side by side; each begins so early that it stands where the one before it ends.
template <class Lanes> class PunchRun {
  public:
    using Settings = typename Lanes::Settings;
    using Turns = std::vector<SettingsTurn<Settings>>;

    PunchRun(const HitMaterial& m, const Settings& settings, const Turns& turns)
        : m_material(m), m_settings(settings), m_turns(turns), m_channels(m.sound.size()),
          m_wait(Lanes::latencyFrames(settings, m.rateHz)),
          // Where settings turn, make-up and mix do too.
          m_isGainAlone(turns.empty() && punch_run::isGainAlone(settings)) {
        m_cells.resize(cellOf(static_cast<std::ptrdiff_t>(m.frames())) + 1);
    }

    /// `after`: where there is one, gets the sound that comes out; `gains`: the first channel's gain.
    std::vector<PunchCell> cells(const CancelToken& cancel, const ParallelFor& parallel,
                                 std::vector<std::vector<float>>* after = nullptr,
                                 std::vector<float>* gains = nullptr) {
        m_after = after;
        m_gains = gains;
        m_isGainAlone = m_isGainAlone && after == nullptr; // to the last bit of what is played
        const auto all = stretches();
        inPieces(parallel, all.size(), dsp::kLanes / m_channels, [&](std::size_t from, std::size_t to) {
            Group(*this, std::vector<Stretch>(all.begin() + static_cast<std::ptrdiff_t>(from),
                                              all.begin() + static_cast<std::ptrdiff_t>(to)))
                .run(cancel);
        });
        return std::move(m_cells);
    }

  private:
    struct Stretch {
        std::ptrdiff_t begin = 0;        ///< where it is begun, frame of the material
        std::ptrdiff_t from = 0, to = 0; ///< what of it counts
        std::size_t cell = 0;            ///< of its beginning
    };

    [[nodiscard]] std::size_t cellOf(std::ptrdiff_t frame) const {
        return static_cast<std::size_t>(1000 * static_cast<double>(frame) / m_material.rateHz);
    }
    /// The first frame behind a cell.
    [[nodiscard]] std::ptrdiff_t frameBehind(std::size_t cell) const {
        auto frame = static_cast<std::ptrdiff_t>(0.001 * static_cast<double>(cell + 1) * m_material.rateHz);
        while (cellOf(frame) <= cell)
            ++frame;
        return frame;
    }
    [[nodiscard]] std::ptrdiff_t frameOf(const SettingsTurn<Settings>& turn) const {
        return std::max<std::ptrdiff_t>(0,
                                        std::llround((turn.timeS - m_material.startS) * m_material.rateHz));
    }

    [[nodiscard]] std::vector<Stretch> stretches() const {
        const auto frames = static_cast<std::ptrdiff_t>(m_material.frames());
        double settleS = punch_run::settleS(m_settings);
        double glideS = 0;
        for (const auto& turn : m_turns) {
            settleS = std::max(settleS, punch_run::settleS(turn.settings));
            glideS = std::max(glideS, turn.glideS);
        }
        // Stretches begin where milliseconds do, and the pieces of which detectors take the greatest value.
        const auto rate = static_cast<std::ptrdiff_t>(std::lround(m_material.rateHz));
        const auto pieces = std::max<std::ptrdiff_t>(1, std::lround(0.00025 * m_material.rateHz));
        const std::ptrdiff_t unit =
            static_cast<double>(rate) == m_material.rateHz
                ? std::lcm(rate / std::gcd(rate, static_cast<std::ptrdiff_t>(1000)), pieces)
                : frames;
        const auto inUnits = [unit](std::ptrdiff_t x) { return (x + unit - 1) / unit * unit; };
        const std::ptrdiff_t early =
            inUnits(static_cast<std::ptrdiff_t>((settleS + glideS) * m_material.rateHz));
        constexpr std::ptrdiff_t kLeast = 2; // times what it begins early
        const std::ptrdiff_t most = 2 * dsp::kLanes / static_cast<std::ptrdiff_t>(m_channels); // two groups
        const std::ptrdiff_t count =
            std::clamp<std::ptrdiff_t>(frames / std::max<std::ptrdiff_t>(1, kLeast * early), 1, most);
        const std::ptrdiff_t length = std::max(unit, inUnits((frames + count - 1) / count));
        std::vector<Stretch> all;
        for (std::ptrdiff_t from = 0; from < frames; from += length) {
            const std::ptrdiff_t begin = std::max<std::ptrdiff_t>(0, from - early);
            all.push_back({begin, from, std::min(frames, from + length), cellOf(begin)});
        }
        return all;
    }

    /// Some stretches side by side.
    class Group {
      public:
        Group(PunchRun& run, std::vector<Stretch> stretches)
            : m_run(run), m_stretches(std::move(stretches)), m_gainLanes(run.m_material.rateHz),
              m_nextTurn(m_stretches.size(), 0) {
            const HitMaterial& m = run.m_material;
            if (!run.m_isGainAlone)
                m_soundLanes.emplace(m.rateHz);
            std::vector<std::ptrdiff_t> begins;
            for (std::size_t i = 0; i < m_stretches.size(); ++i) {
                begins.push_back(m_stretches[i].begin);
                m_frames = std::max(m_frames, m_stretches[i].to - m_stretches[i].begin + run.m_wait);
                const Settings* settings = &run.m_settings;
                auto& next = m_nextTurn[i];
                for (; next < run.m_turns.size() && run.frameOf(run.m_turns[next]) <= m_stretches[i].begin;
                     ++next)
                    settings = &run.m_turns[next].settings;
                const auto channels = static_cast<int>(run.m_channels);
                m_gainLanes.place(laneOf(i), channels, punch_run::bare(*settings), true, 0);
                if (m_soundLanes)
                    m_soundLanes->place(laneOf(i), channels, *settings, true, 0);
            }
            m_gainLanes.prepare();
            if (m_soundLanes)
                m_soundLanes->prepare();
            m_sound.emplace(m.sound, run.m_channels, begins);
            if (!m.key.empty())
                m_key.emplace(m.key, run.m_channels, begins);
            std::vector<dsp::SvfCoefficients> sections;
            for (const auto& band : Lanes::detectorBands(run.m_settings))
                for (const auto& section : dsp::designBand(band, m.rateHz))
                    sections.push_back(section);
            m_detector = dsp::makeBank(static_cast<int>(sections.size()));
            for (std::size_t i = 0; i < sections.size(); ++i)
                for (int lane = 0; lane < dsp::kLanes; ++lane)
                    dsp::setTarget(m_detector.sections[i], lane, sections[i]);
            dsp::settle(m_detector);
            const double window = std::round(0.001 * punch_run::windowMs(run.m_settings) * m.rateHz);
            if (punch_run::isRms(run.m_settings))
                m_squares.assign(dsp::kLanes, MeanSquare(static_cast<std::size_t>(std::max(1.0, window))));
        }

        void run(const CancelToken& cancel) {
            const dsp::DenormalGuard flush;
            for (std::ptrdiff_t at = 0; at < m_frames && !cancel.isCancelled();) {
                std::ptrdiff_t count = std::min<std::ptrdiff_t>(LaneFeed::kBlock, m_frames - at);
                for (std::size_t i = 0; i < m_stretches.size(); ++i)
                    count = std::min(count, turned(i, at));
                runBlock(at, static_cast<int>(count));
                at += count;
            }
        }

      private:
        [[nodiscard]] int laneOf(std::size_t stretch) const {
            return static_cast<int>(stretch * m_run.m_channels);
        }

        /// Takes the turns of a stretch that are due; frames until the next one.
        std::ptrdiff_t turned(std::size_t i, std::ptrdiff_t at) {
            const auto& turns = m_run.m_turns;
            for (auto& next = m_nextTurn[i]; next < turns.size(); ++next) {
                const std::ptrdiff_t due = m_run.frameOf(turns[next]) - m_stretches[i].begin;
                if (due > at)
                    return due - at;
                const auto glide =
                    static_cast<int>(std::lround(turns[next].glideS * m_run.m_material.rateHz));
                m_gainLanes.set(laneOf(i), punch_run::bare(turns[next].settings), true, glide);
                if (m_soundLanes)
                    m_soundLanes->set(laneOf(i), turns[next].settings, true, glide);
            }
            return LaneFeed::kBlock;
        }

        void runBlock(std::ptrdiff_t at, int count) {
            const auto size = static_cast<std::ptrdiff_t>(count) * dsp::kLanes;
            const std::ptrdiff_t wait = m_run.m_wait;
            m_sound->read(at, count, m_in.data());
            const float* heard = m_in.data();
            if (m_key || !m_detector.sections.empty()) {
                if (m_key)
                    m_key->read(at, count, m_heard.data());
                else
                    std::copy_n(m_in.begin(), size, m_heard.begin());
                dsp::kernels().filter(m_detector, m_heard.data(), count);
                heard = m_heard.data();
            }
            std::fill_n(m_gain.begin(), size, 1.0F);
            m_gainLanes.process(heard, m_gain.data(), count);
            if (wait > 0)
                m_sound->read(at - wait, count, m_waited.data());
            const float* before = wait > 0 ? m_waited.data() : m_in.data();
            if (m_soundLanes) {
                std::copy_n(m_in.begin(), size, m_out.begin());
                m_soundLanes->process(heard, m_out.data(), count);
            }
            if (!hearsItself())
                takeLevels(at, heard, count);
            inMilliseconds(at - wait, count, [&](std::ptrdiff_t frame, std::size_t cell, int from, int to) {
                fold(before, frame, cell, from, to);
            });
            if (m_run.m_after != nullptr || m_run.m_gains != nullptr)
                copyOut(at - wait, count);
        }

        /// Whether the detector's levels are those of the sound, at the same time.
        [[nodiscard]] bool hearsItself() const {
            return !m_key && m_detector.sections.empty() && m_squares.empty() && m_run.m_wait == 0;
        }

        /// Calls for runs of frames that lie within one millisecond, from `at` on: the same for all
        /// stretches.
        template <class Call> void inMilliseconds(std::ptrdiff_t at, int count, const Call& call) const {
            for (int from = 0; from < count;) {
                if (at + from < 0) {
                    from = static_cast<int>(std::min<std::ptrdiff_t>(count, -at));
                    continue;
                }
                const std::size_t cell = m_run.cellOf(at + from);
                const std::ptrdiff_t end = m_run.frameBehind(cell);
                const int to = static_cast<int>(std::min<std::ptrdiff_t>(count, end - at));
                call(at + from, cell, from, to);
                from = to;
            }
        }

        /// A stretch's cell that holds a frame after its beginning; null where that does not count.
        [[nodiscard]] PunchCell* cellAt(std::size_t stretch, std::ptrdiff_t frame, std::size_t cell) const {
            const Stretch& s = m_stretches[stretch];
            return s.begin + frame < s.from || s.begin + frame >= s.to ? nullptr
                                                                       : &m_run.m_cells[s.cell + cell];
        }

        void takeLevels(std::ptrdiff_t at, const float* heard, int count) {
            if (!m_squares.empty()) {
                for (std::size_t k = 0; k < static_cast<std::size_t>(count) * dsp::kLanes; ++k)
                    m_heard[k] = m_squares[k % dsp::kLanes].next(heard[k]);
                heard = m_heard.data();
            }
            inMilliseconds(at, count, [&](std::ptrdiff_t frame, std::size_t ms, int from, int to) {
                dsp::LaneLevels levels;
                dsp::kernels().levels(heard + static_cast<std::ptrdiff_t>(from) * dsp::kLanes, to - from,
                                      levels);
                for (std::size_t i = 0; i < m_stretches.size(); ++i)
                    if (PunchCell* cell = cellAt(i, frame, ms))
                        for (std::size_t c = 0; c < m_run.m_channels; ++c)
                            cell->level = std::max(cell->level, levels.peak[laneOf(i) + static_cast<int>(c)]);
            });
        }

        /// Levels and gains of frames that lie within one millisecond.
        [[nodiscard]] dsp::GainLevels levelsOf(const float* sound, int from, int count) const {
            const std::ptrdiff_t place = static_cast<std::ptrdiff_t>(from) * dsp::kLanes;
            const auto wet = static_cast<float>(m_run.m_settings.mixPercent / 100);
            const float scale = wet * static_cast<float>(punch_run::makeup(m_run.m_settings));
            dsp::GainLevels levels;
            dsp::kernels().gainLevels(sound + place, m_gain.data() + place, 1 - wet, scale, count, levels);
            if (m_soundLanes)
                dsp::kernels().levels(m_out.data() + place, count, levels.after);
            return levels;
        }

        void fold(const float* sound, std::ptrdiff_t frame, std::size_t ms, int from, int to) {
            const auto levels = levelsOf(sound, from, to - from);
            for (std::size_t i = 0; i < m_stretches.size(); ++i) {
                PunchCell* cell = cellAt(i, frame, ms);
                if (cell == nullptr)
                    continue;
                cell->frames += to - from;
                for (std::size_t c = 0; c < m_run.m_channels; ++c) {
                    const auto lane = static_cast<std::size_t>(laneOf(i)) + c;
                    cell->before = std::max(cell->before, levels.before.peak.v[lane]);
                    cell->after = std::max(cell->after, levels.after.peak.v[lane]);
                    cell->powerBefore += levels.before.sumSquares.v[lane];
                    cell->powerAfter += levels.after.sumSquares.v[lane];
                    for (const float end : {levels.least.v[lane], levels.most.v[lane]})
                        if (end > 0 && isFarther(end, cell->gain))
                            cell->gain = end;
                }
                if (hearsItself())
                    cell->level = cell->before;
            }
        }

        void copyOut(std::ptrdiff_t at, int count) {
            for (std::size_t i = 0; i < m_stretches.size(); ++i) {
                const Stretch& s = m_stretches[i];
                for (int n = 0; n < count; ++n) {
                    const std::ptrdiff_t frame = s.begin + at + n;
                    if (frame < s.from || frame >= s.to)
                        continue;
                    const auto to = static_cast<std::size_t>(frame);
                    const auto lane = static_cast<std::size_t>(n * dsp::kLanes + laneOf(i));
                    if (m_run.m_gains != nullptr)
                        (*m_run.m_gains)[to] = m_gain[lane];
                    for (std::size_t c = 0; c < m_run.m_channels && m_run.m_after != nullptr; ++c)
                        (*m_run.m_after)[c][to] = m_out[lane + c];
                }
            }
        }

        [[nodiscard]] static dsp::LaneBuffer block() {
            return dsp::LaneBuffer(static_cast<std::size_t>(LaneFeed::kBlock) * dsp::kLanes);
        }

        PunchRun& m_run;
        std::vector<Stretch> m_stretches;
        Lanes m_gainLanes; ///< on a constant one
        std::optional<Lanes> m_soundLanes;
        std::vector<std::size_t> m_nextTurn; ///< of each stretch
        std::ptrdiff_t m_frames = 0;
        std::optional<LaneFeed> m_sound, m_key;
        dsp::SectionBank m_detector;
        std::vector<MeanSquare> m_squares;
        dsp::LaneBuffer m_in = block(), m_heard = block(), m_gain = block(), m_waited = block(),
                        m_out = block();
    };

    const HitMaterial& m_material;
    const Settings& m_settings;
    const Turns& m_turns;
    std::size_t m_channels;
    std::ptrdiff_t m_wait;
    bool m_isGainAlone;
    std::vector<std::vector<float>>* m_after = nullptr;
    std::vector<float>* m_gains = nullptr;
    std::vector<PunchCell> m_cells;
};

} // namespace cask::measure
