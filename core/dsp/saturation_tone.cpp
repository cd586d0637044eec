#include "core/dsp/saturation_tone.h"

#include "core/base/units.h"
#include "core/dsp/eq_design.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

using S = SaturationSettings;

constexpr double kBandSlope = 24;
constexpr double kToneSlope = 12;
constexpr int kBandStages = 4; // two for each side
constexpr int kToneStages = 3; // tilt and a cut on each side

bool hasBand(const S& s) {
    return s.band != GateReach::All;
}

bool cutsLows(double hz) {
    return hz > S::kLeastCutHz;
}
bool cutsHighs(double hz) {
    return hz < S::kMostCutHz;
}

/// Sections of a band in the places from `at` on.
void put(SectionBank& bank, std::size_t at, int lane, const EqBand& band, double rateHz) {
    for (const auto& section : designBand(band, rateHz))
        setTarget(bank.sections[at++], lane, section);
}

EqBand bandOf(FilterKind kind, double hz, double gainDb, double slope) {
    EqBand band;
    band.kind = kind;
    band.frequencyHz = hz;
    band.gainDb = gainDb;
    band.slopeDbPerOct = slope;
    return band;
}

void putTone(SectionBank& bank, int lane, double tiltDb, double lowCutHz, double highCutHz, double rateHz) {
    if (tiltDb != 0)
        put(bank, 0, lane, bandOf(FilterKind::Tilt, S::kTiltHz, tiltDb, 0), rateHz);
    if (cutsLows(lowCutHz))
        put(bank, 1, lane, bandOf(FilterKind::HighPass, lowCutHz, 0, kToneSlope), rateHz);
    if (cutsHighs(highCutHz))
        put(bank, 2, lane, bandOf(FilterKind::LowPass, highCutHz, 0, kToneSlope), rateHz);
}

void clear(SectionBank& bank) {
    for (auto& section : bank.sections)
        section.s1 = section.s2 = LaneFloats{};
}

void copyLaneOf(SectionBank& to, int lane, const SectionBank& from, int fromLane) {
    for (std::size_t i = 0; i < to.sections.size(); ++i) {
        to.sections[i].s1[lane] = from.sections[i].s1[fromLane];
        to.sections[i].s2[lane] = from.sections[i].s2[fromLane];
    }
}

} // namespace

bool SaturationTone::isNeeded(const S& s) {
    return hasBand(s) || s.shape == Shape::Tape || s.dynamics == DriveDynamics::Stays ||
           s.beforeTiltDb != 0 || s.afterTiltDb != 0 || cutsLows(s.beforeLowCutHz) ||
           cutsLows(s.afterLowCutHz) || cutsHighs(s.beforeHighCutHz) || cutsHighs(s.afterHighCutHz);
}

SaturationTone::SaturationTone(double sampleRateHz)
    : m_rateHz(sampleRateHz), m_band(makeBank(kBandStages)), m_before(makeBank(kToneStages)),
      m_after(makeBank(kToneStages)),
      m_emphasisShare(static_cast<float>(1 - 1 / (1 + std::tan(kPi * kEmphasisHz / sampleRateHz)))),
      m_fall(static_cast<float>(dbToLinear(-kFallDbPerMs * 1000 / sampleRateHz))) {}

void SaturationTone::place(int lane, int lanes, const S& s, int lateFrames) {
    for (int l = lane; l < lane + lanes; ++l) {
        m_lanes[static_cast<std::size_t>(l)] = {isNeeded(s), l == lane ? lanes : 0, lateFrames,
                                                s.dynamics == DriveDynamics::Stays};
        if (hasBand(s) && s.band != GateReach::Below)
            put(m_band, 0, l, bandOf(FilterKind::HighPass, s.fromHz, 0, kBandSlope), m_rateHz);
        if (hasBand(s) && s.band != GateReach::Above)
            put(m_band, 2, l, bandOf(FilterKind::LowPass, s.toHz, 0, kBandSlope), m_rateHz);
        putTone(m_before, l, s.beforeTiltDb, s.beforeLowCutHz, s.beforeHighCutHz, m_rateHz);
        putTone(m_after, l, s.afterTiltDb, s.afterLowCutHz, s.afterHighCutHz, m_rateHz);
        const bool isTape = s.shape == Shape::Tape;
        m_lift[l] = isTape ? static_cast<float>(dbToLinear(kEmphasisDb) - 1) : 0.0F;
        m_isUsed = m_isUsed || isNeeded(s);
        m_hasTape = m_hasTape || isTape;
        m_hasSteady = m_hasSteady || s.dynamics == DriveDynamics::Stays;
    }
    for (SectionBank* bank : {&m_band, &m_before, &m_after})
        settle(*bank);
}

void SaturationTone::prepare() {
    if (!m_isUsed)
        return;
    const auto size = static_cast<std::size_t>(CurveLanes::kPiece) * kLanes;
    m_taken.resize(size);
    m_sound.resize(size);
    m_gain.resize(size);
    std::array<int, kLanes> delays{};
    std::transform(m_lanes.begin(), m_lanes.end(), delays.begin(),
                   [](const Lane& l) { return l.lateFrames; });
    for (LaneDelay* delay : {&m_takenDelay, &m_soundDelay, &m_gainDelay})
        delay->prepare(delays);
}

void SaturationTone::reset() noexcept {
    for (SectionBank* bank : {&m_band, &m_before, &m_after})
        clear(*bank);
    m_lowBefore = m_lowAfter = m_envelope = LaneFloats{};
    for (LaneDelay* delay : {&m_takenDelay, &m_soundDelay, &m_gainDelay})
        delay->reset();
}

void SaturationTone::copyLane(int lane, const SaturationTone& from, int fromLane) noexcept {
    copyLaneOf(m_band, lane, from.m_band, fromLane);
    copyLaneOf(m_before, lane, from.m_before, fromLane);
    copyLaneOf(m_after, lane, from.m_after, fromLane);
    for (const auto state :
         {&SaturationTone::m_lowBefore, &SaturationTone::m_lowAfter, &SaturationTone::m_envelope})
        (this->*state)[lane] = (from.*state)[fromLane];
    if (m_isUsed && from.m_isUsed)
        for (const auto delay :
             {&SaturationTone::m_takenDelay, &SaturationTone::m_soundDelay, &SaturationTone::m_gainDelay})
            (this->*delay).copyLane(lane, from.*delay, fromLane);
}

/// The gains of this block, and the sound by them.
void SaturationTone::follow(int frames) noexcept {
    const auto steady = static_cast<float>(dbToLinear(S::kSteadyDb));
    const auto floor = static_cast<float>(dbToLinear(kFloorDb));
    for (int l = 0; l < kLanes; ++l) {
        const Lane& lane = m_lanes[static_cast<std::size_t>(l)];
        const bool isRight = l > 0 && lane.lanes == 0;
        for (int n = 0; n < frames; ++n) {
            const auto at = static_cast<std::size_t>(n * kLanes + l);
            if (!lane.isSteady) {
                m_gain[at] = 1;
            } else if (isRight) {
                m_gain[at] = m_gain[at - 1];
            } else {
                float loud = std::fabs(m_sound[at]);
                if (lane.lanes == 2)
                    loud = std::max(loud, std::fabs(m_sound[at + 1]));
                m_envelope[l] = std::max({loud, m_envelope[l] * m_fall, floor});
                m_gain[at] = steady / m_envelope[l];
            }
        }
    }
    kernels().multiply(m_gain.data(), m_sound.data(), frames);
}

void SaturationTone::emphasise(int frames) noexcept {
    float* x = m_sound.data();
    for (int n = 0; n < frames; ++n, x += kLanes)
        for (std::size_t l = 0; l < kLanes; ++l) {
            const float step = m_emphasisShare * (x[l] - m_lowBefore.v[l]);
            const float low = m_lowBefore.v[l] + step;
            m_lowBefore.v[l] = low + step;
            x[l] += m_lift.v[l] * (x[l] - low);
        }
}

void SaturationTone::deemphasise(int frames) noexcept {
    // y = x + L (x - low), low = s + a (x - s): solved for x
    float* y = m_sound.data();
    LaneFloats back;
    LaneFloats keep;
    for (std::size_t l = 0; l < kLanes; ++l) {
        keep.v[l] = m_lift.v[l] * (1 - m_emphasisShare);
        back.v[l] = 1 / (1 + keep.v[l]);
    }
    for (int n = 0; n < frames; ++n, y += kLanes)
        for (std::size_t l = 0; l < kLanes; ++l) {
            y[l] = (y[l] + keep.v[l] * m_lowAfter.v[l]) * back.v[l];
            m_lowAfter.v[l] += 2 * m_emphasisShare * (y[l] - m_lowAfter.v[l]);
        }
}

const float* SaturationTone::before(const float* io, int frames) noexcept {
    const Kernels& k = kernels();
    std::copy_n(io, frames * kLanes, m_taken.data());
    k.filter(m_band, m_taken.data(), frames);
    std::copy_n(m_taken.data(), frames * kLanes, m_sound.data());
    if (m_hasSteady)
        follow(frames);
    k.filter(m_before, m_sound.data(), frames);
    if (m_hasTape)
        emphasise(frames);
    return m_sound.data();
}

void SaturationTone::after(float* changed, int frames) noexcept {
    const Kernels& k = kernels();
    if (m_takenDelay.tapCount > 0) {
        k.delay(m_takenDelay, m_taken.data(), frames);
        k.delay(m_soundDelay, m_sound.data(), frames);
    }
    for (int n = 0; n < frames * kLanes; ++n)
        m_sound[static_cast<std::size_t>(n)] += changed[n];
    if (m_hasTape)
        deemphasise(frames);
    k.filter(m_after, m_sound.data(), frames);
    if (m_hasSteady) {
        k.delay(m_gainDelay, m_gain.data(), frames);
        for (int n = 0; n < frames * kLanes; ++n)
            if (const float gain = m_gain[static_cast<std::size_t>(n)]; gain > 0) // 0 before the first sound
                m_sound[static_cast<std::size_t>(n)] /= gain;
    }
    for (int l = 0; l < kLanes; ++l)
        if (m_lanes[static_cast<std::size_t>(l)].isUsed)
            for (int n = l; n < frames * kLanes; n += kLanes)
                changed[n] = m_sound[static_cast<std::size_t>(n)] - m_taken[static_cast<std::size_t>(n)];
}

} // namespace cask::dsp
