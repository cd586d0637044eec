#include "core/measure/hits/band_trail.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>

namespace cask::measure {
namespace {

constexpr std::size_t kBlockFrames = 512;
constexpr double kLowestHz = 25;

/// Second-order Butterworth-like pass with this damping (1 / Q) as a state-variable section.
dsp::SvfCoefficients passSection(double hz, double damping, bool isHigh, double rate) {
    dsp::SvfCoefficients c;
    c.g = std::tan(kPi * hz / rate);
    c.k = damping;
    c.m0 = isHigh ? 1 : 0;
    c.m1 = isHigh ? -damping : 0;
    c.m2 = isHigh ? -1 : 1;
    return c;
}

/// Each lane is one band: 24 dB/oct below, so that strong low drums stay out of the high bands, 12 above.
dsp::SectionBank makeBands(double rate) {
    // Dampings of a fourth-order Butterworth filter.
    constexpr double kFirst = 1.8478;
    constexpr double kSecond = 0.7654;
    constexpr dsp::SvfCoefficients kThrough{0.1, 1, 1, 0, 0};
    auto bank = dsp::makeBank(3);
    const double highest = 0.45 * rate;
    for (int b = 0; b < kTrailBands; ++b) {
        const double low =
            std::min(b == 0 ? kLowestHz : kTrailEdgesHz[static_cast<std::size_t>(b) - 1], highest);
        dsp::setTarget(bank.sections[0], b, passSection(low, kFirst, true, rate));
        dsp::setTarget(bank.sections[1], b, passSection(low, kSecond, true, rate));
        const bool isLast = b + 1 == kTrailBands;
        const double high = isLast ? highest : std::min(kTrailEdgesHz[static_cast<std::size_t>(b)], highest);
        dsp::setTarget(bank.sections[2], b, isLast ? kThrough : passSection(high, 1.4142, false, rate));
    }
    dsp::settle(bank);
    return bank;
}

} // namespace

LevelByte levelByteOfPower(float power) {
    if (!(power > 1e-12F))
        return 0;
    // The least power of each byte: half a step below its level.
    static const auto least = [] {
        std::array<float, 257> t{};
        for (std::size_t i = 0; i < t.size(); ++i)
            t[i] = static_cast<float>(std::pow(10.0, ((static_cast<double>(i) - 0.5) / 2 - 120) / 10));
        return t;
    }();
    // A first guess from the bits of the number, less than one step off (log2 of the mantissa by a straight
    // line is at most 0.09 off, which is 0.26 dB); the table decides.
    const auto bits = static_cast<float>(std::bit_cast<std::uint32_t>(power));
    const float octaves = bits * 0x1p-23F - 127;
    const float decibelPerOctave = 3.0103F;
    auto byte = static_cast<int>(std::clamp(2 * (decibelPerOctave * octaves + 120) + 0.5F, 0.0F, 255.0F));
    while (byte < 255 && power >= least[static_cast<std::size_t>(byte) + 1])
        ++byte;
    while (byte > 0 && power < least[static_cast<std::size_t>(byte)])
        --byte;
    return static_cast<LevelByte>(byte);
}

float powerOfLevelByte(LevelByte b) {
    static const auto table = [] {
        std::array<float, 256> t{};
        for (std::size_t i = 0; i < t.size(); ++i)
            t[i] = static_cast<float>(std::pow(10.0, (0.5 * static_cast<double>(i) - 120) / 10));
        return t;
    }();
    return table[b];
}

BandTrailMeter::BandTrailMeter(double rate)
    : m_bank(makeBands(rate)), m_block(kBlockFrames * dsp::kLanes), m_mono(kBlockFrames),
      m_fineFrames(rate * kFineStepS), m_nextFine(m_fineFrames) {
    m_trail.sampleRateHz = rate;
}

void BandTrailMeter::add(std::span<const float> samples, std::size_t stride) {
    const dsp::DenormalGuard guard;
    for (std::size_t from = 0; from < samples.size();) {
        std::size_t n = 0;
        for (; n < kBlockFrames && from < samples.size(); ++n, from += stride)
            m_mono[n] = samples[from];
        addBlock(n);
    }
}

void BandTrailMeter::addBlock(std::size_t frames) {
    const auto& kernels = dsp::kernels();
    for (std::size_t n = 0; n < frames; ++n)
        std::fill_n(m_block.data() + n * dsp::kLanes, dsp::kLanes, m_mono[n]);
    kernels.filter(m_bank, m_block.data(), static_cast<int>(frames));
    // In runs to the end of a fine step, so that the levels of all bands are taken side by side.
    for (std::size_t n = 0; n < frames;) {
        const auto left =
            static_cast<std::size_t>(std::max(1.0, std::ceil(m_nextFine - static_cast<double>(m_done))));
        const std::size_t run = std::min(left, frames - n);
        dsp::LaneLevels levels;
        kernels.levels(m_block.data() + n * dsp::kLanes, static_cast<int>(run), levels);
        for (std::size_t b = 0; b < kTrailBands; ++b)
            m_sums[b] += levels.sumSquares.v[b];
        float peak = 0;
        for (std::size_t k = n; k < n + run; ++k)
            peak = std::max(peak, std::abs(m_mono[k]));
        m_peak = std::max(m_peak, peak);
        m_peakHigh = std::max({m_peakHigh, levels.peak.v[5], levels.peak.v[6], levels.peak.v[7]});
        m_done += static_cast<Frames>(run);
        n += run;
        if (static_cast<double>(m_done) >= m_nextFine)
            endFineStep();
    }
}

void BandTrailMeter::endFineStep() {
    m_nextFine += m_fineFrames;
    m_trail.fine.push_back(levelByteOfPower(m_peak * m_peak));
    m_trail.fineHigh.push_back(levelByteOfPower(m_peakHigh * m_peakHigh));
    m_peak = 0;
    m_peakHigh = 0;
    if (++m_fineInStep < kFineStepsPerStep)
        return;
    m_fineInStep = 0;
    const auto frames = static_cast<float>(m_done - m_stepStart);
    m_stepStart = m_done;
    for (float& sum : m_sums) {
        m_trail.bands.push_back(levelByteOfPower(sum / frames));
        sum = 0;
    }
}

BandTrail BandTrailMeter::take() {
    const std::size_t steps = m_trail.steps();
    m_trail.fine.resize(steps * kFineStepsPerStep);
    m_trail.fineHigh.resize(steps * kFineStepsPerStep);
    // A session holds the trails of all its files.
    for (auto* levels : {&m_trail.bands, &m_trail.fine, &m_trail.fineHigh})
        levels->shrink_to_fit();
    return std::move(m_trail);
}

} // namespace cask::measure
