#include "core/dsp/body.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {

SvfCoefficients designBody(const BodySettings& s, double sampleRateHz) {
    const double hz = std::clamp(s.frequencyHz, 5.0, 0.45 * sampleRateHz);
    SvfCoefficients c;
    c.g = std::tan(kPi * hz / sampleRateHz);
    c.k = 2 * std::log(1000.0) / (2 * kPi * hz * std::max(1.0, s.decayMs) * 0.001);
    c.m0 = 1;
    c.m1 = dbToLinear(s.levelDb) * c.k;
    c.m2 = 0;
    return c;
}

} // namespace cask::dsp
