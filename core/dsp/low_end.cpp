#include "core/dsp/low_end.h"

namespace cask::dsp {

std::vector<EqBand> lowEndBands(const LowEndSettings& s) {
    constexpr double kQ = 0.7;
    EqBand boost;
    boost.kind = FilterKind::LowShelf;
    boost.frequencyHz = s.frequencyHz;
    boost.gainDb = s.boostDb;
    boost.q = kQ;
    EqBand cut = boost;
    cut.frequencyHz = kCutAbove * s.frequencyHz;
    cut.gainDb = -s.cutDb;
    return {boost, cut};
}

} // namespace cask::dsp
