#include "core/measure/tone/decay_map.h"

#include "core/base/units.h"
#include "core/measure/real_fft.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kShortestWindowS = 0.040;
constexpr double kLongestWindowS = 0.085;
constexpr double kFitFromS = 0.030;
constexpr double kAboveBackgroundDb = 3;
constexpr int kFewestFrames = 4; // of a line
constexpr double kLongestMs = 10000;

} // namespace

DecayMap measureDecayMap(const GateMaterial& m, const std::vector<ClearHit>& hits) {
    DecayMap map;
    std::vector<double> lengths;
    for (const auto& hit : hits)
        lengths.push_back(hit.lengthS);
    map.windowS = std::clamp(median(lengths) / 3, kShortestWindowS, kLongestWindowS);
    const auto window = static_cast<std::size_t>(map.windowS * m.rateHz) / 2 * 2;
    std::size_t size = 2;
    while (size < 2 * window)
        size *= 2;
    RealFft fft(size);
    map.binHz = m.rateHz / static_cast<double>(size);
    std::vector<float> hann(window);
    for (std::size_t n = 0; n < window; ++n)
        hann[n] = static_cast<float>(
            0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) / static_cast<double>(window)));
    std::vector<float> piece(window);
    const auto addWindow = [&](double fromS, double weight, std::vector<double>& power) {
        const auto from = static_cast<std::size_t>(fromS * m.rateHz);
        power.resize(fft.bins(), 0);
        for (const auto& channel : m.sound) {
            for (std::size_t n = 0; n < window; ++n)
                piece[n] = from + n < channel.size() ? hann[n] * channel[from + n] : 0;
            const auto spectrum = fft.forward(piece);
            for (std::size_t k = 0; k < power.size(); ++k)
                power[k] += weight * std::norm(spectrum[k]);
        }
    };
    std::vector<std::vector<double>> sums;
    std::vector<int> counts;
    std::vector<double> background;
    int backgrounds = 0;
    for (const auto& hit : hits) {
        double energy = 1e-20;
        const auto from = static_cast<std::size_t>(hit.fromS * m.rateHz);
        const auto end = std::min(m.frames(), from + static_cast<std::size_t>(hit.lengthS * m.rateHz));
        for (const auto& channel : m.sound)
            for (std::size_t n = from; n < end; ++n)
                energy += static_cast<double>(channel[n]) * channel[n];
        for (std::size_t f = 0; static_cast<double>(f) * map.stepS + map.windowS <= hit.lengthS; ++f) {
            if (f == sums.size()) {
                sums.emplace_back();
                counts.push_back(0);
            }
            addWindow(hit.fromS + static_cast<double>(f) * map.stepS, 1 / energy, sums[f]);
            ++counts[f];
        }
        if (hit.fromS > map.windowS + 0.002) {
            addWindow(hit.fromS - map.windowS - 0.002, 1 / energy, background);
            ++backgrounds;
        }
    }
    const int enough = std::max(1, static_cast<int>(hits.size()) / 4);
    for (std::size_t f = 0; f < sums.size() && counts[f] >= enough; ++f) {
        auto& frame = map.powerDb.emplace_back(fft.bins());
        for (std::size_t k = 0; k < frame.size(); ++k)
            frame[k] = static_cast<float>(powerToDb(sums[f][k] / counts[f] + 1e-20));
    }
    map.backgroundDb.assign(fft.bins(), -200.0F);
    for (std::size_t k = 0; backgrounds > 0 && k < map.backgroundDb.size(); ++k)
        map.backgroundDb[k] = static_cast<float>(powerToDb(background[k] / backgrounds + 1e-20));
    return map;
}

double DecayMap::decayMs(std::size_t bin) const {
    double n = 0;
    double st = 0;
    double sd = 0;
    double stt = 0;
    double std = 0;
    for (auto f = static_cast<std::size_t>(kFitFromS / stepS); f < powerDb.size(); ++f) {
        const double db = powerDb[f][bin];
        if (db < backgroundDb[bin] + kAboveBackgroundDb)
            break;
        const double t = static_cast<double>(f) * stepS;
        n += 1;
        st += t;
        sd += db;
        stt += t * t;
        std += t * db;
    }
    if (n < kFewestFrames)
        return 0;
    const double slope = (n * std - st * sd) / (n * stt - st * st); // dB a second
    return slope < -60 / (0.001 * kLongestMs) ? -60000 / slope : kLongestMs;
}

} // namespace cask::measure
