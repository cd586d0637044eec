#include "core/measure/alignment.h"

#include "core/measure/real_fft.h"

#include <algorithm>
#include <cmath>
#include <complex>

namespace cask::measure {
namespace {

constexpr double kBeforeS = 0.005;
constexpr double kWindowS = 0.12;
constexpr double kLowestHz = 30;
constexpr double kLowHz = 200;
constexpr int kFiner = 16; // interpolated points in a frame

using Complex = std::complex<double>;

/// Cross- and own spectra summed over the hits.
struct Spectra {
    std::vector<Complex> cross; ///< second against first
    std::vector<double> first;
    std::vector<double> second;
};

std::vector<float> windowAt(std::span<const float> x, Frames from, std::size_t frames) {
    std::vector<float> piece(frames, 0.0F);
    for (std::size_t n = 0; n < frames; ++n) {
        const Frames at = from + static_cast<Frames>(n);
        if (at < 0 || at >= static_cast<Frames>(x.size()))
            continue;
        // The end fades, so that its cut has no say.
        const double rest = static_cast<double>(frames - n) / (0.5 * static_cast<double>(frames));
        piece[n] = x[static_cast<std::size_t>(at)] * static_cast<float>(std::min(1.0, rest));
    }
    return piece;
}

/// Level of the sum below 200 Hz over the powers, with the second made earlier by `delayFrames` and turned.
double lowSumDb(const Spectra& s, double binHz, double rate, double delayFrames, double sign) {
    double sum = 0;
    double powers = 0;
    for (std::size_t k = 0; k < s.cross.size(); ++k) {
        const double hz = static_cast<double>(k) * binHz;
        if (hz < kLowestHz || hz > kLowHz)
            continue;
        const Complex turned = s.cross[k] * std::polar(sign, 2 * kPi * hz * delayFrames / rate);
        powers += s.first[k] + s.second[k];
        sum += s.first[k] + s.second[k] + 2 * turned.real();
    }
    constexpr double kLeastDb = -60;
    return powers > 0 ? std::max(kLeastDb, powerToDb(std::max(0.0, sum) / powers)) : 0;
}

} // namespace

Alignment alignPair(std::span<const float> first, std::span<const float> second, double rate,
                    const std::vector<Arrival>& hits, const AlignmentSettings& settings) {
    Alignment result;
    std::vector<Arrival> strongest = hits;
    std::sort(strongest.begin(), strongest.end(),
              [](const Arrival& a, const Arrival& b) { return a.levelDb > b.levelDb; });
    if (static_cast<int>(strongest.size()) > settings.mostHits)
        strongest.resize(static_cast<std::size_t>(settings.mostHits));
    const auto frames = static_cast<std::size_t>(kWindowS * rate);
    std::size_t size = 2;
    while (size < 2 * frames)
        size *= 2;
    RealFft fft(size);
    Spectra s{std::vector<Complex>(fft.bins()), std::vector<double>(fft.bins()),
              std::vector<double>(fft.bins())};
    for (const Arrival& hit : strongest) {
        const auto from = static_cast<Frames>((hit.timeS - kBeforeS) * rate);
        const auto a = fft.forward(windowAt(first, from, frames));
        const std::vector<std::complex<float>> spectrum(a.begin(), a.end());
        const auto b = fft.forward(windowAt(second, from, frames));
        for (std::size_t k = 0; k < fft.bins(); ++k) {
            const Complex x(spectrum[k]);
            const Complex y(b[k]);
            s.cross[k] += std::conj(x) * y;
            s.first[k] += std::norm(x);
            s.second[k] += std::norm(y);
        }
        ++result.hits;
    }
    if (result.hits == 0)
        return result;

    // Weight: coherence over the hits, as far as there is energy; phases count alike otherwise.
    const double binHz = rate / static_cast<double>(size);
    const double loudest = *std::max_element(s.first.begin(), s.first.end());
    RealFft fine(size * kFiner);
    std::vector<std::complex<float>> weighted(fine.bins());
    double weight = 0;
    for (std::size_t k = 0; k < fft.bins(); ++k) {
        const double own = s.first[k] * s.second[k];
        if (static_cast<double>(k) * binHz < kLowestHz || own <= 0)
            continue;
        const double coherence = std::norm(s.cross[k]) / own;
        const double share = coherence * coherence * std::sqrt(s.first[k] / loudest);
        weighted[k] = std::complex<float>(s.cross[k] / std::max(1e-30, std::abs(s.cross[k])) * share);
        weight += share;
    }
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
    double low = 0;
    double lowPower = 0;
    for (std::size_t k = 0; k < fft.bins(); ++k) {
        const double hz = static_cast<double>(k) * binHz;
        if (hz < kLowestHz || hz > kLowHz)
            continue;
        low += (s.cross[k] * std::polar(1.0, 2 * kPi * hz * delayFrames / rate)).real();
        lowPower += std::sqrt(s.first[k] * s.second[k]);
    }
    // Where the low end says nothing, the whole band has the word.
    constexpr double kSays = 0.2;
    result.isInverted = std::abs(low) > kSays * lowPower ? low < 0 : at(best) < 0;
    result.lowSumDb = lowSumDb(s, binHz, rate, 0, 1);
    result.lowSumMovedDb = lowSumDb(s, binHz, rate, delayFrames, result.isInverted ? -1 : 1);
    return result;
}

} // namespace cask::measure
