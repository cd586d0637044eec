#include "core/measure/tone/low_cut.h"

#include "core/base/units.h"

#include <cmath>

namespace cask::measure {

double lowCutChangeDb(const Spectrum& spectrum, double hz) {
    double before = 0;
    double after = 0;
    for (int i = 0; i < static_cast<int>(spectrum.bandDb.size()); ++i) {
        const double power = std::pow(10.0, spectrum.bandDb[static_cast<std::size_t>(i)] / 10);
        before += power;
        after += power / (1 + std::pow(hz / Spectrum::pointHz(i), 8)); // |H|^2 of order four
    }
    return before > 0 ? powerToDb(after / before) : 0;
}

LowCut findLowCut(const ToneSpectra& spectra, double mostLossDb) {
    LowCut cut;
    if (spectra.own.bandDb.empty())
        return cut;
    for (int i = 0; i < kSpectrumPoints; ++i) {
        const double hz = Spectrum::pointHz(i);
        if (hz < 20 || hz > 400)
            continue;
        const double change = lowCutChangeDb(spectra.own, hz);
        if (change < -mostLossDb)
            break;
        cut = {hz, change, lowCutChangeDb(spectra.spill, hz)};
    }
    return cut;
}

} // namespace cask::measure
