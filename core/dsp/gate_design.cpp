// What of a gate follows from its settings alone: latency, what its detector hears, the curve of its release.
#include "core/base/units.h"
#include "core/dsp/detector_cuts.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/gate_lanes.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

const double kSilence = dbToLinear(kSilentFloorDb);

} // namespace

int gateLatency(const GateSettings& s, double sampleRateHz) {
    return static_cast<int>(secondsToFrames(0.001 * s.lookAheadMs, sampleRateHz));
}

std::vector<EqBand> detectorBands(const GateSettings& s) {
    return detectorCuts(s.lowCutHz, s.highCutHz, s.cutSlopeDbPerOct);
}

std::vector<SvfCoefficients> designDetectorFilter(const GateSettings& s, double sampleRateHz) {
    std::vector<SvfCoefficients> sections;
    for (const auto& band : detectorBands(s))
        for (const auto& c : designBand(band, sampleRateHz))
            sections.push_back(c);
    return sections;
}

void GateBank::deriveRelease(int lane) noexcept {
    const double closed = closedGain[lane];
    const double frames = std::max(1.0F, left[lane]);
    mul[lane] = 0;
    add[lane] = closedGain[lane];
    perFrame[lane] = 0;
    switch (static_cast<ReleaseCurve>(static_cast<int>(curve[lane]))) {
    case ReleaseCurve::Even: {
        const double from = std::max(static_cast<double>(raw[lane]), kSilence);
        raw[lane] = static_cast<float>(from);
        mul[lane] = static_cast<float>(std::pow(std::max(closed, kSilence) / from, 1 / frames));
        add[lane] = 0;
        break;
    }
    case ReleaseCurve::Straight:
        perFrame[lane] = static_cast<float>((raw[lane] - closed) / frames);
        break;
    case ReleaseCurve::Quick:
        mul[lane] = quick[lane];
        add[lane] = static_cast<float>(closed * (1 - static_cast<double>(quick[lane])));
        break;
    }
}

} // namespace cask::dsp
