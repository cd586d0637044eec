#include "core/measure/look/sound_look.h"

#include "core/measure/real_fft.h"
#include "core/measure/stack/one_shot_alignment.h"
#include "core/measure/stack/stack_judge.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numeric>
#include <span>
#include <vector>

namespace cask::measure {
namespace {

constexpr std::array<double, LookShape::kTimes + 1> kTimesS = {0, 0.006, 0.020, 0.060, 0.150, 0.400};
constexpr double kLowestBandHz = 40;
constexpr double kRingFromS = 0.020;
constexpr double kRingToS = 0.400;
constexpr double kHeldCrestDb = 7;
constexpr double kHeldS = 0.030;

using Mono = std::span<const float>;

Mono stretch(Mono x, double fromS, double toS, double rateHz) {
    const auto from = std::min(x.size(), static_cast<std::size_t>(fromS * rateHz));
    const auto to = std::min(x.size(), static_cast<std::size_t>(toS * rateHz));
    return x.subspan(from, to - from);
}

/// Powers of evenly spaced bins of a stretch; what is cut off falls within its last eighth.
std::vector<double> powersOf(RealFft& fft, Mono x) {
    std::vector<float> part(x.begin(),
                            x.begin() + static_cast<std::ptrdiff_t>(std::min(x.size(), fft.size())));
    const std::size_t fall = part.size() / 8;
    for (std::size_t n = 0; n < fall; ++n)
        part[part.size() - 1 - n] *= static_cast<float>(
            0.5 - 0.5 * std::cos(kPi * (static_cast<double>(n) + 0.5) / static_cast<double>(fall)));
    const auto spectrum = fft.forward(part);
    std::vector<double> powers(spectrum.size());
    std::transform(spectrum.begin(), spectrum.end(), powers.begin(),
                   [](std::complex<float> v) { return static_cast<double>(std::norm(v)); });
    return powers;
}

/// Power of bands of 1 / perOctave octave around kLowestBandHz 2^(i / perOctave); parts of bins count.
std::vector<double> bandPowers(const std::vector<double>& powers, double binHz, std::size_t count,
                               double perOctave) {
    std::vector<double> cumulative(powers.size() + 1);
    std::partial_sum(powers.begin(), powers.end(), cumulative.begin() + 1);
    const auto below = [&](double hz) { // of all that lies under a frequency
        const double bin = std::clamp(hz / binHz + 0.5, 0.0, static_cast<double>(powers.size()));
        const auto whole = std::min(powers.size() - 1, static_cast<std::size_t>(bin));
        return cumulative[whole] + (bin - static_cast<double>(whole)) * powers[whole];
    };
    std::vector<double> bands(count);
    for (std::size_t i = 0; i < count; ++i) {
        const double centre = kLowestBandHz * std::exp2(static_cast<double>(i) / perOctave);
        bands[i] = below(centre * std::exp2(0.5 / perOctave)) - below(centre * std::exp2(-0.5 / perOctave));
    }
    return bands;
}

std::uint8_t stored(double power, double whole) {
    const double underDb = whole > 0 && power > 0 ? -10 * std::log10(power / whole) : 1000;
    return static_cast<std::uint8_t>(std::lround(
        std::clamp(LookShape::kRangeDb - underDb, 0.0, LookShape::kRangeDb) / LookShape::kStepDb));
}

/// Partials: twelfths of an octave of what rings on.
void takePartials(LookShape& shape, RealFft& fft, Mono x, double rateHz) {
    const auto ring = stretch(x, kRingFromS, kRingToS, rateHz);
    std::vector<float> part(ring.begin(), ring.end());
    for (std::size_t n = 0; n < part.size(); ++n)
        part[n] *= static_cast<float>(0.5 - 0.5 * std::cos(2 * kPi * (static_cast<double>(n) + 0.5) /
                                                           static_cast<double>(part.size())));
    const auto spectrum = fft.forward(part);
    std::vector<double> powers(spectrum.size());
    std::transform(spectrum.begin(), spectrum.end(), powers.begin(),
                   [](std::complex<float> v) { return static_cast<double>(std::norm(v)); });
    const auto fine = bandPowers(powers, rateHz / static_cast<double>(fft.size()), LookShape::kFine, 12);
    const double strongest = *std::max_element(fine.begin(), fine.begin() + LookShape::kLow);
    for (std::size_t i = 0; i < LookShape::kLow; ++i)
        shape.values[LookShape::kCells + i] = stored(fine[i], strongest);
    const double whole = std::accumulate(fine.begin(), fine.end(), 0.0);
    std::vector<double> db(fine.size());
    std::transform(fine.begin(), fine.end(), db.begin(),
                   [&](double power) { return 10 * std::log10(power + 1e-12 * whole + 1e-30); });
    for (std::ptrdiff_t i = 0; i < std::ssize(db); ++i) {
        double sum = 0;
        for (std::ptrdiff_t k = i - 6; k <= i + 6; ++k)
            sum += db[static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(k, 0, std::ssize(db) - 1))];
        const double over = std::clamp(db[static_cast<std::size_t>(i)] - sum / 13, LookShape::kFineLeastDb,
                                       LookShape::kFineMostDb);
        shape.values[LookShape::kCells + LookShape::kLow + static_cast<std::size_t>(i)] =
            static_cast<std::uint8_t>(std::lround((over - LookShape::kFineLeastDb) / LookShape::kStepDb));
    }
}

LookShape shapeOf(RealFft& fft, Mono x, double rateHz) {
    LookShape shape;
    const double binHz = rateHz / static_cast<double>(fft.size());
    std::vector<std::vector<double>> cells;
    double most = 0;
    for (std::size_t t = 0; t < LookShape::kTimes; ++t) {
        const auto part = stretch(x, kTimesS[t], kTimesS[t + 1], rateHz);
        cells.push_back(part.empty() ? std::vector<double>(LookShape::kBands, 0.0)
                                     : bandPowers(powersOf(fft, part), binHz, LookShape::kBands, 3));
        // A power each, not an energy: times differ in length.
        for (double& power : cells.back()) {
            power /= kTimesS[t + 1] - kTimesS[t];
            most = std::max(most, power);
        }
    }
    for (std::size_t t = 0; t < LookShape::kTimes; ++t)
        for (std::size_t b = 0; b < LookShape::kBands; ++b)
            shape.values[t * LookShape::kBands + b] = stored(cells[t][b], most);
    takePartials(shape, fft, x, rateHz);
    return shape;
}

/// RMS of 1 ms, and how it goes on.
void measureEnvelope(SoundLook& look, Mono x, double rateHz) {
    const auto step = std::max<std::size_t>(1, static_cast<std::size_t>(0.00025 * rateHz));
    const std::size_t window = 4 * step;
    std::vector<double> levels;
    for (std::size_t at = 0; at < x.size(); at += step) {
        const auto part = x.subspan(at, std::min(window, x.size() - at));
        levels.push_back(std::transform_reduce(part.begin(), part.end(), 0.0, std::plus<>(),
                                               [](float v) { return static_cast<double>(v) * v; }));
    }
    const auto peak = std::max_element(levels.begin(), levels.end());
    const double stepMs = 1000 * static_cast<double>(step) / rateHz;
    look.attackMs = stepMs * static_cast<double>(peak - levels.begin());
    const auto lastOver = [&](double db) {
        const double least = *peak * std::pow(10, db / 10);
        const auto last = std::find_if(levels.rbegin(), levels.rend(), [&](double v) { return v >= least; });
        return stepMs * static_cast<double>(levels.rend() - last);
    };
    look.lengthMs = lastOver(-40);
    look.decayMs = std::max(0.0, lastOver(-20) - look.attackMs);
    const auto beginning = stretch(x, 0, kHeldS, rateHz);
    float top = 0;
    for (const float v : beginning)
        top = std::max(top, std::fabs(v));
    const double power = std::transform_reduce(beginning.begin(), beginning.end(), 0.0, std::plus<>(),
                                               [](float v) { return static_cast<double>(v) * v; }) /
                         static_cast<double>(beginning.size());
    const auto atTop = std::count_if(beginning.begin(), beginning.end(),
                                     [&](float v) { return std::fabs(v) >= 0.999F * top; });
    look.isHeld =
        atTop >= 6 || 20 * std::log10(static_cast<double>(top)) - 10 * std::log10(power) < kHeldCrestDb;
}

/// Share of the power that stands in peaks, 40 Hz to 12 kHz: in bins far over the median of the octave
/// around them. Of noise about 3 % does.
double inPeaks(const std::vector<double>& powers, double binHz) {
    constexpr double kOverMedian = 8;
    constexpr double kOfNoise = 0.03;
    double peaks = 0;
    double all = 0;
    std::vector<double> around;
    const double kThird = std::exp2(1.0 / 3);
    const auto binOf = [&](double hz) {
        return std::min(powers.size(), static_cast<std::size_t>(hz / binHz));
    };
    for (double hz = 40; hz < 12000 && binOf(2 * hz) < powers.size(); hz *= kThird) {
        const auto place = [&](double at) { return powers.begin() + static_cast<std::ptrdiff_t>(binOf(at)); };
        around.assign(place(hz / kThird), place(hz * kThird * kThird));
        auto sorted = around;
        const auto middle = sorted.begin() + std::ssize(sorted) / 2;
        std::nth_element(sorted.begin(), middle, sorted.end());
        std::for_each(place(hz), place(hz * kThird), [&](double power) {
            all += power;
            peaks += power > kOverMedian * *middle ? power : 0;
        });
    }
    return all > 0 ? std::clamp((peaks / all - kOfNoise) / (1 - kOfNoise), 0.0, 1.0) : 0;
}

void measureColour(SoundLook& look, RealFft& fft, Mono x, double rateHz) {
    const double binHz = rateHz / static_cast<double>(fft.size());
    const auto powers = powersOf(fft, x);
    double sum = 0;
    double weighted = 0;
    double low = 0;
    double all = 0;
    for (std::size_t k = 1; k < powers.size(); ++k) {
        const double hz = static_cast<double>(k) * binHz;
        all += powers[k];
        if (hz >= 20 && hz <= StackJudgement::kLowHz)
            low += powers[k];
        if (hz >= 30 && hz <= 16000) {
            sum += powers[k];
            weighted += powers[k] * std::log2(hz);
        }
    }
    look.brightnessHz = sum > 0 ? std::exp2(weighted / sum) : 0;
    look.lowShare = all > 0 ? low / all : 0;
    look.noisiness = all > 0 ? 1 - inPeaks(powers, binHz) : 0;
}

/// The strongest partial of the decay under 500 Hz, where it stands out, and how its pitch fell.
void measureNote(SoundLook& look, RealFft& fft, Mono x, double rateHz) {
    constexpr double kHighestHz = 500;
    const double binHz = rateHz / static_cast<double>(fft.size());
    const auto ring = stretch(x, 0.04, 0.4, rateHz);
    if (ring.size() < static_cast<std::size_t>(0.03 * rateHz))
        return;
    std::vector<float> windowed(
        ring.begin(), ring.begin() + static_cast<std::ptrdiff_t>(std::min(ring.size(), fft.size())));
    for (std::size_t n = 0; n < windowed.size(); ++n)
        windowed[n] *= static_cast<float>(0.5 - 0.5 * std::cos(2 * kPi * (static_cast<double>(n) + 0.5) /
                                                               static_cast<double>(windowed.size())));
    const auto spectrum = fft.forward(windowed);
    const auto powerAt = [&](std::size_t k) { return static_cast<double>(std::norm(spectrum[k])); };
    const auto first = static_cast<std::size_t>(25 / binHz);
    const auto last = static_cast<std::size_t>(kHighestHz / binHz);
    std::size_t best = first;
    double all = 0;
    for (std::size_t k = first; k <= last; ++k) {
        all += powerAt(k);
        if (powerAt(k) > powerAt(best))
            best = k;
    }
    // Within a main lobe of the window: of noise little lies there.
    const auto lobe =
        static_cast<std::size_t>(std::ceil(2 * rateHz / static_cast<double>(windowed.size()) / binHz));
    double there = 0;
    for (std::size_t k = best > lobe ? best - lobe : 0; k <= best + lobe; ++k)
        there += powerAt(k);
    if (best == first || all <= 0 || there / all < 0.4)
        return;
    const double a = std::log(powerAt(best - 1) + 1e-30);
    const double b = std::log(powerAt(best) + 1e-30);
    const double c = std::log(powerAt(best + 1) + 1e-30);
    look.fundamentalHz = (static_cast<double>(best) + 0.5 * (a - c) / (a - 2 * b + c)) * binHz;
    // Its fall: half periods of what lies under 500 Hz, from the onset on.
    const auto head = stretch(x, 0, 0.2, rateHz);
    auto bins = fft.forward(head.first(std::min(head.size(), fft.size())));
    std::vector<std::complex<float>> low(bins.begin(), bins.end());
    for (std::size_t k = 0; k < low.size(); ++k) {
        const double over = static_cast<double>(k) * binHz / kHighestHz;
        low[k] *= static_cast<float>(1 / (1 + over * over * over * over));
    }
    const auto slow = fft.inverse(low);
    float top = 0;
    for (std::size_t n = 0; n < head.size() && n < slow.size(); ++n)
        top = std::max(top, std::fabs(slow[n]));
    double crossing = -1;
    float most = 0;
    double fallen = 0;
    for (std::size_t n = 1; n < head.size() && n < slow.size(); ++n) {
        most = std::max(most, std::fabs(slow[n]));
        if ((slow[n] < 0) == (slow[n - 1] < 0))
            continue;
        const double at = static_cast<double>(n) - static_cast<double>(slow[n] / (slow[n] - slow[n - 1]));
        if (crossing >= 0 && most > 0.1F * top) {
            const double hz = 0.5 * rateHz / (at - crossing);
            if (hz < 2 * kHighestHz && look.fromHz == 0)
                look.fromHz = std::max(hz, look.fundamentalHz);
            if (hz > 1.05 * look.fundamentalHz)
                fallen = at;
        }
        crossing = at;
        most = 0;
    }
    if (look.fromHz == 0)
        look.fromHz = look.fundamentalHz;
    look.fallMs = look.fromHz > 1.05 * look.fundamentalHz ? 1000 * fallen / rateHz : 0;
}

} // namespace

std::optional<SoundLook> lookOf(const Sound& sound, double rateHz) {
    if (sound.empty())
        return std::nullopt;
    const auto mono = monoOf(sound);
    const auto onset = oneShotOnset(mono, rateHz);
    if (!onset)
        return std::nullopt;
    SoundLook look;
    look.onsetMs = 1000 * *onset;
    double middle = 0;
    double side = 0;
    float peak = 0;
    for (std::size_t n = 0; n < mono.size(); ++n) {
        const auto l = static_cast<double>(sound.front()[n]);
        const auto r = static_cast<double>(sound.back()[n]);
        middle += 0.25 * (l + r) * (l + r);
        side += 0.25 * (l - r) * (l - r);
        for (const auto& channel : sound)
            peak = std::max(peak, std::fabs(channel[n]));
    }
    look.peakDb = linearToDb(static_cast<double>(peak));
    look.widthPercent = middle + side > 0 ? 100 * side / (middle + side) : 0;
    look.loudnessDb = 10 * std::log10(std::max(1e-20, weightedEnergy(sound, rateHz) / rateHz));
    const auto struck =
        Mono(mono).subspan(std::min(mono.size() - 1, static_cast<std::size_t>(*onset * rateHz)));
    float top = 0; // of both channels together
    for (const float v : struck)
        top = std::max(top, std::fabs(v));
    RealFft fft(std::bit_ceil(static_cast<std::size_t>(0.5 * rateHz)));
    measureEnvelope(look, struck, rateHz);
    measureColour(look, fft, struck, rateHz);
    measureNote(look, fft, struck, rateHz);
    // Where it is within 20 dB of its peak: a softer stroke rises slower.
    const auto risen =
        std::find_if(struck.begin(), struck.end(), [&](float v) { return std::fabs(v) >= 0.1F * top; });
    look.shape = shapeOf(fft, struck.subspan(static_cast<std::size_t>(risen - struck.begin())), rateHz);
    return look;
}

namespace {

/// What differs in level alone and in tilt over the bands, as directions of length 1.
struct Directions {
    std::array<double, LookShape::kBands> tilt{};
    Directions() {
        double sum = 0;
        for (std::size_t b = 0; b < tilt.size(); ++b) {
            tilt[b] = static_cast<double>(b) - 0.5 * (static_cast<double>(tilt.size()) - 1);
            sum += tilt[b] * tilt[b] * static_cast<double>(LookShape::kTimes);
        }
        for (double& t : tilt)
            t /= std::sqrt(sum);
    }
};

} // namespace

double strongestLowHz(const LookShape& shape) {
    const auto from = shape.values.begin() + LookShape::kCells;
    return kLowestBandHz *
           std::exp2(static_cast<double>(std::max_element(from, from + LookShape::kLow) - from) / 12);
}

double unlikeness(const LookShape& a, const LookShape& b) {
    static const Directions directions;
    constexpr double kTiltCounts = 0.2;
    constexpr double kCellsCount = 0.5;
    constexpr double kUnrelatedDb =
        5.7; // of partials that have nothing in common: about what levels differ by
    const auto difference = [&](std::size_t i) {
        return LookShape::kStepDb * (static_cast<double>(a.values[i]) - static_cast<double>(b.values[i]));
    };
    double squares = 0;
    double level = 0;
    double tilt = 0;
    for (std::size_t i = 0; i < LookShape::kCells; ++i) {
        const double d = difference(i);
        squares += d * d;
        level += d;
        tilt += d * directions.tilt[i % LookShape::kBands];
    }
    squares -= level * level / static_cast<double>(LookShape::kCells) + (1 - kTiltCounts) * tilt * tilt;
    double low = 0;
    double lowLevel = 0;
    constexpr std::size_t kFineFrom = LookShape::kCells + LookShape::kLow;
    for (std::size_t i = LookShape::kCells; i < kFineFrom; ++i) {
        low += difference(i) * difference(i);
        lowLevel += difference(i);
    }
    low -= lowLevel * lowLevel / static_cast<double>(LookShape::kLow);
    // Correlation of the partials.
    double sumA = 0, sumB = 0, sumAA = 0, sumBB = 0, sumAB = 0;
    for (std::size_t i = kFineFrom; i < LookShape::kValues; ++i) {
        const double x = a.values[i];
        const double y = b.values[i];
        sumA += x;
        sumB += y;
        sumAA += x * x;
        sumBB += y * y;
        sumAB += x * y;
    }
    constexpr auto kCount = static_cast<double>(LookShape::kFine);
    const double spread = (sumAA - sumA * sumA / kCount) * (sumBB - sumB * sumB / kCount);
    const double related = spread > 0 ? (sumAB - sumA * sumB / kCount) / std::sqrt(spread) : a == b ? 1 : 0;
    return std::sqrt(kCellsCount * std::max(0.0, squares) / static_cast<double>(LookShape::kCells) +
                     std::max(0.0, low) / static_cast<double>(LookShape::kLow) +
                     kUnrelatedDb * kUnrelatedDb * std::max(0.0, 1 - related));
}

} // namespace cask::measure
