#include "core/measure/integrated_loudness.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kOffsetDb = -0.691; // of the standard: 0 dBFS at 997 Hz in one channel is -3.01 LUFS
constexpr std::size_t kSteps = 4;    // of 100 ms in a gating block of 400 ms, which overlaps by three of them

double loudnessOf(double power) {
    return kOffsetDb + 10 * std::log10(power);
}

} // namespace

/// The analogue parameters behind the standard's two filters at 48 kHz, so that they can be designed for any
/// rate (as libebur128 and the standard's own examples have them).
IntegratedLoudness::IntegratedLoudness(double rate, int channels)
    : m_channels(std::min(channels, kMostChannels)),
      m_stepFrames(std::max<Frames>(1, std::llround(rate / 10))) {
    const auto tangent = [rate](double hz) { return std::tan(kPi * hz / rate); };
    {
        constexpr double kGainDb = 3.999843853973347;
        constexpr double kQ = 0.7071752369554196;
        const double k = tangent(1681.974450955533);
        const double high = std::pow(10, kGainDb / 20);
        const double band = std::pow(high, 0.4996667741545416);
        const double a0 = 1 + k / kQ + k * k;
        m_shelf = {(high + band * k / kQ + k * k) / a0, 2 * (k * k - high) / a0,
                   (high - band * k / kQ + k * k) / a0, 2 * (k * k - 1) / a0, (1 - k / kQ + k * k) / a0};
    }
    {
        constexpr double kQ = 0.5003270373238773;
        const double k = tangent(38.13547087602444);
        const double a0 = 1 + k / kQ + k * k;
        m_highPass = {1, -2, 1, // its zeros are written out in add()
                      2 * (k * k - 1) / a0, (1 - k / kQ + k * k) / a0};
    }
}

void IntegratedLoudness::add(std::span<const float> interleaved) {
    const Section shelf = m_shelf;
    const Section pass = m_highPass;
    const auto channels = static_cast<std::size_t>(m_channels);
    const std::size_t frames = interleaved.size() / channels;
    for (std::size_t at = 0; at < frames;) {
        const std::size_t n = std::min(frames - at, static_cast<std::size_t>(m_stepFrames - m_inStep));
        const float* from = interleaved.data() + at * channels;
        Memory m = m_memory;
        Pair squares{};
        const auto step = [&](Pair x) {
            const Pair between =
                (shelf.b0 * x + shelf.b1 * m.in[0] + shelf.b2 * m.in[1] - shelf.a2 * m.between[1]) -
                shelf.a1 * m.between[0];
            const Pair out =
                ((between - 2 * m.between[0] + m.between[1]) - pass.a2 * m.out[1]) - pass.a1 * m.out[0];
            m = {{x, m.in[0]}, {between, m.between[0]}, {out, m.out[0]}};
            squares += out * out;
        };
        if (channels == 2)
            for (std::size_t i = 0; i < n; ++i)
                step(Pair{from[2 * i], from[2 * i + 1]});
        else
            for (std::size_t i = 0; i < n; ++i)
                step(Pair{from[i], 0});
        // What has died away is nothing, and slow to compute with.
        constexpr double kNothing = 1e-30;
        for (auto* values : {m.between, m.out})
            for (int i = 0; i < 2; ++i)
                for (int c = 0; c < kMostChannels; ++c)
                    values[i][c] = std::abs(values[i][c]) < kNothing ? 0 : values[i][c];
        m_memory = m;
        const double sum = squares[0] + squares[1];
        m_sum += sum;
        m_inStep += static_cast<Frames>(n);
        at += n;
        if (m_inStep == m_stepFrames) {
            m_powers.push_back(m_sum / static_cast<double>(m_stepFrames));
            m_sum = 0;
            m_inStep = 0;
        }
    }
}

double IntegratedLoudness::lufs() const {
    constexpr double kAbsoluteGate = -70;
    constexpr double kRelativeGate = -10;
    std::vector<double> blocks;
    for (std::size_t i = 0; i + kSteps <= m_powers.size(); ++i) {
        double power = 0;
        for (std::size_t k = 0; k < kSteps; ++k)
            power += m_powers[i + k] / kSteps;
        if (power > 0 && loudnessOf(power) >= kAbsoluteGate)
            blocks.push_back(power);
    }
    const auto meanAbove = [&](double gate) {
        double sum = 0;
        std::size_t count = 0;
        for (const double power : blocks)
            if (loudnessOf(power) >= gate) {
                sum += power;
                ++count;
            }
        return count > 0 ? sum / static_cast<double>(count) : 0;
    };
    const double all = meanAbove(kAbsoluteGate);
    if (all <= 0)
        return kSilenceDb;
    return std::max(kSilenceDb, loudnessOf(meanAbove(loudnessOf(all) + kRelativeGate)));
}

} // namespace cask::measure
