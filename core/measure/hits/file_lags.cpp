#include "core/measure/hits/file_lags.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace cask::measure {
namespace {

constexpr double kMostLagS = 0.06; // less than a sixteenth at any usual tempo
constexpr double kBinS = 0.0005;
constexpr double kAgreeS = 0.004;
constexpr int kLeastCount = 8;
constexpr double kLeastShare = 0.2;    // of all arrivals
constexpr double kLeastNatural = 0.35; // of the greatest peak
constexpr double kLeastContrast = 3;

} // namespace

std::optional<double> sharpPeak(const std::vector<double>& a, const std::vector<double>& b, double naturalS) {
    const auto bins = static_cast<std::size_t>(2 * kMostLagS / kBinS) + 1;
    std::vector<int> count(bins);
    std::size_t from = 0;
    for (const double t : a) {
        while (from < b.size() && b[from] < t - kMostLagS)
            ++from;
        for (std::size_t i = from; i < b.size() && b[i] <= t + kMostLagS; ++i)
            ++count[static_cast<std::size_t>((t - b[i] + kMostLagS) / kBinS)];
    }
    // Three bins together, against what lies up to 10 ms around.
    const auto sum = [&](std::ptrdiff_t at, std::ptrdiff_t reach) {
        int total = 0;
        for (std::ptrdiff_t i = std::max<std::ptrdiff_t>(0, at - reach);
             i <= std::min(static_cast<std::ptrdiff_t>(bins) - 1, at + reach); ++i)
            total += count[static_cast<std::size_t>(i)];
        return total;
    };
    std::ptrdiff_t best = 0;
    std::ptrdiff_t natural = static_cast<std::ptrdiff_t>(bins) / 2;
    for (std::ptrdiff_t i = 0; i < static_cast<std::ptrdiff_t>(bins); ++i) {
        if (sum(i, 1) > sum(best, 1))
            best = i;
        if (std::abs((static_cast<double>(i) + 0.5) * kBinS - kMostLagS) < naturalS &&
            sum(i, 1) > sum(natural, 1))
            natural = i;
    }
    // Players repeat themselves: a peak aside means little when there is one where it should be.
    if (sum(natural, 1) > kLeastNatural * sum(best, 1))
        best = natural;
    const int peak = sum(best, 1);
    const double around = static_cast<double>(sum(best, 20) - sum(best, 3)) / 34 * 3;
    const auto shorter = static_cast<double>(std::min(a.size(), b.size()));
    if (peak < kLeastCount || peak < kLeastShare * shorter || peak < kLeastContrast * around)
        return std::nullopt;
    return (static_cast<double>(best) + 0.5) * kBinS - kMostLagS;
}

std::vector<double> findFileLags(const KitModel& kit, std::span<const HitInput> inputs,
                                 const std::vector<std::vector<Arrival>>& arrivals) {
    std::vector<double> lags(inputs.size(), 0);
    std::vector<std::vector<double>> times(inputs.size());
    for (const int input : kit.listening) {
        const auto i = static_cast<std::size_t>(input);
        for (const auto& a : arrivals[i])
            times[i].push_back(a.timeS + inputs[i].offsetS);
    }
    for (const int input : kit.listening) {
        const auto i = static_cast<std::size_t>(input);
        std::vector<double> peaks;
        for (const int other : kit.listening)
            if (other != input)
                if (const auto peak =
                        sharpPeak(times[i], times[static_cast<std::size_t>(other)], kNaturalCloseS))
                    peaks.push_back(*peak);
        if (peaks.size() < 3)
            continue;
        std::sort(peaks.begin(), peaks.end());
        const double middle = peaks[peaks.size() / 2];
        const auto agreeing = std::count_if(peaks.begin(), peaks.end(),
                                            [&](double p) { return std::abs(p - middle) < kAgreeS; });
        const double natural = kit.drumOf[i] >= 0 ? kNaturalCloseS : kNaturalAmbientS;
        if (std::abs(middle) > natural && 4 * static_cast<std::size_t>(agreeing) >= 3 * peaks.size())
            lags[i] = middle;
    }
    // A second microphone at a drum is hardly farther than a metre and a half from the first.
    constexpr double kNaturalPartnerS = 0.0035;
    for (const auto& drum : kit.drums)
        for (std::size_t k = 1; k < drum.inputs.size(); ++k) {
            const auto second = static_cast<std::size_t>(drum.inputs[k]);
            const auto peak = sharpPeak(times[second], times[static_cast<std::size_t>(drum.inputs.front())],
                                        kNaturalCloseS);
            // Against the first as it is put right.
            const double lag = peak ? *peak + lags[static_cast<std::size_t>(drum.inputs.front())] : 0;
            if (lags[second] == 0 && std::abs(lag) > kNaturalPartnerS)
                lags[second] = lag;
        }
    // When most were aside, it is the few others that are.
    const auto aside = std::count_if(lags.begin(), lags.end(), [](double l) { return l != 0; });
    if (2 * static_cast<std::size_t>(aside) > kit.listening.size())
        std::fill(lags.begin(), lags.end(), 0);
    return lags;
}

} // namespace cask::measure
