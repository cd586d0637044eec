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

LayerFilter::LayerFilter(double sampleRateHz, Oversampling oversampling)
    : m_curves(sampleRateHz), m_changed(static_cast<std::size_t>(CurveLanes::kPiece) * kLanes),
      m_bank(makeBank(kMostSections)), m_kernels(&kernels()), m_sampleRateHz(sampleRateHz) {
    for (int lane = 0; lane < kLanes; ++lane)
        m_curves.place(lane, Shape::Soft, oversampling);
    std::array<int, kLanes> late{};
    late.fill(CurveLanes::latencyFrames(oversampling, sampleRateHz));
    m_delay.prepare(late);
    m_mix.mix.v.fill(1);
    m_mix.output.v.fill(1);
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

void LayerFilter::drive(float* io, int frames) noexcept {
    for (int n = 0; n < frames; ++n, m_untilStep = (m_untilStep + kStepFrames - 1) % kStepFrames)
        if (m_untilStep == 0) {
            stepDrive();
            for (int lane = 0; lane < kLanes; ++lane)
                m_curves.set(lane, static_cast<double>(m_drive[lane]), 0, 0, n);
        }
    m_curves.process(io, m_changed.data(), frames);
    m_kernels->addShaped(m_mix, m_delay, m_changed.data(), io, frames);
}

void LayerFilter::process(float* io, int frames) noexcept {
    for (int done = 0; m_isDriven && done < frames; done += CurveLanes::kPiece)
        drive(io + static_cast<std::ptrdiff_t>(done) * kLanes, std::min(frames - done, CurveLanes::kPiece));
    m_kernels->filter(m_bank, io, frames);
}

void LayerFilter::reset() noexcept {
    settle(m_bank);
    for (auto& section : m_bank.sections)
        section.s1 = section.s2 = {};
    m_drive = m_driveGoal;
    for (int lane = 0; lane < kLanes; ++lane)
        m_curves.set(lane, static_cast<double>(m_drive[lane]), 0);
    m_curves.reset();
    m_delay.reset();
    m_untilStep = 0;
    m_isDriven = std::ranges::any_of(m_settings, [](const auto& s) { return s.driveDb > 0; });
}

} // namespace cask::dsp
