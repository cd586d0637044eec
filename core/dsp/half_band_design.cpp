#include "core/dsp/half_band_design.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>
#include <tuple>

namespace cask::dsp {
namespace {

/// The taps of one half of a half-band, from its middle outwards, and how far its pass band is from 1 at
/// most.
struct Design {
    std::vector<double> half;
    double error = 0;
};

/// a x = b by elimination; b becomes x.
void solve(std::vector<std::vector<double>>& a, std::vector<double>& b) {
    const std::size_t n = b.size();
    for (std::size_t c = 0; c < n; ++c) {
        std::size_t pivot = c;
        for (std::size_t r = c + 1; r < n; ++r)
            if (std::abs(a[r][c]) > std::abs(a[pivot][c]))
                pivot = r;
        std::swap(a[c], a[pivot]);
        std::swap(b[c], b[pivot]);
        for (std::size_t r = c + 1; r < n; ++r) {
            const double times = a[r][c] / a[c][c];
            for (std::size_t k = c; k < n; ++k)
                a[r][k] -= times * a[c][k];
            b[r] -= times * b[c];
        }
    }
    for (std::size_t c = n; c-- > 0;) {
        for (std::size_t k = c + 1; k < n; ++k)
            b[c] -= a[c][k] * b[k];
        b[c] /= a[c][c];
    }
}

double basis(std::size_t k, double angle) {
    return 2 * std::cos((static_cast<double>(k) + 0.5) * angle);
}

/// By the exchange of Parks and McClellan (1972) for one band: the sum of the odd taps is to be 1/2 from 0 to
/// `end`; where it is farthest from that the error has one size and changing signs.
Design designHalf(std::size_t count, double end) {
    constexpr int kMostExchanges = 40;
    const std::size_t points = 16 * count + 1;
    const auto angleOf = [&](std::size_t i) {
        return end * static_cast<double>(i) / static_cast<double>(points - 1);
    };
    std::vector<std::size_t> farthest;
    for (std::size_t i = 0; i <= count; ++i) // closer together towards the end, as they will be
        farthest.push_back(static_cast<std::size_t>(
            std::lround(static_cast<double>(points - 1) *
                        std::sin(0.5 * kPi * static_cast<double>(i) / static_cast<double>(count)))));
    Design design;
    for (int exchange = 0; exchange < kMostExchanges; ++exchange) {
        std::vector<std::vector<double>> rows;
        std::vector<double> values(count + 1, 0.5);
        for (std::size_t i = 0; i <= count; ++i) {
            auto& row = rows.emplace_back();
            for (std::size_t k = 0; k < count; ++k)
                row.push_back(basis(k, angleOf(farthest[i])));
            row.push_back(i % 2 == 0 ? 1 : -1);
        }
        solve(rows, values);
        values.pop_back();
        design = {values, 0};
        // Of each stretch of one sign, the farthest.
        std::vector<std::size_t> next;
        double last = 0;
        for (std::size_t i = 0; i < points; ++i) {
            double error = -0.5;
            for (std::size_t k = 0; k < count; ++k)
                error += values[k] * basis(k, angleOf(i));
            design.error = std::max(design.error, std::abs(error));
            if (next.empty() || (error < 0) != (last < 0)) {
                next.push_back(i);
                last = error;
            } else if (std::abs(error) > std::abs(last)) {
                next.back() = i;
                last = error;
            }
        }
        if (next.size() != count + 1 || next == farthest)
            break; // as good as doubles have it, or done
        farthest = next;
    }
    return design;
}

std::vector<double> designTaps(double pass, double stopDb, int step) {
    const double most = std::pow(10, -stopDb / 20);
    // Kaiser (1974): how long it will be, about; from a little below.
    const double taps = 0.5 * (stopDb - 13) / (14.6 * (0.5 - 2 * pass)) + 1;
    auto count = static_cast<std::size_t>(step / 2 * std::max(1, static_cast<int>(0.8 * taps / step)));
    Design design = designHalf(count, 4 * kPi * pass);
    while (design.error > most) {
        count += static_cast<std::size_t>(step / 2);
        design = designHalf(count, 4 * kPi * pass);
    }
    std::vector<double> all(design.half.rbegin(), design.half.rend());
    all.insert(all.end(), design.half.begin(), design.half.end());
    return all;
}

} // namespace

const std::vector<double>& halfBandTaps(double pass, double stopDb, int step) {
    static std::mutex mutex;
    static std::map<std::tuple<double, double, int>, std::vector<double>> known;
    const std::lock_guard lock(mutex);
    auto& taps = known[{pass, stopDb, step}];
    if (taps.empty())
        taps = designTaps(pass, stopDb, step);
    return taps;
}

} // namespace cask::dsp
