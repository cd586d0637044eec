#include "core/measure/clipping.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr float kSixteenBits = 1.0F / 32768;
constexpr float kFloat = 2.5e-7F;       // two steps of 24 bits
constexpr float kDitheredSteps = 2.02F; // within which dither leaves one value
constexpr float kWidestStep = 1e-4F;    // coarser files hold equal samples exactly
constexpr float kSoftest = 0.01F;       // clipping softer than this is nothing that could be heard
constexpr float kOverCurvature = 8;     // steps that the wave would have gone on
constexpr float kOverAtFull = 4;        // there a converter ends
constexpr float kSameValue = 1e-4F;     // as a share
constexpr std::size_t kMost = 100'000;  // candidates that are kept
constexpr float kStairSteps = 1.2F;
constexpr Frames kStairsPerRun = 4; // more, and the file's samples are held ones

} // namespace

float ClipFinder::tolerance(float value) const {
    return std::max(kSameValue * std::fabs(value), kDitheredSteps * m_step);
}

bool ClipFinder::isExtreme(float value) const {
    const float sign = value > 0 ? 1.0F : -1.0F;
    const float limit = std::fabs(value) + tolerance(value);
    return std::none_of(m_buffer.begin(), m_buffer.end(), [&](float x) { return sign * x > limit; });
}

/// Ends the run before the buffer's sample `at`.
void ClipFinder::close(std::size_t at, bool isAtEnd) {
    if (m_run.frames < kLeastRun)
        return;
    Run run = m_run;
    run.value = std::fabs(m_highest) > std::fabs(m_lowest) ? m_highest : m_lowest;
    const bool isFull = std::fabs(run.value) >= kFullScale;
    if (m_isFromStart || isAtEnd) { // one of its sides is not known
        if (isFull)
            m_full.push_back(run);
        return;
    }
    if (std::fabs(run.value) < kSoftest)
        return;
    const float sign = run.value > 0 ? 1.0F : -1.0F;
    const auto drop = [&](float x) { return sign * (run.value - x); };
    const float before = drop(m_before[0]);
    const float after = drop(m_buffer[at]);
    if ((before > 0) != (after > 0)) {
        const bool isHeld =
            m_highest == m_lowest && std::min(std::fabs(before), std::fabs(after)) > kStairSteps * m_step;
        m_stairs += isHeld ? 1 : 0;
        return;
    }
    // What a parabola that falls so far within d samples of its edge has risen over the edge itself.
    const auto n = static_cast<float>(run.frames);
    const std::size_t aside = std::clamp<std::size_t>(static_cast<std::size_t>(run.frames), 2, kAround);
    float falls[2] = {};
    for (std::size_t i = 0; i < aside; ++i) {
        falls[0] = std::max(falls[0], drop(m_before[i]));
        falls[1] = std::max(falls[1], at + i < m_buffer.size() ? drop(m_buffer[at + i]) : 0.0F);
    }
    const auto d = static_cast<float>(aside);
    const float goesOn = std::min(falls[0], falls[1]) * n * n / (4 * (n * d + d * d));
    const float step = std::max(m_step, kSixteenBits);
    auto& runs = isFull ? m_full : m_candidates;
    if (before > 0 && goesOn > (isFull ? kOverAtFull : kOverCurvature) * step && isExtreme(run.value) &&
        runs.size() < kMost)
        runs.push_back(run);
}

void ClipFinder::process(std::size_t end, bool isAtEnd) {
    for (; m_next < end; ++m_next) {
        const float x = m_buffer[m_next];
        const float last = m_next > 0 ? m_buffer[m_next - 1] : 0.0F;
        const float change = std::fabs(x - last);
        if (change > 0)
            m_step = std::min(m_step, change);
        const float same = std::clamp(kDitheredSteps * m_step, kFloat, kWidestStep);
        if (m_run.frames > 0 && change <= same && std::max(m_highest, x) - std::min(m_lowest, x) <= same) {
            ++m_run.frames;
            m_lowest = std::min(m_lowest, x);
            m_highest = std::max(m_highest, x);
            continue;
        }
        if (m_run.frames >= kLeastRun)
            close(m_next, false);
        m_run = {m_bufferStart + static_cast<Frames>(m_next), 1, x};
        m_lowest = m_highest = x;
        m_isFromStart = m_next < kAround;
        if (!m_isFromStart)
            std::reverse_copy(m_buffer.begin() + static_cast<std::ptrdiff_t>(m_next - kAround),
                              m_buffer.begin() + static_cast<std::ptrdiff_t>(m_next), m_before.begin());
    }
    if (isAtEnd)
        close(m_next, true);
}

void ClipFinder::add(std::span<const float> samples) {
    m_buffer.insert(m_buffer.end(), samples.begin(), samples.end());
    if (m_buffer.size() <= 2 * kAround)
        return;
    process(m_buffer.size() - kAround, false);
    // What was looked at goes, but for what the next run may begin after.
    const std::size_t gone = m_next > kAround ? m_next - kAround : 0;
    m_buffer.erase(m_buffer.begin(), m_buffer.begin() + static_cast<std::ptrdiff_t>(gone));
    m_bufferStart += static_cast<Frames>(gone);
    m_next -= gone;
}

std::vector<ClipFinder::Run> ClipFinder::result() const {
    ClipFinder ended = *this;
    ended.process(ended.m_buffer.size(), true);
    auto runs = std::move(ended.m_full);
    auto candidates = std::move(ended.m_candidates);
    std::sort(candidates.begin(), candidates.end(),
              [](const Run& a, const Run& b) { return a.value < b.value; });
    std::vector<Run> repeated;
    for (std::size_t from = 0, to = 0; from < candidates.size(); from = to) {
        while (to < candidates.size() &&
               candidates[to].value - candidates[from].value <= ended.tolerance(candidates[from].value))
            ++to;
        if (to - from >= kLeastRepeats)
            repeated.insert(repeated.end(), candidates.begin() + static_cast<std::ptrdiff_t>(from),
                            candidates.begin() + static_cast<std::ptrdiff_t>(to));
    }
    if (ended.m_stairs <= kStairsPerRun * static_cast<Frames>(repeated.size()))
        runs.insert(runs.end(), repeated.begin(), repeated.end());
    std::sort(runs.begin(), runs.end(), [](const Run& a, const Run& b) { return a.start < b.start; });
    return runs;
}

} // namespace cask::measure
