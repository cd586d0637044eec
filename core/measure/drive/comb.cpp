#include "core/measure/drive/comb.h"

#include "core/measure/real_fft.h"
#include "core/measure/spectrum.h"

#include <algorithm>
#include <cmath>
#include <complex>

namespace cask::measure {
namespace {

constexpr double kWindowS = 0.17;
constexpr double kLeastCoherence = 0.5;
constexpr double kQuietDb = -40;
constexpr double kLeastDipDb = 1;
constexpr double kExplains = 0.75;
constexpr double kCombFromHz = 25;
constexpr double kCombToHz = 16000;
constexpr int kPerOctave = 12;

using Complex = std::complex<double>;

struct CrossSpectra {
    std::vector<double> dry, wet;
    std::vector<Complex> cross; ///< wet by conjugate dry
    double binHz = 0;
};

std::vector<float> sumOf(const Sound& sound) {
    std::vector<float> sum(sound.empty() ? 0 : sound.front().size(), 0.0F);
    for (const auto& channel : sound)
        for (std::size_t n = 0; n < sum.size(); ++n)
            sum[n] += channel[n];
    return sum;
}

CrossSpectra crossOf(const std::vector<float>& dry, const std::vector<float>& wet, double rateHz) {
    std::size_t size = 256;
    while (static_cast<double>(size) < kWindowS * rateHz)
        size *= 2;
    RealFft fft(size);
    CrossSpectra c;
    c.binHz = rateHz / static_cast<double>(size);
    c.dry.assign(fft.bins(), 0);
    c.wet = c.dry;
    c.cross.assign(fft.bins(), 0);
    std::vector<float> window(size);
    std::vector<std::complex<float>> first;
    const auto windowed = [&](const std::vector<float>& x, std::size_t at) {
        for (std::size_t n = 0; n < size; ++n)
            window[n] =
                at + n < x.size()
                    ? x[at + n] * static_cast<float>(0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) /
                                                                          static_cast<double>(size)))
                    : 0.0F;
        return fft.forward(window);
    };
    for (std::size_t at = 0; at < dry.size(); at += size / 2) {
        const auto d = windowed(dry, at);
        first.assign(d.begin(), d.end());
        const auto w = windowed(wet, at);
        for (std::size_t k = 0; k < first.size(); ++k) {
            c.dry[k] += static_cast<double>(std::norm(first[k]));
            c.wet[k] += static_cast<double>(std::norm(w[k]));
            c.cross[k] += Complex(w[k]) * std::conj(Complex(first[k]));
        }
    }
    return c;
}

/// Sums of a third of what is told, around a frequency.
struct Band {
    double dry = 0, wet = 0;
    Complex cross;
    [[nodiscard]] Complex fit() const { return dry > 0 ? cross / dry : Complex(0); }
    [[nodiscard]] double coherence() const {
        return dry > 0 && wet > 0 ? std::min(1.0, std::norm(cross) / (dry * wet)) : 0;
    }
};

/// `turn`: what the wet sound's spectrum is multiplied by.
template <class Turn> Band bandAt(const CrossSpectra& c, double hz, double octaves, const Turn& turn) {
    const auto from =
        static_cast<std::size_t>(std::max(1.0, std::floor(hz * std::exp2(-octaves / 2) / c.binHz)));
    const auto to = std::min(c.dry.size() - 1,
                             static_cast<std::size_t>(std::ceil(hz * std::exp2(octaves / 2) / c.binHz)));
    Band band;
    for (std::size_t k = from; k <= to; ++k) {
        band.dry += c.dry[k];
        band.wet += c.wet[k];
        band.cross += c.cross[k] * turn(static_cast<double>(k) * c.binHz);
    }
    return band;
}

Complex unturned(double /*hz*/) {
    return 1;
}

double sumDbOf(const Band& band, double gain) {
    return 20 * std::log10(std::max(1e-6, std::abs(1.0 + gain * band.fit())));
}

/// Where wet comes to after dry, in seconds, with its sign: the greatest value of the response that the
/// coherent part of the spectrum has, between its samples by a parabola.
std::pair<double, bool> delayOf(const CrossSpectra& c, double rateHz) {
    const std::size_t size = 2 * (c.dry.size() - 1);
    RealFft fft(size);
    std::vector<std::complex<float>> response(c.dry.size());
    for (std::size_t k = 1; k < response.size(); ++k) {
        const double both = std::sqrt(c.dry[k] * c.wet[k]);
        // Phase alone, by how far both belong together and how loud they are.
        if (both > 0)
            response[k] = std::complex<float>(c.cross[k] / both * std::sqrt(std::sqrt(both)));
    }
    const auto impulse = fft.inverse(response);
    const std::size_t reach = std::min(size / 2 - 2, static_cast<std::size_t>(0.06 * rateHz));
    const auto at = [&](std::ptrdiff_t lag) {
        return impulse[lag < 0 ? size - static_cast<std::size_t>(-lag) : static_cast<std::size_t>(lag)];
    };
    std::ptrdiff_t best = 0;
    for (auto lag = -static_cast<std::ptrdiff_t>(reach); lag <= static_cast<std::ptrdiff_t>(reach); ++lag)
        if (std::abs(at(lag)) > std::abs(at(best)))
            best = lag;
    const double a = std::abs(at(best - 1));
    const double b = std::abs(at(best));
    const double d = std::abs(at(best + 1));
    const double bend = a - 2 * b + d;
    const double part = bend < 0 ? std::clamp(0.5 * (a - d) / bend, -0.5, 0.5) : 0;
    return {(static_cast<double>(best) + part) / rateHz, at(best) < 0};
}

} // namespace

double Comb::dipAt(double frequencyHz) const {
    double deepest = 0;
    for (std::size_t i = 0; i < hz.size(); ++i)
        if (std::abs(std::log2(hz[i] / frequencyHz)) < 1.0 / 6 && coherence[i] > kLeastCoherence)
            deepest = std::max(deepest, -sumDb[i]);
    return deepest;
}

Comb combOf(const Sound& dry, const Sound& wet, double rateHz, double wetGain) {
    Comb comb;
    const auto d = sumOf(dry);
    const auto w = sumOf(wet);
    if (d.empty() || w.empty())
        return comb;
    const auto c = crossOf(d, w, rateHz);
    const auto [delayS, comesInverted] = delayOf(c, rateHz);
    const bool isInverted = comesInverted != (wetGain < 0);
    comb.delayMs = 1000 * delayS;
    comb.isInverted = isInverted;
    constexpr double kWide = 1.0 / 6;
    std::vector<double> powers;
    for (double hz = kCombFromHz; hz < std::min(kCombToHz, 0.45 * rateHz);
         hz *= std::exp2(1.0 / kPerOctave)) {
        const Band band = bandAt(c, hz, kWide, unturned);
        comb.hz.push_back(hz);
        comb.sumDb.push_back(sumDbOf(band, wetGain));
        comb.coherence.push_back(band.coherence());
        powers.push_back(band.dry);
        comb.wetDb.push_back(band.wet * wetGain * wetGain);
    }
    const double loudest = *std::max_element(powers.begin(), powers.end());
    const auto againstLoudest = [&](double power) {
        return loudest > 0 && power > 0 ? std::max(kSilenceDb, 10 * std::log10(power / loudest)) : kSilenceDb;
    };
    std::transform(powers.begin(), powers.end(), std::back_inserter(comb.dryDb), againstLoudest);
    std::transform(comb.wetDb.begin(), comb.wetDb.end(), comb.wetDb.begin(), againstLoudest);
    double weighed = 0;
    double all = 0;
    for (std::size_t i = 0; i < powers.size(); ++i) {
        weighed += powers[i] * comb.coherence[i];
        all += powers[i];
    }
    comb.likeness = all > 0 ? weighed / all : 0;
    const auto shifted = [&, late = delayS](double hz) { return std::polar(1.0, 2 * kPi * hz * late); };
    for (std::size_t i = 0; i < comb.hz.size(); ++i) {
        const double depth = -comb.sumDb[i];
        const bool isLowest = (i == 0 || comb.sumDb[i - 1] >= comb.sumDb[i]) &&
                              (i + 1 == comb.hz.size() || comb.sumDb[i + 1] > comb.sumDb[i]);
        if (depth < kLeastDipDb || !isLowest || comb.coherence[i] < kLeastCoherence ||
            powers[i] < loudest * std::pow(10.0, kQuietDb / 10))
            continue;
        const double hz = comb.hz[i];
        const auto leaves = [&](double sign, bool isShifted) {
            const Band band = bandAt(
                c, hz, kWide, [&](double at) { return sign * (isShifted ? shifted(at) : Complex(1)); });
            return std::max(0.0, -sumDbOf(band, wetGain));
        };
        const double wanted = (1 - kExplains) * depth;
        // A sound that is inverted and in time needs no shift; one that is late by little no inversion.
        const bool isLate = std::abs(delayS) * rateHz > 0.5;
        CombCause cause = CombCause::Phase;
        if (isLate && leaves(1, true) <= wanted)
            cause = CombCause::Delay;
        else if (isInverted && (leaves(-1, false) <= wanted || leaves(-1, true) <= wanted))
            cause = CombCause::Polarity;
        comb.dips.push_back({hz, depth, cause});
    }
    std::stable_sort(comb.dips.begin(), comb.dips.end(),
                     [](const CombDip& a, const CombDip& b) { return a.depthDb > b.depthDb; });
    return comb;
}

} // namespace cask::measure
