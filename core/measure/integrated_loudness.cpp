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

IntegratedLoudness::IntegratedLoudness(double rate, int channels)
    : m_channels(std::min(channels, kMostChannels)),
      m_stepFrames(std::max<Frames>(1, std::llround(rate / 10))) {
    const auto section = [](const dsp::SvfCoefficients& c) {
        const double a0 = 1 + c.k * c.g + c.g * c.g;
        const double band = (c.k * c.m0 + c.m1) * c.g;
        const double low = (c.m0 + c.m2) * c.g * c.g;
        return Section{(c.m0 + band + low) / a0, 2 * (low - c.m0) / a0, (c.m0 - band + low) / a0,
                       2 * (c.g * c.g - 1) / a0, (1 - c.k * c.g + c.g * c.g) / a0};
    };
    const auto filters = loudnessFilters(rate);
    m_shelf = section(filters[0]);
    m_highPass = section(filters[1]); // its zeros are written out in add()
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
    return gatedLufs(m_powers);
}

double gatedLufs(std::span<const double> stepPowers) {
    constexpr double kAbsoluteGate = -70;
    constexpr double kRelativeGate = -10;
    std::vector<double> blocks;
    for (std::size_t i = 0; i + kSteps <= stepPowers.size(); ++i) {
        double power = 0;
        for (std::size_t k = 0; k < kSteps; ++k)
            power += stepPowers[i + k] / kSteps;
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

dsp::SectionBank loudnessBank(double rate) {
    const auto filters = loudnessFilters(rate);
    auto bank = dsp::makeBank(static_cast<int>(filters.size()));
    for (std::size_t i = 0; i < filters.size(); ++i)
        for (int lane = 0; lane < dsp::kLanes; ++lane)
            dsp::setTarget(bank.sections[i], lane, filters[i]);
    dsp::settle(bank);
    return bank;
}

LaneLoudness::LaneLoudness(double rate)
    : m_filter(loudnessBank(rate)), m_stepFrames(std::max(1, static_cast<int>(std::lround(rate / 10)))) {}

void LaneLoudness::add(const float* lanes, int frames) {
    for (int done = 0; done < frames;) {
        const int count = std::min({kPiece, frames - done, m_stepFrames - m_inStep});
        std::copy_n(lanes + static_cast<std::ptrdiff_t>(done) * dsp::kLanes,
                    static_cast<std::ptrdiff_t>(count) * dsp::kLanes, m_piece.begin());
        dsp::kernels().filter(m_filter, m_piece.data(), count);
        dsp::LaneLevels levels;
        dsp::kernels().levels(m_piece.data(), count, levels);
        for (std::size_t lane = 0; lane < dsp::kLanes; ++lane)
            m_sums[lane] += static_cast<double>(levels.sumSquares.v[lane]);
        m_inStep += count;
        done += count;
        if (m_inStep == m_stepFrames) {
            for (double& sum : m_sums)
                sum /= m_stepFrames;
            m_powers.push_back(m_sums);
            m_sums = {};
            m_inStep = 0;
        }
    }
}

double LaneLoudness::lufs(int lane, int channels) const {
    std::vector<double> powers;
    powers.reserve(m_powers.size());
    for (const auto& step : m_powers) {
        double power = 0;
        for (int c = lane; c < lane + channels; ++c)
            power += step[static_cast<std::size_t>(c)];
        powers.push_back(power);
    }
    return gatedLufs(powers);
}

} // namespace cask::measure
