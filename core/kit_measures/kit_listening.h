// A take listened to once, for the balance of its elements.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <core/measure/balance/kit_powers.h>
#include <vector>

namespace cask::kit {

/// Bass, music, voice, loops and effects are balanced by their loudness as a whole, drums by their own hits.
[[nodiscard]] bool goesByLoudness(const session::Element& element);

/// What the whole take tells of some elements, behind their chains and at 0 dB.
struct HeardKit {
    measure::KitPowers powers; ///< by drum of the hits, those of loops left out; channels of drum microphones
    std::vector<int> channelElement; ///< of each channel of the powers: place among the elements
    std::vector<int> channelSide;    ///< 0 left or the only one, 1 right
    std::vector<double> lufs;        ///< integrated, of elements that go by it; else kSilenceDb
};
[[nodiscard]] Result<HeardKit> listenToKit(const session::Session& session,
                                           const std::vector<session::Id>& elements,
                                           const advise::HitAnalysis& hits,
                                           const graph::SourceLookup& sources, const CancelToken& cancel = {},
                                           const ProgressFn& progress = {});

} // namespace cask::kit
