#include "core/measure/loudness.h"

#include "core/measure/integrated_loudness.h"

#include <algorithm>

namespace cask::measure {

LoudnessMeter::LoudnessMeter(double sampleRateHz, int channels)
    : m_sampleRateHz(sampleRateHz), m_channels(channels), m_powers(sampleRateHz, channels),
      m_peaks(static_cast<std::size_t>(channels)) {}

void LoudnessMeter::add(std::span<const float> interleaved) {
    for (std::size_t c = 0; c < m_peaks.size() && c < interleaved.size(); ++c)
        m_peaks[c].add(interleaved.subspan(c), m_channels);
    m_powers.add(interleaved);
}

void LoudnessMeter::reset() {
    m_powers = StepPowers(m_sampleRateHz, m_channels);
    m_peaks.assign(static_cast<std::size_t>(m_channels), {});
}

Loudness LoudnessMeter::result() const {
    Loudness r;
    r.integratedLufs = gatedLufs(m_powers.steps());
    r.rangeLu = loudnessRangeLu(m_powers.steps());
    float truePeak = 0;
    float samplePeak = 0;
    for (const auto& channel : m_peaks) {
        truePeak = std::max(truePeak, channel.peak());
        samplePeak = std::max(samplePeak, channel.samplePeak());
    }
    r.truePeakDb = linearToDb(static_cast<double>(truePeak));
    r.samplePeakDb = linearToDb(static_cast<double>(samplePeak));
    return r;
}

double LoudnessMeter::momentaryLufs() const {
    constexpr int kParts = 40;
    return lufsOf(m_powers.meanOfLast(kParts));
}

double LoudnessMeter::shortTermLufs() const {
    return lufsOf(m_powers.meanOfLast(StepPowers::kMostParts));
}

double integratedLufs(const std::vector<std::vector<float>>& sound, double rateHz) {
    if (sound.empty())
        return kSilenceDb;
    IntegratedLoudness meter(rateHz, static_cast<int>(sound.size()));
    std::vector<float> piece;
    constexpr std::size_t kPiece = 1 << 14;
    for (std::size_t done = 0; done < sound.front().size(); done += kPiece) {
        const std::size_t end = std::min(sound.front().size(), done + kPiece);
        piece.clear();
        for (std::size_t n = done; n < end; ++n)
            for (const auto& channel : sound)
                piece.push_back(channel[n]);
        meter.add(piece);
    }
    return meter.lufs();
}

} // namespace cask::measure
