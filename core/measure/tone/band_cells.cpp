#include "core/measure/tone/band_cells.h"

#include "core/measure/real_fft.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kWindowS = 0.040;
constexpr double kFirstErb = 1.14; // 30 Hz

/// log2 by the bits of a float and a parabola for the rest: within 0.01, a thirtieth of a decibel.
float fastLog2(float x) {
    const auto bits = std::bit_cast<std::uint32_t>(x);
    const float m = std::bit_cast<float>((bits & 0x007FFFFFU) | 0x3F800000U); // 1 to 2
    return static_cast<float>(static_cast<int>(bits >> 23U) - 127) + (-1.0F / 3.0F * m + 2.0F) * m -
           5.0F / 3.0F;
}

std::uint8_t quantised(float power) {
    const float db = 3.0103F * fastLog2(power + 1e-14F);
    return static_cast<std::uint8_t>(
        std::clamp(2 * (db - static_cast<float>(BandCells::kFloorDb)) + 0.5F, 0.0F, 255.0F));
}

} // namespace

double erbBandHz(int band) {
    return 1000 / 4.37 * (std::pow(10, (kFirstErb + band) / 21.4) - 1);
}

double erbPlace(double hz) {
    return 21.4 * std::log10(4.37e-3 * hz + 1) - kFirstErb;
}

BandCells measureBandCells(std::span<const CellInput> inputs, Frames frames, double rate,
                           const CancelToken& cancel) {
    std::size_t size = 512;
    while (static_cast<double>(size) < kWindowS * rate)
        size *= 2;
    RealFft fft(size);
    std::vector<float> hann(size);
    double weight = 0;
    for (std::size_t n = 0; n < size; ++n) {
        hann[n] = static_cast<float>(
            0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) / static_cast<double>(size)));
        weight += hann[n] * hann[n];
    }
    // A full-scale sine reads 0 dB: its power over one side's bins is size * weight / 4.
    const auto scale = static_cast<float>(4 / (weight * static_cast<double>(size)));
    // Every bin belongs to the band it is nearest to; a band narrower than a bin reads its nearest one.
    std::array<std::pair<std::size_t, std::size_t>, kErbBands> range;
    const double binHz = rate / static_cast<double>(size);
    const auto binAt = [&](double erb) {
        const double hz = 1000 / 4.37 * (std::pow(10, erb / 21.4) - 1);
        return std::min(fft.bins() - 1, static_cast<std::size_t>(std::lround(hz / binHz)));
    };
    for (int b = 0; b < kErbBands; ++b) {
        const auto from = binAt(kFirstErb + b - 0.5);
        range[static_cast<std::size_t>(b)] = {from, std::max(from + 1, binAt(kFirstErb + b + 0.5))};
    }

    BandCells cells;
    const auto count = static_cast<std::size_t>(static_cast<double>(frames) / rate / BandCells::kHopS);
    cells.levels.resize(count * kErbBands);
    std::vector<float> powers(count * kErbBands, 0.0F);
    std::vector<float> piece(size);
    std::vector<float> windowed(size);
    for (const auto& input : inputs)
        for (std::size_t c = 0; c < count && input.source != nullptr; ++c) {
            if (c % 256 == 0 && cancel.isCancelled())
                return {};
            const auto middle =
                static_cast<Frames>(std::llround((static_cast<double>(c) + 0.5) * BandCells::kHopS * rate));
            (void)input.source->read(input.channel,
                                     middle - static_cast<Frames>(size / 2) - input.delayFrames, piece);
            for (std::size_t n = 0; n < size; ++n)
                windowed[n] = hann[n] * piece[n];
            const auto spectrum = fft.forward(windowed);
            const float factor = scale * static_cast<float>(input.gain * input.gain);
            for (std::size_t b = 0; b < kErbBands; ++b) {
                float sum = 0;
                for (std::size_t k = range[b].first; k < range[b].second; ++k)
                    sum += std::norm(spectrum[k]);
                powers[c * kErbBands + b] += factor * sum;
            }
        }
    for (std::size_t i = 0; i < powers.size(); ++i)
        cells.levels[i] = quantised(powers[i]);
    return cells;
}

} // namespace cask::measure
