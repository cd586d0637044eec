#include "core/measure/onsets.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kStepS = 0.00025;
constexpr std::size_t kEnvelopeSteps = 4; // 1 ms

/// Greatest value of the last n values at each place.
std::vector<float> slidingMax(const std::vector<float>& x, std::size_t n) {
    std::vector<float> out(x.size());
    std::vector<std::size_t> queue;
    std::size_t first = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        while (queue.size() > first && x[queue.back()] <= x[i])
            queue.pop_back();
        queue.push_back(i);
        if (queue[first] + n <= i)
            ++first;
        out[i] = x[queue[first]];
    }
    return out;
}

} // namespace

OnsetFinder::OnsetFinder(double sampleRateHz, int channels)
    : m_sampleRateHz(sampleRateHz), m_channels(static_cast<std::size_t>(channels)),
      m_stepFrames(sampleRateHz * kStepS), m_nextStep(m_stepFrames) {}

void OnsetFinder::add(std::span<const float> interleaved) {
    for (std::size_t i = 0; i + m_channels <= interleaved.size(); i += m_channels) {
        for (std::size_t c = 0; c < m_channels; ++c)
            m_peak = std::max(m_peak, std::fabs(interleaved[i + c]));
        ++m_frames;
        if (static_cast<double>(m_frames) >= m_nextStep) {
            m_envelope.push_back(m_peak);
            m_peak = 0;
            m_nextStep += m_stepFrames;
        }
    }
}

std::vector<Hit> OnsetFinder::result() const {
    std::vector<Hit> hits;
    if (m_envelope.size() < 2 * kEnvelopeSteps)
        return hits;
    const auto envelope = slidingMax(m_envelope, kEnvelopeSteps);
    auto sorted = envelope;
    const auto tenth = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 10);
    std::nth_element(sorted.begin(), tenth, sorted.end());
    const float greatest = *std::max_element(envelope.begin(), envelope.end());
    const float least = std::max(
        {static_cast<float>(*tenth * dbToLinear(12)), static_cast<float>(greatest * dbToLinear(-40)), 1e-6F});
    // A low drum's envelope falls to nothing twice in every period: a rise counts against the last 30 ms, not
    // the last instant, so that only what is stronger than the decay it falls into is a hit.
    const auto recent = slidingMax(m_envelope, 120);
    const auto rise = static_cast<float>(dbToLinear(5));
    constexpr std::size_t kBack = 40;        // 10 ms
    constexpr std::size_t kPeakAhead = 80;   // 20 ms
    constexpr std::size_t kRefractory = 160; // 40 ms
    for (std::size_t i = kBack; i + 1 < envelope.size();) {
        const float before = std::max(recent[i - 2 * kEnvelopeSteps], 1e-7F);
        if (envelope[i] < least || envelope[i] < rise * before) {
            ++i;
            continue;
        }
        const auto end = std::min(envelope.size(), i + kPeakAhead);
        const float peak = *std::max_element(envelope.begin() + static_cast<std::ptrdiff_t>(i),
                                             envelope.begin() + static_cast<std::ptrdiff_t>(end));
        // Back to where the rise came within 20 dB of the peak.
        std::size_t onset = i;
        while (onset > i - kBack && envelope[onset - 1] > std::max(peak * 0.1F, before * 1.05F))
            --onset;
        Hit hit;
        hit.timeS = static_cast<double>(onset) * kStepS;
        hit.levelDb = linearToDb(peak);
        hits.push_back(hit);
        i += kRefractory;
    }
    // Classes and velocities from the file's own levels: the 90th percentile is a full hit.
    std::vector<double> levels;
    for (const auto& hit : hits)
        levels.push_back(hit.levelDb);
    if (levels.empty())
        return hits;
    std::sort(levels.begin(), levels.end());
    const double full = levels[levels.size() * 9 / 10];
    for (auto& hit : hits) {
        hit.velocity = std::clamp(1 + (hit.levelDb - full) / 40, 0.05, 1.0);
        hit.hitClass = hit.levelDb > full - 4    ? HitClass::Accent
                       : hit.levelDb < full - 13 ? HitClass::Ghost
                                                 : HitClass::Normal;
        hit.confidence = 0.5; // spill is not told from own hits yet
    }
    return hits;
}

} // namespace cask::measure
