#include "core/dsp/gate_lanes.h"

#include "core/base/units.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kQuickness = 7; // time constants that a quick release lasts: ends 61 dB down
constexpr double kOffsetMs = 20;
constexpr double kMostAttackMs = 50;
constexpr int kLeastRing = 128; // a piece of frames seldom meets its end

int framesOf(double ms, double rateHz) {
    return static_cast<int>(std::lround(ms * 0.001 * rateHz));
}

double gainOf(double db) {
    return db <= kSilentFloorDb + 1e-9 ? 0 : dbToLinear(db);
}

bool needsLevel(const GateSettings& s) {
    return s.detector == GateDetector::Rms || s.ratio < kHardRatio;
}

} // namespace

GateLanes::GateLanes(double sampleRateHz) : m_rateHz(sampleRateHz) {
    m_offsetFrames = std::max(1, framesOf(kOffsetMs, sampleRateHz));
    for (int lane = 0; lane < kLanes; ++lane) {
        m_bank.openLevel[lane] = -1; // any level is over it
        m_bank.closeLevel[lane] = -1;
        m_bank.openGain[lane] = 1;
        m_bank.closedGain[lane] = 1;
        m_bank.release[lane] = 1;
    }
    m_bank.first.fill(1);
    m_bank.second.fill(1);
    m_bank.share.v.fill(1 / GateBank::kUnit);
    m_shown.v.fill(1);
}

GateLanes::Levels GateLanes::levelsOf(const GateSettings& s) noexcept {
    const double close = std::min(s.closeDb, s.openDb);
    const double ratio = std::clamp(s.ratio, 1.0, kHardRatio);
    return s.isInverted ? Levels{s.openDb, close, ratio, s.floorDb, s.liftDb}
                        : Levels{s.openDb, close, ratio, s.liftDb, s.floorDb};
}

GateLanes::Levels GateLanes::levelsNow(const Lane& lane) noexcept {
    const double share = 1 - static_cast<double>(lane.glideLeft) / lane.glideFrames;
    const auto between = [&](double a, double b) { return a + share * (b - a); };
    return {between(lane.from.open, lane.to.open), between(lane.from.close, lane.to.close),
            between(lane.from.ratio, lane.to.ratio), between(lane.from.openGain, lane.to.openGain),
            between(lane.from.closedGain, lane.to.closedGain)};
}

void GateLanes::takeLevels(int lane, const Levels& l) noexcept {
    m_bank.openLevel[lane] = static_cast<float>(dbToLinear(l.open));
    m_bank.closeLevel[lane] = static_cast<float>(dbToLinear(l.close));
    m_bank.openGain[lane] = static_cast<float>(gainOf(l.openGain));
    m_bank.closedGain[lane] = static_cast<float>(gainOf(l.closedGain));
    const double slope = l.ratio >= kHardRatio ? 0 : l.ratio - 1;
    m_bank.slope[lane] = static_cast<float>(slope);
    m_bank.lowest[lane] =
        static_cast<float>(slope > 0 ? dbToLinear(l.open - std::abs(l.openGain - l.closedGain) / slope) : 0);
    m_bank.falls[lane] = l.openGain >= l.closedGain ? 1.0F : 0.0F;
    if (m_bank.isOpen[lane] < 0.5F && m_bank.left[lane] > 0)
        m_bank.deriveRelease(lane);
}

void GateLanes::fillAverages(int lane) noexcept {
    // As if the gain had stood still for ever.
    const auto l = static_cast<std::size_t>(lane);
    const auto size = static_cast<std::size_t>(m_bank.ringFrames);
    if (size == 0)
        return;
    const double whole = std::round(static_cast<double>(m_bank.raw[lane]) * GateBank::kUnit);
    m_bank.firstSum.v[l] = whole * m_bank.first[l];
    m_bank.secondSum.v[l] = m_bank.firstSum.v[l] * m_bank.second[l];
    for (std::size_t i = 0; i < size; ++i) {
        m_bank.firstRing[i].v[l] = whole;
        m_bank.secondRing[i].v[l] = m_bank.firstSum.v[l];
    }
}

/// Room for averages of so many frames. What the lanes hold stays where it is seen from the present frame.
void GateLanes::growRings(int frames) noexcept {
    const int most = static_cast<int>(m_bank.firstRing.size());
    const int now = m_bank.ringFrames;
    const int wanted = std::min(
        most, static_cast<int>(std::bit_ceil(static_cast<unsigned>(std::max(kLeastRing, frames + 1)))));
    if (wanted <= now)
        return;
    for (auto* ring : {&m_bank.firstRing, &m_bank.secondRing})
        std::copy_backward(ring->begin() + m_bank.at, ring->begin() + now, ring->begin() + wanted);
    m_bank.ringFrames = wanted;
}

void GateLanes::noteAttacks() noexcept {
    const auto same = [](const auto& values) {
        return std::all_of(values.begin(), values.end(), [&](int v) { return v == values[0]; });
    };
    // Lanes without a gate go along with the others: their gain never moves.
    const auto used = std::find_if(m_lanes.begin(), m_lanes.end(), [](const Lane& l) { return l.lanes > 0; });
    if (used != m_lanes.end())
        for (std::size_t l = 0; l < kLanes; ++l)
            if (m_bank.openLevel.v[l] < 0) {
                const auto from = static_cast<std::size_t>(used - m_lanes.begin());
                if (m_bank.first[l] == m_bank.first[from] && m_bank.second[l] == m_bank.second[from])
                    continue;
                m_bank.first[l] = m_bank.first[from];
                m_bank.second[l] = m_bank.second[from];
                m_bank.share.v[l] = m_bank.share.v[from];
                m_bank.raw.v[l] = 1;
                fillAverages(static_cast<int>(l));
            }
    m_bank.hasOneAttack = same(m_bank.first) && same(m_bank.second);
}

void GateLanes::takeTimes(int lane, const GateSettings& s) noexcept {
    const auto l = static_cast<std::size_t>(lane);
    Lane& at = m_lanes[l];
    int window = std::max(1, framesOf(s.windowMs, m_rateHz));
    if (at.level) {
        window = std::min(window, at.level->mostFrames());
        at.level->set(s.detector, window);
    }
    // Without a known level the window is counted as part of the hold.
    m_bank.wait[lane] = static_cast<float>(framesOf(s.holdMs, m_rateHz) + (needsLevel(s) ? 0 : window - 1));
    m_bank.release[lane] = static_cast<float>(std::max(1, framesOf(s.releaseMs, m_rateHz)));
    m_bank.left[lane] = std::min(m_bank.left[lane], m_bank.release[lane]);
    m_bank.curve[lane] = static_cast<float>(s.releaseCurve);
    m_bank.quick[lane] = static_cast<float>(std::exp(-kQuickness / m_bank.release[lane]));
    const int attack = std::min(framesOf(s.attackMs, m_rateHz), framesOf(kMostAttackMs, m_rateHz));
    const int first = attack / 2 + 1;
    const int second = attack + 2 - first;
    if (first == m_bank.first[l] && second == m_bank.second[l])
        return;
    m_bank.first[l] = first;
    m_bank.second[l] = second;
    m_bank.share.v[l] = 1 / (GateBank::kUnit * first * second);
    growRings(std::max(first, second));
    const float before = m_bank.last[lane];
    fillAverages(lane);
    at.offset = before - m_bank.raw[lane];
    at.offsetLeft = m_offsetFrames;
    m_moves = true;
}

void GateLanes::place(int lane, int lanes, const GateSettings& s, bool isOn, int waitFrames) {
    for (int l = lane; l < lane + lanes; ++l) {
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        at.settings = s;
        at.lanes = l == lane ? lanes : 0;
        at.waitFrames = waitFrames;
        at.isOn = isOn;
        at.from = at.to = levelsOf(s);
        // A ratio may come in a glide or in a section: a level that may be needed is always followed.
        at.level.emplace().prepare(m_rateHz);
        at.reach.set(s.reach, s.fromHz, s.toHz, m_rateHz);
        m_bank.partner[l] = lanes == 2 ? 1.0F : 0.0F;
        m_hasReach = m_hasReach || s.reach != GateReach::All;
    }
}

void GateLanes::prepare() {
    std::array<int, kLanes> delays{};
    for (std::size_t l = 0; l < kLanes; ++l)
        if (m_lanes[l].level) // a gate is there
            delays[l] = gateLatency(m_lanes[l].settings, m_rateHz) + m_lanes[l].waitFrames;
    m_delay.prepare(delays);
    const auto frames = static_cast<std::size_t>(framesOf(kMostAttackMs, m_rateHz) / 2 + 3);
    m_bank.firstRing.assign(std::bit_ceil(frames), {});
    m_bank.secondRing.assign(std::bit_ceil(frames), {});
    reset();
}

void GateLanes::set(int lane, const GateSettings& settings, bool isOn, int glideFrames) noexcept {
    const auto l = static_cast<std::size_t>(lane);
    for (int one = lane; one < lane + m_lanes[l].lanes; ++one) {
        Lane& at = m_lanes[static_cast<std::size_t>(one)];
        if (!(settings == at.settings) || at.glideLeft > 0) {
            at.from = at.glideLeft > 0 ? levelsNow(at) : at.to;
            at.to = levelsOf(settings);
            const bool followed = needsLevel(at.settings);
            at.settings = settings;
            if (needsLevel(settings) && !followed)
                at.level->forget();
            takeTimes(one, settings);
            at.glideFrames = std::max(1, glideFrames);
            at.glideLeft = glideFrames;
            if (glideFrames == 0)
                takeLevels(one, at.to);
        }
        at.isOn = isOn;
        at.offStep = glideFrames > 0 ? 1.0F / static_cast<float>(glideFrames) : 1;
        if (glideFrames == 0)
            at.offShare = isOn ? 0.0F : 1.0F;
        m_moves = true;
    }
    noteAttacks();
    m_hasLevels = std::any_of(m_lanes.begin(), m_lanes.end(),
                              [](const Lane& x) { return x.lanes > 0 && needsLevel(x.settings); });
    m_bank.hasSlope = std::any_of(m_lanes.begin(), m_lanes.end(), [](const Lane& x) {
        return x.lanes > 0 && (x.to.ratio < kHardRatio || (x.glideLeft > 0 && x.from.ratio < kHardRatio));
    });
}

void GateLanes::reset() noexcept {
    m_delay.reset();
    m_bank.isOpen = m_bank.quiet = m_bank.left = {};
    m_bank.at = 0;
    m_bank.ringFrames = 0;
    growRings(0);
    for (int lane = 0; lane < kLanes; ++lane) {
        const auto l = static_cast<std::size_t>(lane);
        Lane& at = m_lanes[l];
        at.glideLeft = 0;
        at.offsetLeft = 0;
        at.offShare = at.isOn ? 0.0F : 1.0F;
        at.reach.reset();
        if (at.level) {
            at.from = at.to;
            at.level->forget();
            takeLevels(lane, at.to);
            m_bank.first[l] = 0; // whatever it was
            m_bank.raw[lane] = m_bank.closedGain[lane];
            takeTimes(lane, at.settings);
            at.offsetLeft = 0;
        } else {
            m_bank.isOpen[lane] = 1;
            m_bank.raw[lane] = 1;
            fillAverages(lane);
        }
        m_bank.last[lane] = m_bank.raw[lane];
        // With a ratio the first frame may stand elsewhere: the averages begin at what silence gives.
    }
    noteAttacks();
    for (int lane = 0; lane < kLanes; lane += std::max(1, m_lanes[static_cast<std::size_t>(lane)].lanes))
        if (const auto& at = m_lanes[static_cast<std::size_t>(lane)]; at.lanes > 0)
            set(lane, at.settings, at.isOn, 0);
    m_moves = false;
    for (int lane = 0; lane < kLanes; ++lane)
        m_shown[lane] = m_lanes[static_cast<std::size_t>(lane)].isOn ? m_bank.raw[lane] : 1.0F;
}

void GateLanes::copyLanes(int lane, const GateLanes& from, int fromLane, int lanes) noexcept {
    const auto& b = from.m_bank;
    for (int i = 0; i < lanes; ++i) {
        const int l = lane + i;
        const int f = fromLane + i;
        const auto to = static_cast<std::size_t>(l);
        const auto at = static_cast<std::size_t>(f);
        for (const auto value :
             {&GateBank::openLevel, &GateBank::closeLevel, &GateBank::openGain, &GateBank::closedGain,
              &GateBank::wait, &GateBank::release, &GateBank::slope, &GateBank::lowest, &GateBank::falls,
              &GateBank::curve, &GateBank::quick, &GateBank::isOpen, &GateBank::quiet, &GateBank::left,
              &GateBank::raw, &GateBank::mul, &GateBank::add, &GateBank::perFrame, &GateBank::last})
            (m_bank.*value)[l] = (b.*value)[f];
        m_bank.first[to] = b.first[at];
        m_bank.second[to] = b.second[at];
        m_bank.share.v[to] = b.share.v[at];
        m_bank.firstSum.v[to] = b.firstSum.v[at];
        m_bank.secondSum.v[to] = b.secondSum.v[at];
        const int longest = std::max(b.first[at], b.second[at]);
        growRings(longest);
        for (int n = 1; n <= longest; ++n) {
            const auto mine = static_cast<std::size_t>((m_bank.at - n) & (m_bank.ringFrames - 1));
            const auto theirs = static_cast<std::size_t>((b.at - n) & (b.ringFrames - 1));
            m_bank.firstRing[mine].v[to] = b.firstRing[theirs].v[at];
            m_bank.secondRing[mine].v[to] = b.secondRing[theirs].v[at];
        }
        const Lane& other = from.m_lanes[at];
        Lane& own = m_lanes[to];
        const bool hasSameReach = own.settings.reach == other.settings.reach;
        own.from = other.from;
        own.to = other.to;
        own.settings = other.settings;
        own.glideFrames = other.glideFrames;
        own.glideLeft = other.glideLeft;
        own.offShare = other.offShare;
        own.offset = other.offset;
        own.offsetLeft = other.offsetLeft;
        if (own.level && other.level)
            *own.level = *other.level; // equal sizes: into the memory that is there
        if (hasSameReach)
            own.reach.copyStateFrom(other.reach);
        m_delay.copyLane(l, from.m_delay, f);
        m_shown[l] = from.m_shown[f];
    }
    m_moves = true;
}

void GateLanes::stepMoves() noexcept {
    m_moves = false;
    for (int lane = 0; lane < kLanes; ++lane) {
        Lane& at = m_lanes[static_cast<std::size_t>(lane)];
        if (!at.level)
            continue;
        if (at.glideLeft > 0) {
            --at.glideLeft;
            takeLevels(lane, levelsNow(at));
        }
        m_moves = m_moves || at.glideLeft > 0 || at.offsetLeft > 0 || at.offShare != (at.isOn ? 0.0F : 1.0F);
    }
}

const float* GateLanes::knownLevels(const Kernels& k, const float* heard, int frames) noexcept {
    if (!m_hasLevels)
        return nullptr;
    k.louder(m_bank.partner, heard, m_levels.data(), frames);
    for (int lane = 0; lane < kLanes; ++lane) {
        Lane& at = m_lanes[static_cast<std::size_t>(lane)];
        if (at.level && needsLevel(at.settings))
            for (int n = 0; n < frames; ++n) {
                float& level = m_levels[static_cast<std::size_t>(n * kLanes + lane)];
                level = static_cast<float>(at.level->next(level));
            }
    }
    return m_levels.data();
}

/// What is added while something moves or is switched off.
void GateLanes::finishGains(int frames) noexcept {
    for (int lane = 0; lane < kLanes; ++lane) {
        Lane& at = m_lanes[static_cast<std::size_t>(lane)];
        const float goal = at.isOn ? 0.0F : 1.0F;
        if (!at.level || (at.offsetLeft == 0 && at.offShare == 0 && goal == 0))
            continue;
        for (int n = 0; n < frames; ++n) {
            float& gain = m_bank.gains[static_cast<std::size_t>(n * kLanes + lane)];
            if (at.offsetLeft > 0) {
                const float share = static_cast<float>(at.offsetLeft--) / static_cast<float>(m_offsetFrames);
                gain += at.offset * share * share * (3 - 2 * share);
                m_bank.last[lane] = gain;
            }
            at.offShare += std::clamp(goal - at.offShare, -at.offStep, at.offStep);
            gain =
                at.offShare == 1 ? 1 : gain + at.offShare * at.offShare * (3 - 2 * at.offShare) * (1 - gain);
        }
    }
}

void GateLanes::applyReach(float* io, int frames) noexcept {
    for (int lane = 0; lane < kLanes; ++lane)
        if (Lane& at = m_lanes[static_cast<std::size_t>(lane)];
            at.level && at.settings.reach != GateReach::All)
            at.reach.takeGains(io + lane, m_bank.gains.data() + lane, frames);
}

bool GateLanes::standStill(const LaneFloats& greatest, int frames) noexcept {
    if (m_moves || m_hasLevels || m_hasReach || m_delay.tapCount > 0)
        return false;
    const auto of = [](const LaneFloats& values, std::size_t l) { return values.v[l]; };
    for (std::size_t l = 0; l < kLanes; ++l) {
        if (!m_lanes[l].level)
            continue;
        // Between the two gains of a hard gate, a sum as of one of them alone holds nothing else.
        const double whole = std::round(static_cast<double>(of(m_bank.raw, l)) * GateBank::kUnit);
        const double first = whole * m_bank.first[l];
        if (m_bank.firstSum.v[l] != first || m_bank.secondSum.v[l] != first * m_bank.second[l])
            return false;
        const bool isHeld = of(greatest, l) < of(m_bank.closeLevel, l) &&
                            of(m_bank.quiet, l) + static_cast<float>(frames) <= of(m_bank.wait, l);
        const bool isShut = of(m_bank.left, l) <= 0 && of(greatest, l) < of(m_bank.openLevel, l);
        if (of(m_bank.isOpen, l) < 0.5F ? !isShut : !isHeld)
            return false;
    }
    for (float& quiet : m_bank.quiet.v)
        quiet += static_cast<float>(frames);
    return true;
}

void GateLanes::processWith(const Kernels& k, const float* heard, float* io, int frames) noexcept {
    const bool waits = m_delay.tapCount > 0;
    // The gains of a piece are found before its sound is changed: heard may be io.
    for (int done = 0; done < frames;) {
        int n = std::min(frames - done, GateBank::kPiece);
        if (m_moves) {
            n = 1;
            stepMoves();
        }
        const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(done) * kLanes;
        k.gate(m_bank, heard + at, knownLevels(k, heard + at, n), n);
        finishGains(n);
        for (int lane = 0; lane < kLanes; ++lane)
            m_shown[lane] = m_bank.gains[static_cast<std::size_t>((n - 1) * kLanes + lane)];
        if (waits && !m_hasReach) {
            k.delayAndMultiply(m_delay, m_bank.gains.data(), io + at, n);
        } else {
            if (waits)
                k.delay(m_delay, io + at, n);
            if (m_hasReach)
                applyReach(io + at, n);
            k.multiply(m_bank.gains.data(), io + at, n);
        }
        done += n;
    }
}

} // namespace cask::dsp
