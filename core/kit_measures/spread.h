// What a stereo element loses in mono at different spreads.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <core/session/session.h>
#include <string>
#include <vector>

namespace cask::kit {

struct DrumLoss {
    std::string drum;
    double lossDb = 0; ///< of the 80 ms after its strokes
};
struct SpreadLoss {
    double widthPercent = 100;
    /// Loudness (BS.1770, integrated) of the element alone less that of its two sides added at half: 0 for
    /// sides that are the same, 3 for unrelated ones, more where they cancel; LU.
    double lossLu = 0;
    std::vector<DrumLoss> drums; ///< of those that are struck, worst first
};

/// The same of a stereo sound, LU; 0 of silence.
[[nodiscard]] double monoLossLu(const std::vector<std::vector<float>>& sides, double widthPercent,
                                double sampleRateHz);

/// One for each width. After the element's chain, over a stretch. `hits` may be null: then no drum is told
/// apart. An error when the element is not stereo.
[[nodiscard]] Result<std::vector<SpreadLoss>>
measureSpread(const session::Session& session, session::Id element, const advise::HitAnalysis* hits,
              const graph::SourceLookup& sources, const std::vector<double>& widthsPercent, Frames from,
              std::size_t frames, const CancelToken& cancel = {});

} // namespace cask::kit
