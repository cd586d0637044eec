#include "core/dsp/eq_design.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

/// Cuts are the exact inverse of the boost of the same size: the fit is at its best on boosts.
SvfCoefficients inverse(const SvfCoefficients& c) {
    // (m0 s^2 + (m0 k + m1) s + m0 + m2) / (s^2 + k s + 1), turned over and normalised again.
    const double n2 = c.m0;
    const double n1 = c.m0 * c.k + c.m1;
    const double n0 = c.m0 + c.m2;
    const double ratio = std::sqrt(n0 / n2); // new corner relative to the old one
    SvfCoefficients r;
    r.g = c.g * ratio;
    r.k = n1 / (n2 * ratio);
    r.m0 = 1 / n2;
    r.m1 = c.k / (n2 * ratio) - r.m0 * r.k;
    r.m2 = 1 / n0 - r.m0;
    return r;
}

/// The band-pass has its poles where the notch of the same width has them, a zero at 0 Hz, and the analogue
/// magnitude at its centre and far below it: a fit of its own would be lost in the zeros on both sides.
SvfCoefficients bandPass(const EqBand& band, double sampleRateHz) {
    EqBand notch = band;
    notch.kind = FilterKind::Notch;
    SvfCoefficients c = designSection(analogueSections(notch).front(), sampleRateHz);
    // (n2 s^2 + n1 s) / (s^2 + k s + 1), where s is j w / (2 g rate) far down: there n1 s = (1 / q) f / f0.
    const double n1 = c.g * sampleRateHz / (kPi * band.frequencyHz * band.q);
    const double u = std::tan(kPi * band.frequencyHz / sampleRateHz) / c.g; // the centre, s = j u
    c.m0 = std::sqrt(std::max(0.0, (1 - u * u) * (1 - u * u) + (c.k * c.k - n1 * n1) * u * u)) / (u * u);
    c.m1 = n1 - c.m0 * c.k;
    c.m2 = -c.m0;
    return c;
}

EqBand limited(EqBand band, double sampleRateHz) {
    band.frequencyHz = std::clamp(band.frequencyHz, 5.0, 0.45 * sampleRateHz);
    band.q = std::clamp(band.q, 0.05, 200.0);
    return band;
}

} // namespace

int sectionCount(const EqBand& band) {
    return static_cast<int>(analogueSections(band).size());
}

std::vector<SvfCoefficients> designBand(const EqBand& settings, double sampleRateHz) {
    EqBand band = limited(settings, sampleRateHz);
    const bool isFlat = hasGain(band.kind) && std::abs(band.gainDb) < 1e-9;
    // A low shelf that boosts and a high shelf that cuts are the well-behaved halves of the two shelves.
    const bool turnOver = (band.kind == FilterKind::Bell && band.gainDb < 0) ||
                          (band.kind == FilterKind::LowShelf && band.gainDb < 0) ||
                          (band.kind == FilterKind::HighShelf && band.gainDb > 0) ||
                          (band.kind == FilterKind::Tilt && band.gainDb > 0);
    if (turnOver)
        band.gainDb = -band.gainDb;
    std::vector<SvfCoefficients> sections;
    for (const auto& prototype : analogueSections(band)) {
        SvfCoefficients c = band.kind == FilterKind::BandPass ? bandPass(band, sampleRateHz)
                            : isFlat
                                ? SvfCoefficients{std::tan(kPi * band.frequencyHz / sampleRateHz), 1 / band.q}
                                : designSection(prototype, sampleRateHz);
        if (turnOver && !isFlat)
            c = inverse(c);
        if (!band.isOn) {
            c.m0 = 1;
            c.m1 = 0;
            c.m2 = 0;
        }
        sections.push_back(c);
    }
    return sections;
}

EqBand withAmount(EqBand band, double amountPercent) {
    band.gainDb *= amountPercent / 100;
    band.rangeDb *= amountPercent / 100;
    return band;
}

std::vector<SvfCoefficients> designEq(const EqSettings& settings, double sampleRateHz, StereoPart part) {
    std::vector<SvfCoefficients> sections;
    for (const auto& band : settings.bands)
        if (band.part == StereoPart::Both || band.part == part)
            for (const auto& c : designBand(withAmount(band, settings.amountPercent), sampleRateHz))
                sections.push_back(c);
    return sections;
}

double responseDb(const EqSettings& settings, double hz, double sampleRateHz, StereoPart part) {
    return responseDb(designEq(settings, sampleRateHz, part), hz, sampleRateHz);
}

SvfCoefficients designDcFilter(double sampleRateHz) {
    return designSection({{0, 0, 1}, {1, std::sqrt(2.0), 1}, 5.0}, sampleRateHz);
}

} // namespace cask::dsp
