#include "core/dsp/transient.h"

#include "core/dsp/detector_cuts.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kCellMs = 0.25;
constexpr double kSilentLevel = 1e-6; // -120 dBFS
constexpr double kFastFallDbPerMs = 1;

/// All the values that glide.
constexpr std::array kValues = {&TransientValues::attack, &TransientValues::sustain, &TransientValues::rise,
                                &TransientValues::fall,   &TransientValues::mix,     &TransientValues::link};

} // namespace

std::vector<EqBand> TransientLanes::detectorBands(const Settings& s) {
    return partCuts(s.reach, s.fromHz, s.toHz);
}

TransientLanes::TransientLanes(double sampleRateHz) : m_rateHz(sampleRateHz) {
    m_bank.window.cellFrames = std::max(1, static_cast<int>(std::lround(0.001 * kCellMs * sampleRateHz)));
    m_bank.window.least = static_cast<float>(kSilentLevel);
    m_bank.fastFall = static_cast<float>(std::pow(10, -kFastFallDbPerMs / 20 * 1000 / sampleRateHz));
    m_bank.smooth = static_cast<float>(1 - std::exp(-1 / (0.001 * kSmoothMs * sampleRateHz)));
    m_to.fall.v.fill(1);
    m_shown.v.fill(1);
}

void TransientLanes::take(int lane, const Settings& s, bool isOn) noexcept {
    const auto put = [&](LaneFloats TransientValues::*value, double v) {
        (m_to.*value)[lane] = static_cast<float>(v);
    };
    put(&TransientValues::attack, s.attackPercent / 100);
    put(&TransientValues::sustain, s.sustainPercent / 100);
    put(&TransientValues::rise, 1 - std::exp(-1 / std::max(1.0, 0.001 * s.attackMs * m_rateHz)));
    put(&TransientValues::fall, std::pow(10, -3 / std::max(1.0, 0.001 * s.sustainMs * m_rateHz)));
    put(&TransientValues::mix, isOn ? s.mixPercent / 100 : 0);
    // Lanes that stand alone have no neighbour to follow.
    const bool isPair = m_lanes[static_cast<std::size_t>(lane)].lanes != 1;
    put(&TransientValues::link, isPair ? s.linkPercent / 100 : 0);
}

void TransientLanes::place(int lane, int lanes, const Settings& s, bool isOn, int waitFrames) {
    for (int l = lane; l < lane + lanes; ++l) {
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        at.settings = s;
        at.lanes = l == lane ? lanes : 0;
        at.waitFrames = waitFrames;
        at.isPlaced = true;
        at.reach.set(s.reach, s.fromHz, s.toHz, m_rateHz);
        m_hasReach = m_hasReach || s.reach != GateReach::All;
        take(l, s, isOn);
    }
}

void TransientLanes::prepare() {
    std::array<int, kLanes> delays{};
    std::transform(m_lanes.begin(), m_lanes.end(), delays.begin(),
                   [](const Lane& l) { return l.waitFrames; });
    m_delay.prepare(delays);
    const int cells = static_cast<int>(std::lround(0.001 * kHoldMs * m_rateHz / m_bank.window.cellFrames));
    m_bank.window.prepare(cells + 1);
    for (int l = 0; l < kLanes; ++l)
        m_bank.window.setCells(l, cells);
    reset();
}

void TransientLanes::set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
    for (int l = lane; l < lane + m_lanes[static_cast<std::size_t>(lane)].lanes; ++l) {
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        for (const auto value : kValues)
            (m_from.*value)[l] = (m_bank.values.*value)[l];
        take(l, s, isOn);
        at.glideFrames = std::max(1, glideFrames);
        bool moves = false;
        for (const auto value : kValues) {
            moves = moves || (m_from.*value)[l] != (m_to.*value)[l];
            if (glideFrames == 0)
                (m_bank.values.*value)[l] = (m_to.*value)[l];
        }
        at.glideLeft = moves ? glideFrames : 0;
        m_isGliding = m_isGliding || at.glideLeft > 0;
    }
}

void TransientLanes::reset() noexcept {
    m_bank.values = m_to;
    for (Lane& at : m_lanes) {
        at.glideLeft = 0;
        at.reach.reset();
    }
    m_isGliding = false;
    m_bank.window.reset();
    for (LaneFloats* level : {&m_bank.level, &m_bank.slow, &m_bank.late})
        level->v.fill(m_bank.window.least);
    m_bank.shape = {};
    m_shown.v.fill(1);
    m_delay.reset();
}

void TransientLanes::copyLanes(int lane, const TransientLanes& from, int fromLane, int lanes) noexcept {
    const TransientBank& b = from.m_bank;
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        for (const auto value : kValues)
            (m_bank.values.*value)[l] = (b.values.*value)[f];
        for (const auto state :
             {&TransientBank::level, &TransientBank::slow, &TransientBank::late, &TransientBank::shape})
            (m_bank.*state)[l] = (b.*state)[f];
        m_bank.window.copyLane(l, b.window, f);
        m_shown[l] = from.m_shown[f];
        m_delay.copyLane(l, from.m_delay, f);
        Lane& to = m_lanes[static_cast<std::size_t>(l)];
        const Lane& other = from.m_lanes[static_cast<std::size_t>(f)];
        to.glideLeft = 0;
        if (to.settings.reach == other.settings.reach)
            to.reach.copyStateFrom(other.reach);
    }
}

void TransientLanes::stepGlides() noexcept {
    m_isGliding = false;
    for (int l = 0; l < kLanes; ++l) {
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        if (at.glideLeft == 0)
            continue;
        --at.glideLeft;
        m_isGliding = m_isGliding || at.glideLeft > 0;
        const float t = 1 - static_cast<float>(at.glideLeft) / static_cast<float>(at.glideFrames);
        const float share = t * t * (3 - 2 * t);
        for (const auto value : kValues) {
            const float a = (m_from.*value)[l];
            const float b = (m_to.*value)[l];
            (m_bank.values.*value)[l] = at.glideLeft == 0 ? b : a + share * (b - a);
        }
    }
}

void TransientLanes::applyReach(float* io, int frames) noexcept {
    for (int lane = 0; lane < kLanes; ++lane)
        if (Lane& at = m_lanes[static_cast<std::size_t>(lane)];
            at.isPlaced && at.settings.reach != GateReach::All)
            at.reach.takeGains(io + lane, m_bank.gains.data() + lane, frames);
}

void TransientLanes::processWith(const Kernels& k, const float* heard, float* io, int frames) noexcept {
    const bool waits = m_delay.tapCount > 0;
    // The gains of a piece are found before its sound is changed: heard may be io.
    for (int done = 0; done < frames;) {
        int n = std::min(frames - done, TransientBank::kPiece);
        if (m_isGliding) {
            n = 1;
            stepGlides();
        }
        const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(done) * kLanes;
        k.shape(m_bank, heard + at, n);
        for (int lane = 0; lane < kLanes; ++lane)
            m_shown[lane] = m_bank.gains[static_cast<std::size_t>((n - 1) * kLanes + lane)];
        if (waits)
            k.delay(m_delay, io + at, n);
        if (m_hasReach)
            applyReach(io + at, n);
        k.multiply(m_bank.gains.data(), io + at, n);
        done += n;
    }
}

} // namespace cask::dsp
