#include "core/dsp/detector_cuts.h"

#include <utility>

namespace cask::dsp {
namespace {

constexpr double kLowCutOffHz = 10.5;
constexpr double kHighCutOffHz = 19900;

} // namespace

std::vector<EqBand> detectorCuts(double lowCutHz, double highCutHz, double slopeDbPerOct) {
    std::vector<EqBand> bands;
    const auto add = [&](FilterKind kind, double hz) {
        EqBand& band = bands.emplace_back();
        band.kind = kind;
        band.frequencyHz = hz;
        band.slopeDbPerOct = slopeDbPerOct;
    };
    if (lowCutHz > kLowCutOffHz)
        add(FilterKind::HighPass, lowCutHz);
    if (highCutHz < kHighCutOffHz)
        add(FilterKind::LowPass, highCutHz);
    return bands;
}

std::vector<EqBand> partCuts(GateReach reach, double fromHz, double toHz) {
    constexpr double kSlope = 24;
    const bool hasLow = reach == GateReach::Above || reach == GateReach::Between;
    const bool hasHigh = reach == GateReach::Below || reach == GateReach::Between;
    if (reach == GateReach::Between && fromHz > toHz)
        std::swap(fromHz, toHz);
    return detectorCuts(hasLow ? fromHz : 10, hasHigh ? toHz : 20000, kSlope);
}

} // namespace cask::dsp
