#include "core/dsp/dynamic_band.h"

#include "core/base/units.h"
#include "core/dsp/eq_design.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kStepDb = 0.5;
constexpr double kLowestToneHz = 20;
constexpr double kDbPerOctaveOfPower = 3.010299956639812; // 10 log10(2)
constexpr double kMostDetectorQ = 4.3;                    // a third of an octave
/// Nearer to rest than this is rest.
constexpr double kAtRestDb = 1e-3;

/// What the step of a filter is divided by, the other way up.
double dampingOf(const SvfCoefficients& c) noexcept {
    return 1 / (1 + c.g * (c.g + c.k));
}

/// Band- and low-pass of one frame (Zavalishin's trapezoidal state-variable filter).
std::array<double, 2> step(const SvfCoefficients& c, double damping, SvfState& state, double x) noexcept {
    const double v1 = (state.s1 + c.g * (x - state.s2)) * damping;
    const double v2 = state.s2 + c.g * v1;
    state.s1 = 2 * v1 - state.s1;
    state.s2 = 2 * v2 - state.s2;
    return {v1, v2};
}

SvfCoefficients lerp(const SvfCoefficients& a, const SvfCoefficients& b, double t) noexcept {
    return {a.g + t * (b.g - a.g), a.k + t * (b.k - a.k), a.m0 + t * (b.m0 - a.m0), a.m1 + t * (b.m1 - a.m1),
            a.m2 + t * (b.m2 - a.m2)};
}

double factorOf(double ms, double sampleRateHz) noexcept {
    return 1 - std::exp(-1 / (0.001 * ms * sampleRateHz));
}

} // namespace

DynamicBandDesign designDynamicBand(const EqBand& band, double amountPercent, bool isOn, double sampleRateHz,
                                    const SectionDesigner& design) {
    DynamicBandDesign d;
    d.band = withAmount(band, amountPercent);
    d.isOn = isOn && band.isOn;
    EqBand at = d.band;
    at.isOn = d.isOn;
    const int count = 1 + std::max(1, static_cast<int>(std::ceil(std::abs(d.band.rangeDb) / kStepDb)));
    for (int i = 0; i < count; ++i) {
        at.gainDb = d.band.gainDb + d.band.rangeDb * i / (count - 1);
        d.steps.push_back(design ? design(at, sampleRateHz) : designBand(at, sampleRateHz).front());
    }
    const double hz = std::clamp(band.frequencyHz, 5.0, 0.45 * sampleRateHz);
    d.detector.g = std::tan(kPi * hz / sampleRateHz);
    d.detector.k =
        band.kind == FilterKind::Bell ? 1 / std::clamp(band.q, 0.05, kMostDetectorQ) : std::sqrt(2.0);
    return d;
}

double dynamicGainDb(const EqBand& band, double levelDb) {
    const double past =
        band.dynamics == Dynamics::Above ? levelDb - band.thresholdDb : band.thresholdDb - levelDb;
    return std::copysign(std::clamp(past, 0.0, std::abs(band.rangeDb)), band.rangeDb);
}

void BandLevel::prepare(double sampleRateHz) {
    m_cells.assign(static_cast<std::size_t>(std::ceil(sampleRateHz / (2 * kLowestToneHz) / kCell)) + 1, 0);
}

void BandLevel::set(const DynamicBandDesign& design, double sampleRateHz) noexcept {
    m_kind = design.band.kind;
    m_filter = design.detector;
    m_damping = dampingOf(m_filter);
    const double lowest = m_kind == FilterKind::HighShelf ? design.band.frequencyHz / 2 : kLowestToneHz;
    m_cellCount = std::clamp(static_cast<int>(std::ceil(sampleRateHz / (2 * lowest) / kCell)), 1,
                             static_cast<int>(m_cells.size()));
}

void BandLevel::reset() noexcept {
    m_first = {};
    m_second = {};
    std::fill(m_cells.begin(), m_cells.end(), 0.0);
    m_cell = 0;
    m_inCell = 0;
    m_now = 0;
    m_earlier = 0;
}

void BandLevel::copyStateFrom(const BandLevel& other) noexcept {
    m_first = other.m_first;
    m_second = other.m_second;
    std::copy(other.m_cells.begin(), other.m_cells.end(), m_cells.begin());
    m_cell = other.m_cell;
    m_inCell = other.m_inCell;
    m_now = other.m_now;
    m_earlier = other.m_earlier;
}

double BandLevel::greatest(double square) noexcept {
    m_now = std::max(m_now, square);
    const double result = std::max(m_now, m_earlier);
    if (++m_inCell == kCell) {
        m_inCell = 0;
        m_cells[static_cast<std::size_t>(m_cell)] = m_now;
        m_now = 0;
        const int size = static_cast<int>(m_cells.size());
        m_earlier = 0;
        for (int i = 0; i < m_cellCount; ++i)
            m_earlier = std::max(m_earlier, m_cells[static_cast<std::size_t>((m_cell - i + size) % size)]);
        m_cell = m_cell + 1 == size ? 0 : m_cell + 1;
    }
    return result;
}

double BandLevel::next(double x) noexcept {
    const auto [v1, v2] = step(m_filter, m_damping, m_first, x);
    if (m_kind == FilterKind::LowShelf)
        return greatest(v2 * v2);
    if (m_kind == FilterKind::HighShelf) {
        const double high = x - m_filter.k * v1 - v2;
        return greatest(high * high);
    }
    const auto [w1, w2] = step(m_filter, m_damping, m_second, m_filter.k * v1);
    return m_filter.k * m_filter.k * (w1 * w1 + w2 * w2);
}

void DynamicBand::prepare(const DynamicBandDesign& design, double sampleRateHz) {
    m_rateHz = sampleRateHz;
    for (auto& level : m_levels)
        level.prepare(sampleRateHz);
    set(design, 0);
}

void DynamicBand::set(const DynamicBandDesign& design, int glideFrames) noexcept {
    const SvfCoefficients old = m_now;
    m_design = &design;
    for (auto& level : m_levels)
        level.set(design, m_rateHz);
    m_attackFactor = factorOf(design.band.attackMs, m_rateHz);
    m_releaseFactor = factorOf(design.band.releaseMs, m_rateHz);
    const double threshold = dbToLinear(design.band.thresholdDb);
    m_thresholdSquare = threshold * threshold;
    const auto [least, most] = std::minmax({0.0, design.band.rangeDb});
    m_movedDb = std::clamp(m_movedDb, least, most);
    m_glideLeft = glideFrames;
    m_glideFrames = std::max(1, glideFrames);
    m_old = old;
    const SvfCoefficients now = designed();
    m_gap = {old.g - now.g, old.k - now.k, old.m0 - now.m0, old.m1 - now.m1, old.m2 - now.m2};
    takeCoefficients();
}

void DynamicBand::reset() noexcept {
    for (auto& level : m_levels)
        level.reset();
    m_states = {};
    m_movedDb = 0;
    m_glideLeft = 0;
    takeCoefficients();
}

void DynamicBand::copyStateFrom(const DynamicBand& other, int glideFrames) noexcept {
    for (std::size_t c = 0; c < 2; ++c)
        m_levels[c].copyStateFrom(other.m_levels[c]);
    m_states = other.m_states;
    m_movedDb = other.m_movedDb;
    m_now = other.m_now;
    set(*m_design, glideFrames);
}

SvfCoefficients DynamicBand::designed() const noexcept {
    const auto& steps = m_design->steps;
    if (m_movedDb == 0)
        return steps.front();
    const double at = m_movedDb / m_design->band.rangeDb * static_cast<double>(steps.size() - 1);
    const auto i = std::min(static_cast<std::size_t>(at), steps.size() - 2);
    return lerp(steps[i], steps[i + 1], at - static_cast<double>(i));
}

void DynamicBand::takeCoefficients() noexcept {
    const SvfCoefficients goal = designed();
    if (m_glideLeft == 0) {
        m_now = goal;
        m_damping = dampingOf(m_now);
        return;
    }
    const double t = static_cast<double>(m_glideLeft) / m_glideFrames;
    const double share = t * t * (3 - 2 * t);
    m_now = {goal.g + share * m_gap.g, goal.k + share * m_gap.k, goal.m0 + share * m_gap.m0,
             goal.m1 + share * m_gap.m1, goal.m2 + share * m_gap.m2};
    // While the gain moves in the blend, the sum might leave the stable filters between the two.
    m_now.k = std::max(m_now.k, 0.5 * std::min(m_old.k, goal.k));
    m_now.g = std::max(m_now.g, 0.5 * std::min(m_old.g, goal.g));
    m_damping = dampingOf(m_now);
}

void DynamicBand::move(double square) noexcept {
    const EqBand& band = m_design->band;
    const bool isAbove = band.dynamics == Dynamics::Above;
    if (isAbove && square <= m_thresholdSquare && m_movedDb == 0 && m_glideLeft == 0)
        return;
    // Single precision is a thousand times finer than the law has to be.
    const double goal =
        isAbove && square <= m_thresholdSquare
            ? 0
            : dynamicGainDb(band, kDbPerOctaveOfPower * std::log2(static_cast<float>(square)));
    const bool goesOut = std::abs(goal) > std::abs(m_movedDb);
    m_movedDb += (goesOut == isAbove ? m_attackFactor : m_releaseFactor) * (goal - m_movedDb);
    if (std::abs(goal - m_movedDb) < kAtRestDb)
        m_movedDb = goal;
    takeCoefficients();
    if (m_glideLeft > 0)
        --m_glideLeft;
}

double DynamicBand::filter(int channel, double x) noexcept {
    const auto [v1, v2] = step(m_now, m_damping, m_states[static_cast<std::size_t>(channel)], x);
    return m_now.m0 * x + m_now.m1 * v1 + m_now.m2 * v2;
}

void DynamicBand::process(const std::array<float*, 2>& sound, const std::array<const float*, 2>& detectors,
                          int stride, int frames) noexcept {
    const bool isPair = sound[1] != nullptr;
    const StereoPart part = isPair ? m_design->band.part : StereoPart::Both;
    for (std::ptrdiff_t n = 0; n < static_cast<std::ptrdiff_t>(frames) * stride; n += stride) {
        float& left = sound[0][n];
        if (part == StereoPart::Both) {
            double square = m_levels[0].next(detectors[0][n]);
            if (isPair)
                square = std::max(square, m_levels[1].next(detectors[1][n]));
            move(square);
            left = static_cast<float>(filter(0, left));
            if (isPair)
                sound[1][n] = static_cast<float>(filter(1, sound[1][n]));
            continue;
        }
        float& right = sound[1][n];
        const float sign = part == StereoPart::Middle ? 1.0F : -1.0F;
        move(m_levels[0].next(0.5F * (detectors[0][n] + sign * detectors[1][n])));
        const double x = 0.5 * (static_cast<double>(left) + sign * right);
        const auto change = static_cast<float>(filter(0, x) - x);
        left += change;
        right += sign * change;
    }
}

} // namespace cask::dsp
