#include "core/measure/level_meter.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {

LevelMeter::LevelMeter(double sampleRateHz, int channels)
    : m_rateHz(sampleRateHz), m_channels(static_cast<std::size_t>(channels)),
      m_stretchFrames(std::max<Frames>(1, std::llround(0.05 * sampleRateHz))),
      m_leastSilence(std::max<Frames>(1, std::llround(kLeastSilenceS * sampleRateHz))) {}

void LevelMeter::endSilence(bool isToEnd) {
    const Frames start = m_frames - m_silentFrames;
    if (m_silentFrames >= m_leastSilence && start > 0) {
        ++m_silenceCount;
        // The last whole stretch that ended before it.
        const Frames before = start / m_stretchFrames;
        if (m_silences.size() < kMostRuns)
            m_silences.push_back(
                {framesToSeconds(start, m_rateHz), framesToSeconds(m_silentFrames, m_rateHz), isToEnd,
                 before > 0 ? static_cast<double>(m_stretchDb[static_cast<std::size_t>(before - 1)])
                            : kSilenceDb});
    }
    m_silentFrames = 0;
}

void LevelMeter::endRun(std::size_t c) {
    Channel& channel = m_channels[c];
    if (channel.runFrames >= kLeastRun) {
        ++m_runCount;
        if (m_runs.size() < kMostRuns)
            m_runs.push_back({framesToSeconds(m_frames - channel.runFrames, m_rateHz), channel.runFrames,
                              static_cast<int>(c)});
    }
    channel.runFrames = 0;
}

void LevelMeter::add(std::span<const float> interleaved) {
    const std::size_t channels = m_channels.size();
    for (std::size_t i = 0; i + channels <= interleaved.size(); i += channels) {
        float loudest = 0;
        for (std::size_t c = 0; c < channels; ++c) {
            const float x = interleaved[i + c];
            Channel& channel = m_channels[c];
            const float size = std::fabs(x);
            const double square = static_cast<double>(x) * x;
            channel.sum += x;
            channel.squares += square;
            m_stretchSquares += square;
            loudest = std::max(loudest, size);
            if (size >= kClipLevel && (channel.runFrames == 0 || x == channel.last)) {
                ++channel.runFrames;
            } else if (channel.runFrames > 0) {
                endRun(c);
                channel.runFrames = size >= kClipLevel ? 1 : 0;
            }
            channel.last = x;
        }
        m_peak = std::max(m_peak, loudest);
        if (loudest > 0)
            endSilence(false);
        else
            ++m_silentFrames;
        ++m_frames;
        if (++m_inStretch == m_stretchFrames) {
            const double power =
                m_stretchSquares / static_cast<double>(m_inStretch * static_cast<Frames>(channels));
            m_stretchDb.push_back(static_cast<float>(powerToDb(power)));
            m_inStretch = 0;
            m_stretchSquares = 0;
        }
    }
}

LevelFacts LevelMeter::result() const {
    LevelMeter ended = *this; // closes runs that reach the end
    for (std::size_t c = 0; c < ended.m_channels.size(); ++c)
        ended.endRun(c);
    ended.endSilence(true);
    LevelFacts facts;
    facts.peakDb = linearToDb(m_peak);
    facts.clippedRuns = std::move(ended.m_runs);
    facts.clippedRunCount = ended.m_runCount;
    facts.silentRuns = std::move(ended.m_silences);
    facts.silentRunCount = ended.m_silenceCount;
    double squares = 0;
    for (const auto& channel : m_channels) {
        squares += channel.squares;
        const double mean = m_frames > 0 ? channel.sum / static_cast<double>(m_frames) : 0;
        if (std::abs(mean) > std::abs(facts.dcOffset))
            facts.dcOffset = mean;
    }
    if (m_frames > 0)
        facts.rmsDb =
            powerToDb(squares / static_cast<double>(m_frames * static_cast<Frames>(m_channels.size())));
    auto stretches = ended.m_stretchDb;
    if (!stretches.empty()) {
        const auto at = stretches.begin() + static_cast<std::ptrdiff_t>(stretches.size() / 10);
        std::nth_element(stretches.begin(), at, stretches.end());
        facts.noiseFloorDb = *at;
    }
    return facts;
}

} // namespace cask::measure
