// A loop of a session cut at its hits, as an element that is played from its pieces.
#pragma once

#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <core/layers/loop_cut.h>
#include <core/project/played_files.h>

namespace cask::project {

struct LoopWish {
    session::Id element = session::kNoId;
    double fromS = 0, toS = 0; ///< of the session; to 0: to the end of the element
    layers::LoopFit fit = {};
    std::string name; ///< of the new element; empty: that of the loop, with "cut"
};

/// What a loop would be cut into; nothing is written.
struct LoopPlan {
    std::vector<layers::LoopPiece> pieces;
    Frames fromFrame = 0;     ///< of the file, from which pieces count
    double startS = 0;        ///< where that is heard, of the session
    layers::LoopMade made;    ///< its kits are in `folder`
    std::vector<double> hitS; ///< of each piece where it is played first, of the session
};

struct CutLoop {
    WrittenStack written;
    std::string name;
    LoopPlan plan;
};

/// The own hits of an element, seconds of its first file; by the drums of a loop, else all of the element's
/// drum.
[[nodiscard]] std::vector<layers::CutHit> cutHitsOf(const session::Session& s,
                                                    const kit::HitAnalysis& analysis, session::Id element);

/// Errors: no hits there, more than kMostPieces, what loopStack() says.
[[nodiscard]] Result<LoopPlan> planLoop(const session::Session& s, const kit::HitAnalysis& analysis,
                                        Frames fileFrames, const LoopWish& wish,
                                        const std::filesystem::path& folder = {});

/// Writes the pieces as files of 32-bit floats with a kit (SFZ) that plays them, and the stack, into the
/// session's folder of layers. Errors: those of planLoop(), what can't be read or written; nothing is left
/// behind then.
[[nodiscard]] Result<CutLoop> cutLoop(const session::Session& s, const kit::HitAnalysis& analysis,
                                      const graph::SourceLookup& sources,
                                      const std::filesystem::path& sessionFolder, const LoopWish& wish,
                                      const CancelToken& cancel = {}, const ProgressFn& progress = {});

/// With the pieces as an element beside the loop: its input, chain, output and sends are the loop's. With
/// `replaces` the loop is muted.
[[nodiscard]] session::WithMade withCutLoop(session::Session s, const CutLoop& loop, session::Id of,
                                            bool replaces);

} // namespace cask::project
