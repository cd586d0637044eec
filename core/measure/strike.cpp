#include "core/measure/strike.h"

#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr std::size_t kMostHits = 16;
constexpr double kBeforeS = 0.1; // the window is widest 70 ms behind the onset
constexpr double kMostDecayS = 0.5;

/// Greatest absolute sample of each millisecond of all channels.
std::vector<float> millisecondPeaks(std::span<const float> interleaved, int channels, double rateHz) {
    const double step = rateHz / 1000;
    const auto frames = interleaved.size() / static_cast<std::size_t>(channels);
    std::vector<float> peaks(static_cast<std::size_t>(static_cast<double>(frames) / step) + 1, 0.0F);
    for (std::size_t i = 0; i < frames * static_cast<std::size_t>(channels); ++i) {
        auto& peak = peaks[static_cast<std::size_t>(
            static_cast<double>(i / static_cast<std::size_t>(channels)) / step)];
        peak = std::max(peak, std::abs(interleaved[i]));
    }
    return peaks;
}

struct Shape {
    double decayMs;
    double gapDb;
};

/// `onset`: milliseconds into the peaks.
Shape shapeOf(const std::vector<float>& peaks, std::size_t onset) {
    const auto begin = peaks.begin() + static_cast<std::ptrdiff_t>(std::min(onset, peaks.size() - 1));
    const auto top = std::max_element(begin, begin + std::min<std::ptrdiff_t>(30, peaks.end() - begin));
    // Low drums pass through nothing twice in every period: 12 ms in a row must lie under the mark.
    std::ptrdiff_t under = 0;
    auto at = top;
    for (; at != peaks.end() && under < 12; ++at)
        under = *at < 0.1F * *top ? under + 1 : 0;
    const auto before = peaks.begin() + static_cast<std::ptrdiff_t>(onset > 25 ? onset - 25 : 0);
    const float gap = before < begin ? *std::max_element(before, std::max(before + 1, begin - 3)) : 0.0F;
    return {static_cast<double>(at - top - under), linearToDb(gap) - linearToDb(*top)};
}

} // namespace

Strike measureStrike(media::AudioReader& reader, const std::vector<Arrival>& hits) {
    Strike strike;
    const media::MediaInfo info = reader.info();
    if (hits.empty() || info.frames == 0)
        return strike;
    std::vector<Arrival> strongest = hits;
    const auto end = strongest.begin() + static_cast<std::ptrdiff_t>(std::min(kMostHits, strongest.size()));
    std::partial_sort(strongest.begin(), end, strongest.end(),
                      [](const Arrival& a, const Arrival& b) { return a.levelDb > b.levelDb; });
    strongest.erase(end, strongest.end());
    SpectrumMeter meter(info.sampleRateHz, info.channels);
    const auto spectrumFrames = static_cast<std::size_t>(meter.windowFrames());
    const auto frames =
        std::max(spectrumFrames, static_cast<std::size_t>((kBeforeS + kMostDecayS) * info.sampleRateHz));
    std::vector<double> decays;
    std::vector<double> gaps;
    std::vector<float> piece(frames * static_cast<std::size_t>(info.channels));
    for (const Arrival& hit : strongest) {
        const auto onset = static_cast<Frames>(hit.timeS * info.sampleRateHz);
        const Frames from = std::max<Frames>(0, onset - static_cast<Frames>(kBeforeS * info.sampleRateHz));
        if (!reader.seek(from))
            continue;
        std::fill(piece.begin(), piece.end(), 0.0F);
        if (reader.read(piece) == 0)
            continue;
        meter.addAlone(
            std::span<const float>(piece).first(spectrumFrames * static_cast<std::size_t>(info.channels)));
        const auto peaks = millisecondPeaks(piece, info.channels, info.sampleRateHz);
        const Shape shape = shapeOf(
            peaks, static_cast<std::size_t>(1000 * static_cast<double>(onset - from) / info.sampleRateHz));
        decays.push_back(shape.decayMs);
        gaps.push_back(shape.gapDb);
        ++strike.hits;
    }
    const Spectrum spectrum = meter.result();
    const auto power = [&](double fromHz, double toHz) {
        return std::pow(10.0, spectrum.levelBetween(fromHz, toHz) / 10);
    };
    const double all = std::max(1e-30, power(20, 20000));
    strike.lowShare = power(20, 100) / all;
    strike.bodyShare = power(100, 500) / all;
    strike.midShare = power(500, 4000) / all;
    strike.highShare = power(4000, 20000) / all;
    const double third = std::cbrt(2.0);
    for (int step = 0; step < 108; ++step) { // twelfths of an octave from 25 Hz, nine octaves
        const double hz = 25 * std::exp2(step / 12.0);
        strike.peakShare = std::max(strike.peakShare, power(hz, hz * third) / all);
    }
    strike.decayMs = median(decays);
    strike.gapDb = median(gaps);
    const double lengthS = static_cast<double>(info.frames) / info.sampleRateHz;
    strike.hitsPerS = static_cast<double>(hits.size()) / std::max(1.0, lengthS);
    return strike;
}

} // namespace cask::measure
