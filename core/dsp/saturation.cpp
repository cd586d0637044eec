#include "core/dsp/saturation.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kLeastDrive = 1e-3; // a curve is straight there to the last bits of a float

} // namespace

int SaturationLanes::latencyFrames(const Settings& settings, double sampleRateHz) {
    return CurveLanes::latencyFrames(settings.oversampling, sampleRateHz);
}

SaturationLanes::SaturationLanes(double sampleRateHz)
    : m_sampleRateHz(sampleRateHz), m_curves(sampleRateHz), m_tone(sampleRateHz),
      m_changed(static_cast<std::size_t>(kPiece) * kLanes), m_moving(kPiece) {
    m_mix.share = static_cast<float>(1 - std::exp(-2 * kPi * Settings::kBlockHz / sampleRateHz));
    m_glides.to.drive.v.fill(static_cast<float>(std::log(kLeastDrive)));
    m_glides.to.output.v.fill(1);
    m_glides.settle();
}

void SaturationLanes::place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames) {
    const int late = latencyFrames(settings, m_sampleRateHz);
    for (int l = lane; l < lane + lanes; ++l) {
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        at.lanes = l == lane ? lanes : 0;
        at.delayFrames = late + waitFrames;
        at.isPlaced = true;
        m_curves.place(l, settings.shape, settings.oversampling);
    }
    m_tone.place(lane, lanes, settings, late);
    set(lane, settings, isOn, 0);
}

void SaturationLanes::prepare() {
    std::array<int, kLanes> delays{};
    std::transform(m_lanes.begin(), m_lanes.end(), delays.begin(),
                   [](const Lane& l) { return l.delayFrames; });
    m_delay.prepare(delays);
    m_tone.prepare();
    reset();
}

void SaturationLanes::takeCurve(int lane, int frame) noexcept {
    m_curves.set(lane, std::exp(static_cast<double>(m_glides.now.drive[lane])),
                 static_cast<double>(m_glides.now.bias[lane]), 0, frame);
}

void SaturationLanes::takeMix(const Values& values) noexcept {
    m_mix.mix = values.mix;
    m_mix.output = values.output;
    m_mix.blocks = values.blocks;
}

void SaturationLanes::takeValues() noexcept {
    for (int l = 0; l < kLanes; ++l)
        takeCurve(l, 0);
    takeMix(m_glides.now);
}

void SaturationLanes::set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
    for (int l = lane; l < lane + m_lanes[static_cast<std::size_t>(lane)].lanes; ++l) {
        Values& to = m_glides.to;
        to.drive[l] = static_cast<float>(std::log(std::max(kLeastDrive, dbToLinear(s.driveDb) - 1)));
        to.bias[l] = static_cast<float>(s.bias);
        to.blocks[l] = s.shape == Shape::Warm || s.bias != 0 ? 1.0F : 0.0F;
        to.mix[l] = isOn && s.driveDb > 0 ? static_cast<float>(s.mixPercent / 100) : 0.0F;
        to.output[l] = isOn ? static_cast<float>(dbToLinear(s.outputDb)) : 1.0F;
        m_glides.begin(l, glideFrames);
    }
    takeValues();
}

void SaturationLanes::reset() noexcept {
    m_glides.settle();
    takeValues();
    m_delay.reset();
    m_mix.mean = LaneFloats{};
    m_curves.reset();
    m_tone.reset();
}

void SaturationLanes::copyLanes(int lane, const SaturationLanes& from, int fromLane, int lanes) noexcept {
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        m_glides.copyLane(l, from.m_glides, f);
        m_delay.copyLane(l, from.m_delay, f);
        m_mix.mean[l] = from.m_mix.mean[f];
        m_curves.copyLane(l, from.m_curves, f);
        m_tone.copyLane(l, from.m_tone, f);
    }
    takeValues();
}

void SaturationLanes::processPiece(float* io, int frames) noexcept {
    const Kernels& k = kernels();
    const bool glides = m_glides.isGliding();
    m_glides.stepThrough(m_moving.data(), frames, [this](int lane, int frame) { takeCurve(lane, frame); });
    const float* const driven = m_tone.isUsed() ? m_tone.before(io, frames) : io;
    m_curves.process(driven, m_changed.data(), frames);
    if (m_tone.isUsed())
        m_tone.after(m_changed.data(), frames);
    if (!glides)
        k.addShaped(m_mix, m_delay, m_changed.data(), io, frames);
    for (int n = 0; glides && n < frames; ++n) {
        takeMix(m_moving[static_cast<std::size_t>(n)]);
        k.addShaped(m_mix, m_delay, m_changed.data() + n * kLanes, io + n * kLanes, 1);
    }
}

void SaturationLanes::process(const float* /*heard*/, float* io, int frames) noexcept {
    for (int done = 0; done < frames; done += kPiece)
        processPiece(io + static_cast<std::ptrdiff_t>(done) * kLanes, std::min(frames - done, kPiece));
}

} // namespace cask::dsp
