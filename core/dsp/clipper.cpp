#include "core/dsp/clipper.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace cask::dsp {

ClipperLanes::ClipperLanes(double sampleRateHz)
    : m_sampleRateHz(sampleRateHz), m_curves(sampleRateHz),
      m_changed(static_cast<std::size_t>(kPiece) * kLanes), m_moving(kPiece) {
    m_mix.output.v.fill(1);
    m_cap.v.fill(std::numeric_limits<float>::max());
}

void ClipperLanes::place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames) {
    for (int l = lane; l < lane + lanes; ++l) {
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        at.lanes = l == lane ? lanes : 0;
        at.delayFrames = latencyFrames(settings, m_sampleRateHz) + waitFrames;
        at.isPlaced = true;
        at.isCapped = settings.isCapped;
        m_curves.place(l, Shape::Knee, settings.oversampling);
    }
    set(lane, settings, isOn, 0);
}

void ClipperLanes::prepare() {
    std::array<int, kLanes> delays{};
    std::transform(m_lanes.begin(), m_lanes.end(), delays.begin(),
                   [](const Lane& l) { return l.delayFrames; });
    m_delay.prepare(delays);
    reset();
}

void ClipperLanes::takeCurve(int lane, int frame) noexcept {
    m_curves.set(lane, std::exp(-static_cast<double>(m_glides.now.ceiling[lane])), 0,
                 static_cast<double>(m_glides.now.knee[lane]), frame);
}

void ClipperLanes::takeMix(const Values& values) noexcept {
    m_mix.mix = values.mix;
    // While it is switched on the cap comes down with the mix.
    for (int l = 0; l < kLanes; ++l)
        if (m_lanes[static_cast<std::size_t>(l)].isCapped)
            m_cap[l] = values.mix[l] > 0 ? std::exp(values.ceiling[l]) / values.mix[l]
                                         : std::numeric_limits<float>::max();
}

void ClipperLanes::takeValues() noexcept {
    for (int l = 0; l < kLanes; ++l)
        takeCurve(l, 0);
    takeMix(m_glides.now);
}

void ClipperLanes::set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
    for (int l = lane; l < lane + m_lanes[static_cast<std::size_t>(lane)].lanes; ++l) {
        m_glides.to.ceiling[l] = static_cast<float>(std::log(dbToLinear(s.ceilingDb)));
        m_glides.to.knee[l] = static_cast<float>(1 - dbToLinear(-s.kneeDb));
        m_glides.to.mix[l] = isOn ? 1.0F : 0.0F;
        m_glides.begin(l, glideFrames);
    }
    takeValues();
}

void ClipperLanes::reset() noexcept {
    m_glides.settle();
    takeValues();
    m_delay.reset();
    m_curves.reset();
}

void ClipperLanes::copyLanes(int lane, const ClipperLanes& from, int fromLane, int lanes) noexcept {
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        m_glides.copyLane(l, from.m_glides, f);
        m_delay.copyLane(l, from.m_delay, f);
        m_curves.copyLane(l, from.m_curves, f);
    }
    takeValues();
}

void ClipperLanes::mixAndCap(const float* changed, float* io, int frames) noexcept {
    kernels().addShaped(m_mix, m_delay, changed, io, frames);
    for (int n = 0; n < frames; ++n, io += kLanes)
        for (std::size_t l = 0; l < kLanes; ++l)
            io[l] = std::min(std::max(io[l], -m_cap.v[l]), m_cap.v[l]);
}

void ClipperLanes::processPiece(float* io, int frames) noexcept {
    const bool glides = m_glides.isGliding();
    m_glides.stepThrough(m_moving.data(), frames, [this](int lane, int frame) { takeCurve(lane, frame); });
    m_curves.process(io, m_changed.data(), frames);
    if (!glides)
        mixAndCap(m_changed.data(), io, frames);
    for (int n = 0; glides && n < frames; ++n) {
        takeMix(m_moving[static_cast<std::size_t>(n)]);
        mixAndCap(m_changed.data() + n * kLanes, io + n * kLanes, 1);
    }
}

void ClipperLanes::process(const float* /*heard*/, float* io, int frames) noexcept {
    for (int done = 0; done < frames; done += kPiece)
        processPiece(io + static_cast<std::ptrdiff_t>(done) * kLanes, std::min(frames - done, kPiece));
}

} // namespace cask::dsp
