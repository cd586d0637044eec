#include "core/dsp/analogue.h"

#include "core/base/units.h"

#include <cmath>

namespace cask::dsp {
namespace {

AnalogueSection section(double n2, double n1, double n0, double d2, double d1, double d0, double hz) {
    return {{n0, n1, n2}, {d0, d1, d2}, hz};
}

void addButterworth(std::vector<AnalogueSection>& sections, int order, bool isHighPass, double hz) {
    if (order % 2 == 1)
        sections.push_back(isHighPass ? section(0, 1, 0, 0, 1, 1, hz) : section(0, 0, 1, 0, 1, 1, hz));
    for (int pair = 0; pair < order / 2; ++pair) {
        // Pole angles of a Butterworth filter: 2 sin((2k+1) pi / 2N) is 1/Q of each pair.
        const double inverseQ = 2 * std::sin((2 * pair + 1) * kPi / (2 * order));
        sections.push_back(isHighPass ? section(1, 0, 0, 1, inverseQ, 1, hz)
                                      : section(0, 0, 1, 1, inverseQ, 1, hz));
    }
}

} // namespace

double AnalogueSection::magnitudeSquared(double hz) const {
    const double w = hz / frequencyHz;
    const auto power = [w](const std::array<double, 3>& p) {
        const double re = p[0] - p[2] * w * w;
        const double im = p[1] * w;
        return re * re + im * im;
    };
    return power(n) / power(d);
}

std::vector<AnalogueSection> analogueSections(const EqBand& band) {
    const double a = std::pow(10.0, band.gainDb / 40);
    const double root = std::sqrt(a) / band.q;
    const double hz = band.frequencyHz;
    std::vector<AnalogueSection> sections;
    switch (band.kind) {
    case FilterKind::Bell:
        sections.push_back(section(1, a / band.q, 1, 1, 1 / (a * band.q), 1, hz));
        break;
    case FilterKind::LowShelf:
        sections.push_back(section(a, a * root, a * a, a, root, 1, hz));
        break;
    case FilterKind::HighShelf:
        sections.push_back(section(a * a, a * root, a, 1, root, a, hz));
        break;
    case FilterKind::Notch:
        sections.push_back(section(1, 0, 1, 1, 1 / band.q, 1, hz));
        break;
    case FilterKind::BandPass:
        sections.push_back(section(0, 1 / band.q, 0, 1, 1 / band.q, 1, hz));
        break;
    case FilterKind::Tilt: // G far above, 1 / G far below, 1 at the frequency
        sections.push_back(section(0, a * a, 1, 0, 1, a * a, hz));
        break;
    case FilterKind::HighPass:
    case FilterKind::LowPass:
        addButterworth(sections, static_cast<int>(std::lround(band.slopeDbPerOct / 6)),
                       band.kind == FilterKind::HighPass, hz);
        break;
    }
    return sections;
}

double analogueMagnitudeDb(const EqBand& band, double hz) {
    if (!band.isOn)
        return 0;
    double db = 0;
    for (const auto& s : analogueSections(band))
        db += powerToDb(s.magnitudeSquared(hz));
    return db;
}

} // namespace cask::dsp
