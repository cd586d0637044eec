#include "core/dsp/saturation.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kLeastDrive = 1e-3; // tanh is straight there to the last bit of a float

} // namespace

int SaturationLanes::latencyFrames(const Settings& settings, double /*sampleRateHz*/) {
    static const std::array<int, kFactors> frames{Oversampler(2, 1).latencyFrames(),
                                                  Oversampler(4, 1).latencyFrames(),
                                                  Oversampler(8, 1).latencyFrames()};
    return frames[static_cast<std::size_t>(settings.oversampling)];
}

SaturationLanes::SaturationLanes(double /*sampleRateHz*/)
    : m_wet(static_cast<std::size_t>(kPiece) * kLanes), m_back(m_wet.size()) {
    for (Values* values : {&m_from, &m_to, &m_now}) {
        values->drive.v.fill(static_cast<float>(std::log(kLeastDrive)));
        values->output.v.fill(1);
    }
    takeDrives();
}

void SaturationLanes::place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames) {
    const auto factor = static_cast<std::size_t>(settings.oversampling);
    if (!m_oversamplers[factor])
        m_oversamplers[factor].emplace(factorOf(settings.oversampling), kPiece);
    for (int l = lane; l < lane + lanes; ++l) {
        m_lanes[static_cast<std::size_t>(l)] = {l == lane ? lanes : 0,
                                                latencyFrames(settings, 0) + waitFrames};
        m_uses[factor][l] = 1;
    }
    set(lane, settings, isOn, 0);
}

void SaturationLanes::prepare() {
    std::array<int, kLanes> delays{};
    std::transform(m_lanes.begin(), m_lanes.end(), delays.begin(),
                   [](const Lane& l) { return l.delayFrames; });
    m_delay.prepare(delays);
    reset();
}

void SaturationLanes::takeDrives() noexcept {
    for (int l = 0; l < kLanes; ++l)
        m_drive[l] = std::exp(m_now.drive[l]);
}

void SaturationLanes::set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
    for (int l = lane; l < lane + m_lanes[static_cast<std::size_t>(lane)].lanes; ++l) {
        for (const auto value : {&Values::drive, &Values::mix, &Values::output})
            (m_from.*value)[l] = (m_now.*value)[l];
        m_to.drive[l] = static_cast<float>(std::log(std::max(kLeastDrive, dbToLinear(s.driveDb) - 1)));
        m_to.mix[l] = isOn && s.driveDb > 0 ? static_cast<float>(s.mixPercent / 100) : 0.0F;
        m_to.output[l] = isOn ? static_cast<float>(dbToLinear(s.outputDb)) : 1.0F;
        bool moves = false;
        for (const auto value : {&Values::drive, &Values::mix, &Values::output}) {
            moves = moves || (m_from.*value)[l] != (m_to.*value)[l];
            if (glideFrames == 0)
                (m_now.*value)[l] = (m_to.*value)[l];
        }
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        at.glideFrames = std::max(1, glideFrames);
        at.glideLeft = moves ? glideFrames : 0;
        m_isGliding = m_isGliding || at.glideLeft > 0;
    }
    takeDrives();
}

void SaturationLanes::reset() noexcept {
    m_now = m_to;
    takeDrives();
    m_isGliding = false;
    for (Lane& lane : m_lanes)
        lane.glideLeft = 0;
    m_delay.reset();
    for (auto& oversampler : m_oversamplers)
        if (oversampler)
            oversampler->reset();
}

void SaturationLanes::copyLanes(int lane, const SaturationLanes& from, int fromLane, int lanes) noexcept {
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        for (const auto value : {&Values::drive, &Values::mix, &Values::output})
            (m_now.*value)[l] = (from.m_now.*value)[f];
        m_delay.copyLane(l, from.m_delay, f);
        for (std::size_t i = 0; i < kFactors; ++i)
            if (m_uses[i][l] == 1 && from.m_uses[i][f] == 1)
                m_oversamplers[i]->copyLane(l, *from.m_oversamplers[i], f);
    }
    takeDrives();
}

void SaturationLanes::stepGlides() noexcept {
    m_isGliding = false;
    for (int l = 0; l < kLanes; ++l) {
        Lane& lane = m_lanes[static_cast<std::size_t>(l)];
        if (lane.glideLeft == 0)
            continue;
        --lane.glideLeft;
        m_isGliding = m_isGliding || lane.glideLeft > 0;
        const float t = 1 - static_cast<float>(lane.glideLeft) / static_cast<float>(lane.glideFrames);
        const float share = t * t * (3 - 2 * t);
        for (const auto value : {&Values::drive, &Values::mix, &Values::output}) {
            const float a = (m_from.*value)[l];
            const float b = (m_to.*value)[l];
            (m_now.*value)[l] = lane.glideLeft == 0 ? b : a + share * (b - a);
        }
    }
    takeDrives();
}

void SaturationLanes::processPiece(float* io, int frames) noexcept {
    const Kernels& k = kernels();
    for (std::size_t i = 0; i < kFactors; ++i) {
        if (!m_oversamplers[i])
            continue;
        Oversampler& oversampler = *m_oversamplers[i];
        k.saturate(m_drive, oversampler.up(io, frames), frames * oversampler.factor());
        oversampler.down(m_back.data(), frames);
        for (int l = 0; l < kLanes; ++l)
            for (int n = l; m_uses[i][l] == 1 && n < frames * kLanes; n += kLanes)
                m_wet[static_cast<std::size_t>(n)] = m_back[static_cast<std::size_t>(n)];
    }
    if (m_delay.tapCount > 0)
        k.delay(m_delay, io, frames);
    for (int n = 0; n < frames; ++n)
        for (int l = 0; l < kLanes; ++l) {
            float& x = io[n * kLanes + l];
            x = m_now.output[l] * (x + m_now.mix[l] * (m_wet[static_cast<std::size_t>(n * kLanes + l)] - x));
        }
}

void SaturationLanes::process(const float* /*heard*/, float* io, int frames) noexcept {
    for (int done = 0; done < frames;) {
        int n = std::min(frames - done, kPiece);
        if (m_isGliding) {
            n = 1;
            stepGlides();
        }
        processPiece(io + static_cast<std::ptrdiff_t>(done) * kLanes, n);
        done += n;
    }
}

} // namespace cask::dsp
