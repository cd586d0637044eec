#include "core/measure/alignment.h"

#include "core/measure/real_fft.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numeric>

namespace cask::measure {
namespace {

constexpr double kBeforeS = 0.005;
constexpr double kWindowS = 0.12;
constexpr double kLowestHz = 30;
constexpr double kAudible = 1e-6; // of the strongest frequency's power
constexpr int kFiner = 16;        // interpolated points in a frame

using Complex = std::complex<double>;

/// Cross- and own spectra summed over the hits.
struct Spectra {
    std::vector<Complex> cross; ///< second against first
    std::vector<double> first;
    std::vector<double> second;
    double binHz = 0;
    std::size_t size = 0; ///< of the transform
};

void fadeEnd(std::span<float> piece) {
    // The end fades, so that its cut has no say.
    const auto frames = piece.size();
    for (std::size_t n = frames / 2; n < frames; ++n)
        piece[n] *= static_cast<float>(static_cast<double>(frames - n) / (0.5 * static_cast<double>(frames)));
}

/// From an octave below to an octave above the note of the first.
LowBand lowBandOf(const Spectra& s, const AlignmentSettings& settings) {
    if (settings.noteToHz <= settings.noteFromHz)
        return {};
    const auto bin = [&](double hz) {
        return std::min(s.first.size() - 1, static_cast<std::size_t>(std::lround(hz / s.binHz)));
    };
    const auto strongest =
        std::max_element(s.first.begin() + static_cast<std::ptrdiff_t>(bin(settings.noteFromHz)),
                         s.first.begin() + static_cast<std::ptrdiff_t>(bin(settings.noteToHz)) + 1);
    const double hz = static_cast<double>(strongest - s.first.begin()) * s.binHz;
    return {std::max(kLowestHz, hz / 2), 2 * hz};
}

/// Level of the sum in the band over the powers, with the second made earlier by `delayFrames` and turned.
double lowSumDb(const Spectra& s, LowBand low, double rate, double delayFrames, double sign) {
    double sum = 0;
    double powers = 0;
    for (std::size_t k = 0; k < s.cross.size(); ++k) {
        const double hz = static_cast<double>(k) * s.binHz;
        if (hz < low.fromHz || hz > low.toHz)
            continue;
        const Complex turned = s.cross[k] * std::polar(sign, 2 * kPi * hz * delayFrames / rate);
        powers += s.first[k] + s.second[k];
        sum += s.first[k] + s.second[k] + 2 * turned.real();
    }
    constexpr double kLeastDb = -60;
    return powers > 0 ? std::max(kLeastDb, powerToDb(std::max(0.0, sum) / powers)) : 0;
}

std::vector<Arrival> strongestOf(std::vector<Arrival> hits, int most) {
    std::sort(hits.begin(), hits.end(),
              [](const Arrival& a, const Arrival& b) { return a.levelDb > b.levelDb; });
    if (static_cast<int>(hits.size()) > most)
        hits.resize(static_cast<std::size_t>(most));
    return hits;
}

std::size_t windowFrames(double rate) {
    return static_cast<std::size_t>(kWindowS * rate);
}

/// Looks at each hit in both, and shows each window before its end is faded.
Spectra
collectSpectra(const SoundReader& first, const SoundReader& second, double rate,
               const std::vector<Arrival>& hits,
               const std::function<void(std::span<const float>, std::span<const float>)>& show = nullptr) {
    const auto frames = windowFrames(rate);
    std::size_t size = 2;
    while (size < 2 * frames)
        size *= 2;
    RealFft fft(size);
    Spectra s{std::vector<Complex>(fft.bins()), std::vector<double>(fft.bins()),
              std::vector<double>(fft.bins()), rate / static_cast<double>(size), size};
    std::vector<float> a(frames);
    std::vector<float> b(frames);
    for (const Arrival& hit : hits) {
        const auto from = static_cast<Frames>((hit.timeS - kBeforeS) * rate);
        first(from, a);
        second(from, b);
        if (show)
            show(a, b);
        fadeEnd(a);
        fadeEnd(b);
        const auto transformed = fft.forward(a);
        const std::vector<std::complex<float>> spectrum(transformed.begin(), transformed.end());
        const auto other = fft.forward(b);
        for (std::size_t k = 0; k < fft.bins(); ++k) {
            const Complex x(spectrum[k]);
            const Complex y(other[k]);
            s.cross[k] += std::conj(x) * y;
            s.first[k] += std::norm(x);
            s.second[k] += std::norm(y);
        }
    }
    return s;
}

SoundReader readerOf(std::span<const float> x) {
    return [x](Frames from, std::span<float> out) {
        for (std::size_t n = 0; n < out.size(); ++n) {
            const Frames at = from + static_cast<Frames>(n);
            out[n] = at < 0 || at >= static_cast<Frames>(x.size()) ? 0.0F : x[static_cast<std::size_t>(at)];
        }
    };
}

} // namespace

Alignment alignPair(std::span<const float> first, std::span<const float> second, double rate,
                    const std::vector<Arrival>& hits, const AlignmentSettings& settings) {
    return alignPair(readerOf(first), readerOf(second), rate, hits, settings);
}

Alignment alignPair(const SoundReader& first, const SoundReader& second, double rate,
                    const std::vector<Arrival>& hits, const AlignmentSettings& settings) {
    Alignment result;
    const auto strongest = strongestOf(hits, settings.mostHits);
    result.hits = static_cast<int>(strongest.size());
    if (result.hits == 0)
        return result;
    const auto s = collectSpectra(first, second, rate, strongest);

    // Weight: coherence over the hits, as far as there is energy; phases count alike otherwise.
    const double binHz = s.binHz;
    const double loudest = *std::max_element(s.first.begin(), s.first.end());
    const double loudestSecond = *std::max_element(s.second.begin(), s.second.end());
    RealFft fine(s.size * kFiner);
    std::vector<std::complex<float>> weighted(fine.bins());
    double weight = 0;
    double coherences = 0;
    int audible = 0;
    for (std::size_t k = 0; k < s.cross.size(); ++k) {
        const double own = s.first[k] * s.second[k];
        if (static_cast<double>(k) * binHz < kLowestHz || own <= 0)
            continue;
        const double coherence = std::norm(s.cross[k]) / own;
        if (s.first[k] > kAudible * loudest && s.second[k] > kAudible * loudestSecond) {
            coherences += coherence;
            ++audible;
        }
        const double share = coherence * coherence * std::sqrt(s.first[k] / loudest);
        weighted[k] = std::complex<float>(s.cross[k] / std::max(1e-30, std::abs(s.cross[k])) * share);
        weight += share;
    }
    result.coherence = audible > 0 ? coherences / audible : 0;
    const auto total = [](const std::vector<double>& powers) {
        return std::accumulate(powers.begin(), powers.end(), 0.0);
    };
    if (weight > 0)
        result.levelDb = powerToDb(total(s.second)) - powerToDb(total(s.first));
    const auto correlation = fine.inverse(weighted);
    const auto most = static_cast<long>(settings.mostDelayMs * 0.001 * rate * kFiner);
    const auto at = [&](long n) {
        return static_cast<double>(
            correlation[static_cast<std::size_t>(n < 0 ? n + static_cast<long>(correlation.size()) : n)]);
    };
    const auto framesOf = [&](double ms) { return static_cast<long>(ms * 0.001 * rate * kFiner); };
    const bool isGuided = settings.reachMs > 0;
    const long from =
        isGuided ? std::clamp(framesOf(settings.expectedMs - settings.reachMs), -most, most) : -most;
    const long to =
        isGuided ? std::clamp(framesOf(settings.expectedMs + settings.reachMs), -most, most) : most;
    long best = from;
    for (long n = from; n <= to; ++n)
        if (std::abs(at(n)) > std::abs(at(best)))
            best = n;
    const double delayFrames = static_cast<double>(best) / kFiner;
    result.delayMs = 1000 * delayFrames / rate;
    result.confidence =
        weight > 0 ? std::min(1.0, std::abs(at(best)) * static_cast<double>(fine.size()) / (2 * weight)) : 0;
    const LowBand low = lowBandOf(s, settings);
    double lowCross = 0;
    double lowPower = 0;
    for (std::size_t k = 0; k < s.cross.size(); ++k) {
        const double hz = static_cast<double>(k) * binHz;
        if (hz < low.fromHz || hz > low.toHz)
            continue;
        lowCross += (s.cross[k] * std::polar(1.0, 2 * kPi * hz * delayFrames / rate)).real();
        lowPower += std::sqrt(s.first[k] * s.second[k]);
    }
    // Where the low end says nothing, the whole band has the word.
    constexpr double kSays = 0.2;
    result.isInverted = std::abs(lowCross) > kSays * lowPower ? lowCross < 0 : at(best) < 0;
    result.low = low;
    result.lowSumDb = lowSumDb(s, low, rate, 0, 1);
    result.lowSumFlippedDb = lowSumDb(s, low, rate, 0, -1);
    result.lowSumMovedDb = lowSumDb(s, low, rate, delayFrames, result.isInverted ? -1 : 1);
    return result;
}

double PairPortrait::lowSumAtDb(double shiftMs, bool isFlipped) const {
    const auto& curve = isFlipped ? lowSumFlippedDb : lowSumDb;
    if (curve.empty())
        return 0;
    const double at =
        std::clamp((shiftMs - leastShiftMs) / stepMs, 0.0, static_cast<double>(curve.size() - 1));
    const auto left = std::min(static_cast<std::size_t>(at), curve.size() - 1);
    const auto right = std::min(left + 1, curve.size() - 1);
    return std::lerp(curve[left], curve[right], at - static_cast<double>(left));
}

PairPortrait portrayPair(const SoundReader& first, const SoundReader& second, double rate,
                         const std::vector<Arrival>& hits, double reachMs,
                         const AlignmentSettings& settings) {
    constexpr double kStepMs = 0.05;
    PairPortrait portrait;
    const auto strongest = strongestOf(hits, settings.mostHits);
    portrait.hits = static_cast<int>(strongest.size());
    portrait.sampleRateHz = rate;
    portrait.startMs = -1000 * kBeforeS;
    if (portrait.hits == 0)
        return portrait;
    portrait.first.assign(windowFrames(rate), 0.0F);
    portrait.second = portrait.first;
    const float share = 1.0F / static_cast<float>(portrait.hits);
    const auto add = [share](std::vector<float>& mean, std::span<const float> window) {
        for (std::size_t n = 0; n < mean.size(); ++n)
            mean[n] += share * window[n];
    };
    const auto s = collectSpectra(first, second, rate, strongest, [&](auto a, auto b) {
        add(portrait.first, a);
        add(portrait.second, b);
    });
    portrait.low = lowBandOf(s, settings);
    portrait.leastShiftMs = -reachMs;
    portrait.stepMs = kStepMs;
    const int points = 2 * static_cast<int>(std::lround(reachMs / kStepMs)) + 1;
    for (int i = 0; i < points; ++i) {
        const double shiftMs = -reachMs + i * kStepMs;
        const double delayFrames = -0.001 * shiftMs * rate;
        portrait.lowSumDb.push_back(lowSumDb(s, portrait.low, rate, delayFrames, 1));
        portrait.lowSumFlippedDb.push_back(lowSumDb(s, portrait.low, rate, delayFrames, -1));
    }
    return portrait;
}

} // namespace cask::measure
