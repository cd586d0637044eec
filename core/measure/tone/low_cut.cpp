#include "core/measure/tone/low_cut.h"

#include "core/base/units.h"

#include <cmath>

namespace cask::measure {

namespace {

std::vector<double> powersOf(const Spectrum& spectrum) {
    std::vector<double> powers;
    for (const float db : spectrum.bandDb)
        powers.push_back(std::pow(10.0, db / 10));
    return powers;
}

double changeDb(const std::vector<double>& powers, double hz) {
    double before = 0;
    double after = 0;
    for (std::size_t i = 0; i < powers.size(); ++i) {
        const double ratio = hz / Spectrum::pointHz(static_cast<int>(i));
        const double square = ratio * ratio;
        const double fourth = square * square;
        before += powers[i];
        after += powers[i] / (1 + fourth * fourth); // |H|^2 of order four
    }
    return before > 0 ? powerToDb(after / before) : 0;
}

} // namespace

double lowCutChangeDb(const Spectrum& spectrum, double hz) {
    return changeDb(powersOf(spectrum), hz);
}

LowCut findLowCut(const Spectrum& own, const Spectrum& spill, double mostLossDb) {
    LowCut cut;
    if (own.bandDb.empty())
        return cut;
    const auto ownPowers = powersOf(own);
    for (int i = 0; i < kSpectrumPoints; ++i) {
        const double hz = Spectrum::pointHz(i);
        if (hz < 20 || hz > 400)
            continue;
        const double change = changeDb(ownPowers, hz);
        if (change < -mostLossDb)
            break;
        cut = {hz, change, 0};
    }
    if (cut.hz > 0)
        cut.spillDb = lowCutChangeDb(spill, cut.hz);
    return cut;
}

} // namespace cask::measure
