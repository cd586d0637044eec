#include "core/dsp/layer_filter.h"

#include "core/base/units.h"
#include "core/dsp/analogue.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {

std::vector<SvfCoefficients> designLayerFilter(const LayerFilterSettings& settings, double sampleRateHz) {
    EqBand pass;
    pass.kind = settings.kind;
    pass.frequencyHz = std::clamp(settings.frequencyHz, 5.0, 0.45 * sampleRateHz);
    pass.slopeDbPerOct = settings.slopeDbPerOct < 18 ? 12 : 24;
    auto prototypes = analogueSections(pass);
    // d1 of s^2 + d1 s + 1 is 1 / Q: the smallest is the sharpest.
    const auto sharpest = std::min_element(prototypes.begin(), prototypes.end(),
                                           [](const auto& a, const auto& b) { return a.d[1] < b.d[1]; });
    sharpest->d[1] /= dbToLinear(std::clamp(settings.resonanceDb, 0.0, 24.0));
    std::vector<SvfCoefficients> sections;
    sections.reserve(prototypes.size());
    for (const auto& prototype : prototypes)
        sections.push_back(designSection(prototype, sampleRateHz));
    return sections;
}

namespace {

constexpr int kMostSections = 2;
constexpr double kLeastDrive = 1e-3; // tanh is straight there to the last bit of a float

} // namespace

double saturationOf(const LayerFilterSettings& settings) {
    return dbToLinear(std::clamp(settings.driveDb, 0.0, 36.0)) - 1;
}

LayerFilter::LayerFilter(double sampleRateHz, int factor, int mostFrames)
    : m_oversampler(factor, sampleRateHz, mostFrames), m_bank(makeBank(kMostSections)), m_kernels(&kernels()),
      m_sampleRateHz(sampleRateHz) {
    m_drive.v.fill(static_cast<float>(kLeastDrive));
    m_driveGoal = m_drive;
}

void LayerFilter::set(int lane, const LayerFilterSettings& settings) {
    m_settings[static_cast<std::size_t>(lane)] = settings;
    captureCurrent(m_bank);
    const auto sections = designLayerFilter(settings, m_sampleRateHz);
    for (std::size_t s = 0; s < kMostSections; ++s)
        setTarget(m_bank.sections[s], lane, s < sections.size() ? sections[s] : SvfCoefficients{});
    beginGlide(m_bank, static_cast<int>(kGlideMs * 1e-3 * m_sampleRateHz));
    m_driveGoal[lane] = static_cast<float>(std::max(kLeastDrive, saturationOf(settings)));
    m_isDriven = m_isDriven || settings.driveDb > 0;
}

void LayerFilter::stepDrive() noexcept {
    // By ratios, as it is heard. A ninth part of the way is left after a glide.
    const auto part = static_cast<float>(kStepFrames / (0.45e-3 * kGlideMs * m_sampleRateHz));
    for (int lane = 0; lane < kLanes; ++lane)
        m_drive[lane] *= std::pow(m_driveGoal[lane] / m_drive[lane], part);
}

void LayerFilter::process(float* io, int frames) noexcept {
    if (m_isDriven) {
        float* block = io;
        for (int left = frames; left > 0;) {
            if (m_untilStep == 0) {
                stepDrive();
                m_untilStep = kStepFrames;
            }
            const int count = std::min(left, m_untilStep);
            m_kernels->saturate(m_drive, m_oversampler.up(block, count), count * m_oversampler.factor());
            m_oversampler.down(block, count);
            block += count * kLanes;
            left -= count;
            m_untilStep -= count;
        }
    }
    m_kernels->filter(m_bank, io, frames);
}

void LayerFilter::reset() noexcept {
    settle(m_bank);
    for (auto& section : m_bank.sections)
        section.s1 = section.s2 = {};
    m_oversampler.reset();
    m_drive = m_driveGoal;
    m_untilStep = 0;
    m_isDriven = std::ranges::any_of(m_settings, [](const auto& s) { return s.driveDb > 0; });
}

} // namespace cask::dsp
