#include "core/graph/gate_run.h"

#include <algorithm>
#include <utility>

namespace cask::graph {

using dsp::kLanes;

GateRun::GateRun(const GatePlan& plan, double sampleRateHz, int mostFrames, int glideFrames)
    : m_plan(&plan), m_glideFrames(glideFrames) {
    m_gate.prepare(sampleRateHz, plan.lanes, plan.settings, plan.waitFrames);
    m_key.resize(static_cast<std::size_t>(plan.key.inputCount * mostFrames));
    m_keyRing.resize(static_cast<std::size_t>(2 * plan.key.delayFrames));
    settle(kNowhere, 0);
}

const dsp::GateSettings& GateRun::settingsAt(Frames frame) const noexcept {
    const dsp::GateSettings* settings = &m_plan->settings;
    for (const auto& moment : m_plan->moments)
        if (moment.frame <= frame)
            settings = &moment.settings;
    return *settings;
}

void GateRun::settle(Frames frame, int glideFrames) noexcept {
    m_expected = frame;
    m_gate.set(settingsAt(frame), m_plan->isOn, m_plan->output, glideFrames);
    m_next = 0;
    while (m_next < m_plan->moments.size() && m_plan->moments[m_next].frame <= frame)
        ++m_next;
}

void GateRun::takeOver(GateRun& before) noexcept {
    std::swap(m_gate, before.m_gate);
    std::swap(m_keyRing, before.m_keyRing);
    m_keyAt = before.m_keyAt;
    settle(before.m_expected, m_glideFrames);
}

void GateRun::copyStateFrom(const GateRun& before) noexcept {
    if (m_plan->lanes != before.m_plan->lanes)
        return;
    m_gate.copyStateFrom(before.m_gate, 0);
    settle(before.m_expected, m_glideFrames);
}

void GateRun::reset() noexcept {
    m_gate.reset();
    std::fill(m_keyRing.begin(), m_keyRing.end(), 0.0F);
    m_keyAt = 0;
    settle(kNowhere, 0);
}

bool GateRun::fillKey(Frames start, int frames, const float* bus, float* detectors) noexcept {
    const KeyPlan& key = m_plan->key;
    bool isReady = true;
    float* const to = detectors + m_plan->lane;
    if (bus != nullptr) {
        for (int n = 0; n < frames; ++n) {
            std::array<float, 2> x = {bus[n * kLanes], bus[n * kLanes + 1]};
            if (key.delayFrames > 0) {
                for (int c = 0; c < 2; ++c)
                    std::swap(x[static_cast<std::size_t>(c)],
                              m_keyRing[static_cast<std::size_t>(2 * m_keyAt + c)]);
                m_keyAt = m_keyAt + 1 == key.delayFrames ? 0 : m_keyAt + 1;
            }
            to[n * kLanes] = m_plan->lanes == 2 ? x[0] : 0.5F * (x[0] + x[1]);
            if (m_plan->lanes == 2)
                to[n * kLanes + 1] = x[1];
        }
        return true;
    }
    const auto count = static_cast<std::size_t>(frames);
    std::array<float*, 2> planar{m_key.data(), m_key.data()};
    for (int i = 0; i < key.inputCount; ++i) {
        const LaneInput& input = key.inputs[static_cast<std::size_t>(i)];
        const auto piece = std::span(m_key).subspan(static_cast<std::size_t>(i) * count, count);
        planar[static_cast<std::size_t>(i)] = piece.data();
        if (input.source)
            isReady = input.source->read(input.channel, start - input.delayFrames, piece) && isReady;
        else
            std::fill(piece.begin(), piece.end(), 0.0F);
    }
    if (key.inputCount == 1)
        planar[1] = planar[0];
    const float left = key.inputs[0].gain;
    const float right = key.inputs[key.inputCount == 2 ? 1 : 0].gain;
    for (int n = 0; n < frames; ++n) {
        const float l = left * planar[0][n];
        const float r = right * planar[1][n];
        to[n * kLanes] = m_plan->lanes == 2 ? l : 0.5F * (l + r);
        if (m_plan->lanes == 2)
            to[n * kLanes + 1] = r;
    }
    return isReady;
}

void GateRun::process(float* sound, const float* detectors, Frames start, int frames) noexcept {
    const Frames first = start - m_plan->before;
    if (first != m_expected)
        settle(first, 0);
    for (int done = 0; done < frames;) {
        int n = std::min(frames - done, dsp::Gate::kPiece);
        while (m_next < m_plan->moments.size() && m_plan->moments[m_next].frame <= first + done) {
            const GateMoment& moment = m_plan->moments[m_next++];
            m_gate.set(moment.settings, m_plan->isOn, m_plan->output, moment.glideFrames);
        }
        if (m_next < m_plan->moments.size())
            n = static_cast<int>(std::min<Frames>(n, m_plan->moments[m_next].frame - (first + done)));
        float* io = sound + done * kLanes + m_plan->lane;
        const float* detector = detectors + done * kLanes + m_plan->lane;
        const bool isPair = m_plan->lanes == 2;
        m_gate.process({io, isPair ? io + 1 : nullptr}, {detector, isPair ? detector + 1 : nullptr}, kLanes,
                       n);
        done += n;
    }
    m_expected = first + frames;
}

} // namespace cask::graph
