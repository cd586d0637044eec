#include "core/measure/tone/low_cut.h"

#include "core/base/units.h"

#include <cmath>

namespace cask::measure {

double lowCutChangeDb(const Spectrum& spectrum, double hz) {
    return energyChangeDb(spectrum, [hz](double f) {
        return -powerToDb(1 + std::pow(hz / f, 8)); // |H|^2 of order four
    });
}

LowCut findLowCut(const Spectrum& own, const Spectrum& spill, double mostLossDb) {
    LowCut cut;
    if (own.bandDb.empty())
        return cut;
    for (int i = 0; i < kSpectrumPoints; ++i) {
        const double hz = Spectrum::pointHz(i);
        if (hz < 20 || hz > 400)
            continue;
        const double change = lowCutChangeDb(own, hz);
        if (change < -mostLossDb)
            break;
        cut = {hz, change, lowCutChangeDb(spill, hz)};
    }
    return cut;
}

} // namespace cask::measure
