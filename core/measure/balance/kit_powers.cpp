#include "core/measure/balance/kit_powers.h"

#include "core/measure/integrated_loudness.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

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

/// Parts of a stroke's decay: each is as long as all before it, from 20 ms on.
constexpr std::array kPartEndsS = {0.02, 0.04, 0.08, 0.16, 0.32, 0.64, 1.28};
constexpr std::size_t kParts = kPartEndsS.size();
constexpr double kStretchS = 0.02;
constexpr double kSlackS = 0.005; // a stroke reaches microphones at other times

/// How much of a part lies in a stretch.
struct Share {
    std::size_t part = 0; ///< drum times kParts, and part
    double seconds = 0;   ///< times the level of the stroke
};
using Shares = std::vector<Share>;

/// Of one stroke in a stretch.
void addShares(Shares& shares, std::size_t drum, double strokeS, double gain, double fromS, double toS) {
    double begin = strokeS - kSlackS;
    for (std::size_t k = 0; k < kParts; ++k) {
        const double end = strokeS - kSlackS + kPartEndsS[k];
        if (const double both = std::min(end, toS) - std::max(begin, fromS); both > 0) {
            const std::size_t part = drum * kParts + k;
            const auto same =
                std::find_if(shares.begin(), shares.end(), [&](const Share& s) { return s.part == part; });
            if (same == shares.end())
                shares.push_back({part, gain * both});
            else
                same->seconds += gain * both;
        }
        begin = end;
    }
}

double modelled(const Shares& shares, const std::vector<double>& x) {
    double sum = 0;
    for (const auto& share : shares)
        sum += x[share.part] * share.seconds;
    return sum;
}

/// Parts (not under 0) whose sums by their shares come nearest to the sums that were heard, as counts are
/// fitted (Kullback-Leibler, by multiplication: Lee and Seung 1999): what was heard in all is kept, so
/// neither the loud stretches nor the soft ones decide alone. What passes kMostOver times its model is taken
/// for something else that sounded. `x`: from where it begins.
void part(const std::vector<Shares>& shares, const std::vector<double>& heard, std::vector<double>& x) {
    constexpr int kRounds = 120;
    constexpr int kTrustedRounds = 20; // before anything is taken for something else
    constexpr double kMostOver = 4;
    std::vector<double> all(x.size(), 0.0);
    for (const auto& at : shares)
        for (const auto& share : at)
            all[share.part] += share.seconds;
    std::vector<double> up(x.size());
    for (int round = 0; round < kRounds; ++round) {
        std::fill(up.begin(), up.end(), 0.0);
        for (std::size_t k = 0; k < shares.size(); ++k) {
            const double model = modelled(shares[k], x);
            if (model <= 0)
                continue;
            double ratio = heard[k] / model;
            if (round >= kTrustedRounds)
                ratio = std::min(ratio, kMostOver);
            for (const auto& share : shares[k])
                up[share.part] += share.seconds * ratio;
        }
        for (std::size_t p = 0; p < x.size(); ++p)
            x[p] = all[p] > 0 ? x[p] * up[p] / all[p] : 0;
    }
}

/// The same of sums that may be under 0: least squares, each stretch by its weight.
std::vector<double> partedFreely(const std::vector<Shares>& shares, const std::vector<double>& heard,
                                 const std::vector<double>& weights, std::size_t parts) {
    constexpr int kRounds = 60;
    constexpr double kRidge = 1e-3;
    std::vector<double> squares(parts * parts, 0.0);
    std::vector<double> sides(parts, 0.0);
    for (std::size_t k = 0; k < shares.size(); ++k)
        for (const auto& a : shares[k]) {
            const double weighed = weights[k] * a.seconds;
            sides[a.part] += weighed * heard[k];
            for (const auto& b : shares[k])
                squares[a.part * parts + b.part] += weighed * b.seconds;
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

KitPowerMeter::KitPowerMeter(double rateHz, std::vector<Role> roles, std::vector<BalanceStroke> strokes,
                             int channels)
    : m_rateHz(rateHz), m_roles(std::move(roles)), m_strokes(std::move(strokes)),
      m_middleDb(m_roles.size(), 0.0), m_channels(channels),
      m_filters(static_cast<std::size_t>((channels + dsp::kLanes - 1) / dsp::kLanes), loudnessBank(rateHz)),
      m_heard(static_cast<std::size_t>(channels)) {
    m_stretchFrames = std::max<Frames>(1, secondsToFrames(kStretchS, rateHz));
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
        for (std::size_t k = 0; k < count; ++k)
            m_windows.push_back({static_cast<int>(d), times[k * times.size() / count]});
    }
    std::set<Frames> beginnings;
    for (const auto& window : m_windows) {
        const auto first = secondsToFrames(window.fromS, m_rateHz) / m_stretchFrames;
        const auto last = secondsToFrames(window.fromS + kWindowS, m_rateHz) / m_stretchFrames;
        for (auto at = first; at <= last; ++at)
            beginnings.insert(at * m_stretchFrames);
    }
    for (const Frames from : beginnings)
        m_stretches.push_back({from, std::vector<float>(pairs(), 0.0F)});
}

void KitPowerMeter::gather(Stretch& stretch, std::ptrdiff_t from, std::ptrdiff_t to) const {
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
            stretch.products[at++] += static_cast<float>(sum);
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
    while (m_firstOpen < m_stretches.size() && m_stretches[m_firstOpen].from + m_stretchFrames <= m_at)
        ++m_firstOpen;
    for (std::size_t k = m_firstOpen; k < m_stretches.size() && m_stretches[k].from < end; ++k)
        gather(m_stretches[k], std::max<Frames>(0, m_stretches[k].from - m_at),
               std::min(m_stretches[k].from + m_stretchFrames, end) - m_at);
    m_at = end;
}

KitPowers KitPowerMeter::powers() const {
    const std::size_t drums = m_roles.size();
    const std::size_t parts = drums * kParts;
    KitPowers powers(static_cast<int>(drums), m_channels);
    // Of the parts of its own decay, what a drum has in its windows.
    const auto sharesIn = [&](double fromS, double toS, int onlyDrum) {
        Shares shares;
        const auto first = std::lower_bound(m_strokes.begin(), m_strokes.end(), fromS - kPartEndsS.back(),
                                            [](const BalanceStroke& s, double at) { return s.timeS < at; });
        for (auto stroke = first; stroke != m_strokes.end() && stroke->timeS - kSlackS < toS; ++stroke)
            if (onlyDrum < 0 || stroke->drum == onlyDrum) {
                const auto d = static_cast<std::size_t>(stroke->drum);
                addShares(shares, d, stroke->timeS, std::pow(10, (stroke->levelDb - m_middleDb[d]) / 10),
                          fromS, toS);
            }
        return shares;
    };
    std::vector<double> inWindows(parts, 0.0);
    for (const auto& window : m_windows) {
        if (secondsToFrames(window.fromS + kWindowS, m_rateHz) > m_at)
            continue; // cut off by the end of the take
        for (const auto& share : sharesIn(window.fromS, window.fromS + kWindowS, window.drum))
            inWindows[share.part] += share.seconds;
        powers.setStrokes(window.drum, powers.strokes(window.drum) + 1);
    }
    std::vector<const Stretch*> stretches;
    std::vector<Shares> shares;
    for (const auto& stretch : m_stretches) {
        if (stretch.from + m_stretchFrames > m_at)
            continue;
        stretches.push_back(&stretch);
        const double fromS = framesToSeconds(stretch.from, m_rateHz);
        shares.push_back(sharesIn(fromS, fromS + framesToSeconds(m_stretchFrames, m_rateHz), -1));
    }
    const auto put = [&](int i, int j, const std::vector<double>& x) {
        for (std::size_t d = 0; d < drums; ++d)
            if (const int seen = powers.strokes(static_cast<int>(d)); seen > 0) {
                double sum = 0;
                for (std::size_t k = d * kParts; k < (d + 1) * kParts; ++k)
                    sum += x[k] * inWindows[k];
                powers.setProduct(static_cast<int>(d), i, j, sum / seen / (kWindowS * m_rateHz));
            }
    };
    const auto heardIn = [&](std::size_t pair) {
        std::vector<double> heard;
        for (const auto* stretch : stretches)
            heard.push_back(static_cast<double>(stretch->products[pair]));
        return heard;
    };
    // It begins with how such drums usually fall: what the strokes do not tell stays so.
    std::vector<double> usual(parts);
    for (std::size_t d = 0; d < drums; ++d)
        for (std::size_t k = 0; k < kParts; ++k)
            usual[d * kParts + k] = std::exp(-0.7 * kPartEndsS[k] / fallS(m_roles[d])) / fallS(m_roles[d]);
    // What each channel holds, and how strong it is in each stretch by that.
    std::vector<std::vector<double>> strengths(static_cast<std::size_t>(m_channels));
    std::size_t pair = 0;
    for (int i = 0; i < m_channels; pair += static_cast<std::size_t>(m_channels - i), ++i) {
        auto x = usual;
        part(shares, heardIn(pair), x);
        put(i, i, x);
        for (const auto& at : shares)
            strengths[static_cast<std::size_t>(i)].push_back(modelled(at, x));
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
            put(i, j, partedFreely(shares, heardIn(pair), weights, parts));
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
