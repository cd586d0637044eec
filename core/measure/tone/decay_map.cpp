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
constexpr std::size_t kFewestFrames = 4; // of a line
constexpr double kStraightDb = 1;
constexpr double kLongestMs = 10000;

} // namespace

DecayMap measureDecayMap(const HitMaterial& m, const std::vector<ClearHit>& hits) {
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
    std::vector<double> db;
    std::size_t clear = 0; // frames until the background
    for (auto f = firstFrame(); f < powerDb.size(); ++f) {
        db.push_back(powerDb[f][bin]);
        if (clear + 1 == db.size() && db.back() >= backgroundDb[bin] + kAboveBackgroundDb)
            ++clear;
    }
    if (clear < kFewestFrames) {
        // In dense playing the background is what rings on from the hit before: it falls along with the rest.
        const auto line = fit(db);
        return db.size() >= kFewestFrames && line.roughnessDb < kStraightDb && line.ms < kLongestMs ? line.ms
                                                                                                    : 0;
    }
    db.resize(clear);
    return fit(db).ms;
}

double DecayMap::decayAroundMs(double hz, double ratio) const {
    const double leakBins = 2.5 / windowS / binHz;
    const double centre = hz / binHz;
    std::vector<double> db;
    for (auto f = firstFrame(); f < powerDb.size(); ++f) {
        double now = 0;
        double before = 0;
        for (auto k = static_cast<std::size_t>(std::max(1.0, centre / ratio));
             k < std::min(bins(), static_cast<std::size_t>(centre * ratio)); ++k)
            if (std::abs(static_cast<double>(k) - centre) > leakBins) {
                now += std::pow(10.0, powerDb[f][k] / 10);
                before += std::pow(10.0, backgroundDb[k] / 10);
            }
        if (powerToDb(now) < powerToDb(before) + kAboveBackgroundDb)
            break;
        db.push_back(powerToDb(now));
    }
    return db.size() < 2 ? 0 : fit(db).ms;
}

std::size_t DecayMap::firstFrame() const {
    return static_cast<std::size_t>(kFitFromS / stepS);
}

/// Straight line through levels that are stepS apart.
DecayMap::Line DecayMap::fit(const std::vector<double>& db) const {
    const auto n = static_cast<double>(db.size());
    double st = 0;
    double sd = 0;
    double stt = 0;
    double std = 0;
    for (std::size_t i = 0; i < db.size(); ++i) {
        const double t = static_cast<double>(i) * stepS;
        st += t;
        sd += db[i];
        stt += t * t;
        std += t * db[i];
    }
    if (db.size() < 2)
        return {};
    const double slope = (n * std - st * sd) / (n * stt - st * st); // dB a second
    const double start = (sd - slope * st) / n;
    double squares = 0;
    for (std::size_t i = 0; i < db.size(); ++i)
        squares += std::pow(db[i] - start - slope * static_cast<double>(i) * stepS, 2);
    return {slope < -60 / (0.001 * kLongestMs) ? -60000 / slope : kLongestMs, std::sqrt(squares / n)};
}

std::vector<double> surroundingsOf(const DecayMap& map, double hz) {
    constexpr double kLeakDb = 25;
    constexpr std::size_t kEnough = 2;
    const auto bin = static_cast<std::size_t>(std::lround(hz / map.binHz));
    const auto frame = map.firstFrame();
    if (bin >= map.bins() || frame >= map.powerDb.size())
        return {};
    const auto& db = map.powerDb[frame];
    const double leakBins = 2.5 / map.windowS / map.binHz; // the window spreads a tone so far
    std::vector<double> around;
    for (const double ratio : {2.0, 4.0}) {
        around.clear();
        for (auto k = static_cast<std::size_t>(std::max(1.0, hz / ratio / map.binHz));
             k + 1 < std::min(map.bins(), static_cast<std::size_t>(ratio * hz / map.binHz)); ++k)
            if (std::abs(static_cast<double>(k) - hz / map.binHz) > leakBins && db[k] > db[bin] - kLeakDb &&
                db[k] > db[k - 1] && db[k] >= db[k + 1] && map.decayMs(k) > 0)
                around.push_back(static_cast<double>(k) * map.binHz);
        if (around.size() >= kEnough)
            break;
    }
    return around;
}

DecayAgainst decayAgainst(const DecayMap& map, double hz, const std::vector<double>& aroundHz) {
    DecayAgainst decay;
    const auto binOf = [&](double at) { return static_cast<std::size_t>(std::lround(at / map.binHz)); };
    if (binOf(hz) >= map.bins() || map.firstFrame() >= map.powerDb.size())
        return decay;
    decay.ms = map.decayMs(binOf(hz));
    std::vector<double> around;
    for (const double at : aroundHz)
        if (const double ms = binOf(at) < map.bins() ? map.decayMs(binOf(at)) : 0; ms > 0)
            around.push_back(ms);
    decay.aroundMs = median(around);
    if (decay.aroundMs <= 0)
        decay.aroundMs = map.decayAroundMs(hz, 2);
    if (decay.aroundMs <= 0) // gone before it can be told
        decay.aroundMs = 1000 * (kFitFromS + map.windowS);
    return decay;
}

} // namespace cask::measure
