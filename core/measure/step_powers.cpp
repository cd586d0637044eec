#include "core/measure/step_powers.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kOffsetDb = -0.691; // of the standard: 0 dBFS at 997 Hz in one channel is -3.01 LUFS
constexpr std::size_t kSteps = 4;    // of 100 ms in a gating block of 400 ms, which overlaps by three of them
constexpr double kAbsoluteGate = -70;

/// Means of `length` steps that begin `apart` after each other, over the absolute gate.
std::vector<double> blocksOf(std::span<const double> steps, std::size_t length, std::size_t apart) {
    std::vector<double> blocks;
    for (std::size_t i = 0; i + length <= steps.size(); i += apart) {
        double power = 0;
        for (std::size_t k = 0; k < length; ++k)
            power += steps[i + k] / static_cast<double>(length);
        if (lufsOf(power) >= kAbsoluteGate)
            blocks.push_back(power);
    }
    return blocks;
}

/// 0: there are none.
double meanOver(const std::vector<double>& blocks, double gateLufs) {
    double sum = 0;
    std::size_t count = 0;
    for (const double power : blocks)
        if (lufsOf(power) >= gateLufs) {
            sum += power;
            ++count;
        }
    return count > 0 ? sum / static_cast<double>(count) : 0;
}

} // namespace

double lufsOf(double power) {
    return power > 0 ? std::max(kSilenceDb, kOffsetDb + 10 * std::log10(power)) : kSilenceDb;
}

double gatedLufs(std::span<const double> stepPowers) {
    constexpr double kRelativeGate = -10;
    const auto blocks = blocksOf(stepPowers, kSteps, 1);
    return lufsOf(meanOver(blocks, lufsOf(meanOver(blocks, kAbsoluteGate)) + kRelativeGate));
}

double loudnessRangeLu(std::span<const double> stepPowers) {
    constexpr std::size_t kLength = 30;
    constexpr std::size_t kApart = 10; // the standard asks for windows that overlap by 66 % or more
    constexpr double kRelativeGate = -20;
    constexpr double kLow = 0.1;
    constexpr double kHigh = 0.95;
    auto blocks = blocksOf(stepPowers, kLength, kApart);
    const double gate = lufsOf(meanOver(blocks, kAbsoluteGate)) + kRelativeGate;
    std::erase_if(blocks, [&](double power) { return lufsOf(power) < gate; });
    if (blocks.empty())
        return 0;
    std::sort(blocks.begin(), blocks.end());
    const auto at = [&](double share) {
        return lufsOf(
            blocks[static_cast<std::size_t>(std::lround(share * static_cast<double>(blocks.size() - 1)))]);
    };
    return at(kHigh) - at(kLow);
}

/// The analogue parameters behind the standard's two filters at 48 kHz, so that they can be designed for any
/// rate (as libebur128 and the standard's own examples have them).
std::array<dsp::SvfCoefficients, 2> loudnessFilters(double rate) {
    constexpr double kShelfGainDb = 3.999843853973347;
    constexpr double kShelfQ = 0.7071752369554196;
    constexpr double kPassQ = 0.5003270373238773;
    const double shelf = std::tan(kPi * 1681.974450955533 / rate);
    const double high = std::pow(10, kShelfGainDb / 20);
    const double band = std::pow(high, 0.4996667741545416);
    const double pass = std::tan(kPi * 38.13547087602444 / rate);
    const double whole = 1 + pass / kPassQ + pass * pass; // the standard leaves its numerator as 1, -2, 1
    return {{{shelf, 1 / kShelfQ, high, (band - high) / kShelfQ, 1 - high},
             {pass, 1 / kPassQ, whole, -whole / kPassQ, -whole}}};
}

StepPowers::StepPowers(double rate, int channels)
    : m_channels(std::max(1, channels)), m_memories(static_cast<std::size_t>(m_channels + 1) / 2),
      m_stepFrames(std::max<Frames>(kParts, std::llround(rate / 10))) {
    const auto section = [](const dsp::SvfCoefficients& c) {
        const double a0 = 1 + c.k * c.g + c.g * c.g;
        const double band = (c.k * c.m0 + c.m1) * c.g;
        const double low = (c.m0 + c.m2) * c.g * c.g;
        return Section{(c.m0 + band + low) / a0, 2 * (low - c.m0) / a0, (c.m0 - band + low) / a0,
                       2 * (c.g * c.g - 1) / a0, (1 - c.k * c.g + c.g * c.g) / a0};
    };
    const auto filters = loudnessFilters(rate);
    m_shelf = section(filters[0]);
    m_highPass = section(filters[1]); // its zeros are written out below
}

double StepPowers::squaresOf(const float* from, int stride, bool isPair, Frames frames,
                             Memory& memory) const {
    const Section shelf = m_shelf;
    const Section pass = m_highPass;
    Memory m = memory;
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
    if (isPair)
        for (Frames i = 0; i < frames; ++i)
            step(Pair{from[i * stride], from[i * stride + 1]});
    else
        for (Frames i = 0; i < frames; ++i)
            step(Pair{from[i * stride], 0});
    const double sum = squares[0] + squares[1];
    if (!std::isfinite(sum)) {
        memory = {};
        return 0;
    }
    // What has died away is nothing, and slow to compute with.
    constexpr double kNothing = 1e-30;
    for (auto* values : {m.between, m.out})
        for (int i = 0; i < 2; ++i)
            for (int c = 0; c < 2; ++c)
                values[i][c] = std::abs(values[i][c]) < kNothing ? 0 : values[i][c];
    memory = m;
    return sum;
}

void StepPowers::add(std::span<const float> interleaved) {
    const auto frames = static_cast<Frames>(interleaved.size()) / m_channels;
    for (Frames at = 0; at < frames;) {
        const Frames partEnd = m_stepFrames * (m_part + 1) / kParts;
        const Frames n = std::min(frames - at, partEnd - m_inStep);
        const float* const from = interleaved.data() + at * m_channels;
        for (int c = 0; c < m_channels; c += 2)
            m_sum += squaresOf(from + c, m_channels, c + 1 < m_channels, n,
                               m_memories[static_cast<std::size_t>(c / 2)]);
        at += n;
        m_inStep += n;
        if (m_inStep < partEnd)
            continue;
        m_lastParts[static_cast<std::size_t>(m_at)] = m_sum;
        m_at = (m_at + 1) % kMostParts;
        m_ofStep += m_sum;
        m_sum = 0;
        if (++m_part < kParts)
            continue;
        m_steps.push_back(m_ofStep / static_cast<double>(m_stepFrames));
        m_part = 0;
        m_inStep = 0;
        m_ofStep = 0;
    }
}

double StepPowers::meanOfLast(int parts) const {
    double sum = 0;
    for (int i = 1; i <= parts; ++i)
        sum += m_lastParts[static_cast<std::size_t>((m_at - i + kMostParts) % kMostParts)];
    return sum * kParts / static_cast<double>(m_stepFrames * parts);
}

} // namespace cask::measure
