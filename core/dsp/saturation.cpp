#include "core/dsp/saturation.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace cask::dsp {
namespace {

constexpr double kLeastDrive = 1e-3; // a curve is straight there to the last bits of a float
constexpr double kWarmBias = 0.5;

/// A curve and its slope.
std::pair<double, double> curveAt(Shape shape, double u) {
    switch (shape) {
    case Shape::Soft:
    case Shape::Warm: {
        const double y = std::tanh(u);
        return {y, 1 - y * y};
    }
    case Shape::Hard:
        return {std::clamp(u, -1.0, 1.0), 1}; // no bias goes over its corner
    case Shape::Fold:
        return {std::sin(u), std::cos(u)};
    }
    return {u, 1};
}

} // namespace

int SaturationLanes::latencyFrames(const Settings& settings, double sampleRateHz) {
    return Oversampler::latencyFrames(factorOf(settings.oversampling), sampleRateHz, ShapeBank::kLateFrames);
}

SaturationLanes::SaturationLanes(double sampleRateHz)
    : m_sampleRateHz(sampleRateHz),
      m_blockShare(static_cast<float>(1 - std::exp(-2 * kPi * Settings::kBlockHz / sampleRateHz))),
      m_wet(static_cast<std::size_t>(kPiece) * kLanes), m_back(m_wet.size()) {
    for (Values* values : {&m_from, &m_to, &m_now}) {
        values->drive.v.fill(static_cast<float>(std::log(kLeastDrive)));
        values->output.v.fill(1);
    }
}

void SaturationLanes::place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames) {
    auto& fast = m_fast[static_cast<std::size_t>(settings.oversampling)];
    if (!fast)
        fast.emplace(
            Fast{Oversampler(factorOf(settings.oversampling), m_sampleRateHz, kPiece, ShapeBank::kLateFrames),
                 {},
                 {}});
    const auto shape = static_cast<std::size_t>(settings.shape);
    fast->bank.hasShape[shape] = true;
    for (int l = lane; l < lane + lanes; ++l) {
        m_lanes[static_cast<std::size_t>(l)] = {settings.shape, l == lane ? lanes : 0,
                                                latencyFrames(settings, m_sampleRateHz) + waitFrames};
        fast->bank.isShape[shape][l] = 1;
        fast->uses[l] = 1;
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

void SaturationLanes::takeCurves() noexcept {
    for (auto& fast : m_fast)
        for (int l = 0; fast && l < kLanes; ++l) {
            const double d = std::exp(static_cast<double>(m_now.drive[l]));
            const double b = static_cast<double>(m_now.bias[l]);
            const auto [value, slope] = curveAt(m_lanes[static_cast<std::size_t>(l)].shape, b);
            fast->bank.drive[l] = static_cast<float>(d);
            fast->bank.bias[l] = m_now.bias[l];
            fast->bank.offset[l] = static_cast<float>(value);
            fast->bank.back[l] = static_cast<float>(1 / (d * slope));
        }
}

void SaturationLanes::set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
    for (int l = lane; l < lane + m_lanes[static_cast<std::size_t>(lane)].lanes; ++l) {
        for (const auto value : kValues)
            (m_from.*value)[l] = (m_now.*value)[l];
        const bool isWarm = s.shape == Shape::Warm;
        m_to.drive[l] = static_cast<float>(std::log(std::max(kLeastDrive, dbToLinear(s.driveDb) - 1)));
        m_to.bias[l] = static_cast<float>(s.bias + (isWarm ? kWarmBias : 0));
        m_to.blocks[l] = isWarm || s.bias != 0 ? 1.0F : 0.0F;
        m_to.mix[l] = isOn && s.driveDb > 0 ? static_cast<float>(s.mixPercent / 100) : 0.0F;
        m_to.output[l] = isOn ? static_cast<float>(dbToLinear(s.outputDb)) : 1.0F;
        bool moves = false;
        for (const auto value : kValues) {
            moves = moves || (m_from.*value)[l] != (m_to.*value)[l];
            if (glideFrames == 0)
                (m_now.*value)[l] = (m_to.*value)[l];
        }
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        at.glideFrames = std::max(1, glideFrames);
        at.glideLeft = moves ? glideFrames : 0;
        m_isGliding = m_isGliding || at.glideLeft > 0;
    }
    takeCurves();
}

void SaturationLanes::reset() noexcept {
    m_now = m_to;
    takeCurves();
    m_isGliding = false;
    for (Lane& lane : m_lanes)
        lane.glideLeft = 0;
    m_delay.reset();
    m_mean = LaneFloats{};
    for (auto& fast : m_fast)
        if (fast) {
            fast->oversampler.reset();
            fast->bank.clear();
        }
}

void SaturationLanes::copyLanes(int lane, const SaturationLanes& from, int fromLane, int lanes) noexcept {
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        for (const auto value : kValues)
            (m_now.*value)[l] = (from.m_now.*value)[f];
        m_delay.copyLane(l, from.m_delay, f);
        m_mean[l] = from.m_mean[f];
        for (std::size_t i = 0; i < kFactors; ++i)
            if (m_fast[i] && from.m_fast[i] && m_fast[i]->uses[l] == 1 && from.m_fast[i]->uses[f] == 1) {
                m_fast[i]->oversampler.copyLane(l, from.m_fast[i]->oversampler, f);
                m_fast[i]->bank.copyState(l, from.m_fast[i]->bank, f);
            }
    }
    takeCurves();
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
        for (const auto value : kValues) {
            const float a = (m_from.*value)[l];
            const float b = (m_to.*value)[l];
            (m_now.*value)[l] = lane.glideLeft == 0 ? b : a + share * (b - a);
        }
    }
    takeCurves();
}

void SaturationLanes::processPiece(float* io, int frames) noexcept {
    const Kernels& k = kernels();
    const auto isOnlyOne =
        std::count_if(m_fast.begin(), m_fast.end(), [](const auto& fast) { return fast.has_value(); }) == 1;
    for (auto& fast : m_fast) {
        if (!fast)
            continue;
        Oversampler& oversampler = fast->oversampler;
        k.curve(fast->bank, oversampler.up(io, frames), frames * oversampler.factor());
        oversampler.down(isOnlyOne ? m_wet.data() : m_back.data(), frames);
        for (int l = 0; !isOnlyOne && l < kLanes; ++l)
            for (int n = l; fast->uses[l] == 1 && n < frames * kLanes; n += kLanes)
                m_wet[static_cast<std::size_t>(n)] = m_back[static_cast<std::size_t>(n)];
    }
    if (m_delay.tapCount > 0)
        k.delay(m_delay, io, frames);
    const Values now = m_now; // the compiler need not fear that io is one of them
    LaneFloats mean = m_mean;
    const float share = m_blockShare;
    const float* wet = m_wet.data();
    for (int n = 0; n < frames; ++n, io += kLanes, wet += kLanes)
        for (std::size_t l = 0; l < kLanes; ++l) {
            mean.v[l] += share * (wet[l] - mean.v[l]);
            io[l] = now.output.v[l] * (io[l] + now.mix.v[l] * (wet[l] - now.blocks.v[l] * mean.v[l] - io[l]));
        }
    m_mean = mean;
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
