#include "core/dsp/dynamic_band.h"

#include "core/base/units.h"
#include "core/dsp/eq_design.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kStepDb = 0.5;
constexpr double kLowestToneHz = 20;
constexpr double kMostDetectorQ = 4.3; // a third of an octave

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
        const auto c = design ? design(at, sampleRateHz) : designBand(at, sampleRateHz).front();
        d.steps.push_back({static_cast<float>(c.g), static_cast<float>(c.k), static_cast<float>(c.m0 - 1),
                           static_cast<float>(c.m1), static_cast<float>(c.m2)});
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

int BandLevel::cellsOf(const EqBand& band, double sampleRateHz) noexcept {
    // Half a wave of the lowest tone.
    const double lowest =
        band.kind == FilterKind::HighShelf ? std::max(kLowestToneHz, band.frequencyHz / 2) : kLowestToneHz;
    return std::max(1, static_cast<int>(std::ceil(sampleRateHz / (2 * lowest) / kCell)));
}

void BandLevel::prepare(double sampleRateHz) {
    m_cells.assign(static_cast<std::size_t>(cellsOf({0, FilterKind::LowShelf}, sampleRateHz)) + 1, 0);
}

void BandLevel::set(const DynamicBandDesign& design, double sampleRateHz) noexcept {
    m_kind = design.band.kind;
    m_filter = design.detector;
    m_damping = dampingOf(m_filter);
    m_cellCount = cellsOf(design.band, sampleRateHz);
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

} // namespace cask::dsp
