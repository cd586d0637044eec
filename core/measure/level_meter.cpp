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
    std::array<float, kPiece> own{};
    for (std::size_t c = 0; c < channels; ++c) {
        Channel& channel = m_channels[c];
        double sum = 0;
        double squares = 0;
        for (std::size_t i = 0; i < frames; ++i) {
            const float x = samples[i * channels + c];
            own[i] = x;
            loudest[i] = std::max(loudest[i], std::fabs(x));
            sum += x;
            squares += static_cast<double>(x) * x;
        }
        channel.sum += sum;
        channel.squares += squares;
        m_stretchSquares += squares;
        channel.clips.add({own.data(), frames});
    }
    const auto [least, most] =
        std::minmax_element(loudest.begin(), loudest.begin() + static_cast<long>(frames));
    m_peak = std::max(m_peak, *most);
    // Silence is looked for sample by sample only where there can be any.
    if (*least == 0 || m_silentFrames > 0)
        addSilence({loudest.data(), frames});
    else
        m_frames += static_cast<Frames>(frames);
    m_inStretch += static_cast<Frames>(frames);
    if (m_inStretch == m_stretchFrames) {
        const double power =
            m_stretchSquares / static_cast<double>(m_inStretch * static_cast<Frames>(channels));
        m_stretchDb.push_back(static_cast<float>(powerToDb(power)));
        m_inStretch = 0;
        m_stretchSquares = 0;
    }
}

void LevelMeter::addSilence(std::span<const float> loudest) {
    for (const float x : loudest) {
        if (x > 0)
            endSilence(false);
        else
            ++m_silentFrames;
        ++m_frames;
    }
}

LevelFacts LevelMeter::result() const {
    LevelMeter ended = *this; // closes a silence that reaches the end
    ended.endSilence(true);
    LevelFacts facts;
    facts.peakDb = linearToDb(m_peak);
    for (std::size_t c = 0; c < m_channels.size(); ++c) {
        const auto runs = m_channels[c].clips.result();
        facts.clippedRunCount += static_cast<Frames>(runs.size());
        for (const auto& run : runs)
            facts.clippedRuns.push_back({framesToSeconds(run.start, m_rateHz), run.frames,
                                         static_cast<int>(c), linearToDb(std::fabs(run.value))});
    }
    std::stable_sort(facts.clippedRuns.begin(), facts.clippedRuns.end(),
                     [](const ClippedRun& a, const ClippedRun& b) { return a.startS < b.startS; });
    facts.clippedRuns.resize(std::min(facts.clippedRuns.size(), kMostRuns));
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
