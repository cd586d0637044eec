#include "core/project/tones.h"

#include "core/base/worker_pool.h"
#include "core/project/gates.h"

#include <algorithm>
#include <mutex>

namespace cask::project {

Result<std::vector<advise::ToneMeasure>> measureTones(const session::Session& s,
                                                      const advise::HitAnalysis& hits,
                                                      const graph::SourceLookup& sources,
                                                      const CancelToken& cancel, const ProgressFn& progress,
                                                      const std::vector<advise::ToneMeasure>& known) {
    constexpr int kThreads = 2;
    std::vector<session::Id> elements;
    for (const auto& e : s.elements)
        if (canBeGated(*e) && hits.inputOf(e->id) >= 0)
            elements.push_back(e->id);
    std::vector<advise::ToneMeasure> found(elements.size());
    {
        std::mutex mutex; // guards done
        std::size_t done = 0;
        WorkerPool pool(kThreads);
        for (std::size_t i = 0; i < elements.size(); ++i)
            pool.post([&, i] {
                const auto old = std::find_if(known.begin(), known.end(),
                                              [&](const auto& k) { return k.element == elements[i]; });
                if (old != known.end()) {
                    found[i] = *old;
                } else if (const auto material =
                               gateMaterial(s, elements[i], session::kNoId, hits, sources, cancel)) {
                    found[i].element = elements[i];
                    found[i].spectra = measure::measureToneSpectra(**material);
                    found[i].partials = measure::measurePartials(
                        **material, measure::fundamentalRange(s.element(elements[i])->role));
                    found[i].lowCut = measure::findLowCut(found[i].spectra);
                }
                const std::lock_guard lock(mutex);
                if (progress)
                    progress(static_cast<double>(++done) / static_cast<double>(elements.size()));
            });
        pool.waitIdle();
    }
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Measuring the tones was stopped."};
    return found;
}

} // namespace cask::project
