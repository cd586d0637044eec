#include "core/measure/hits/tempo_search.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kStepS = 0.004;

/// Weights of notes on a raster, each spread over about 12 ms to both sides.
std::vector<float> raster(const std::vector<PlayedNote>& notes, double endS) {
    std::vector<float> x(static_cast<std::size_t>(endS / kStepS) + 8, 0.0F);
    constexpr std::array<float, 4> kSpread = {1, 0.75F, 0.35F, 0.1F};
    for (const auto& note : notes) {
        const auto at = std::lround(note.timeS / kStepS);
        for (int k = -3; k <= 3; ++k)
            if (at + k >= 0 && at + k < static_cast<long>(x.size()))
                x[static_cast<std::size_t>(at + k)] +=
                    static_cast<float>(note.weight) * kSpread[static_cast<std::size_t>(std::abs(k))];
    }
    return x;
}

/// Autocorrelation up to a lag, as sums over pairs of notes: there are few notes and many steps.
std::vector<double> correlate(const std::vector<float>& x, std::size_t lags) {
    std::vector<std::size_t> filled;
    for (std::size_t i = 0; i < x.size(); ++i)
        if (x[i] > 0)
            filled.push_back(i);
    std::vector<double> out(lags, 0.0);
    for (std::size_t a = 0; a < filled.size(); ++a)
        for (std::size_t b = a; b < filled.size() && filled[b] - filled[a] < lags; ++b)
            out[filled[b] - filled[a]] +=
                static_cast<double>(x[filled[a]]) * static_cast<double>(x[filled[b]]);
    return out;
}

double weightNear(const std::vector<PlayedNote>& notes, PlayedNote::Part part, double periodS,
                  double phaseS) {
    double sum = 0;
    for (const auto& n : notes) {
        if (n.part != part)
            continue;
        const double off = (n.timeS - phaseS) / periodS;
        const double error = std::abs(off - std::round(off)) * periodS;
        if (error < 0.06)
            sum += n.weight * n.weight;
    }
    return sum;
}

} // namespace

double coherence(const std::vector<PlayedNote>& notes, double periodS) {
    double re = 0;
    double im = 0;
    double all = 1e-12;
    for (const auto& n : notes) {
        const double a = 2 * kPi * n.timeS / periodS;
        re += n.weight * std::cos(a);
        im += n.weight * std::sin(a);
        all += n.weight;
    }
    return std::hypot(re, im) / all;
}

double coarsePeriodS(const std::vector<PlayedNote>& notes) {
    double endS = 0;
    for (const auto& n : notes)
        endS = std::max(endS, n.timeS);
    const auto lags = static_cast<std::size_t>(8.2 * 60 / kSlowestBpm / kStepS);
    const auto x = raster(notes, endS + 0.1);
    const auto r = correlate(x, lags);
    const auto at = [&](double lagS) {
        const double k = lagS / kStepS;
        const auto i = static_cast<std::size_t>(k);
        if (i + 1 >= r.size())
            return 0.0;
        // Less is left of a take at a longer lag.
        const double share = std::max(0.2, 1 - lagS / endS);
        return (r[i] + (k - static_cast<double>(i)) * (r[i + 1] - r[i])) / share;
    };
    double best = 0;
    double bestS = 0.5;
    for (double bpm = kSlowestBpm; bpm <= kFastestBpm; bpm *= 1.002) {
        const double t = 60 / bpm;
        const double prior = std::exp(-0.5 * std::pow(std::log2(bpm / 110) / 0.9, 2));
        const double score =
            prior * (at(t) + 0.8 * at(2 * t) + 0.9 * at(4 * t) + 0.5 * at(8 * t) + 0.4 * at(t / 2));
        if (score > best) {
            best = score;
            bestS = t;
        }
    }
    return bestS;
}

double gridCoherence(const std::vector<PlayedNote>& notes, double beatS) {
    return std::max(coherence(notes, beatS / 2) + coherence(notes, beatS / 4),
                    0.8 * (coherence(notes, beatS) + coherence(notes, beatS / 3)));
}

double refine(const std::vector<PlayedNote>& notes, double periodS, double range) {
    double best = -1;
    double bestS = periodS;
    double lengthS = notes.back().timeS - notes.front().timeS;
    const double step = std::min(range / 8, 0.02 * periodS / std::max(4.0, lengthS));
    for (double f = -range; f <= range; f += step) {
        const double t = periodS * (1 + f);
        const double c = coherence(notes, t) + gridCoherence(notes, t);
        if (c > best) {
            best = c;
            bestS = t;
        }
    }
    return bestS;
}

std::vector<double> likelyPhases(const std::vector<PlayedNote>& notes, double beatS) {
    constexpr std::size_t kBins = 48;
    std::array<double, kBins> weight{};
    for (const auto& n : notes) {
        const double in = n.timeS / beatS - std::floor(n.timeS / beatS);
        const double counts = n.part == PlayedNote::Part::Other ? 1 : 2;
        for (int k = -2; k <= 2; ++k) {
            const auto bin =
                (static_cast<long>(in * kBins) + k + static_cast<long>(kBins)) % static_cast<long>(kBins);
            weight[static_cast<std::size_t>(bin)] += counts * n.weight * (3 - std::abs(k));
        }
    }
    std::vector<double> phases;
    for (int found = 0; found < 3; ++found) {
        const auto best = std::max_element(weight.begin(), weight.end());
        if (*best <= 0)
            break;
        const auto at = static_cast<std::size_t>(best - weight.begin());
        phases.push_back((static_cast<double>(at) + 0.5) / kBins * beatS);
        for (std::size_t k = 0; k < kBins; ++k) {
            const std::size_t off = (k + kBins - at) % kBins;
            if (std::min(off, kBins - off) < kBins / 6)
                weight[k] = 0;
        }
    }
    if (phases.empty())
        phases.push_back(0);
    return phases;
}

int guessMetre(const std::vector<PlayedNote>& notes, double beatS, double beatPhaseS) {
    constexpr int kSlots = 4;
    constexpr std::size_t kPlaces = 3 * kSlots;
    constexpr double kOtherWeight = 0.3; // hats and cymbals mostly keep time
    constexpr double kPlainly = 0.2;
    constexpr std::size_t kLeastBars = 4;
    if (notes.empty())
        return 4;
    const double start = beatPhaseS + std::floor((notes.front().timeS - beatPhaseS) / beatS) * beatS;
    std::vector<std::array<double, kPlaces>> beats(
        static_cast<std::size_t>((notes.back().timeS - start) / beatS) + 2);
    for (const auto& n : notes) {
        const auto slot =
            static_cast<std::size_t>(std::max(0L, std::lround((n.timeS - start) / beatS * kSlots)));
        const std::size_t part = n.part == PlayedNote::Part::Kick    ? 0
                                 : n.part == PlayedNote::Part::Snare ? 1
                                                                     : 2;
        beats[slot / kSlots][part * kSlots + slot % kSlots] += n.weight * (part == 2 ? kOtherWeight : 1);
    }
    std::array<double, kPlaces> mean{};
    for (const auto& beat : beats)
        for (std::size_t i = 0; i < kPlaces; ++i)
            mean[i] += beat[i] / static_cast<double>(beats.size());
    for (auto& beat : beats)
        for (std::size_t i = 0; i < kPlaces; ++i)
            beat[i] -= mean[i];
    const auto likeness = [&](std::size_t apart) {
        double product = 0;
        double first = 1e-9;
        double second = 1e-9;
        for (std::size_t k = 0; k + apart < beats.size(); ++k)
            for (std::size_t i = 0; i < kPlaces; ++i) {
                product += beats[k][i] * beats[k + apart][i];
                first += beats[k][i] * beats[k][i];
                second += beats[k + apart][i] * beats[k + apart][i];
            }
        return product / std::sqrt(first * second);
    };
    int best = 4;
    double most = likeness(4) + kPlainly;
    for (const int metre : {3, 5, 7}) {
        const auto apart = static_cast<std::size_t>(metre);
        if (beats.size() >= kLeastBars * apart && likeness(apart) > most) {
            most = likeness(apart);
            best = metre;
        }
    }
    return best;
}

Bar bestBar(const std::vector<PlayedNote>& all, double beatS, double beatPhaseS, int beats) {
    // Whole bars only, so that each of their beats is there equally often.
    std::vector<PlayedNote> notes = all;
    if (!all.empty()) {
        const double firstS = all.front().timeS - 0.1 * beatS;
        const double bars = std::floor((all.back().timeS + 0.4 * beatS - firstS) / (beats * beatS));
        if (bars >= 1)
            std::erase_if(notes,
                          [&](const PlayedNote& n) { return n.timeS >= firstS + bars * beats * beatS; });
    }
    double snares = 1e-9;
    double kicks = 1e-9;
    double crashes = 1e-9;
    for (const auto& n : notes)
        (n.part == PlayedNote::Part::Snare  ? snares
         : n.part == PlayedNote::Part::Kick ? kicks
                                            : crashes) += n.weight * n.weight;
    Bar best{beats, beatS, beatPhaseS, -1};
    const double bar = beats * beatS;
    for (int b = 0; b < beats; ++b) {
        const double phase = beatPhaseS + b * beatS;
        const auto snareOn = [&](double beat) {
            return weightNear(notes, PlayedNote::Part::Snare, bar, phase + beat * beatS) / snares;
        };
        const auto kickOn = [&](double beat) {
            return weightNear(notes, PlayedNote::Part::Kick, bar, phase + beat * beatS) / kicks;
        };
        // Two and four alike; or three alone, a little less readily, for that is the same at half the pace.
        constexpr double kHalfTime = 0.7;
        const double both =
            2 * std::min(snareOn(1), snareOn(3)) + 0.2 * (snareOn(1) + snareOn(3)) - snareOn(0) - snareOn(2);
        const double half = snareOn(2) - snareOn(0) - snareOn(1) - snareOn(3);
        const double backbeat = beats == 4   ? std::max(both, kHalfTime * half)
                                : beats == 3 ? snareOn(1) + 0.5 * snareOn(2) - snareOn(0)
                                             : 0.5 - snareOn(0);
        const double other = weightNear(notes, PlayedNote::Part::Other, bar, phase) / crashes;
        const double score = backbeat + 0.6 * kickOn(0) + 0.4 * (beats == 4 ? kickOn(2) : 0) + 0.5 * other;
        if (score > best.score)
            best = {beats, beatS, phase, score};
    }
    return best;
}

} // namespace cask::measure
