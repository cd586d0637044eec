#include "core/measure/gate/gate_sweep.h"

#include "core/base/units.h"
#include "core/dsp/gate_lanes.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace cask::measure {
namespace {

constexpr std::size_t kPiece = 64;
constexpr std::size_t kCancelEvery = 4096; // pieces
constexpr double kEarlyS = 5;              // by which a stretch is begun before
constexpr double kAgreeS = 0.2;            // over which it must go as the one before it

/// What the gain alone depends on.
dsp::GateSettings gainPart(dsp::GateSettings s) {
    s.lookAheadMs = 0;
    s.reach = dsp::GateReach::All;
    return s;
}

/// A gate on each of the first lanes, and what it hears.
class Sweep {
  public:
    /// `heard`: of each gate its first cell.
    Sweep(std::span<const dsp::GateSettings> settings, std::span<const float* const> heard, double rateHz)
        : m_lanes(rateHz), m_count(settings.size()) {
        for (std::size_t i = 0; i < m_count; ++i)
            m_lanes.place(static_cast<int>(i), 1, gainPart(settings[i]), true, 0);
        m_lanes.prepare();
        m_heard.fill(heard[0]);
        std::copy(heard.begin(), heard.end(), m_heard.begin());
        m_unity.v.fill(1);
    }
    void set(std::size_t which, const dsp::GateSettings& settings, int glideFrames) {
        m_lanes.set(static_cast<int>(which), gainPart(settings), true, glideFrames);
    }
    /// Cells from `at` on; gains[i] + at gets those of one gate. REQUIRES: count <= kPiece.
    void run(std::size_t at, std::size_t count, std::span<float* const> gains) {
        const auto frames = static_cast<int>(count);
        std::array<const float*, dsp::kLanes> heard{};
        for (std::size_t lane = 0; lane < dsp::kLanes; ++lane)
            heard[lane] = m_heard[lane] + at;
        dsp::kernels().interleave(heard.data(), m_unity, m_detector.data(), frames);
        dsp::LaneLevels levels;
        dsp::kernels().levels(m_detector.data(), frames, levels);
        if (m_lanes.standStill(levels.peak, frames)) {
            for (std::size_t i = 0; i < m_count; ++i)
                std::fill_n(gains[i] + at, count, m_lanes.gainNow(static_cast<int>(i)));
            return;
        }
        // What a gate makes of a constant one is its gain.
        std::fill_n(m_io.begin(), count * dsp::kLanes, 1.0F);
        m_lanes.process(m_detector.data(), m_io.data(), frames);
        for (std::size_t i = 0; i < m_count; ++i)
            for (std::size_t n = 0; n < count; ++n)
                gains[i][at + n] = m_io[n * dsp::kLanes + i];
    }

  private:
    dsp::GateLanes m_lanes;
    std::size_t m_count;
    std::array<const float*, dsp::kLanes> m_heard{};
    dsp::LaneFloats m_unity;
    alignas(64) std::array<float, kPiece * dsp::kLanes> m_detector{}, m_io{};
};

std::vector<float*> starts(std::vector<std::vector<float>>& all) {
    std::vector<float*> pointers;
    pointers.reserve(all.size());
    for (auto& one : all)
        pointers.push_back(one.data());
    return pointers;
}

/// Nothing where the take is short, or where a stretch does not come to stand as the one before it.
std::optional<std::vector<float>> gainInStretches(const GateTrack& track, const dsp::GateSettings& settings,
                                                  const CancelToken& cancel) {
    constexpr std::size_t kStretches = dsp::kLanes;
    const auto early = static_cast<std::size_t>(kEarlyS * track.rateHz);
    const auto agree = static_cast<std::size_t>(kAgreeS * track.rateHz);
    const std::size_t cells = track.cells();
    const std::size_t length = (cells + (kStretches - 1) * early + kStretches - 1) / kStretches;
    if (length < 2 * early)
        return std::nullopt;
    // Of one length, and each begins `early` before the one before it ends.
    std::array<dsp::GateSettings, kStretches> all;
    all.fill(settings);
    std::array<std::size_t, kStretches> begins{};
    std::array<const float*, kStretches> heard{};
    for (std::size_t i = 0; i < kStretches; ++i) {
        begins[i] = i * (cells - length) / (kStretches - 1);
        heard[i] = track.detector.data() + begins[i];
    }
    // Where a stretch overlaps the one before it, that one writes last; what this one had is kept aside.
    std::vector<float> gain(cells);
    std::array<float*, kStretches> into{};
    for (std::size_t i = 0; i < kStretches; ++i)
        into[i] = gain.data() + begins[i];
    std::vector<std::vector<float>> before;
    Sweep sweep(all, heard, track.rateHz);
    for (std::size_t at = 0; at < length; at += kPiece) {
        if (at / kPiece % kCancelEvery == 0 && cancel.isCancelled())
            return gain;
        sweep.run(at, std::min(kPiece, length - at), into);
        if (before.empty() && at >= early)
            for (std::size_t i = 1; i < kStretches; ++i) {
                const float* end = gain.data() + begins[i - 1] + length;
                before.emplace_back(end - agree, end);
            }
    }
    for (std::size_t i = 1; i < kStretches; ++i)
        if (!std::equal(before[i - 1].begin(), before[i - 1].end(),
                        gain.data() + begins[i - 1] + length - agree))
            return std::nullopt;
    return gain;
}

} // namespace

std::vector<std::vector<float>> gateGains(const GateTrack& track, std::span<const dsp::GateSettings> settings,
                                          std::size_t from, std::size_t to,
                                          const std::vector<GateTurn>& turns, const CancelToken& cancel) {
    std::vector<std::vector<float>> gains(settings.size(), std::vector<float>(to - from));
    if (from == to)
        return gains;
    const auto into = starts(gains);
    const float* const heard = track.detector.data() + from;
    Sweep sweep(settings, {&heard, 1}, track.rateHz);
    std::size_t turn = 0;
    std::size_t pieces = 0;
    for (std::size_t at = from; at < to;) {
        if (++pieces % kCancelEvery == 0 && cancel.isCancelled())
            break;
        std::size_t count = std::min(kPiece, to - at);
        for (; turn < turns.size() && track.at(turns[turn].timeS) <= at; ++turn)
            sweep.set(0, turns[turn].settings,
                      static_cast<int>(std::lround(turns[turn].glideS * track.rateHz)));
        if (turn < turns.size())
            count = std::min(count, track.at(turns[turn].timeS) - at);
        sweep.run(at - from, count, into);
        at += count;
    }
    return gains;
}

std::vector<float> gateGain(const GateTrack& track, const dsp::GateSettings& settings,
                            const std::vector<GateTurn>& turns, const CancelToken& cancel) {
    if (turns.empty())
        if (auto whole = gainInStretches(track, settings, cancel))
            return std::move(*whole);
    return std::move(gateGains(track, {&settings, 1}, 0, track.cells(), turns, cancel)[0]);
}

GateEnds endsOf(const dsp::GateSettings& s) {
    const auto gain = [](double db) { return db <= dsp::kSilentFloorDb + 1e-9 ? 0 : dbToLinear(db); };
    return s.isInverted ? GateEnds{gain(s.floorDb), gain(s.liftDb)}
                        : GateEnds{gain(s.liftDb), gain(s.floorDb)};
}

} // namespace cask::measure
