#include "core/measure/gate/gate_search.h"
#include "core/measure/real_fft.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kWindowS = 0.020;
constexpr double kFirstHz = 63;
constexpr int kBands = 25; // third octaves up to 16 kHz

} // namespace

HitSpectra hitSpectra(const HitMaterial& m) {
    HitSpectra spectra;
    for (int b = 0; b < kBands; ++b)
        if (const double hz = kFirstHz * std::pow(2.0, b / 3.0); hz <= 0.4 * m.rateHz)
            spectra.hz.push_back(hz);
    const auto window = static_cast<std::size_t>(kWindowS * m.rateHz) / 2 * 2;
    std::size_t size = 2;
    while (size < 2 * window)
        size *= 2;
    RealFft fft(size);
    const double hzPerBin = m.rateHz / static_cast<double>(size);
    std::vector<float> falling(window); // half of a Hann window: the hit begins at its top
    for (std::size_t n = 0; n < window; ++n)
        falling[n] = static_cast<float>(
            0.5 + 0.5 * std::cos(kPi * static_cast<double>(n) / static_cast<double>(window)));
    std::vector<float> piece(window);
    const auto& source = m.key.empty() ? m.sound : m.key;
    for (const auto& hit : m.hits) {
        auto& powers = spectra.powers.emplace_back();
        const double at = (hit.timeS - m.startS) * m.rateHz;
        if (at < 0 || static_cast<std::size_t>(at) + window > m.frames())
            continue;
        const auto from = static_cast<std::size_t>(at);
        for (std::size_t n = 0; n < window; ++n)
            piece[n] = source.front()[from + n] * falling[n];
        const auto spectrum = fft.forward(piece);
        const double scale = 4.0 / (static_cast<double>(window) * static_cast<double>(window));
        for (const double centre : spectra.hz) {
            const auto low = static_cast<std::size_t>(centre / std::pow(2.0, 1.0 / 6) / hzPerBin);
            const auto high = std::min(spectrum.size() - 1,
                                       static_cast<std::size_t>(centre * std::pow(2.0, 1.0 / 6) / hzPerBin));
            double power = 1e-20;
            for (std::size_t k = std::max<std::size_t>(1, low); k <= high; ++k)
                power += std::norm(spectrum[k]);
            powers.push_back(scale * power);
        }
    }
    return spectra;
}

std::vector<GateBand> separationOf(const HitMaterial& m, const HitSpectra& spectra, GateWants wants) {
    constexpr std::size_t kFewest = 3;
    std::vector<GateBand> bands;
    for (std::size_t b = 0; b < spectra.hz.size(); ++b) {
        std::vector<double> own;
        std::vector<double> spill;
        for (std::size_t i = 0; i < m.hits.size(); ++i) {
            if (spectra.powers[i].empty() || (m.hits[i].isOwn && !isWanted(m.hits[i], wants)))
                continue;
            (m.hits[i].isOwn ? own : spill).push_back(powerToDb(spectra.powers[i][b]));
        }
        if (own.size() < kFewest || spill.size() < kFewest)
            return {};
        bands.push_back({spectra.hz[b], quantile(own, 0.1), quantile(spill, 0.9)});
    }
    return bands;
}

std::vector<GateBand> measureSeparation(const HitMaterial& material, GateWants wants) {
    return separationOf(material, hitSpectra(material), wants);
}

} // namespace cask::measure
