#include "core/dsp/detector_cuts.h"

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

} // namespace cask::dsp
