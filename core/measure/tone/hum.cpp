#include "core/measure/tone/hum.h"

#include "core/base/units.h"
#include "core/measure/real_fft.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kLowRateHz = 3000;
constexpr double kWindowS = 5;
constexpr double kPieceS = 0.020;
constexpr double kQuietS = 1.3;
constexpr double kSilentPower = 1e-12; // softer is no recording
constexpr std::size_t kFewestWindows = 3;
constexpr double kOutDb = 10;
constexpr double kSoftestDb = -96;
constexpr double kOffShare = 0.004; // of its frequency, that the mains may be off
constexpr double kNearHz = 0.9;     // what lies beside a line: from here ...
constexpr double kFarHz = 8;        // ... to here
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

/// Turns everything that is louder than the quietest third down to it, so that what sounds between the hits
/// counts. Returns the mean gain: what a steady tone has left.
double evenOut(std::vector<float>& x, std::size_t piece) {
    constexpr double kQuietShare = 0.3;
    std::vector<float> energies;
    for (std::size_t at = 0; at + piece <= x.size(); at += piece) {
        float energy = 1e-20F;
        for (std::size_t n = at; n < at + piece; ++n)
            energy += x[n] * x[n];
        energies.push_back(energy);
    }
    auto sorted = energies;
    const float quiet = quantile(sorted, kQuietShare);
    const auto gainOf = [&](std::size_t i) {
        return std::min(1.0F, std::sqrt(quiet / energies[std::min(i, energies.size() - 1)]));
    };
    double sum = 0;
    for (std::size_t n = 0; n < x.size(); ++n) {
        const float at = static_cast<float>(n) / static_cast<float>(piece);
        const auto i = static_cast<std::size_t>(at);
        const float gain = gainOf(i) + (at - static_cast<float>(i)) * (gainOf(i + 1) - gainOf(i));
        x[n] *= gain;
        sum += gain;
    }
    return sum / static_cast<double>(x.size());
}

/// Median over windows of each bin, as power of a sine.
std::vector<float> steadySpectrum(const std::vector<float>& x, std::size_t size) {
    RealFft fft(size);
    std::vector<float> hann(size);
    for (std::size_t n = 0; n < size; ++n)
        hann[n] = static_cast<float>(
            0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) / static_cast<double>(size)));
    std::vector<std::vector<float>> each(fft.bins());
    std::vector<float> piece(size);
    // A sine of amplitude a reads a * size / 4 at its bin.
    const float scale = 16.0F / (static_cast<float>(size) * static_cast<float>(size));
    for (std::size_t from = 0; from + size <= x.size(); from += size / 2) {
        for (std::size_t n = 0; n < size; ++n)
            piece[n] = hann[n] * x[from + n];
        const auto spectrum = fft.forward(piece);
        for (std::size_t k = 0; k < each.size(); ++k)
            each[k].push_back(scale * std::norm(spectrum[k]));
    }
    std::vector<float> steady(each.size());
    for (std::size_t k = 0; k < each.size(); ++k)
        steady[k] = quantile(each[k], 0.5);
    return steady;
}

/// Lines at multiples of the mains.
std::vector<HumLine> linesOf(const std::vector<float>& steady, double binHz, double mainsHz, double nearHz) {
    std::vector<HumLine> lines;
    const auto near = static_cast<std::size_t>(nearHz / binHz);
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
        for (std::size_t d = near; d <= far; ++d) {
            beside.push_back(steady[at - d]);
            beside.push_back(steady[at + d]);
        }
        // The window spreads a sine over three bins, which hold one and a half times its power.
        const double three = std::max(1e-30F, steady[at - 1] + *top + steady[at + 1]);
        const double peakHz = (static_cast<double>(at) + (steady[at + 1] - steady[at - 1]) / three) * binHz;
        const HumLine line{peakHz, powerToDb(three / 1.5),
                           powerToDb(*top) - powerToDb(quantile(beside, 0.95))};
        const bool isPeak = *top > steady[at - 1] && *top >= steady[at + 1];
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

/// Lines in the quietest moment of all, where they don't die away.
Hum humWhereQuiet(const std::vector<float>& x, double rate) {
    constexpr double kFallDb = 3; // from one half to the other: a drum's tail
    std::size_t size = 1024;
    while (static_cast<double>(size) < kQuietS * rate)
        size *= 2;
    std::size_t quietest = 0;
    double least = 1e30;
    for (std::size_t from = 0; from + size <= x.size(); from += size / 4) {
        double energy = 0;
        for (std::size_t n = from; n < from + size; ++n)
            energy += static_cast<double>(x[n]) * x[n];
        if (energy < least && energy > kSilentPower * static_cast<double>(size)) {
            least = energy;
            quietest = from;
        }
    }
    if (least == 1e30)
        return {};
    const std::vector<float> piece(x.begin() + static_cast<std::ptrdiff_t>(quietest),
                                   x.begin() + static_cast<std::ptrdiff_t>(quietest + size));
    const auto spectrum = steadySpectrum(piece, size);
    const double binHz = rate / static_cast<double>(size);
    Hum hum;
    for (const double mainsHz : {50.0, 60.0}) {
        auto lines = linesOf(spectrum, binHz, mainsHz, 4 * binHz);
        std::erase_if(lines, [&](const HumLine& line) {
            const auto half = std::span(piece).first(size / 2);
            return std::abs(toneDb(half, line.hz, rate) -
                            toneDb(std::span(piece).last(size / 2), line.hz, rate)) > kFallDb;
        });
        hum = louder(hum, humOf(lines, mainsHz));
    }
    return hum;
}

} // namespace

Hum measureHum(std::span<const float> channel, double rate) {
    const auto every = static_cast<std::size_t>(std::max(1.0, std::floor(rate / kLowRateHz)));
    const double lowRate = rate / static_cast<double>(every);
    std::size_t size = 1024;
    while (static_cast<double>(size) < kWindowS * lowRate)
        size *= 2;
    if (channel.size() / every < size / 2 * (kFewestWindows + 1))
        return {};
    auto low = thinned(channel, every);
    const Hum quiet = humWhereQuiet(low, lowRate);
    if (quiet.mainsHz > 0)
        return quiet;
    const double binHz = lowRate / static_cast<double>(size);
    const double gainDb = linearToDb(evenOut(low, static_cast<std::size_t>(kPieceS * lowRate)));
    const auto steady = steadySpectrum(low, size);
    Hum hum;
    for (const double mainsHz : {50.0, 60.0}) {
        auto lines = linesOf(steady, binHz, mainsHz, kNearHz);
        for (auto& line : lines)
            line.levelDb -= gainDb;
        hum = louder(hum, humOf(lines, mainsHz));
    }
    return hum;
}

} // namespace cask::measure
