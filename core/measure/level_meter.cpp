#include "core/measure/level_meter.h"

#include <algorithm>
#include <array>
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
    const std::size_t frames = interleaved.size() / channels;
    for (std::size_t at = 0; at < frames;) {
        const std::size_t n =
            std::min({frames - at, static_cast<std::size_t>(m_stretchFrames - m_inStretch), kPiece});
        addPiece(interleaved.data() + at * channels, n);
        at += n;
    }
}

void LevelMeter::addPiece(const float* samples, std::size_t frames) {
    const std::size_t channels = m_channels.size();
    std::array<float, kPiece> loudest{};
    bool hasRun = false;
    for (std::size_t c = 0; c < channels; ++c) {
        Channel& channel = m_channels[c];
        double sum = 0;
        double squares = 0;
        for (std::size_t i = 0; i < frames; ++i) {
            const float x = samples[i * channels + c];
            loudest[i] = std::max(loudest[i], std::fabs(x));
            sum += x;
            squares += static_cast<double>(x) * x;
        }
        channel.sum += sum;
        channel.squares += squares;
        m_stretchSquares += squares;
        hasRun = hasRun || channel.runFrames > 0;
    }
    const auto [least, most] =
        std::minmax_element(loudest.begin(), loudest.begin() + static_cast<long>(frames));
    m_peak = std::max(m_peak, *most);
    // Runs and silences are looked for sample by sample only where there can be any.
    if (hasRun || *most >= kClipLevel || *least == 0 || m_silentFrames > 0)
        addRuns(samples, {loudest.data(), frames});
    else
        m_frames += static_cast<Frames>(frames);
    for (std::size_t c = 0; c < channels; ++c)
        m_channels[c].last = samples[(frames - 1) * channels + c];
    m_inStretch += static_cast<Frames>(frames);
    if (m_inStretch == m_stretchFrames) {
        const double power =
            m_stretchSquares / static_cast<double>(m_inStretch * static_cast<Frames>(channels));
        m_stretchDb.push_back(static_cast<float>(powerToDb(power)));
        m_inStretch = 0;
        m_stretchSquares = 0;
    }
}

void LevelMeter::addRuns(const float* samples, std::span<const float> loudest) {
    const std::size_t channels = m_channels.size();
    for (std::size_t i = 0; i < loudest.size(); ++i) {
        for (std::size_t c = 0; c < channels; ++c) {
            const float x = samples[i * channels + c];
            Channel& channel = m_channels[c];
            const bool isHigh = std::fabs(x) >= kClipLevel;
            if (isHigh && (channel.runFrames == 0 || x == channel.last)) {
                ++channel.runFrames;
            } else if (channel.runFrames > 0) {
                endRun(c);
                channel.runFrames = isHigh ? 1 : 0;
            }
            channel.last = x;
        }
        if (loudest[i] > 0)
            endSilence(false);
        else
            ++m_silentFrames;
        ++m_frames;
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
