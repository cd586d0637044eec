#include "core/measure/loudness.h"

#include "core/measure/integrated_loudness.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

double finiteOrSilence(double lufs) {
    return std::isfinite(lufs) ? std::max(lufs, kSilenceDb) : kSilenceDb;
}

} // namespace

LoudnessMeter::LoudnessMeter(double sampleRateHz, int channels)
    : m_sampleRateHz(sampleRateHz), m_channels(channels) {
    open();
}

void LoudnessMeter::open() {
    m_state.reset(ebur128_init(static_cast<unsigned>(m_channels), static_cast<unsigned long>(m_sampleRateHz),
                               EBUR128_MODE_I | EBUR128_MODE_LRA | EBUR128_MODE_S | EBUR128_MODE_SAMPLE_PEAK |
                                   EBUR128_MODE_HISTOGRAM));
    m_truePeaks.assign(static_cast<std::size_t>(m_channels), {});
    // The library takes the third of five channels for a centre; files with many channels are plain here.
    for (int c = 0; m_state && m_channels > 2 && c < m_channels; ++c)
        ebur128_set_channel(m_state.get(), static_cast<unsigned>(c), EBUR128_LEFT);
}

void LoudnessMeter::add(std::span<const float> interleaved) {
    for (std::size_t c = 0; c < m_truePeaks.size() && c < interleaved.size(); ++c)
        m_truePeaks[c].add(interleaved.subspan(c), m_channels);
    if (m_state)
        ebur128_add_frames_float(m_state.get(), interleaved.data(),
                                 interleaved.size() / static_cast<std::size_t>(m_channels));
}

void LoudnessMeter::reset() {
    open();
}

Loudness LoudnessMeter::result() const {
    Loudness r;
    if (!m_state)
        return r;
    double value = 0;
    if (ebur128_loudness_global(m_state.get(), &value) == EBUR128_SUCCESS)
        r.integratedLufs = finiteOrSilence(value);
    if (ebur128_loudness_range(m_state.get(), &value) == EBUR128_SUCCESS && std::isfinite(value))
        r.rangeLu = value;
    double truePeak = 0;
    double samplePeak = 0;
    for (unsigned c = 0; c < static_cast<unsigned>(m_channels); ++c) {
        truePeak = std::max(truePeak, static_cast<double>(m_truePeaks[c].peak()));
        if (ebur128_sample_peak(m_state.get(), c, &value) == EBUR128_SUCCESS)
            samplePeak = std::max(samplePeak, value);
    }
    r.truePeakDb = linearToDb(truePeak);
    r.samplePeakDb = linearToDb(samplePeak);
    return r;
}

double LoudnessMeter::momentaryLufs() const {
    double value = 0;
    return m_state && ebur128_loudness_momentary(m_state.get(), &value) == EBUR128_SUCCESS
               ? finiteOrSilence(value)
               : kSilenceDb;
}

double LoudnessMeter::shortTermLufs() const {
    double value = 0;
    return m_state && ebur128_loudness_shortterm(m_state.get(), &value) == EBUR128_SUCCESS
               ? finiteOrSilence(value)
               : kSilenceDb;
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
