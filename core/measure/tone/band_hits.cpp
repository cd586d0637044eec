#include "core/measure/tone/band_hits.h"

#include "core/base/units.h"
#include "core/dsp/dynamic_band.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kBeforeS = 0.040; // for the filter to settle
constexpr double kAfterS = 0.060;

} // namespace

std::vector<float> bandLevels(const HitMaterial& m, const dsp::EqBand& band) {
    std::vector<float> levels(m.hits.size(), static_cast<float>(kSilenceDb));
    auto moving = band;
    moving.dynamics = dsp::Dynamics::Above;
    moving.rangeDb = 0; // the design of one step will do
    const auto design = dsp::designDynamicBand(moving, 100, true, m.rateHz);
    dsp::BandLevel detector;
    detector.prepare(m.rateHz);
    detector.set(design, m.rateHz);
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const double at = m.hits[i].timeS - m.startS;
        const auto onset = static_cast<std::ptrdiff_t>(at * m.rateHz);
        const auto end = std::min(static_cast<std::ptrdiff_t>(m.frames()),
                                  onset + static_cast<std::ptrdiff_t>(kAfterS * m.rateHz));
        if (onset < 0 || onset >= end)
            continue;
        double greatest = 0;
        for (const auto& channel : m.sound) {
            detector.reset();
            for (auto n =
                     std::max<std::ptrdiff_t>(0, onset - static_cast<std::ptrdiff_t>(kBeforeS * m.rateHz));
                 n < end; ++n) {
                const double square = detector.next(channel[static_cast<std::size_t>(n)]);
                if (n >= onset)
                    greatest = std::max(greatest, square);
            }
        }
        levels[i] = static_cast<float>(powerToDb(greatest));
    }
    return levels;
}

BandHits bandHits(const HitMaterial& m, const std::vector<float>& levels, const dsp::EqBand& band) {
    BandHits found;
    std::vector<float> own;
    std::vector<float> spill;
    const bool isAbove = band.dynamics != dsp::Dynamics::Below;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (levels[i] <= static_cast<float>(kSilenceDb))
            continue;
        const bool moves = (levels[i] > band.thresholdDb) == isAbove;
        (m.hits[i].isOwn ? own : spill).push_back(levels[i]);
        (m.hits[i].isOwn ? found.ownMoved : found.spillMoved) += moves;
    }
    found.ownHits = static_cast<int>(own.size());
    found.spillHits = static_cast<int>(spill.size());
    found.ownDb = own.empty() ? kSilenceDb : median(own);
    found.spillDb = spill.empty() ? kSilenceDb : median(spill);
    return found;
}

} // namespace cask::measure
