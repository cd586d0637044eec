#include "tests/support/gate_law.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::test {
namespace {

constexpr double kGainUnit = 1LL << 30; // whole numbers of the averages
constexpr double kQuickness = 7;        // time constants that a quick release lasts: ends 61 dB down
constexpr double kOffsetMs = 20;
const double kSilence = dbToLinear(dsp::kSilentFloorDb);

int framesOf(double ms, double rateHz) {
    return static_cast<int>(std::lround(ms * 0.001 * rateHz));
}

std::int64_t wholeGain(double gain) {
    return static_cast<std::int64_t>(gain * kGainUnit + 0.5); // NOLINT: no gain is negative, and it is quick
}

double gainOf(double db) {
    return db <= dsp::kSilentFloorDb + 1e-9 ? 0 : dbToLinear(db);
}

} // namespace

std::int64_t GateLaw::Average::add(std::int64_t value) noexcept {
    auto& place = values[static_cast<std::size_t>(at)];
    sum += value - place;
    place = value;
    at = at + 1 == length ? 0 : at + 1;
    return sum;
}

void GateLaw::Average::fill(int newLength, std::int64_t value) noexcept {
    length = newLength;
    std::fill_n(values.begin(), length, value);
    at = 0;
    sum = value * length;
}

GateLaw::Levels GateLaw::levelsOf(const dsp::GateSettings& s) noexcept {
    const double close = std::min(s.closeDb, s.openDb);
    const double ratio = std::clamp(s.ratio, 1.0, dsp::kHardRatio);
    return s.isInverted ? Levels{s.openDb, close, ratio, s.floorDb, s.liftDb}
                        : Levels{s.openDb, close, ratio, s.liftDb, s.floorDb};
}

void GateLaw::takeLevels(const Levels& l) noexcept {
    m_law.openDb = l.open;
    m_law.openLevel = static_cast<float>(dbToLinear(l.open));
    m_law.closeLevel = static_cast<float>(dbToLinear(l.close));
    m_law.openGainDb = l.openGain;
    m_law.closedGainDb = l.closedGain;
    m_law.openGain = gainOf(l.openGain);
    m_law.closedGain = gainOf(l.closedGain);
    m_law.slope = l.ratio >= dsp::kHardRatio ? 0 : l.ratio - 1;
    m_law.closedLevel =
        m_law.slope > 0 ? dbToLinear(l.open - std::abs(l.openGain - l.closedGain) / m_law.slope) : 0;
    if (m_isOpen)
        m_raw = m_law.openGain;
    else if (m_fallLeft == 0)
        m_raw = m_law.closedGain;
    else
        m_releaseFactor = 0; // to be found anew
}

GateLaw::Levels GateLaw::levelsNow() const noexcept {
    const double share = 1 - static_cast<double>(m_glideLeft) / m_glideFrames;
    const auto between = [&](double a, double b) { return a + share * (b - a); };
    return {between(m_from.open, m_to.open), between(m_from.close, m_to.close),
            between(m_from.ratio, m_to.ratio), between(m_from.openGain, m_to.openGain),
            between(m_from.closedGain, m_to.closedGain)};
}

bool GateLaw::setTimes(const dsp::GateSettings& s) noexcept {
    const int window = std::clamp(framesOf(s.windowMs, m_rateHz), 1, m_level.mostFrames());
    const bool isLevelNeeded = s.detector == dsp::GateDetector::Rms || s.ratio < dsp::kHardRatio;
    m_level.set(s.detector, window);
    if (isLevelNeeded && !m_isLevelNeeded)
        m_level.forget();
    m_windowFrames = window;
    m_isLevelNeeded = isLevelNeeded;
    m_holdFrames = framesOf(s.holdMs, m_rateHz);
    m_releaseFrames = std::max(1, framesOf(s.releaseMs, m_rateHz));
    m_fallLeft = std::min(m_fallLeft, m_releaseFrames);
    m_releaseFactor = 0;
    const int attack = std::min(framesOf(s.attackMs, m_rateHz), framesOf(kMostAttackMs, m_rateHz));
    const int first = attack / 2 + 1;
    const int second = attack + 2 - first;
    if (first == m_first.length && second == m_second.length)
        return false;
    m_first.fill(first, m_lastRaw);
    m_second.fill(second, m_lastRaw * first);
    m_averageShare = 1 / (kGainUnit * first * second);
    return true;
}

void GateLaw::prepare(double sampleRateHz, const dsp::GateSettings& settings) {
    m_rateHz = sampleRateHz;
    m_level.prepare(sampleRateHz);
    const auto attack = static_cast<std::size_t>(framesOf(kMostAttackMs, sampleRateHz) / 2 + 2);
    m_first.values.assign(attack, 0);
    m_second.values.assign(attack, 0);
    m_offsetFrames = std::max(1, framesOf(kOffsetMs, sampleRateHz));
    m_settings = settings;
    m_to = m_from = levelsOf(settings);
    reset();
}

void GateLaw::reset() noexcept {
    m_glideLeft = 0;
    m_isOpen = false;
    m_quietFrames = 0;
    m_fallLeft = 0;
    m_offset = 0;
    m_offsetLeft = 0;
    m_from = m_to;
    takeLevels(m_to);
    m_level.forget();
    m_lastRaw = wholeGain(rawGain(0));
    m_first.length = m_second.length = 0; // whatever they were
    (void)setTimes(m_settings);
    m_lastGain = static_cast<float>(static_cast<double>(m_second.sum) * m_averageShare);
}

void GateLaw::set(const dsp::GateSettings& settings, int glideFrames) noexcept {
    if (settings == m_settings && m_glideLeft == 0)
        return;
    m_from = m_glideLeft > 0 ? levelsNow() : m_to; // from where it is
    m_to = levelsOf(settings);
    m_settings = settings;
    const float before = m_lastGain;
    if (setTimes(settings)) {
        m_offset = before - static_cast<float>(static_cast<double>(m_second.sum) * m_averageShare);
        m_offsetLeft = m_offsetFrames;
    }
    m_glideFrames = std::max(1, glideFrames);
    m_glideLeft = glideFrames;
    if (glideFrames == 0)
        takeLevels(m_to);
}

void GateLaw::stepRelease() noexcept {
    const double closed = m_law.closedGain;
    if (--m_fallLeft == 0) {
        m_raw = closed;
        return;
    }
    const double left = m_fallLeft + 1;
    switch (m_settings.releaseCurve) {
    case dsp::ReleaseCurve::Even:
        if (m_releaseFactor == 0) {
            const double silence = dbToLinear(dsp::kSilentFloorDb);
            m_releaseFactor = std::pow(std::max(closed, silence) / std::max(m_raw, silence), 1 / left);
        }
        m_raw = std::max(m_raw, dbToLinear(dsp::kSilentFloorDb)) * m_releaseFactor;
        break;
    case dsp::ReleaseCurve::Straight:
        m_raw += (closed - m_raw) / left;
        break;
    case dsp::ReleaseCurve::Quick:
        if (m_releaseFactor == 0)
            m_releaseFactor = std::exp(-kQuickness / m_releaseFrames);
        m_raw = closed + (m_raw - closed) * m_releaseFactor;
        break;
    }
}

void GateLaw::stepState(double level) noexcept {
    if (level >= m_law.openLevel) {
        m_isOpen = true;
        m_quietFrames = 0;
        m_raw = m_law.openGain;
        return;
    }
    if (m_isOpen) {
        // Without a known level the window is counted as part of the hold.
        const int wait = m_holdFrames + (m_isLevelNeeded ? 0 : m_windowFrames - 1);
        if (level >= m_law.closeLevel)
            m_quietFrames = 0;
        else if (++m_quietFrames > wait) {
            m_isOpen = false;
            m_fallLeft = m_releaseFrames;
            m_releaseFactor = 0;
        }
    }
    if (!m_isOpen && m_fallLeft > 0)
        stepRelease();
}

double GateLaw::rawGain(double level) const noexcept {
    if (m_isOpen || m_law.slope == 0 || level <= m_law.closedLevel)
        return m_raw;
    // openGain (level / openLevel)^slope; single precision is a hundred times finer than a tenth of a
    // decibel.
    const float octaves = std::log2(static_cast<float>(level) / m_law.openLevel);
    const bool falls = m_law.openGainDb >= m_law.closedGainDb;
    const float change = std::exp2(static_cast<float>(falls ? m_law.slope : -m_law.slope) * octaves);
    const double byRatio = std::max(m_law.openGain, kSilence) * change;
    return falls ? std::max({m_raw, byRatio, m_law.closedGain})
                 : std::min({m_raw, byRatio, m_law.closedGain});
}

float GateLaw::smooth(double raw) noexcept {
    const auto whole = wholeGain(raw);
    m_lastRaw = whole;
    const std::int64_t first = m_first.length == 1 ? (m_first.sum = whole) : m_first.add(whole);
    const std::int64_t sum = m_second.add(first);
    auto gain = static_cast<float>(static_cast<double>(sum) * m_averageShare);
    if (m_offsetLeft > 0) {
        const float share = static_cast<float>(m_offsetLeft--) / static_cast<float>(m_offsetFrames);
        gain += m_offset * share * share * (3 - 2 * share);
    }
    return m_lastGain = gain;
}

float GateLaw::next(float detector) noexcept {
    if (m_glideLeft > 0) {
        --m_glideLeft;
        takeLevels(levelsNow());
    }
    const double level = m_isLevelNeeded ? m_level.next(detector) : std::abs(detector);
    stepState(level);
    return smooth(rawGain(level));
}

} // namespace cask::test
