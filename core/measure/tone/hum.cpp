#include "core/measure/tone/hum.h"

#include "core/base/units.h"
#include "core/measure/real_fft.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kLowRateHz = 3000;
constexpr double kQuietS = 1.3;
constexpr double kFallDb = 3;          // from one half of it to the other: a drum's tail
constexpr std::size_t kNearBins = 4;   // what lies beside a line begins there
constexpr double kSilentPower = 1e-12; // softer is no recording
constexpr double kOutDb = 10;
constexpr double kBesideRank = 0.6;
constexpr float kOverAll = 1.6F; // 2 dB, as power
constexpr double kSoftestDb = -96;
constexpr double kOffShare = 0.004; // of its frequency, that the mains may be off
constexpr double kFarHz = 8;        // and ends here
constexpr int kHarmonics = 10;

/// Every so many frames one, each a triangle over twice as many: hum is low, and what folds down is soft.
std::vector<float> thinned(std::span<const float> x, std::size_t every) {
    std::vector<float> weights(2 * every);
    for (std::size_t n = 0; n < every; ++n)
        weights[n] = weights[2 * every - 1 - n] =
            (static_cast<float>(n) + 0.5F) / static_cast<float>(every * every);
    std::vector<float> out;
    for (std::size_t at = 0; at + 2 * every <= x.size(); at += every) {
        float sum = 0;
        for (std::size_t n = 0; n < weights.size(); ++n)
            sum += weights[n] * x[at + n];
        out.push_back(sum);
    }
    return out;
}

/// Power of each bin, of a sine.
std::vector<float> spectrumOf(const std::vector<float>& x) {
    RealFft fft(x.size());
    std::vector<float> windowed(x.size());
    for (std::size_t n = 0; n < x.size(); ++n)
        windowed[n] = x[n] * static_cast<float>(0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) /
                                                                     static_cast<double>(x.size())));
    // A sine of amplitude a reads a * size / 4 at its bin.
    const float scale = 16.0F / (static_cast<float>(x.size()) * static_cast<float>(x.size()));
    std::vector<float> power;
    for (const auto& bin : fft.forward(windowed))
        power.push_back(scale * std::norm(bin));
    return power;
}

/// Lines at multiples of the mains.
std::vector<HumLine> linesOf(const std::vector<float>& steady, double binHz, double mainsHz) {
    std::vector<HumLine> lines;
    const auto far = static_cast<std::size_t>(kFarHz / binHz);
    for (int harmonic = 1; harmonic <= kHarmonics; ++harmonic) {
        const double hz = harmonic * mainsHz;
        const auto centre = static_cast<std::size_t>(std::lround(hz / binHz));
        const auto off = static_cast<std::size_t>(std::ceil(kOffShare * hz / binHz));
        if (centre + off + far + 1 >= steady.size() || centre < off + far + 1)
            continue;
        const auto begin = steady.begin() + static_cast<std::ptrdiff_t>(centre - off);
        const auto top = std::max_element(begin, begin + static_cast<std::ptrdiff_t>(2 * off + 1));
        const auto at = static_cast<std::size_t>(top - steady.begin());
        std::vector<float> beside;
        for (std::size_t d = kNearBins; d <= far; ++d) {
            beside.push_back(steady[at - d]);
            beside.push_back(steady[at + d]);
        }
        // The window spreads a sine over three bins, which hold one and a half times its power.
        const double three = std::max(1e-30F, steady[at - 1] + *top + steady[at + 1]);
        const double peakHz = (static_cast<double>(at) + (steady[at + 1] - steady[at - 1]) / three) * binHz;
        const HumLine line{peakHz, powerToDb(three / 1.5),
                           powerToDb(*top) - powerToDb(quantile(beside, kBesideRank))};
        // Hits at an even pace have lines too, but always several alike.
        const bool isPeak = *top > steady[at - 1] && *top >= steady[at + 1] &&
                            *top > kOverAll * *std::max_element(beside.begin(), beside.end());
        if (isPeak && std::abs(peakHz - hz) <= kOffShare * hz + 0.1 * binHz && line.excessDb >= kOutDb &&
            line.levelDb >= kSoftestDb)
            lines.push_back(line);
    }
    return lines;
}

Hum humOf(const std::vector<HumLine>& lines, double mainsHz) {
    const bool hasFirst = !lines.empty() && lines.front().hz < 1.5 * mainsHz;
    if (lines.empty() || (!hasFirst && lines.size() < 2))
        return {};
    double power = 0;
    for (const auto& line : lines)
        power += std::pow(10.0, line.levelDb / 10);
    return {mainsHz, powerToDb(power), lines};
}

Hum louder(const Hum& a, const Hum& b) {
    return a.mainsHz == 0 || (b.mainsHz > 0 && b.levelDb > a.levelDb) ? b : a;
}

/// Level of a tone in a stretch, by correlation under a Hann window.
double toneDb(std::span<const float> x, double hz, double rate) {
    double re = 0;
    double im = 0;
    double sum = 0;
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double w =
            0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) / static_cast<double>(x.size()));
        const double phase = 2 * kPi * hz * static_cast<double>(n) / rate;
        re += w * x[n] * std::cos(phase);
        im += w * x[n] * std::sin(phase);
        sum += w;
    }
    return linearToDb(2 * std::hypot(re, im) / sum);
}

/// The quietest stretch of so many frames that is no digital silence; empty when there is none.
std::vector<float> quietest(const std::vector<float>& x, std::size_t size) {
    std::size_t best = x.size();
    double least = 1e30;
    for (std::size_t from = 0; from + size <= x.size(); from += size / 4) {
        double energy = 0;
        for (std::size_t n = from; n < from + size; ++n)
            energy += static_cast<double>(x[n]) * x[n];
        if (energy < least && energy > kSilentPower * static_cast<double>(size)) {
            least = energy;
            best = from;
        }
    }
    const auto begin = x.begin() + static_cast<std::ptrdiff_t>(best);
    return best == x.size() ? std::vector<float>()
                            : std::vector<float>(begin, begin + static_cast<std::ptrdiff_t>(size));
}

} // namespace

Hum measureHum(std::span<const float> channel, double rate) {
    const auto every = static_cast<std::size_t>(std::max(1.0, std::floor(rate / kLowRateHz)));
    const double lowRate = rate / static_cast<double>(every);
    std::size_t size = 1024;
    while (static_cast<double>(size) < kQuietS * lowRate)
        size *= 2;
    const auto piece = quietest(thinned(channel, every), size);
    if (piece.empty())
        return {};
    const auto spectrum = spectrumOf(piece);
    const auto halves = std::pair(std::span(piece).first(size / 2), std::span(piece).last(size / 2));
    Hum hum;
    for (const double mainsHz : {50.0, 60.0}) {
        auto lines = linesOf(spectrum, lowRate / static_cast<double>(size), mainsHz);
        std::erase_if(lines, [&](const HumLine& line) {
            return std::abs(toneDb(halves.first, line.hz, lowRate) -
                            toneDb(halves.second, line.hz, lowRate)) > kFallDb;
        });
        hum = louder(hum, humOf(lines, mainsHz));
    }
    return hum;
}

} // namespace cask::measure
