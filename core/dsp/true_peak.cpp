#include "core/dsp/true_peak.h"

#include "core/base/units.h"
#include "core/dsp/kernels.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>

namespace cask::dsp {
namespace {

PeakTaps designPeakTaps() {
    constexpr double kBeta = 8;
    PeakTaps design;
    for (int phase = 1; phase < PeakTaps::kPhases; ++phase) {
        std::array<double, PeakTaps::kTaps> taps{};
        double sum = 0;
        for (int t = 0; t < PeakTaps::kTaps; ++t) {
            const double x = t - PeakTaps::kDelayFrames + static_cast<double>(phase) / PeakTaps::kPhases;
            const double r = std::min(1.0, std::abs(x) / PeakTaps::kDelayFrames);
            auto& tap = taps[static_cast<std::size_t>(t)];
            tap = std::sin(kPi * x) / (kPi * x) * std::cyl_bessel_i(0, kBeta * std::sqrt(1 - r * r));
            sum += tap;
        }
        double bound = 0;
        for (std::size_t t = 0; t < PeakTaps::kTaps; ++t) {
            design.byTap[PeakTaps::kTaps - 1 - t][static_cast<std::size_t>(phase - 1)] =
                static_cast<float>(taps[t] / sum);
            bound += std::abs(taps[t] / sum);
        }
        // A little more, for what single precision rounds.
        design.bound = std::max(design.bound, static_cast<float>(bound * 1.0001));
    }
    return design;
}

/// Greatest absolute value. Floats without sign order as integers do, and integers vectorise.
float greatest(std::span<const float> samples) {
    std::int32_t most = 0;
    for (const float x : samples)
        most = std::max(most, std::bit_cast<std::int32_t>(x) & 0x7fffffff);
    return std::bit_cast<float>(most);
}

} // namespace

const PeakTaps& peakTaps() {
    static const PeakTaps taps = designPeakTaps();
    return taps;
}

PeakFinder::PeakFinder() : m_kernels(&kernels()) {
    (void)peakTaps(); // designed here and not on the audio thread
}

bool PeakFinder::find(const float* samples, int stride, int frames, float limit, float* peaks) noexcept {
    for (int n = 0; n < frames; ++n)
        m_line[static_cast<std::size_t>(kBefore + n)] = samples[n * stride];
    std::fill(m_line.begin() + kBefore + frames, m_line.end(), 0.0F);
    constexpr int kCell = kLanes;
    constexpr int kCells = (kBefore + 1 + kMostFrames) / kCell;
    constexpr int kReach = (kBefore + 1) / kCell; // cells behind its own that a cell of peaks is made of
    static_assert((kBefore + 1) % kCell == 0 && kMostFrames % kCell == 0);
    std::array<float, kCells> cells;
    for (std::size_t c = 0; c < cells.size(); ++c)
        cells[c] = greatest(std::span(m_line).subspan(c * kCell, kCell));
    const PeakTaps& taps = peakTaps();
    m_greatest = *std::max_element(cells.begin(), cells.end());
    const bool matters = !(m_greatest * taps.bound <= limit);
    if (matters) {
        const int used = (frames + kCell - 1) / kCell;
        const auto isHigh = [&](int cell) {
            const auto first = cells.begin() + cell;
            return !(*std::max_element(first, first + kReach + 1) * taps.bound <= limit);
        };
        for (int from = 0, to = 0; from < used; from = to) { // cells alike that lie together
            const bool isLookedFor = isHigh(from);
            for (to = from + 1; to < used && isHigh(to) == isLookedFor; ++to) {
            }
            if (isLookedFor)
                m_kernels->peaks(taps, m_line.data() + from * kCell, (to - from) * kCell,
                                 peaks + from * kCell);
            else
                std::fill(peaks + from * kCell, peaks + to * kCell, 0.0F);
        }
    }
    std::copy_n(m_line.begin() + frames, kBefore, m_line.begin());
    return matters;
}

void TruePeakMeter::add(std::span<const float> samples, int stride) noexcept {
    std::array<float, PeakFinder::kMostFrames> peaks;
    const int frames = (static_cast<int>(samples.size()) + stride - 1) / stride;
    for (int at = 0; at < frames; at += PeakFinder::kMostFrames) {
        const int count = std::min(PeakFinder::kMostFrames, frames - at);
        if (m_finder.find(samples.data() + at * stride, stride, count, m_peak, peaks.data()))
            m_peak = std::max(m_peak, greatest(std::span(peaks).first(static_cast<std::size_t>(count))));
        m_samplePeak = std::max(m_samplePeak, m_finder.greatestSample());
    }
}

} // namespace cask::dsp
