#include "core/measure/stack/one_shot_alignment.h"

#include "core/base/units.h"
#include "core/measure/real_fft.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <numeric>

namespace cask::measure {
namespace {

using Spectrum32 = std::vector<std::complex<float>>;

constexpr double kBeforeOnsetS = 0.020;
constexpr double kLookedAtS = 1.5;
constexpr double kLowestHz = 30;
constexpr double kHighestHz = 16000;
constexpr double kWhitened = 0.85; // of the exponent: 1 would leave phases alone
constexpr double kSmoothedOctaves = 1.0 / 3;
constexpr double kLeastKnownHz = 1000; // under it what was taken for noise is a sound that is cut as it rings
constexpr double kOverNoise = 4;       // powers under that many times the noise's say nothing
constexpr double kFloor = 1e-11;       // of the strongest power: under it a ratio says nothing
constexpr float kLeast = 1e-10F;       // of the strongest product of both: under it phases count less
// By what copies and strangers reach of sampled and made drums (docs/measured.md): the nearer to where the
// onsets say, the less it takes.
constexpr double kVeryNearMs = 1;
constexpr double kNearMs = 2;
constexpr double kLikenessVeryNear = 6.5;
constexpr double kLikenessNear = 10;
constexpr double kLikenessFar = 14;

/// From a little before the onset on, padded.
std::vector<float> cropped(std::span<const float> x, std::ptrdiff_t from, std::size_t frames,
                           std::size_t size) {
    std::vector<float> y(size, 0.0F);
    for (std::size_t n = 0; n < frames; ++n) {
        const auto at = from + static_cast<std::ptrdiff_t>(n);
        if (at >= 0 && at < static_cast<std::ptrdiff_t>(x.size()))
            y[n] = x[static_cast<std::size_t>(at)];
    }
    return y;
}

/// Powers averaged over a part of an octave around each bin.
std::vector<double> smoothed(const Spectrum32& x) {
    std::vector<double> until(x.size() + 1, 0);
    for (std::size_t k = 0; k < x.size(); ++k)
        until[k + 1] = until[k] + static_cast<double>(std::norm(x[k]));
    const double side = std::exp2(kSmoothedOctaves / 2);
    std::vector<double> mean(x.size());
    for (std::size_t k = 0; k < x.size(); ++k) {
        const auto from = std::min(k, static_cast<std::size_t>(static_cast<double>(k) / side));
        const auto to = std::clamp(static_cast<std::size_t>(std::ceil(static_cast<double>(k) * side)) + 1,
                                   k + 1, x.size());
        mean[k] = (until[to] - until[from]) / static_cast<double>(to - from);
    }
    return mean;
}

/// Phases of the minimum-phase filter whose logarithmic magnitudes these are: by folding their cepstrum
/// (Oppenheim and Schafer, Discrete-Time Signal Processing, 12.3).
std::vector<float> minimumPhase(const std::vector<double>& logMagnitude, RealFft& fft) {
    Spectrum32 even(logMagnitude.begin(), logMagnitude.end());
    const auto cepstrum = fft.inverse(even);
    std::vector<float> folded(cepstrum.begin(), cepstrum.end());
    const std::size_t half = folded.size() / 2;
    for (std::size_t n = 1; n < half; ++n)
        folded[n] *= 2;
    std::fill(folded.begin() + static_cast<std::ptrdiff_t>(half) + 1, folded.end(), 0.0F);
    const auto complexLog = fft.forward(folded);
    std::vector<float> phase(complexLog.size());
    std::transform(complexLog.begin(), complexLog.end(), phase.begin(), [](auto c) { return c.imag(); });
    return phase;
}

/// What the noise under a stretch of a sound adds to so many powers: as much as in its quietest part.
std::vector<double> noisePowers(std::span<const float> x, std::size_t count) {
    constexpr std::size_t kPart = 2048;
    constexpr double kWindowPower = 1.5; // mean square of 1 - cos
    RealFft fft(kPart);
    std::vector<float> part(kPart, 0.0F);
    std::size_t quietest = 0;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t from = 0; from + kPart <= x.size(); from += kPart / 4) {
        const auto some = x.subspan(from, kPart);
        const double energy = std::transform_reduce(some.begin(), some.end(), 0.0, std::plus<>(),
                                                    [](float v) { return static_cast<double>(v) * v; });
        if (energy < least) {
            least = energy;
            quietest = from;
        }
    }
    if (x.size() >= kPart)
        for (std::size_t n = 0; n < kPart; ++n)
            part[n] = x[quietest + n] *
                      static_cast<float>(1 - std::cos(2 * kPi * (static_cast<double>(n) + 0.5) / kPart));
    const auto spectrum = fft.forward(part);
    const auto quiet = smoothed(Spectrum32(spectrum.begin(), spectrum.end()));
    const double scale = static_cast<double>(x.size()) / (kWindowPower * kPart);
    std::vector<double> powers(count);
    for (std::size_t k = 0; k < count; ++k)
        powers[k] = scale * quiet[k * (quiet.size() - 1) / (count - 1)];
    return powers;
}

/// Above a bin, where one of two sounds sinks into its noise, the logarithm of their ratio goes on as
/// in the half octave below: a straight line over octaves, by least squares.
void goOnAbove(std::size_t known, std::vector<double>& ratio) {
    constexpr double kSteepest = 8; // nepers an octave, 69 dB
    const auto octaves = [known](std::size_t k) {
        return std::log2(static_cast<double>(k) / static_cast<double>(known));
    };
    double all = 0, x = 0, y = 0, xx = 0, xy = 0;
    for (std::size_t k = known * 5 / 7; k <= known; ++k) {
        const double weight = 1 / static_cast<double>(k); // the same for each part of an octave
        all += weight;
        x += weight * octaves(k);
        y += weight * ratio[k];
        xx += weight * octaves(k) * octaves(k);
        xy += weight * octaves(k) * ratio[k];
    }
    const double slope = std::clamp((all * xy - x * y) / (all * xx - x * x), -kSteepest, kSteepest);
    for (std::size_t k = known + 1; k < ratio.size(); ++k)
        ratio[k] = ratio[known] + slope * octaves(k);
}

/// Correlation of two stretches over the delay of the second, by FFT bins; frame n stands for a delay of -n.
std::vector<float> correlation(const std::vector<float>& first, const std::vector<float>& second,
                               std::span<const float> firstHeard, std::span<const float> secondHeard,
                               double rateHz) {
    RealFft fft(first.size());
    const auto a = fft.forward(first);
    const Spectrum32 x(a.begin(), a.end());
    const auto b = fft.forward(second);
    const Spectrum32 y(b.begin(), b.end());
    const auto noiseX = noisePowers(firstHeard, x.size());
    const auto noiseY = noisePowers(secondHeard, y.size());
    const auto powerX = smoothed(x);
    const auto powerY = smoothed(y);
    const double floorX = kFloor * *std::max_element(powerX.begin(), powerX.end());
    const double floorY = kFloor * *std::max_element(powerY.begin(), powerY.end());
    const double binHz = rateHz / static_cast<double>(first.size());
    const auto last = std::min(x.size() - 1, static_cast<std::size_t>(kHighestHz / binHz));
    const auto without = [](double power, double noise) {
        return std::max(power - noise, power / kOverNoise);
    };
    std::vector<double> ratio(x.size());
    for (std::size_t k = 0; k < x.size(); ++k) // held above: nothing is known there
        ratio[k] = k <= last ? 0.5 * std::log((without(powerY[k], noiseY[k]) + floorY) /
                                              (without(powerX[k], noiseX[k]) + floorX))
                             : ratio[last];
    std::size_t known = last;
    while (known > 0 &&
           (powerX[known] < kOverNoise * noiseX[known] || powerY[known] < kOverNoise * noiseY[known]))
        --known;
    if (known < last && static_cast<double>(known) * binHz >= kLeastKnownHz)
        goOnAbove(known, ratio);
    const auto turned = minimumPhase(ratio, fft);
    Spectrum32 cross(x.size(), 0);
    float most = 0;
    for (std::size_t k = 0; k < x.size(); ++k)
        most = std::max(most, std::abs(x[k]) * std::abs(y[k]));
    for (auto k = static_cast<std::size_t>(std::ceil(kLowestHz / binHz)); k <= last; ++k) {
        const auto product = x[k] * std::conj(y[k]) * std::polar(1.0F, turned[k]);
        cross[k] = product / std::pow(std::abs(product) + kLeast * most, static_cast<float>(kWhitened));
    }
    const auto time = fft.inverse(cross);
    return {time.begin(), time.end()};
}

/// Whether both add up better with the second inverted, below `kLowHz` in the first tenth of a second.
bool lowsAreOpposed(const std::vector<float>& first, const std::vector<float>& second, double rateHz) {
    constexpr double kLowHz = 200;
    const auto frames = static_cast<std::size_t>((kBeforeOnsetS + 0.1) * rateHz);
    RealFft fft(std::bit_ceil(2 * frames));
    const auto spectrumOf = [&](const std::vector<float>& x) {
        const auto found = fft.forward(std::span(x).first(std::min(frames, x.size())));
        return Spectrum32(found.begin(), found.end());
    };
    const auto x = spectrumOf(first);
    const auto y = spectrumOf(second);
    const double binHz = rateHz / static_cast<double>(fft.size());
    double shared = 0;
    for (std::size_t k = 1; static_cast<double>(k) * binHz <= kLowHz; ++k)
        shared += static_cast<double>((x[k] * std::conj(y[k])).real());
    return shared < 0;
}

/// Mean power of the window that ends at each frame.
std::vector<double> powersOver(std::span<const float> x, std::ptrdiff_t frames) {
    const auto window = static_cast<std::size_t>(std::max<std::ptrdiff_t>(1, frames));
    std::vector<double> power(x.size());
    double sum = 0;
    for (std::size_t n = 0; n < x.size(); ++n) {
        sum += static_cast<double>(x[n]) * x[n];
        if (n >= window)
            sum -= static_cast<double>(x[n - window]) * x[n - window];
        power[n] = std::max(0.0, sum) / static_cast<double>(window);
    }
    return power;
}

} // namespace

std::vector<float> monoOf(const Sound& sound) {
    if (sound.size() < 2)
        return sound.empty() ? std::vector<float>() : sound.front();
    std::vector<float> sum(sound.front().size());
    double alone = 0;
    double together = 0;
    for (std::size_t n = 0; n < sum.size(); ++n) {
        for (const auto& channel : sound) {
            sum[n] += channel[n];
            alone += static_cast<double>(channel[n]) * channel[n];
        }
        together += static_cast<double>(sum[n]) * sum[n];
    }
    constexpr double kCancelled = 0.2; // of what they have alone; unlike channels have all of it
    return together > kCancelled * alone ? sum : sound.front();
}

std::optional<double> oneShotOnset(std::span<const float> x, double rateHz) {
    constexpr double kAttackDb = -20; // by which the attack is found, and from which its first rise
    constexpr double kRiseDb = -48;
    constexpr double kRiseInNoiseDb = -34; // at most: what never falls under it may be no noise
    constexpr double kOverFloorDb = 7;     // of the whole sound
    constexpr double kOverNoiseDb = 6;     // before it
    constexpr double kFloorShare = 0.02;
    constexpr double kLongestRiseS = 0.008;
    constexpr double kDipS = 0.0015;
    constexpr double kNoiseFromS = 0.050; // before the attack
    constexpr double kNoiseToS = 0.005;
    const auto framesOf = [rateHz](double s) { return static_cast<std::ptrdiff_t>(s * rateHz); };
    const auto coarse = powersOver(x, framesOf(0.001));
    const auto most = std::max_element(coarse.begin(), coarse.end());
    if (most == coarse.end() || *most <= 0)
        return std::nullopt;
    const auto attack =
        std::find_if(coarse.begin(), coarse.end(),
                     [enough = *most * dbToPower(kAttackDb)](double p) { return p >= enough; }) -
        coarse.begin();
    const auto fine = powersOver(x, framesOf(0.0005));
    const double top = *std::max_element(fine.begin(), fine.end());
    double enough = top * dbToPower(kRiseDb);
    const auto floorFrames = std::max<std::ptrdiff_t>(1, framesOf(0.002));
    const auto floors = powersOver(x, floorFrames);
    std::vector<double> apart;
    for (std::ptrdiff_t n = floorFrames - 1; n < std::ssize(floors); n += floorFrames)
        apart.push_back(floors[static_cast<std::size_t>(n)]);
    if (!apart.empty())
        enough = std::max(enough, std::min(top * dbToPower(kRiseInNoiseDb),
                                           dbToPower(kOverFloorDb) * quantile(apart, kFloorShare)));
    std::vector<double> before(fine.begin() + std::max<std::ptrdiff_t>(0, attack - framesOf(kNoiseFromS)),
                               fine.begin() + std::max<std::ptrdiff_t>(0, attack - framesOf(kNoiseToS)));
    if (before.size() > static_cast<std::size_t>(framesOf(0.001)))
        enough = std::max(enough, dbToPower(kOverNoiseDb) * quantile(before, 0.9));
    auto onset = attack;
    for (const auto earliest = std::max<std::ptrdiff_t>(0, attack - framesOf(kLongestRiseS));
         onset > earliest;) {
        const auto from = fine.begin() + std::max(earliest, onset - framesOf(kDipS));
        const auto found = std::find_if(from, fine.begin() + onset, [=](double p) { return p >= enough; });
        if (found == fine.begin() + onset)
            break;
        onset = found - fine.begin();
    }
    return static_cast<double>(onset) / rateHz;
}

std::optional<OneShotAlignment> alignOneShots(std::span<const float> first, std::span<const float> second,
                                              double rateHz) {
    const auto onset1 = oneShotOnset(first, rateHz);
    const auto onset2 = oneShotOnset(second, rateHz);
    if (!onset1 || !onset2)
        return std::nullopt;
    const auto before = static_cast<std::ptrdiff_t>(kBeforeOnsetS * rateHz);
    const auto from1 = std::llround(*onset1 * rateHz) - before;
    const auto from2 = std::llround(*onset2 * rateHz) - before;
    const auto frames = static_cast<std::size_t>((kBeforeOnsetS + kLookedAtS) * rateHz);
    const std::size_t size = std::bit_ceil(2 * frames);
    const auto x = cropped(first, from1, frames, size);
    const auto y = cropped(second, from2, frames, size);
    const auto unpadded = [frames](const std::vector<float>& stretch, std::ptrdiff_t soundEnds) {
        return std::span(stretch).first(std::min(frames, static_cast<std::size_t>(soundEnds)));
    };
    const auto found = correlation(x, y, unpadded(x, std::ssize(first) - from1),
                                   unpadded(y, std::ssize(second) - from2), rateHz);
    const auto reach = static_cast<std::ptrdiff_t>(OneShotAlignment::kReachMs / 1000 * rateHz);
    const auto at = [&](std::ptrdiff_t later) { // by which the second must come
        return static_cast<double>(
            found[static_cast<std::size_t>(later < 0 ? later + static_cast<std::ptrdiff_t>(size) : later)]);
    };
    std::ptrdiff_t best = 0;
    double power = 0;
    for (std::ptrdiff_t later = -reach; later <= reach; ++later) {
        power += at(later) * at(later);
        if (std::abs(at(later)) > std::abs(at(best)))
            best = later;
    }
    OneShotAlignment result;
    const double rms = std::sqrt(power / static_cast<double>(2 * reach + 1));
    result.likeness = rms > 0 ? std::abs(at(best)) / rms : 0;
    // The vertex of a parabola through the peak and its neighbours.
    const double left = std::abs(at(best - 1));
    const double right = std::abs(at(best + 1));
    const double bend = left - 2 * std::abs(at(best)) + right;
    const double part = bend < 0 ? std::clamp(0.5 * (left - right) / bend, -0.5, 0.5) : 0;
    const double apartMs = 1000 * (static_cast<double>(best) + part) / rateHz;
    const double onsetsMs = 1000 * static_cast<double>(from1 - from2) / rateHz;
    const double awayMs = std::abs(apartMs);
    result.isCopy = result.likeness >= (awayMs <= kVeryNearMs ? kLikenessVeryNear
                                        : awayMs <= kNearMs   ? kLikenessNear
                                                              : kLikenessFar);
    result.shiftMs = onsetsMs + (result.isCopy ? apartMs : 0);
    result.isInverted = result.isCopy ? at(best) < 0 : lowsAreOpposed(x, y, rateHz);
    return result;
}

} // namespace cask::measure
