#include "core/demo/drum_synth.h"

#include "core/base/units.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::demo {
namespace {

struct Mode {
    double hz;
    double amplitude;
    double decayS; ///< time to fall by 60 dB
};

/// Adds a decaying sine whose pitch falls to `hz` from `bend` times as much over about 20 ms.
void addMode(std::vector<float>& out, const Mode& mode, double bend, double riseS, double rate,
             Random& random) {
    const double decay = std::log(1000.0) / (mode.decayS * rate);
    double phase = random.between(-0.15, 0.15);
    const auto n = std::min(out.size(), static_cast<std::size_t>(mode.decayS * 1.3 * rate));
    const double bendDecay = std::exp(-1 / (0.018 * rate));
    const double fall = std::exp(-decay);
    double level = mode.amplitude;
    double extra = bend - 1;
    const double step = 2 * kPi * mode.hz / rate;
    for (std::size_t i = 0; i < n; ++i) {
        const double t = static_cast<double>(i) / rate;
        const double rise = t < riseS ? 0.5 - 0.5 * std::cos(kPi * t / riseS) : 1;
        out[i] += static_cast<float>(level * rise * std::sin(phase));
        phase += step * (1 + extra);
        extra *= bendDecay;
        level *= fall;
    }
}

/// Noise between two frequencies (one-pole slopes, twice), decaying.
void addNoise(std::vector<float>& out, double amplitude, double lowHz, double highHz, double decayS,
              double riseS, double rate, Random& random) {
    const auto n = std::min(out.size(), static_cast<std::size_t>(decayS * 1.4 * rate));
    const double decay = std::exp(-std::log(1000.0) / (decayS * rate));
    const double lowpass = 1 - std::exp(-2 * kPi * highHz / rate);
    const double highpass = 1 - std::exp(-2 * kPi * lowHz / rate);
    std::array<double, 4> z{};
    double level = amplitude;
    for (std::size_t i = 0; i < n; ++i) {
        const double t = static_cast<double>(i) / rate;
        const double rise = t < riseS ? t / riseS : 1;
        z[0] += lowpass * (random.noise() - z[0]);
        z[1] += lowpass * (z[0] - z[1]);
        z[2] += highpass * (z[1] - z[2]);
        const double high = z[1] - z[2];
        z[3] += highpass * (high - z[3]);
        out[i] += static_cast<float>(level * rise * (high - z[3]));
        level *= decay;
    }
}

/// Partials of a plate, spread over a range, each with a decay of its own. Two multiplications a sample and
/// partial.
void addPartials(std::vector<float>& out, int count, double lowHz, double highHz, double amplitude,
                 double decayS, double riseS, double rate, Random& random) {
    for (int p = 0; p < count; ++p) {
        const double share = (p + random.uniform()) / count;
        const double hz = lowHz * std::pow(highHz / lowHz, share);
        const double own = decayS * std::pow(hz / lowHz, -0.35) * random.between(0.6, 1.3);
        const double r = std::exp(-std::log(1000.0) / (own * rate));
        const double w = 2 * kPi * hz / rate;
        const double a1 = 2 * r * std::cos(w);
        const double a2 = -r * r;
        const double phase = random.between(0, 2 * kPi);
        const double size = amplitude * random.between(0.4, 1.0) / std::sqrt(count);
        double y1 = size * std::sin(phase - w) / r;
        double y2 = size * std::sin(phase - 2 * w) / (r * r);
        const auto n = std::min(out.size(), static_cast<std::size_t>(own * 1.2 * rate));
        const auto rising = std::min(n, static_cast<std::size_t>(riseS * rate));
        for (std::size_t i = 0; i < n; ++i) {
            const double y = a1 * y1 + a2 * y2;
            y2 = y1;
            y1 = y;
            out[i] +=
                static_cast<float>(i < rising ? y * static_cast<double>(i) / static_cast<double>(rising) : y);
        }
    }
}

/// Ratios of the modes of an ideal membrane (zeros of Bessel functions): 01, 11, 21, 02, 31, 12.
constexpr std::array kMembrane = {1.0, 1.594, 2.136, 2.296, 2.653, 2.918};

void addMembrane(std::vector<float>& out, double hz, double amplitude, double decayS, double velocity,
                 double rate, Random& random) {
    for (std::size_t m = 0; m < kMembrane.size(); ++m) {
        // Higher modes are weaker, shorter, and come with force and with the place of the stroke.
        const double weight = m == 0 ? 1
                                     : 0.55 * std::pow(0.62, static_cast<double>(m)) *
                                           (0.5 + 0.7 * velocity) * random.between(0.7, 1.3);
        addMode(out,
                {hz * kMembrane[m] * random.between(0.997, 1.003), amplitude * weight,
                 decayS * std::pow(0.72, static_cast<double>(m))},
                1 + 0.09 * velocity, 0.0012, rate, random);
    }
}

double lengthS(Drum drum) {
    switch (drum) {
    case Drum::Kick:
        return 0.7;
    case Drum::Snare:
        return 0.9;
    case Drum::Hat:
        return 0.25;
    case Drum::OpenHat:
        return 1.1;
    case Drum::RackTom:
        return 1.1;
    case Drum::FloorTom:
        return 1.5;
    case Drum::Crash:
        return 3.2;
    case Drum::Ride:
        return 2.4;
    }
    return 1;
}

} // namespace

StrokeSound synthesise(const Stroke& stroke, const Tuning& tuning, double rate, Random& random) {
    StrokeSound sound;
    sound.top.assign(static_cast<std::size_t>(lengthS(stroke.drum) * rate), 0);
    auto& top = sound.top;
    const double v = stroke.velocity;
    const double bright = 0.35 + 0.65 * v; // force brings the high modes out
    switch (stroke.drum) {
    case Drum::Kick:
        addMode(top, {tuning.kickHz, 0.95 * v, 0.5}, 1.9, 0.002, rate, random);
        addMode(top, {tuning.kickHz * 1.594, 0.3 * v, 0.24}, 1.6, 0.002, rate, random);
        addMode(top, {tuning.kickHz * 4.1, 0.12 * v, 0.12}, 1.2, 0.001, rate, random);
        addNoise(top, 0.9 * v * bright, 1500, 5200, 0.022, 0.0004, rate, random);
        sound.underside.assign(top.size(), 0);
        addMode(sound.underside, {tuning.kickHz, 0.9 * v, 0.62}, 1.5, 0.004, rate, random);
        addMode(sound.underside, {tuning.kickHz * 1.62, 0.35 * v, 0.3}, 1.3, 0.004, rate, random);
        break;
    case Drum::Snare:
        addMembrane(top, tuning.snareHz, 0.55 * v, 0.26, v, rate, random);
        addMode(top, {tuning.snareRingHz * random.between(0.999, 1.001), 0.09 * v, 0.85}, 1, 0.002, rate,
                random);
        addNoise(top, 1.0 * v * bright, 1800, 9000, 0.2, 0.0012, rate, random);
        addNoise(top, 0.9 * v * bright, 2500, 12000, 0.012, 0.0003, rate, random);
        sound.underside.assign(top.size(), 0);
        addMembrane(sound.underside, tuning.snareHz * 1.05, 0.35 * v, 0.2, v, rate, random);
        // The wires answer soft strokes nearly as fully as hard ones.
        addNoise(sound.underside, 1.6 * std::pow(v, 0.85), 2200, 11000, 0.24, 0.0016, rate, random);
        break;
    case Drum::Hat:
        addPartials(top, 34, 3200, 15500, 0.42 * v * bright, 0.13, 0.0006, rate, random);
        addNoise(top, 0.5 * v, 6000, 14000, 0.06, 0.0004, rate, random);
        break;
    case Drum::OpenHat:
        addPartials(top, 44, 2600, 15500, 0.5 * v * bright, 0.95, 0.0008, rate, random);
        addNoise(top, 0.5 * v, 6000, 14000, 0.4, 0.0005, rate, random);
        break;
    case Drum::RackTom:
        addMembrane(top, tuning.rackHz, 0.7 * v, 0.75, v, rate, random);
        addMode(top, {tuning.rackBoxHz, 0.3 * v, 0.35}, 1, 0.002, rate, random);
        addNoise(top, 0.6 * v * bright, 1800, 7000, 0.018, 0.0004, rate, random);
        break;
    case Drum::FloorTom:
        addMembrane(top, tuning.floorHz, 0.8 * v, 1.05, v, rate, random);
        addNoise(top, 0.5 * v * bright, 1500, 6000, 0.02, 0.0005, rate, random);
        break;
    case Drum::Crash:
        addPartials(top, 70, 420, 15000, 0.6 * v, 2.4, 0.006, rate, random);
        addNoise(top, 0.35 * v * bright, 3500, 13000, 1.1, 0.004, rate, random);
        break;
    case Drum::Ride:
        addPartials(top, 50, 520, 13000, 0.26 * v, 1.6, 0.002, rate, random);
        addNoise(top, 0.4 * v, 4500, 12000, 0.03, 0.0004, rate, random);
        break;
    }
    return sound;
}

} // namespace cask::demo
