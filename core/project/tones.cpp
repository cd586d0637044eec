#include "core/project/tones.h"

#include "core/project/gates.h"
#include "core/project/in_parallel.h"

#include <algorithm>

namespace cask::project {

Result<std::vector<advise::ToneMeasure>> measureTones(const session::Session& s,
                                                      const advise::HitAnalysis& hits,
                                                      const graph::SourceLookup& sources,
                                                      const CancelToken& cancel, const ProgressFn& progress,
                                                      const std::vector<advise::ToneMeasure>& known) {
    std::vector<session::Id> elements;
    for (const auto& e : s.elements)
        if (canBeGated(*e) && hits.inputOf(e->id) >= 0)
            elements.push_back(e->id);
    std::vector<advise::ToneMeasure> found(elements.size());
    inParallel(elements.size(), progress, [&](std::size_t i) {
        const auto old =
            std::find_if(known.begin(), known.end(), [&](const auto& k) { return k.element == elements[i]; });
        if (old != known.end()) {
            found[i] = *old;
        } else if (const auto material =
                       gateMaterial(s, elements[i], session::kNoId, hits, sources, cancel)) {
            found[i].element = elements[i];
            found[i].spectra = measure::measureToneSpectra(**material);
            found[i].partials =
                measure::measurePartials(**material, measure::fundamentalRange(s.element(elements[i])->role));
            found[i].lowCut = measure::findLowCut(found[i].spectra);
        }
    });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Measuring the tones was stopped."};
    return found;
}

} // namespace cask::project
