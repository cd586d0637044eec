#include "core/measure/balance/kit_powers.h"

#include "core/measure/integrated_loudness.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

constexpr int kMostWindows = 48;

/// Time in which the energy of a stroke falls to 1/e, for how much of it lies in a stretch.
double fallS(Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
    case Role::SnareTop:
    case Role::SnareBottom:
    case Role::Clap:
        return 0.05;
    case Role::SideStick:
        return 0.03;
    case Role::ClosedHat:
        return 0.05;
    case Role::OpenHat:
    case Role::RackTom:
    case Role::FloorTom:
        return 0.12;
    case Role::Ride:
        return 0.3;
    case Role::Crash:
        return 0.5;
    default:
        return 0.1;
    }
}

/// Parts (not under 0) whose sums by their shares come nearest to the sums that were heard, as counts are
/// fitted (Kullback-Leibler, by multiplication: Lee and Seung 1999): what was heard in all is kept, so
/// neither the loud stretches nor the soft ones decide alone. `shares`: of each part, by stretch.
std::vector<double> parted(const std::vector<std::vector<double>>& shares, const std::vector<double>& heard) {
    constexpr int kRounds = 200;
    const std::size_t parts = shares.empty() ? 0 : shares.front().size();
    std::vector<double> all(parts, 0.0);
    double sum = 0;
    for (const auto& at : shares)
        for (std::size_t d = 0; d < parts; ++d) {
            all[d] += at[d];
            sum += at[d];
        }
    const double mean = sum > 0 ? std::accumulate(heard.begin(), heard.end(), 0.0) / sum : 0;
    std::vector<double> x(parts, mean);
    for (int round = 0; round < kRounds && mean > 0; ++round) {
        std::vector<double> up(parts, 0.0);
        for (std::size_t k = 0; k < shares.size(); ++k) {
            const double model = std::inner_product(x.begin(), x.end(), shares[k].begin(), 0.0);
            if (model > 0)
                for (std::size_t d = 0; d < parts; ++d)
                    up[d] += shares[k][d] * heard[k] / model;
        }
        for (std::size_t d = 0; d < parts; ++d)
            x[d] = all[d] > 0 ? x[d] * up[d] / all[d] : 0;
    }
    return x;
}

/// The same of sums that may be under 0: least squares, each stretch by its weight.
std::vector<double> partedFreely(const std::vector<std::vector<double>>& shares,
                                 const std::vector<double>& heard, const std::vector<double>& weights) {
    constexpr int kRounds = 100;
    constexpr double kRidge = 1e-3;
    const std::size_t parts = shares.empty() ? 0 : shares.front().size();
    std::vector<double> squares(parts * parts, 0.0);
    std::vector<double> sides(parts, 0.0);
    for (std::size_t k = 0; k < shares.size(); ++k)
        for (std::size_t d = 0; d < parts; ++d) {
            if (shares[k][d] == 0)
                continue;
            const double weighed = weights[k] * shares[k][d];
            sides[d] += weighed * heard[k];
            for (std::size_t e = 0; e < parts; ++e)
                squares[d * parts + e] += weighed * shares[k][e];
        }
    std::vector<double> x(parts, 0.0);
    for (int round = 0; round < kRounds; ++round)
        for (std::size_t d = 0; d < parts; ++d) {
            const double own = squares[d * parts + d];
            double rest = sides[d];
            for (std::size_t e = 0; e < parts; ++e)
                rest -= e == d ? 0 : squares[d * parts + e] * x[e];
            x[d] = own > 0 ? rest / (own * (1 + kRidge)) : 0;
        }
    return x;
}

} // namespace

double KitPowers::power(int drum, std::span<const double> gains) const {
    double sum = 0;
    for (int i = 0; i < m_channels; ++i) {
        const double gain = gains[static_cast<std::size_t>(i)];
        if (gain == 0)
            continue;
        for (int j = 0; j < m_channels; ++j)
            sum += gain * gains[static_cast<std::size_t>(j)] * product(drum, i, j);
    }
    return std::max(0.0, sum);
}

double lufsOf(double meanSquares) {
    constexpr double kOffsetDb = -0.691; // ITU-R BS.1770
    return meanSquares <= 0 ? kSilenceDb : kOffsetDb + powerToDb(meanSquares);
}

KitPowerMeter::KitPowerMeter(double rateHz, std::vector<Role> roles, std::vector<BalanceStroke> strokes,
                             int channels)
    : m_rateHz(rateHz), m_roles(std::move(roles)), m_strokes(std::move(strokes)),
      m_middleDb(m_roles.size(), 0.0), m_channels(channels),
      m_filters(static_cast<std::size_t>((channels + dsp::kLanes - 1) / dsp::kLanes), loudnessBank(rateHz)),
      m_heard(static_cast<std::size_t>(channels)) {
    std::sort(m_strokes.begin(), m_strokes.end(),
              [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    for (std::size_t d = 0; d < m_roles.size(); ++d) {
        std::vector<double> levels;
        std::vector<double> times;
        for (const auto& stroke : m_strokes)
            if (stroke.drum == static_cast<int>(d) && stroke.isCounted && stroke.timeS >= 0) {
                levels.push_back(stroke.levelDb);
                times.push_back(stroke.timeS);
            }
        if (levels.empty())
            continue;
        m_middleDb[d] = median(std::move(levels));
        const std::size_t count = std::min<std::size_t>(kMostWindows, times.size());
        for (std::size_t k = 0; k < count; ++k) {
            const auto from = static_cast<Frames>(times[k * times.size() / count] * m_rateHz);
            m_windows.push_back({static_cast<int>(d), from, from + static_cast<Frames>(kWindowS * m_rateHz),
                                 std::vector<double>(pairs(), 0.0)});
        }
    }
    std::sort(m_windows.begin(), m_windows.end(),
              [](const auto& a, const auto& b) { return a.from < b.from; });
}

void KitPowerMeter::gather(Window& window, std::ptrdiff_t from, std::ptrdiff_t to) const {
    std::size_t at = 0;
    for (std::size_t i = 0; i < m_heard.size(); ++i)
        for (std::size_t j = i; j < m_heard.size(); ++j) {
            const float* a = m_heard[i].data();
            const float* b = m_heard[j].data();
            // Eight sums side by side: what a compiler makes vectors of without reordering any of them.
            std::array<float, 8> sums{};
            std::ptrdiff_t n = from;
            for (; n + 8 <= to; n += 8)
                for (std::ptrdiff_t k = 0; k < 8; ++k)
                    sums[static_cast<std::size_t>(k)] += a[n + k] * b[n + k];
            double sum = 0;
            for (const float part : sums)
                sum += static_cast<double>(part);
            for (; n < to; ++n)
                sum += static_cast<double>(a[n]) * static_cast<double>(b[n]);
            window.products[at++] += sum;
        }
}

void KitPowerMeter::add(std::span<const std::span<const float>> channels) {
    const std::size_t frames = channels.empty() ? 0 : channels.front().size();
    m_piece.resize(frames * dsp::kLanes);
    for (std::size_t bank = 0; bank < m_filters.size(); ++bank) {
        const std::size_t first = bank * dsp::kLanes;
        const std::size_t count = std::min<std::size_t>(dsp::kLanes, channels.size() - first);
        std::fill(m_piece.begin(), m_piece.end(), 0.0F);
        for (std::size_t c = 0; c < count; ++c)
            for (std::size_t n = 0; n < frames; ++n)
                m_piece[n * dsp::kLanes + c] = channels[first + c][n];
        dsp::kernels().filter(m_filters[bank], m_piece.data(), static_cast<int>(frames));
        for (std::size_t c = 0; c < count; ++c) {
            auto& heard = m_heard[first + c];
            heard.resize(frames);
            for (std::size_t n = 0; n < frames; ++n)
                heard[n] = m_piece[n * dsp::kLanes + c];
        }
    }
    const Frames end = m_at + static_cast<Frames>(frames);
    for (auto& window : m_windows) {
        if (window.from >= end)
            break;
        if (window.to > m_at)
            gather(window, std::max<Frames>(0, window.from - m_at), std::min(window.to, end) - m_at);
    }
    m_at = end;
}

std::vector<double> KitPowerMeter::strokesIn(const Window& window) const {
    std::vector<double> counts(m_roles.size(), 0.0);
    const double from = static_cast<double>(window.from) / m_rateHz;
    const double to = static_cast<double>(window.to) / m_rateHz;
    constexpr double kSlackS = 0.005; // a stroke reaches microphones at other times
    for (const auto& stroke : m_strokes) {
        if (stroke.timeS >= to)
            break;
        const auto d = static_cast<std::size_t>(stroke.drum);
        const double fall = fallS(m_roles[d]);
        const double begun = std::max(0.0, from - kSlackS - stroke.timeS);
        const double share = std::exp(-begun / fall) - std::exp(-(to - stroke.timeS) / fall);
        counts[d] += share * std::pow(10, (stroke.levelDb - m_middleDb[d]) / 10);
    }
    return counts;
}

KitPowers KitPowerMeter::powers() const {
    const std::size_t drums = m_roles.size();
    KitPowers powers(static_cast<int>(drums), m_channels);
    std::vector<const Window*> windows;
    std::vector<std::vector<double>> shares;
    std::vector<double> repeats(drums, 0.0);
    for (const auto& window : m_windows) {
        if (window.to > m_at)
            continue; // cut off by the end of the take
        windows.push_back(&window);
        shares.push_back(strokesIn(window));
        const auto own = static_cast<std::size_t>(window.drum);
        repeats[own] += shares.back()[own];
        powers.setStrokes(window.drum, powers.strokes(window.drum) + 1);
    }
    const auto put = [&](int i, int j, const std::vector<double>& x) {
        for (std::size_t d = 0; d < drums; ++d)
            if (const int seen = powers.strokes(static_cast<int>(d)); seen > 0)
                powers.setProduct(static_cast<int>(d), i, j,
                                  x[d] * repeats[d] / seen / (kWindowS * m_rateHz));
    };
    const auto heardIn = [&](std::size_t pair) {
        std::vector<double> heard;
        for (const auto* window : windows)
            heard.push_back(window->products[pair]);
        return heard;
    };
    // What each channel holds, and how strong it is in each stretch by that.
    std::vector<std::vector<double>> strengths(static_cast<std::size_t>(m_channels));
    std::size_t pair = 0;
    for (int i = 0; i < m_channels; pair += static_cast<std::size_t>(m_channels - i), ++i) {
        const auto x = parted(shares, heardIn(pair));
        put(i, i, x);
        for (const auto& at : shares)
            strengths[static_cast<std::size_t>(i)].push_back(
                std::inner_product(x.begin(), x.end(), at.begin(), 0.0));
    }
    pair = 0;
    for (int i = 0; i < m_channels; ++i)
        for (int j = i; j < m_channels; ++j, ++pair) {
            if (i == j)
                continue;
            std::vector<double> weights;
            for (std::size_t k = 0; k < shares.size(); ++k) {
                const double both =
                    strengths[static_cast<std::size_t>(i)][k] * strengths[static_cast<std::size_t>(j)][k];
                weights.push_back(both > 0 ? 1 / both : 0);
            }
            put(i, j, partedFreely(shares, heardIn(pair), weights));
        }
    // Two channels share no more than both have.
    for (int d = 0; d < static_cast<int>(drums); ++d)
        for (int i = 0; i < m_channels; ++i)
            for (int j = i + 1; j < m_channels; ++j) {
                const double most = std::sqrt(powers.product(d, i, i) * powers.product(d, j, j));
                powers.setProduct(d, i, j, std::clamp(powers.product(d, i, j), -most, most));
            }
    return powers;
}

} // namespace cask::measure
