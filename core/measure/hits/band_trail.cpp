#include "core/measure/hits/band_trail.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>

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

/// Greatest absolute value; a sample that is no number counts as nothing.
float greatest(std::span<const float> samples) {
    // Independent maxima hide the latency of a comparison.
    std::array<float, 4> most{};
    std::size_t k = 0;
    for (; k + most.size() <= samples.size(); k += most.size())
        for (std::size_t i = 0; i < most.size(); ++i)
            most[i] = std::max(most[i], std::abs(samples[k + i]));
    for (; k < samples.size(); ++k)
        most[0] = std::max(most[0], std::abs(samples[k]));
    return std::max(std::max(most[0], most[1]), std::max(most[2], most[3]));
}

/// The least power of each byte: half a step below its level. No power has more than the last.
constexpr std::array<float, 257> kLeastPowers = [] {
    std::array<float, 257> least{};
    long double power = 1e-12L * 1.05925372517728862649L; // 10 ^ 0.025
    for (std::size_t i = 1; i < 256; ++i) {
        least[i] = static_cast<float>(power);
        power *= 1.12201845430196343559L; // 10 ^ 0.05
    }
    least.back() = std::numeric_limits<float>::quiet_NaN();
    return least;
}();

/// The byte of the least number with these leading bits: sign, exponent and six of the mantissa. So many tell
/// two numbers apart that are 0.07 dB from each other, so that there is at most one step of half a decibel
/// between that number and the next.
constexpr int kLaterBits = 17;
constexpr auto kByteOfBits = [] {
    std::array<LevelByte, ((1U << 31U) >> kLaterBits)> bytes{};
    std::size_t byte = 0;
    for (std::size_t i = 0; i < bytes.size(); ++i) {
        const auto least = std::bit_cast<float>(static_cast<std::uint32_t>(i) << kLaterBits);
        while (byte < 255 && least >= kLeastPowers[byte + 1])
            ++byte;
        bytes[i] = static_cast<LevelByte>(byte);
    }
    return bytes;
}();

inline LevelByte byteOf(float power) {
    if (!(power > 1e-12F))
        return 0;
    const LevelByte byte = kByteOfBits[std::bit_cast<std::uint32_t>(power) >> kLaterBits];
    return static_cast<LevelByte>(byte + (power >= kLeastPowers[byte + 1U] ? 1 : 0));
}

} // namespace

LevelByte levelByteOfPower(float power) {
    return byteOf(power);
}

BandTrailMeter::BandTrailMeter(double rate)
    : m_bank(makeBands(rate)), m_mono(kBlockFrames), m_fineFrames(rate * kFineStepS),
      m_nextFine(m_fineFrames) {
    m_trail.sampleRateHz = rate;
}

void BandTrailMeter::add(std::span<const float> samples, std::size_t stride) {
    const dsp::DenormalGuard guard;
    for (std::size_t from = 0; stride == 1 && from < samples.size(); from += kBlockFrames)
        addBlock(samples.subspan(from, std::min(kBlockFrames, samples.size() - from)));
    for (std::size_t from = 0; stride != 1 && from < samples.size();) {
        std::size_t n = 0;
        for (; n < kBlockFrames && from < samples.size(); ++n, from += stride)
            m_mono[n] = samples[from];
        addBlock(std::span(m_mono).first(n));
    }
}

void BandTrailMeter::addBlock(std::span<const float> samples) {
    // In runs to the end of a fine step.
    m_runs.clear();
    double next = m_nextFine;
    auto done = static_cast<double>(m_done);
    for (std::size_t n = 0; n < samples.size();) {
        const auto left = static_cast<std::size_t>(std::max(1.0, std::ceil(next - done)));
        const std::size_t run = std::min(left, samples.size() - n);
        m_runs.push_back(static_cast<int>(run));
        done += static_cast<double>(run);
        n += run;
        if (done >= next)
            next += m_fineFrames;
    }
    m_levels.resize(m_runs.size());
    dsp::kernels().levelsOfBands(m_bank, samples.data(), m_runs, m_levels.data());
    const float* from = samples.data();
    for (std::size_t r = 0; r < m_runs.size(); ++r) {
        const auto run = static_cast<std::size_t>(m_runs[r]);
        addRun(run, m_levels[r], greatest({from, run}));
        from += run;
    }
}

void BandTrailMeter::addRun(std::size_t frames, const dsp::LaneLevels& levels, float peak) {
    for (std::size_t b = 0; b < kTrailBands; ++b)
        m_sums[b] += levels.sumSquares.v[b];
    m_peak = std::max(m_peak, peak);
    m_peakHigh = std::max({m_peakHigh, levels.peak.v[5], levels.peak.v[6], levels.peak.v[7]});
    m_done += static_cast<Frames>(frames);
    if (static_cast<double>(m_done) >= m_nextFine)
        endFineStep();
}

void BandTrailMeter::endFineStep() {
    m_nextFine += m_fineFrames;
    m_trail.fine.push_back(byteOf(m_peak * m_peak));
    m_trail.fineHigh.push_back(byteOf(m_peakHigh * m_peakHigh));
    m_peak = 0;
    m_peakHigh = 0;
    if (++m_fineInStep < kFineStepsPerStep)
        return;
    m_fineInStep = 0;
    const auto frames = static_cast<float>(m_done - m_stepStart);
    m_stepStart = m_done;
    std::array<LevelByte, kTrailBands> bytes{};
    for (std::size_t b = 0; b < kTrailBands; ++b)
        bytes[b] = byteOf(m_sums[b] / frames);
    m_trail.bands.insert(m_trail.bands.end(), bytes.begin(), bytes.end());
    m_sums = {};
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
