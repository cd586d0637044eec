// What a kick is looked for on: the bass of a session, and the kick that is there.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/kit_measures/hit_analysis.h>
#include <core/session/session.h>
#include <filesystem>
#include <vector>

namespace cask::project {

struct BassQuestion {
    session::Id kick = session::kNoId, bass = session::kNoId;
    std::vector<float> bassSound; ///< as its file came, mono, from the session's start
    std::vector<double> strikesS; ///< of the kick, session time
    /// Energy of a stroke of the kick (the median one; 0.3 s), as loudness weighs it, dB.
    double kickDb = 0;
};

/// `kick` kNoId: the first one of the session. Errors say what is missing: a kick, a bass, hits of the kick.
[[nodiscard]] Result<BassQuestion> bassQuestion(const session::Session& s,
                                                const std::filesystem::path& sessionFolder,
                                                const kit::HitAnalysis& analysis, session::Id kick,
                                                const CancelToken& cancel = {});

} // namespace cask::project
