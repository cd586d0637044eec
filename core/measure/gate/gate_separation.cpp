#include "core/measure/gate/gate_search.h"
#include "core/measure/real_fft.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kWindowS = 0.020;
constexpr double kFirstHz = 63;
constexpr int kBands = 25; // third octaves up to 16 kHz

double quantileOf(std::vector<double> values, double share) {
    const auto at = static_cast<std::ptrdiff_t>(share * static_cast<double>(values.size() - 1) + 0.5);
    std::nth_element(values.begin(), values.begin() + at, values.end());
    return values[static_cast<std::size_t>(at)];
}

} // namespace

std::vector<GateBand> measureSeparation(const GateMaterial& m, GateWants wants) {
    constexpr std::size_t kFewest = 3;
    const auto window = static_cast<std::size_t>(kWindowS * m.rateHz) / 2 * 2;
    std::size_t size = 2;
    while (size < 2 * window)
        size *= 2;
    RealFft fft(size);
    std::vector<float> piece(window);
    std::vector<std::vector<double>> own(kBands);
    std::vector<std::vector<double>> spill(kBands);
    const auto& source = m.key.empty() ? m.sound : m.key;
    for (const auto& hit : m.hits) {
        const bool isSoft = hit.hitClass == HitClass::Ghost;
        if (hit.isOwn && ((wants == GateWants::Accents && hit.hitClass != HitClass::Accent) ||
                          (wants == GateWants::Normals && isSoft)))
            continue;
        const double at = (hit.timeS - m.startS) * m.rateHz;
        if (at < 0 || static_cast<std::size_t>(at) + window > m.frames())
            continue;
        const auto from = static_cast<std::size_t>(at);
        for (std::size_t n = 0; n < window; ++n) {
            // Falling half of a Hann window: the hit begins at its top.
            const double w = 0.5 + 0.5 * std::cos(kPi * static_cast<double>(n) / static_cast<double>(window));
            piece[n] = source.front()[from + n] * static_cast<float>(w);
        }
        const auto spectrum = fft.forward(piece);
        const double hzPerBin = m.rateHz / static_cast<double>(size);
        for (int b = 0; b < kBands; ++b) {
            const double centre = kFirstHz * std::pow(2.0, b / 3.0);
            const auto low = static_cast<std::size_t>(std::floor(centre / std::pow(2.0, 1.0 / 6) / hzPerBin));
            const auto high = std::min(spectrum.size() - 1,
                                       static_cast<std::size_t>(centre * std::pow(2.0, 1.0 / 6) / hzPerBin));
            double power = 1e-20;
            for (std::size_t k = std::max<std::size_t>(1, low); k <= high; ++k)
                power += std::norm(spectrum[k]);
            const double scale = 4.0 / (static_cast<double>(window) * static_cast<double>(window));
            (hit.isOwn ? own : spill)[static_cast<std::size_t>(b)].push_back(powerToDb(scale * power));
        }
    }
    std::vector<GateBand> bands;
    if (own[0].size() < kFewest || spill[0].size() < kFewest)
        return bands;
    for (int b = 0; b < kBands; ++b) {
        const auto i = static_cast<std::size_t>(b);
        const double hz = kFirstHz * std::pow(2.0, b / 3.0);
        if (hz > 0.4 * m.rateHz)
            break;
        bands.push_back({hz, quantileOf(own[i], 0.1), quantileOf(spill[i], 0.9)});
    }
    return bands;
}

} // namespace cask::measure
