#include "core/dsp/layer_filter.h"

#include "core/base/units.h"
#include "core/dsp/analogue.h"

#include <algorithm>

namespace cask::dsp {

std::vector<SvfCoefficients> designLayerFilter(const LayerFilterSettings& settings, double sampleRateHz) {
    EqBand pass;
    pass.kind = settings.kind;
    pass.frequencyHz = std::clamp(settings.frequencyHz, 5.0, 0.45 * sampleRateHz);
    pass.slopeDbPerOct = settings.slopeDbPerOct < 18 ? 12 : 24;
    auto prototypes = analogueSections(pass);
    // d1 of s^2 + d1 s + 1 is 1 / Q: the smallest is the sharpest.
    const auto sharpest = std::min_element(prototypes.begin(), prototypes.end(),
                                           [](const auto& a, const auto& b) { return a.d[1] < b.d[1]; });
    sharpest->d[1] /= dbToLinear(std::clamp(settings.resonanceDb, 0.0, 24.0));
    std::vector<SvfCoefficients> sections;
    sections.reserve(prototypes.size());
    for (const auto& prototype : prototypes)
        sections.push_back(designSection(prototype, sampleRateHz));
    return sections;
}

} // namespace cask::dsp
